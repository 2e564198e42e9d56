//! Checks: what was found when, by which expectation and rules, with findings and drawings as rows.

use crate::text::{clean, json_of};
use crate::{Moment, Result, StoreError, Tx, doing};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use newtfern_model::code::Code;
use newtfern_model::finding::{Candidate, Evidence, Finding, Severity};
use newtfern_model::job::CheckKind;
use newtfern_standards::observation::Observation;
use newtfern_verdict::assess::RULES_VERSION;
use newtfern_verdict::family::{
    DETAIL_VERSION, Detail, Family, FamilyResult, FamilyStanding, NextAction, Standing, next_action,
};
use newtfern_verdict::inputs::Prints;
use serde_json::Value;
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;

/// A check to keep.
#[derive(Debug)]
pub struct NewCheck {
    /// Number of the site.
    pub site: i64,
    /// The job that made it, if one did.
    pub job: Option<i64>,
    /// The check whose visits were judged again.
    pub judged_from: Option<i64>,
    /// Origin of the check.
    pub kind: CheckKind,
    /// Beginning of the look; judging again keeps it.
    pub seen_at: Timestamp,
    /// Whether somebody was there at the look; nothing where no hours are given.
    pub staffed: Option<bool>,
    /// Print of the expectation.
    pub expectation: String,
    /// Version of the rules.
    pub rules: i32,
    /// Outcome in one sentence.
    pub outcome: String,
    /// Code of the root cause.
    pub root: Option<Code>,
    /// Families that it settles.
    pub families: Vec<FamilyResult>,
    /// Visits of the check.
    pub visits: Vec<Observation>,
    /// Copies had without a browser, as JSON.
    pub asides: Value,
    /// Blobs that it holds on to.
    pub blobs: Vec<String>,
}

impl NewCheck {
    /// A check that settles some families, with nothing else to it.
    pub fn of(
        site: i64,
        kind: CheckKind,
        seen_at: Timestamp,
        families: Vec<FamilyResult>,
    ) -> NewCheck {
        let outcome = families.first().map(|a| a.summary.clone());
        NewCheck {
            site,
            job: None,
            judged_from: None,
            kind,
            seen_at,
            staffed: None,
            expectation: String::new(),
            rules: RULES_VERSION,
            outcome: outcome.unwrap_or_default(),
            root: None,
            families,
            visits: Vec::new(),
            asides: Value::Array(Vec::new()),
            blobs: Vec::new(),
        }
    }
}

/// One check, for the history.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Check {
    /// Number of the check.
    pub id: i64,
    /// Origin of the check.
    #[sqlx(try_from = "String")]
    pub kind: CheckKind,
    /// Beginning of the look.
    pub seen_at: Moment,
    /// Time of judging.
    pub judged_at: Moment,
    /// The check whose visits were judged again.
    pub judged_from: Option<i64>,
    /// Print of the expectation.
    pub expectation: String,
    /// Version of the rules.
    pub rules: i32,
    /// Prints of what it rested on.
    pub inputs: sqlx::types::Json<Prints>,
    /// Outcome in one sentence.
    pub outcome: String,
    /// The code of the root cause.
    pub root: Option<String>,
    /// Whether it is never pruned.
    pub pinned: bool,
}

/// A finding as it is kept.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct FindingRow {
    /// The check that found it.
    pub check_id: i64,
    /// Key of the family.
    pub family: String,
    /// Code of the contract.
    pub code: String,
    /// 0 note, 1 warning, 2 fault, 3 broken.
    pub severity: i16,
    /// Finding in one sentence.
    pub summary: String,
    /// Remedy in one sentence.
    pub remedy: String,
    /// Evidence, as [`Evidence`] writes it.
    pub evidence: Value,
    /// Candidates, as [`Candidate`] writes them.
    pub candidates: Value,
}

fn severity_of(n: i16) -> Option<Severity> {
    match n {
        0 => Some(Severity::Note),
        1 => Some(Severity::Warning),
        2 => Some(Severity::Fault),
        3 => Some(Severity::Broken),
        _ => None,
    }
}

impl FindingRow {
    /// Returns the finding with its stored words read.
    ///
    /// # Errors
    /// [`StoreError::Corrupt`], where a code or a shape is not known any more.
    pub fn finding(self) -> Result<Finding> {
        let corrupt = |why: String| StoreError::Corrupt {
            what: "finding",
            why,
        };
        let code = Code::parse(&self.code).map_err(|e| corrupt(e.to_string()))?;
        let evidence: Vec<Evidence> =
            serde_json::from_value(self.evidence).map_err(|e| corrupt(e.to_string()))?;
        let candidates: Vec<Candidate> =
            serde_json::from_value(self.candidates).map_err(|e| corrupt(e.to_string()))?;
        Ok(Finding {
            code,
            severity: severity_of(self.severity)
                .ok_or_else(|| corrupt(format!("severity {} is not known", self.severity)))?,
            link: code.link(),
            summary: self.summary,
            evidence,
            remedy: self.remedy,
            candidates,
        })
    }
}

/// A drawing's data, or why there is none to draw.
#[derive(Debug, Clone)]
pub enum Drawing {
    /// Drawing in the shape of today.
    Known(Box<Detail>),
    /// Kept by a version whose shape is not read any more.
    Older,
}

pub(crate) fn drawing(version: i32, data: Value) -> Drawing {
    if version != DETAIL_VERSION {
        return Drawing::Older;
    }
    serde_json::from_value(data).map_or(Drawing::Older, |d| Drawing::Known(Box::new(d)))
}

/// The same finding of two checks has the same hash: of its code and what it says, not of evidence
/// that carries times.
fn hash_of(family: Family, f: &Finding) -> Vec<u8> {
    let mut hash = Sha256::new();
    for part in [family.key(), f.code.name(), &f.summary] {
        hash.update(part.as_bytes());
        hash.update([0]);
    }
    hash.finalize()[..16].to_vec()
}

impl Tx {
    /// Keeps a check with everything that belongs to it, and moves the standings that it settles:
    /// each only where this look is not older than the one it rests on.
    pub async fn keep_check(&mut self, check: &NewCheck) -> Result<i64> {
        let id: i64 = sqlx::query_scalar(include_str!("../sql/keep_check.sql"))
            .bind(check.site)
            .bind(check.job)
            .bind(check.judged_from)
            .bind(check.kind.key())
            .bind(check.seen_at.to_sqlx())
            .bind(&check.expectation)
            .bind(check.rules)
            .bind(clean(&check.outcome))
            .bind(check.root.map(Code::name))
            .bind(crate::text::clean_json(check.asides.clone()))
            .bind(check.staffed)
            .fetch_one(&mut *self.inner)
            .await
            .map_err(doing("keeping a check"))?;
        for (place, seen) in check.visits.iter().enumerate() {
            self.keep_observation(id, check.site, place, seen).await?;
        }
        for key in &check.blobs {
            sqlx::query("insert into check_blobs values ($1, $2) on conflict do nothing")
                .bind(id)
                .bind(key)
                .execute(&mut *self.inner)
                .await
                .map_err(doing("keeping a check"))?;
        }
        for assessed in &check.families {
            self.keep_family(id, check, assessed).await?;
        }
        self.refresh(&[check.site]).await?;
        Ok(id)
    }

    /// Keeps checks that settle families and have no visits, such as designs of many sites, one of
    /// each site: a few statements for all of them.
    pub async fn keep_many(&mut self, checks: &[NewCheck]) -> Result<()> {
        let Some(first) = checks.first() else {
            return Ok(());
        };
        let sites: Vec<i64> = checks.iter().map(|c| c.site).collect();
        let outcomes: Vec<String> = checks.iter().map(|c| clean(&c.outcome)).collect();
        let ids: Vec<(i64, i64)> = sqlx::query_as(
            "insert into checks (site_id, kind, seen_at, rules, outcome) \
            select s, $3, $4, $5, o from unnest($1::bigint[], $2::text[]) as n(s, o) \
            returning site_id, id",
        )
        .bind(&sites)
        .bind(outcomes)
        .bind(first.kind.key())
        .bind(first.seen_at.to_sqlx())
        .bind(first.rules)
        .fetch_all(&mut *self.inner)
        .await
        .map_err(doing("keeping checks"))?;
        let ids: BTreeMap<i64, i64> = ids.into_iter().collect();
        for check in checks {
            let id = ids.get(&check.site).copied().unwrap_or_default();
            // Most have none.
            for a in check.families.iter().filter(|a| !a.findings.is_empty()) {
                self.keep_findings(id, check.site, a).await?;
            }
        }
        let settled = checks.iter().flat_map(|c| {
            let id = ids.get(&c.site).copied().unwrap_or_default();
            c.families.iter().map(move |a| (c.site, id, a))
        });
        let settled: Vec<_> = settled.collect();
        self.move_standings(&settled, first.seen_at).await?;
        self.refresh(&sites).await
    }

    /// Moves standings that rest on checks: site, check, what it says of a family.
    async fn move_standings(
        &mut self,
        settled: &[(i64, i64, &FamilyResult)],
        seen_at: Timestamp,
    ) -> Result<()> {
        let keys = |key: fn(&FamilyResult) -> &'static str| -> Vec<&str> {
            settled.iter().map(|(_, _, a)| key(a)).collect()
        };
        let texts = |text: fn(&FamilyResult) -> &str| -> Vec<String> {
            settled.iter().map(|(_, _, a)| clean(text(a))).collect()
        };
        sqlx::query(include_str!("../sql/move_standing.sql"))
            .bind(settled.iter().map(|(s, ..)| *s).collect::<Vec<i64>>())
            .bind(keys(|a| a.family.key()))
            .bind(keys(|a| a.standing.key()))
            .bind(texts(|a| &a.summary))
            .bind(texts(|a| &a.remedy))
            .bind(seen_at.to_sqlx())
            .bind(settled.iter().map(|(_, c, _)| *c).collect::<Vec<i64>>())
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("moving standings"))
    }

    async fn keep_observation(
        &mut self,
        check: i64,
        site: i64,
        place: usize,
        seen: &Observation,
    ) -> Result<()> {
        sqlx::query(
            "insert into observations (check_id, site_id, viewport, consent, seen, place) \
            values ($1, $2, $3, $4, $5, $6)",
        )
        .bind(check)
        .bind(site)
        .bind(seen.condition.viewport.word())
        .bind(seen.condition.consent.word())
        .bind(json_of(seen))
        .bind(place as i32)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("keeping an observation"))
    }

    async fn keep_findings(&mut self, id: i64, site: i64, a: &FamilyResult) -> Result<()> {
        for (place, f) in a.findings.iter().enumerate() {
            sqlx::query(include_str!("../sql/keep_finding.sql"))
                .bind(id)
                .bind(site)
                .bind(a.family.key())
                .bind(place as i32)
                .bind(f.code.name())
                .bind(f.severity as i16)
                .bind(clean(&f.summary))
                .bind(clean(&f.remedy))
                .bind(json_of(&f.evidence))
                .bind(json_of(&f.candidates))
                .bind(hash_of(a.family, f))
                .execute(&mut *self.inner)
                .await
                .map_err(doing("keeping a finding"))?;
        }
        Ok(())
    }

    async fn keep_family(&mut self, id: i64, check: &NewCheck, a: &FamilyResult) -> Result<()> {
        self.keep_findings(id, check.site, a).await?;
        if let Some(detail) = &a.detail {
            sqlx::query("insert into drawings values ($1, $2, $3, $4)")
                .bind(id)
                .bind(a.family.key())
                .bind(DETAIL_VERSION)
                .bind(json_of(detail))
                .execute(&mut *self.inner)
                .await
                .map_err(doing("keeping a drawing"))?;
        }
        self.move_standings(&[(check.site, id, a)], check.seen_at)
            .await
    }

    /// Brings what lists show of some sites up to date: their codes and their next action.
    pub async fn refresh(&mut self, sites: &[i64]) -> Result<()> {
        let rows: Vec<Stood> = sqlx::query_as(include_str!("../sql/stood.sql"))
            .bind(sites)
            .fetch_all(&mut *self.inner)
            .await
            .map_err(doing("reading standings"))?;
        let mut by_site: BTreeMap<i64, Vec<FamilyStanding>> =
            sites.iter().map(|s| (*s, vec![])).collect();
        for row in &rows {
            by_site
                .entry(row.site_id)
                .or_default()
                .push(FamilyStanding {
                    family: row.family,
                    standing: row.state,
                    summary: &row.summary,
                    remedy: &row.remedy,
                    code: &row.code,
                    seen: row.seen,
                });
        }
        let next: Vec<_> = by_site.values().map(|stood| next_action(stood)).collect();
        let of = |field: fn(&NextAction) -> &str| -> Vec<Option<&str>> {
            next.iter().map(|n| n.as_ref().map(field)).collect()
        };
        // In one order, so that two that note the same sites do not wait for each other in a
        // circle.
        sqlx::query("select id from sites where id = any($1) order by id for no key update")
            .bind(sites)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("noting what is next"))?;
        sqlx::query(include_str!("../sql/set_next.sql"))
            .bind(by_site.keys().copied().collect::<Vec<i64>>())
            .bind(of(|n| n.family.key()))
            .bind(of(|n| n.standing.key()))
            .bind(of(|n| &n.act))
            .bind(of(|n| &n.cause))
            .bind(of(|n| &n.why))
            .execute(&mut *self.inner)
            .await
            .map_err(doing("noting what is next"))?;
        Ok(())
    }
}

/// How a family of a site stands, with what its next action needs.
#[derive(sqlx::FromRow)]
struct Stood {
    site_id: i64,
    #[sqlx(try_from = "String")]
    family: Family,
    #[sqlx(try_from = "String")]
    state: Standing,
    summary: String,
    remedy: String,
    code: String,
    seen: bool,
}
