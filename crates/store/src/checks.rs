//! Checks: what was found when, by which expectation and rules, with findings and drawings as rows.

use crate::text::{clean, json_of};
use crate::{Result, Store, StoreError, Tx, doing};
use newtfern_core::assess::RULES_VERSION;
use newtfern_core::code::Code;
use newtfern_core::family::{
    Assessed, DETAIL_VERSION, Detail, Family, Standing, Stood, next_action,
};
use newtfern_core::finding::{Candidate, Evidence, Finding, Severity};
use newtfern_core::observation::Observation;
use serde_json::Value;
use sha2::{Digest, Sha256};
use std::collections::{BTreeSet, HashMap};
use time::OffsetDateTime;

/// A check to keep.
#[derive(Debug)]
pub struct NewCheck {
    /// The site.
    pub site: i64,
    /// The job that made it, if one did.
    pub job: Option<i64>,
    /// The check whose visits were judged again.
    pub judged_from: Option<i64>,
    /// What was done: a kind of job, or an act of a person.
    pub kind: &'static str,
    /// When the look began; judging again keeps it.
    pub seen_at: OffsetDateTime,
    /// Print of the expectation.
    pub expectation: String,
    /// Version of the rules.
    pub rules: i32,
    /// In words.
    pub outcome: String,
    /// The root cause.
    pub root: Option<Code>,
    /// Families that it settles.
    pub families: Vec<Assessed>,
    /// The visits.
    pub visits: Vec<Observation>,
    /// Copies beside them.
    pub asides: Value,
    /// Blobs that it holds on to.
    pub blobs: Vec<String>,
}

impl NewCheck {
    /// A check that settles some families, with nothing else to it.
    pub fn of(
        site: i64,
        kind: &'static str,
        seen_at: OffsetDateTime,
        families: Vec<Assessed>,
    ) -> NewCheck {
        let outcome = families.first().map(|a| a.summary.clone());
        NewCheck {
            site,
            job: None,
            judged_from: None,
            kind,
            seen_at,
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
    pub id: i64,
    pub kind: String,
    pub seen_at: OffsetDateTime,
    pub judged_at: OffsetDateTime,
    pub judged_from: Option<i64>,
    pub expectation: String,
    pub rules: i32,
    pub outcome: String,
    pub root: Option<String>,
    pub pinned: bool,
}

/// A finding as it is kept.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct FindingRow {
    pub check_id: i64,
    pub family: String,
    pub code: String,
    pub severity: i16,
    pub summary: String,
    pub remedy: String,
    pub evidence: Value,
    pub candidates: Value,
}

fn severity_of(n: i16) -> Severity {
    match n {
        0 => Severity::Note,
        1 => Severity::Warning,
        2 => Severity::Fault,
        _ => Severity::Broken,
    }
}

impl FindingRow {
    /// The typed finding.
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
            severity: severity_of(self.severity),
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
    /// As it is now.
    Known(Box<Detail>),
    /// Kept by a version whose shape is not read any more.
    Older,
}

fn drawing(version: i32, data: Value) -> Drawing {
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
    /// Keeps a check with everything that belongs to it, and moves the standings that it settles: each
    /// only where this look is not older than the one it rests on.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn keep_check(&mut self, check: &NewCheck) -> Result<i64> {
        let id: i64 = sqlx::query_scalar(include_str!("sql/keep_check.sql"))
            .bind(check.site)
            .bind(check.job)
            .bind(check.judged_from)
            .bind(check.kind)
            .bind(check.seen_at)
            .bind(&check.expectation)
            .bind(check.rules)
            .bind(clean(&check.outcome))
            .bind(check.root.map(Code::name))
            .bind(crate::text::clean_json(check.asides.clone()))
            .fetch_one(&mut *self.inner)
            .await
            .map_err(doing("keeping a check"))?;
        for seen in &check.visits {
            self.keep_observation(id, check.site, seen).await?;
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

    async fn keep_observation(&mut self, check: i64, site: i64, seen: &Observation) -> Result<()> {
        sqlx::query("insert into observations (check_id, site_id, viewport, consent, seen) values ($1, $2, $3, $4, $5) on conflict do nothing")
            .bind(check)
            .bind(site)
            .bind(seen.condition.viewport.word())
            .bind(seen.condition.consent.word())
            .bind(json_of(seen))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping an observation"))
    }

    async fn keep_family(&mut self, id: i64, check: &NewCheck, a: &Assessed) -> Result<()> {
        for (place, f) in a.findings.iter().enumerate() {
            sqlx::query(include_str!("sql/keep_finding.sql"))
                .bind(id)
                .bind(check.site)
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
        sqlx::query(include_str!("sql/move_standing.sql"))
            .bind(check.site)
            .bind(a.family.key())
            .bind(a.standing.key())
            .bind(clean(&a.summary))
            .bind(clean(&a.remedy))
            .bind(check.seen_at)
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("moving a standing"))
    }

    /// What standings rest on has changed: those that say something are stale from now on.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn make_stale(
        &mut self,
        sites: &[i64],
        families: &[Family],
        why: &str,
    ) -> Result<()> {
        let families: Vec<&str> = families.iter().map(|f| f.key()).collect();
        sqlx::query("update standings set state = 'stale', summary = $3, remedy = '' where site_id = any($1) and family = any($2) and state in ('passing', 'failing', 'undecided')")
            .bind(sites)
            .bind(families)
            .bind(why)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("making standings stale"))?;
        self.refresh(sites).await
    }

    /// Brings what lists show of some sites up to date: their codes and their next action.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn refresh(&mut self, sites: &[i64]) -> Result<()> {
        let rows: Vec<(i64, String, String, String, String)> = sqlx::query_as(
            "select site_id, family, state, summary, remedy from standings where site_id = any($1)",
        )
        .bind(sites)
        .fetch_all(&mut *self.inner)
        .await
        .map_err(doing("reading standings"))?;
        let mut by_site: HashMap<i64, Vec<Stood>> = sites.iter().map(|s| (*s, vec![])).collect();
        for (site, family, state, summary, remedy) in &rows {
            let Some(family) = Family::from_key(family) else {
                continue;
            };
            by_site.entry(*site).or_default().push(Stood {
                family,
                standing: Standing::from_key(state).unwrap_or_default(),
                summary,
                remedy,
            });
        }
        for (site, stood) in by_site {
            let next = next_action(&stood);
            sqlx::query(include_str!("sql/set_next.sql"))
                .bind(site)
                .bind(next.as_ref().map(|n| n.family.key()))
                .bind(next.as_ref().map(|n| n.standing.key()))
                .bind(next.as_ref().map(|n| n.act.as_str()))
                .bind(next.as_ref().map_or("", |n| n.why.as_str()))
                .execute(&mut *self.inner)
                .await
                .map_err(doing("noting what is next"))?;
        }
        Ok(())
    }
}

impl Store {
    /// The last checks of a site, newest first.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn checks(&self, site: i64, offset: i64, limit: i64) -> Result<Vec<Check>> {
        sqlx::query_as("select id, kind, seen_at, judged_at, judged_from, expectation, rules, outcome, root, pinned from checks where site_id = $1 order by id desc offset $2 limit $3")
            .bind(site)
            .bind(offset)
            .bind(limit)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading the history"))
    }

    /// Codes of faults and worse of some checks.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn codes_of(&self, checks: &[i64]) -> Result<HashMap<i64, BTreeSet<Code>>> {
        let rows: Vec<(i64, String)> = sqlx::query_as(
            "select check_id, code from findings where check_id = any($1) and severity >= 2",
        )
        .bind(checks)
        .fetch_all(&self.pool)
        .await
        .map_err(doing("reading findings"))?;
        let mut out: HashMap<i64, BTreeSet<Code>> =
            checks.iter().map(|c| (*c, BTreeSet::new())).collect();
        for (check, code) in rows {
            if let Ok(code) = Code::parse(&code) {
                out.entry(check).or_default().insert(code);
            }
        }
        Ok(out)
    }

    /// The last look of a kind at a site: its check, when it was seen, and its codes.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn last_check(&self, site: i64, kind: &str) -> Result<Option<Check>> {
        sqlx::query_as("select id, kind, seen_at, judged_at, judged_from, expectation, rules, outcome, root, pinned from checks where site_id = $1 and kind = $2 order by seen_at desc, id desc limit 1")
            .bind(site)
            .bind(kind)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading the last check"))
    }

    /// The visits and copies of a check, or of the one whose visits it judged again.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn evidence_of(&self, check: &Check) -> Result<(Vec<Observation>, Value)> {
        let of = check.judged_from.unwrap_or(check.id);
        let visits: Vec<sqlx::types::Json<Observation>> = sqlx::query_scalar(
            "select seen from observations where check_id = $1 order by viewport, consent desc",
        )
        .bind(of)
        .fetch_all(&self.pool)
        .await
        .map_err(doing("reading observations"))?;
        let asides: Option<Value> = sqlx::query_scalar("select asides from checks where id = $1")
            .bind(of)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading copies"))?;
        let visits = visits.into_iter().map(|j| j.0).collect();
        Ok((visits, asides.unwrap_or(Value::Null)))
    }

    /// Findings of the checks that a site's standings rest on, by family, the root cause first.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn findings(&self, site: i64) -> Result<HashMap<Family, Vec<Finding>>> {
        let rows: Vec<FindingRow> = sqlx::query_as(include_str!("sql/findings.sql"))
            .bind(site)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading findings"))?;
        let mut out: HashMap<Family, Vec<Finding>> = HashMap::new();
        for row in rows {
            if let Some(family) = Family::from_key(&row.family) {
                out.entry(family).or_default().push(row.finding()?);
            }
        }
        Ok(out)
    }

    /// Drawings that some sites' standings rest on: of one family, or of all.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn drawings(
        &self,
        sites: &[i64],
        family: Option<Family>,
    ) -> Result<HashMap<(i64, Family), Drawing>> {
        let rows: Vec<(i64, String, i32, Value)> = sqlx::query_as(include_str!("sql/drawings.sql"))
            .bind(sites)
            .bind(family.map(Family::key))
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading drawings"))?;
        let known = |(site, family, version, data): (i64, String, i32, Value)| {
            Some(((site, Family::from_key(&family)?), drawing(version, data)))
        };
        Ok(rows.into_iter().filter_map(known).collect())
    }

    /// Sites whose last check is stored, for judging again without a visit.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn observed_sites(&self) -> Result<Vec<i64>> {
        sqlx::query_scalar("select distinct site_id from observations order by 1")
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing observed sites"))
    }

    /// Results grow old: what was seen longer ago than `after_s` does not speak for today any more.
    /// Gives how many standings that was.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn age(&self, after_s: i64) -> Result<usize> {
        let mut tx = self.begin().await?;
        let sites: Vec<i64> = sqlx::query_scalar(include_str!("sql/age.sql"))
            .bind(after_s as f64)
            .fetch_all(&mut *tx.inner)
            .await
            .map_err(doing("aging standings"))?;
        let unique: BTreeSet<i64> = sites.iter().copied().collect();
        let unique: Vec<i64> = unique.into_iter().collect();
        tx.refresh(&unique).await?;
        tx.commit().await?;
        Ok(sites.len())
    }

    /// Sums up the counts of the Trail, and forgets what was told long ago.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn tidy(&self) -> Result<()> {
        for sql in [
            "select compact_tallies()",
            "delete from outbox where at < now() - interval '7 days'",
        ] {
            sqlx::query(sql)
                .execute(&self.pool)
                .await
                .map_err(doing("tidying up"))?;
        }
        Ok(())
    }

    /// Keeps the last `keep` checks of each kind of each site, what standings rest on and what is
    /// pinned; gives the blobs that nothing refers to any more.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn prune(&self, keep: i64) -> Result<Vec<String>> {
        sqlx::query_scalar(include_str!("sql/prune.sql"))
            .bind(keep)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("pruning checks"))
    }
}
