//! Sites: adding, changing, and the rows of the lenses.

use crate::audit::like;
use crate::{Result, Store, StoreError, doing, unique};
use newtfern_core::design::Layer;
use newtfern_core::standing::{Family, NextAction, STALE_AFTER_S, State, Stood, next_action};
use serde_json::Value;
use std::collections::HashMap;
use time::OffsetDateTime;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Site {
    pub id: i64,
    pub client_id: i64,
    pub client_name: String,
    pub name: String,
    pub url: String,
    pub platform_id: Option<String>,
    pub consent_id: Option<String>,
    pub supplier_id: Option<String>,
    pub key: String,
    pub slot_id: String,
    pub languages: String,
    pub country: String,
    pub time_zone: String,
    pub contact: String,
    pub adjustments: Value,
    pub budget_ms: f64,
    pub preview_desktop: Option<String>,
    pub preview_phone: Option<String>,
}

impl Site {
    pub fn layer(&self) -> Result<Layer> {
        serde_json::from_value(self.adjustments.clone()).map_err(|e| StoreError::Corrupt {
            what: "design adjustments",
            why: e.to_string(),
        })
    }
}

/// What is needed to add a site.
#[derive(Debug, Clone, Default)]
pub struct NewSite {
    pub client_id: i64,
    pub name: String,
    pub url: String,
    pub platform_id: Option<String>,
    pub consent_id: Option<String>,
    pub supplier_id: Option<String>,
    pub key: String,
    pub slot_id: String,
    pub languages: String,
    pub country: String,
    pub time_zone: String,
    pub contact: String,
    pub budget_ms: Option<f64>,
}

/// How a site stands in one family; `state` has been aged.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Standing {
    pub site_id: i64,
    pub family: String,
    pub state: String,
    pub summary: String,
    pub remedy: String,
    pub detail: Value,
    pub at: OffsetDateTime,
}

impl Standing {
    pub fn family(&self) -> Family {
        Family::from_key(&self.family).unwrap_or(Family::Design)
    }

    pub fn state(&self) -> State {
        State::from_key(&self.state).unwrap_or_default()
    }
}

/// What a site needs next, by its stored standings.
pub fn next_of(standings: &[Standing]) -> Option<NextAction> {
    let stood: Vec<Stood> = standings
        .iter()
        .map(|s| Stood {
            family: s.family(),
            state: s.state(),
            summary: &s.summary,
            remedy: &s.remedy,
        })
        .collect();
    next_action(&stood)
}

/// Which rows of the estate, in which order.
#[derive(Debug, Clone, Default)]
pub struct Filter {
    pub search: String,
    pub client: Option<i64>,
    pub family: Option<Family>,
    pub state: Option<State>,
    /// Sorts by the state in this family, worst first.
    pub worst_in: Option<Family>,
}

const COLUMNS: &str = "s.id, s.client_id, c.name as client_name, s.name, s.url, s.platform_id, s.consent_id, s.supplier_id, s.key, s.slot_id, s.languages, s.country, s.time_zone, s.contact, s.adjustments, s.budget_ms, s.preview_desktop, s.preview_phone";

/// What a filter asks of a row; $1 is the age in seconds after which a state is stale.
const MATCHES: &str = "(s.name ilike $2 or s.url ilike $2 or c.name ilike $2) and ($3::bigint is null or s.client_id = $3) and ($4::text is null or exists (select 1 from standings t where t.site_id = s.id and t.family = $4 and ($5::text is null or aged(t.state, t.at, $1) = $5)))";

/// Worst first.
const ORDER: &str = "array_position(array['failing', 'undecided', 'stale', 'not_yet', 'passing', 'not_applicable'], aged(w.state, w.at, $1)), c.name, s.id";

impl Store {
    pub async fn add_site(&self, site: &NewSite) -> Result<i64> {
        let mut tx = self.pool.begin().await.map_err(doing("adding a site"))?;
        let id: i64 = sqlx::query_scalar("insert into sites (client_id, name, url, platform_id, consent_id, supplier_id, key, slot_id, languages, country, time_zone, contact, budget_ms) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, coalesce($13, 50)) returning id")
            .bind(site.client_id)
            .bind(site.name.trim())
            .bind(&site.url)
            .bind(&site.platform_id)
            .bind(&site.consent_id)
            .bind(&site.supplier_id)
            .bind(site.key.trim())
            .bind(&site.slot_id)
            .bind(&site.languages)
            .bind(&site.country)
            .bind(&site.time_zone)
            .bind(&site.contact)
            .bind(site.budget_ms)
            .fetch_one(&mut *tx)
            .await
            .map_err(unique("a site with this address", &site.url, "adding a site"))?;
        for family in Family::ALL {
            sqlx::query("insert into standings (site_id, family) values ($1, $2)")
                .bind(id)
                .bind(family.key())
                .execute(&mut *tx)
                .await
                .map_err(doing("adding a site"))?;
        }
        if site.supplier_id.is_some() && !site.key.trim().is_empty() {
            sqlx::query("update standings set state = 'passing', summary = 'Supplier and key are chosen.' where site_id = $1 and family = 'design'")
                .bind(id)
                .execute(&mut *tx)
                .await
                .map_err(doing("adding a site"))?;
        }
        tx.commit().await.map_err(doing("adding a site"))?;
        Ok(id)
    }

    pub async fn site(&self, id: i64) -> Result<Option<Site>> {
        let sql = format!(
            "select {COLUMNS} from sites s join clients c on c.id = s.client_id where s.id = $1"
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a site"))
    }

    pub async fn site_by_url(&self, url: &str) -> Result<Option<i64>> {
        sqlx::query_scalar("select id from sites where url = $1")
            .bind(url)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("looking up a site"))
    }

    /// One page of rows and how many there are in all.
    pub async fn sites(&self, f: &Filter, offset: i64, limit: i64) -> Result<(Vec<Site>, i64)> {
        // Without a family to sort by, no row of `w` is found and all are equal in it.
        let sql = format!(
            "select {COLUMNS} from sites s join clients c on c.id = s.client_id left join standings w on w.site_id = s.id and w.family = $8 where {MATCHES} order by {ORDER} offset $6 limit $7"
        );
        let rows = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(STALE_AFTER_S as f64)
            .bind(like(&f.search))
            .bind(f.client)
            .bind(f.family.map(Family::key))
            .bind(f.state.map(State::key))
            .bind(offset)
            .bind(limit)
            .bind(f.worst_in.map(Family::key))
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing sites"))?;
        let total = self
            .site_ids_sql("select count(*)", f)
            .fetch_one(&self.pool)
            .await
            .map_err(doing("counting sites"))?;
        Ok((rows, total))
    }

    /// Ids of all rows a filter matches, for acts on everything found.
    pub async fn site_ids(&self, f: &Filter) -> Result<Vec<i64>> {
        self.site_ids_sql("select s.id", f)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing sites"))
    }

    /// Ids of all sites of some clients.
    pub async fn site_ids_of(&self, clients: &[i64]) -> Result<Vec<i64>> {
        sqlx::query_scalar("select id from sites where client_id = any($1) order by id")
            .bind(clients)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing sites"))
    }

    fn site_ids_sql(
        &self,
        select: &'static str,
        f: &Filter,
    ) -> sqlx::query::QueryScalar<'static, sqlx::Postgres, i64, sqlx::postgres::PgArguments> {
        let sql =
            format!("{select} from sites s join clients c on c.id = s.client_id where {MATCHES}");
        sqlx::query_scalar(sqlx::AssertSqlSafe(sql))
            .bind(STALE_AFTER_S as f64)
            .bind(like(&f.search))
            .bind(f.client)
            .bind(f.family.map(Family::key))
            .bind(f.state.map(State::key))
    }

    pub async fn standings_of(&self, sites: &[i64]) -> Result<HashMap<i64, Vec<Standing>>> {
        let sql = "select t.site_id, t.family, aged(t.state, t.at, $1) as state, t.summary, t.remedy, t.detail, t.at from standings t where t.site_id = any($2)";
        let rows: Vec<Standing> = sqlx::query_as(sql)
            .bind(STALE_AFTER_S as f64)
            .bind(sites)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading standings"))?;
        let mut out: HashMap<i64, Vec<Standing>> = HashMap::new();
        for row in rows {
            out.entry(row.site_id).or_default().push(row);
        }
        for list in out.values_mut() {
            list.sort_by_key(Standing::family);
        }
        Ok(out)
    }

    /// How many sites are in each state of each family: the counts of the Trail.
    pub async fn counts(&self) -> Result<HashMap<(Family, State), i64>> {
        let sql = "select t.family, aged(t.state, t.at, $1) as state, count(*) from standings t group by 1, 2";
        let rows: Vec<(String, String, i64)> = sqlx::query_as(sql)
            .bind(STALE_AFTER_S as f64)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("counting standings"))?;
        Ok(rows
            .into_iter()
            .filter_map(|(f, s, n)| Some(((Family::from_key(&f)?, State::from_key(&s)?), n)))
            .collect())
    }

    /// What the bench can change about a site.
    pub async fn set_site(&self, id: i64, s: &NewSite) -> Result<()> {
        sqlx::query("update sites set name = $2, platform_id = $3, consent_id = $4, supplier_id = $5, key = $6, slot_id = $7, languages = $8, country = $9, time_zone = $10, contact = $11, budget_ms = coalesce($12, budget_ms) where id = $1")
            .bind(id)
            .bind(s.name.trim())
            .bind(&s.platform_id)
            .bind(&s.consent_id)
            .bind(&s.supplier_id)
            .bind(s.key.trim())
            .bind(&s.slot_id)
            .bind(&s.languages)
            .bind(&s.country)
            .bind(&s.time_zone)
            .bind(&s.contact)
            .bind(s.budget_ms)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("changing a site"))
    }

    pub async fn set_adjustments(&self, id: i64, layer: &Layer) -> Result<()> {
        sqlx::query("update sites set adjustments = $2 where id = $1")
            .bind(id)
            .bind(sqlx::types::Json(layer))
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("changing a design"))
    }

    pub async fn set_previews(
        &self,
        id: i64,
        desktop: Option<&str>,
        phone: Option<&str>,
    ) -> Result<()> {
        sqlx::query("update sites set preview_desktop = coalesce($2, preview_desktop), preview_phone = coalesce($3, preview_phone) where id = $1")
            .bind(id)
            .bind(desktop)
            .bind(phone)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("keeping a preview"))
    }

    pub async fn set_site_token(&self, id: i64, sealed: &[u8]) -> Result<()> {
        sqlx::query("update sites set token_sealed = $2 where id = $1")
            .bind(id)
            .bind(sealed)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("keeping a token"))
    }

    pub async fn site_token(&self, id: i64) -> Result<Option<Vec<u8>>> {
        let found: Option<Option<Vec<u8>>> =
            sqlx::query_scalar("select token_sealed from sites where id = $1")
                .bind(id)
                .fetch_optional(&self.pool)
                .await
                .map_err(doing("reading a token"))?;
        Ok(found.flatten())
    }

    pub async fn remove_site(&self, id: i64) -> Result<()> {
        sqlx::query("delete from sites where id = $1")
            .bind(id)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("removing a site"))
    }

    /// The demo's stand-ins moved to another port: addresses and the supplier's profile follow.
    pub async fn move_port(&self, before: u16, after: u16) -> Result<()> {
        for sql in [
            "update sites set url = replace(url, $1, $2)",
            "update suppliers set profile = replace(profile, $1, $2)",
        ] {
            sqlx::query(sql)
                .bind(format!(".localhost:{before}/"))
                .bind(format!(".localhost:{after}/"))
                .execute(&self.pool)
                .await
                .map_err(doing("moving the demo's port"))?;
        }
        Ok(())
    }
}
