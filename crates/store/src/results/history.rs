//! What was found when: the checks of a site, their evidence, findings and drawings, and how all of
//! it grows old.

use crate::estate::names::family_of;
use crate::handles::{Care, CheckRows};
use crate::results::checks::{Check, Drawing, FindingRow, drawing};
use crate::{Moment, Result, doing};
use jiff_sqlx::ToSqlx;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;
use newtfern_model::job::JobKind;
use newtfern_standards::observation::Observation;
use newtfern_verdict::family::Family;
use newtfern_verdict::family::other_hours::OtherLook;
use serde_json::Value;
use std::collections::{BTreeSet, HashMap};

impl CheckRows<'_> {
    /// The last checks of a site, newest first.
    pub async fn page(self, site: i64, offset: i64, limit: i64) -> Result<Vec<Check>> {
        sqlx::query_as(
            "select id, kind, seen_at, judged_at, judged_from, expectation, inputs, \
            rules, outcome, root, pinned \
            from checks where site_id = $1 order by id desc offset $2 limit $3",
        )
        .bind(site)
        .bind(offset)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading the history"))
    }

    /// Codes of faults and worse of some checks.
    pub async fn codes_of(self, checks: &[i64]) -> Result<HashMap<i64, BTreeSet<Code>>> {
        let rows: Vec<(i64, String)> = sqlx::query_as(
            "select check_id, code from findings where check_id = any($1) and severity >= 2",
        )
        .bind(checks)
        .fetch_all(&self.store.pool)
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
    pub async fn last_check(self, site: i64, kind: &str) -> Result<Option<Check>> {
        sqlx::query_as(
            "select id, kind, seen_at, judged_at, judged_from, expectation, inputs, \
            rules, outcome, root, pinned \
            from checks where site_id = $1 and kind = $2 order by seen_at desc, id desc \
            limit 1",
        )
        .bind(site)
        .bind(kind)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading the last check"))
    }

    /// The look before a time that one by this expectation is compared with: one of the same
    /// expectation before others, of those the last at which all was in order, else the last.
    pub async fn to_compare(
        self,
        site: i64,
        kind: &str,
        before: jiff::Timestamp,
        expectation: &str,
    ) -> Result<Option<Check>> {
        sqlx::query_as(include_str!("../sql/to_compare.sql"))
            .bind(site)
            .bind(kind)
            .bind(before.to_sqlx())
            .bind(expectation)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading an earlier check"))
    }

    /// The last look of a site while somebody was there, or while nobody was, by an expectation.
    pub async fn last_while(
        self,
        site: i64,
        staffed: bool,
        expectation: &str,
    ) -> Result<Option<OtherLook>> {
        let found: Option<(i64, Moment)> = sqlx::query_as(
            "select id, seen_at from checks \
            where site_id = $1 and kind = $2 and staffed = $3 and expectation = $4 \
            order by seen_at desc, id desc limit 1",
        )
        .bind(site)
        .bind(JobKind::Check.key())
        .bind(staffed)
        .bind(expectation)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading an earlier check"))?;
        let Some((check, seen_at)) = found else {
            return Ok(None);
        };
        let rows: Vec<FindingRow> = sqlx::query_as(
            "select check_id, family, code, severity, summary, remedy, evidence, candidates \
            from findings where check_id = $1 order by family, place",
        )
        .bind(check)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading findings"))?;
        let read = |row: FindingRow| Ok((family_of(&row.family)?, row.finding()?));
        Ok(Some(OtherLook {
            at: seen_at.to_jiff(),
            staffed,
            findings: rows.into_iter().map(read).collect::<Result<_>>()?,
        }))
    }

    /// The visits and copies of a check, or of the one whose visits it judged again.
    pub async fn evidence_of(self, check: &Check) -> Result<(Vec<Observation>, Value)> {
        let of = check.judged_from.unwrap_or(check.id);
        let visits: Vec<sqlx::types::Json<Observation>> = sqlx::query_scalar(
            "select seen from observations where check_id = $1 order by place, id",
        )
        .bind(of)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading observations"))?;
        let asides: Option<Value> = sqlx::query_scalar("select asides from checks where id = $1")
            .bind(of)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading copies"))?;
        let visits = visits.into_iter().map(|j| j.0).collect();
        Ok((visits, asides.unwrap_or(Value::Null)))
    }

    /// Findings of the checks that a site's standings rest on, by family, the root cause first.
    pub async fn findings(self, site: i64) -> Result<HashMap<Family, Vec<Finding>>> {
        let rows: Vec<FindingRow> = sqlx::query_as(include_str!("../sql/findings.sql"))
            .bind(site)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("reading findings"))?;
        let mut out: HashMap<Family, Vec<Finding>> = HashMap::new();
        for row in rows {
            let family = family_of(&row.family)?;
            out.entry(family).or_default().push(row.finding()?);
        }
        Ok(out)
    }

    /// Drawings that some sites' standings rest on: of one family, or of all.
    pub async fn drawings(
        self,
        sites: &[i64],
        family: Option<Family>,
    ) -> Result<HashMap<(i64, Family), Drawing>> {
        let rows: Vec<(i64, String, i32, Value)> =
            sqlx::query_as(include_str!("../sql/drawings.sql"))
                .bind(sites)
                .bind(family.map(Family::key))
                .fetch_all(&self.store.pool)
                .await
                .map_err(doing("reading drawings"))?;
        let read = |(site, family, version, data): (i64, String, i32, Value)| {
            Ok(((site, family_of(&family)?), drawing(version, data)))
        };
        rows.into_iter().map(read).collect()
    }

    /// The newest drawings of a family over the whole estate, each with its site's supplier.
    pub async fn newest_drawings(
        self,
        family: Family,
        limit: i64,
    ) -> Result<Vec<(String, Drawing)>> {
        let rows: Vec<(String, i32, Value)> = sqlx::query_as(
            "select s.supplier_id, d.version, d.data \
            from standings t join sites s on s.id = t.site_id \
            join drawings d on d.check_id = t.check_id and d.family = t.family \
            where t.family = $1 and s.supplier_id is not null order by t.at desc limit $2",
        )
        .bind(family.key())
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading drawings"))?;
        let known = |(supplier, version, data)| (supplier, drawing(version, data));
        Ok(rows.into_iter().map(known).collect())
    }

    /// Test talks of this month at a client's account with a supplier.
    pub async fn tests_this_month(self, client: i64, supplier: &str) -> Result<i64> {
        sqlx::query_scalar(
            "select count(*) from checks c join sites s on s.id = c.site_id \
            where c.kind = 'echo' and s.client_id = $1 and s.supplier_id = $2 \
            and c.seen_at >= date_trunc('month', now())",
        )
        .bind(client)
        .bind(supplier)
        .fetch_one(&self.store.pool)
        .await
        .map_err(doing("counting test chats"))
    }

    /// Sites with the account that a test talk at each would be had in, and how many were made
    /// there this month: site, client, supplier, number. Sites without a supplier are left out.
    pub async fn test_accounts(self, sites: &[i64]) -> Result<Vec<(i64, String, String, i64)>> {
        sqlx::query_as(include_str!("../sql/test_accounts.sql"))
            .bind(sites)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("counting test chats"))
    }

    /// The last test talks at a site: when, and what came of them.
    pub async fn tests_of(self, site: i64, limit: i64) -> Result<Vec<(Moment, String)>> {
        sqlx::query_as(
            "select seen_at, outcome from checks where site_id = $1 and kind = 'echo' \
            order by id desc limit $2",
        )
        .bind(site)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading test chats"))
    }

    /// Sites whose last check is stored, for judging again without a visit.
    pub async fn observed_sites(self) -> Result<Vec<i64>> {
        sqlx::query_scalar("select distinct site_id from observations order by 1")
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing observed sites"))
    }
}

impl Care<'_> {
    /// Results grow old: what was seen longer ago than `after_s` does not speak for today any more.
    /// Gives how many standings that was.
    pub async fn age(self, after_s: i64) -> Result<usize> {
        let mut tx = self.store.begin().await?;
        let sites: Vec<i64> = sqlx::query_scalar(include_str!("../sql/age.sql"))
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
    pub async fn tidy(self) -> Result<()> {
        for sql in [
            "select compact_tallies()",
            "delete from outbox where at < now() - interval '7 days'",
        ] {
            sqlx::query(sql)
                .execute(&self.store.pool)
                .await
                .map_err(doing("tidying up"))?;
        }
        Ok(())
    }

    /// Keeps the last `keep` checks of each kind of each site, what standings rest on and what is
    /// pinned; gives the blobs that nothing refers to any more.
    pub async fn prune(self, keep: i64) -> Result<Vec<String>> {
        sqlx::query_scalar(include_str!("../sql/prune.sql"))
            .bind(keep)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("pruning checks"))
    }
}
