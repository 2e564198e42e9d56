//! Sites: adding, changing, and the rows of the lenses.

use crate::text::{clean, json_of};
use crate::{Result, Store, StoreError, Tx, doing, unique};
use newtfern_core::design::Layer;
use newtfern_core::family::{Family, Standing, Stood};
use newtfern_core::site::{SiteField, SiteFields};
use serde_json::Value;
use std::collections::HashMap;
use time::OffsetDateTime;

/// A site as it is kept.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Site {
    pub id: i64,
    pub client_id: i64,
    pub client_name: String,
    pub worst: i16,
    pub preview_desktop: Option<String>,
    pub preview_phone: Option<String>,
    pub next_family: Option<String>,
    pub next_state: Option<String>,
    pub next_act: Option<String>,
    pub next_why: String,
    adjustments: sqlx::types::Json<Layer>,
    fields: sqlx::types::Json<SiteFields>,
}

impl std::ops::Deref for Site {
    type Target = SiteFields;

    fn deref(&self) -> &SiteFields {
        &self.fields.0
    }
}

impl Site {
    /// The site's own values of its design.
    pub fn layer(&self) -> &Layer {
        &self.adjustments.0
    }

    /// Its fields.
    pub fn fields(&self) -> &SiteFields {
        &self.fields.0
    }

    /// Its state: the worst of its families.
    pub fn state(&self) -> Standing {
        standing_of_rank(self.worst)
    }
}

/// The standing of a rank as the database keeps it, 1 the worst.
pub fn standing_of_rank(rank: i16) -> Standing {
    let index = usize::try_from(rank - 1).unwrap_or(0);
    Standing::ALL.get(index).copied().unwrap_or_default()
}

/// How a site stands in one family.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct StandingRow {
    pub site_id: i64,
    pub family: String,
    pub state: String,
    pub summary: String,
    pub remedy: String,
    /// When it was seen.
    pub at: OffsetDateTime,
    pub check_id: Option<i64>,
}

impl StandingRow {
    /// Whose.
    pub fn family(&self) -> Family {
        Family::from_key(&self.family).unwrap_or(Family::Design)
    }

    /// How.
    pub fn state(&self) -> Standing {
        Standing::from_key(&self.state).unwrap_or_default()
    }

    /// As the next action needs it.
    pub fn stood(&self) -> Stood<'_> {
        Stood {
            family: self.family(),
            standing: self.state(),
            summary: &self.summary,
            remedy: &self.remedy,
        }
    }
}

/// What lists are sorted by.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Order {
    /// By client and then in the order in which they were added.
    #[default]
    Client,
    /// By a site's own state, worst first.
    Worst,
    /// By its standing in a family, worst first.
    WorstIn(Family),
}

/// Which rows of the estate, in which order.
#[derive(Debug, Clone, Default)]
pub struct Filter {
    /// Words that must all be found: in names, addresses, keys, suppliers, platforms, codes.
    pub search: String,
    pub client: Option<i64>,
    /// A state: of the site, or of a family.
    pub state: Option<(Option<Family>, Standing)>,
    /// The next action asked for: family and words.
    pub next: Option<(Family, String)>,
    pub order: Order,
}

/// The words of a search, each as a pattern; at most eight.
fn patterns(search: &str) -> Vec<String> {
    let words = search.split_whitespace().take(8);
    words
        .map(|w| crate::audit::like(&w.to_lowercase()))
        .collect()
}

fn columns() -> String {
    let pairs: Vec<String> = SiteField::ALL
        .iter()
        .map(|f| format!("'{0}', s.{0}", f.column()))
        .collect();
    format!(
        "s.id, s.client_id, c.name as client_name, s.worst, s.preview_desktop, s.preview_phone, s.next_family, s.next_state, s.next_act, s.next_why, s.adjustments, jsonb_build_object({}) as fields",
        pairs.join(", ")
    )
}

/// The fields' columns, for writing: one list for all statements.
fn names() -> String {
    let names: Vec<&str> = SiteField::ALL.iter().map(|f| f.column()).collect();
    names.join(", ")
}

/// What a filter asks of a row: $1 patterns, $2 client, $3 family of the state, $4 state, $5 rank,
/// $6 and $7 the next action.
const MATCHES: &str = "s.search like all ($1) and ($2::bigint is null or s.client_id = $2)
    and ($4::text is null or case when $3::text is null then s.worst = $5
        else exists (select 1 from standings t where t.site_id = s.id and t.family = $3 and t.state = $4) end)
    and ($6::text is null or (s.next_family = $6 and s.next_act = $7))";

macro_rules! bind_filter {
    ($query:expr, $filter:expr) => {{
        let (family, state) = match &$filter.state {
            Some((family, state)) => (family.map(Family::key), Some(*state)),
            None => (None, None),
        };
        let rank = state.and_then(|s| Standing::ALL.iter().position(|x| *x == s));
        $query
            .bind(patterns(&$filter.search))
            .bind($filter.client)
            .bind(family)
            .bind(state.map(Standing::key))
            .bind(rank.map(|r| r as i16 + 1))
            .bind($filter.next.as_ref().map(|(f, _)| f.key()))
            .bind($filter.next.as_ref().map(|(_, act)| act.clone()))
    }};
}

impl Tx {
    /// Adds a site, with a standing in each family from the moment it exists.
    ///
    /// # Errors
    /// [`StoreError::Taken`] where a site with this address is there.
    pub async fn add_site(&mut self, client: i64, fields: &SiteFields) -> Result<i64> {
        let names = names();
        let sql = format!(
            "insert into sites (client_id, {names}) select $1, {names} from jsonb_populate_record(null::sites, $2) returning id"
        );
        let id: i64 = sqlx::query_scalar(sqlx::AssertSqlSafe(sql))
            .bind(client)
            .bind(json_of(fields))
            .fetch_one(&mut *self.inner)
            .await
            .map_err(unique(
                "a site with this address",
                &fields.url,
                "adding a site",
            ))?;
        let families: Vec<&str> = Family::ALL.iter().map(|f| f.key()).collect();
        for (sql, bound) in [
            (
                "insert into standings (site_id, family) select $1, unnest($2::text[])",
                families,
            ),
            (
                "insert into pages (site_id, url) select $1, u from unnest($2::text[]) as u",
                vec![fields.url.as_str()],
            ),
        ] {
            sqlx::query(sql)
                .bind(id)
                .bind(bound)
                .execute(&mut *self.inner)
                .await
                .map_err(doing("adding a site"))?;
        }
        Ok(id)
    }

    /// Changes a site's fields.
    ///
    /// # Errors
    /// [`StoreError::Taken`] where another site has the address.
    pub async fn set_site(&mut self, id: i64, fields: &SiteFields) -> Result<()> {
        let sets: Vec<String> = SiteField::ALL
            .iter()
            .map(|f| format!("{0} = n.{0}", f.column()))
            .collect();
        let sql = format!(
            "update sites s set {} from jsonb_populate_record(null::sites, $2) n where s.id = $1",
            sets.join(", ")
        );
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .bind(json_of(fields))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(unique(
                "a site with this address",
                &fields.url,
                "changing a site",
            ))
    }

    /// The site's own values of its design.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_adjustments(&mut self, id: i64, layer: &Layer) -> Result<()> {
        self.set(
            id,
            "update sites set adjustments = $2 where id = $1",
            json_of(layer),
        )
        .await
    }

    async fn set(&mut self, id: i64, sql: &'static str, value: Value) -> Result<()> {
        sqlx::query(sql)
            .bind(id)
            .bind(value)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("changing a site"))
    }

    /// Pictures of the page without the widget.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_previews(
        &mut self,
        id: i64,
        desktop: Option<&str>,
        phone: Option<&str>,
    ) -> Result<()> {
        sqlx::query("update sites set preview_desktop = coalesce($2, preview_desktop), preview_phone = coalesce($3, preview_phone) where id = $1")
            .bind(id)
            .bind(desktop)
            .bind(phone)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a preview"))
    }

    /// The sealed token of the site's platform interface.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_site_token(&mut self, id: i64, sealed: &[u8]) -> Result<()> {
        sqlx::query("update sites set token_sealed = $2 where id = $1")
            .bind(id)
            .bind(sealed)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a token"))
    }

    /// Removes a site and what belongs to it.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn remove_site(&mut self, id: i64) -> Result<()> {
        sqlx::query("delete from sites where id = $1")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("removing a site"))
    }

    /// The demo's stand-ins moved to another port: addresses and the supplier's profile follow.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn move_port(&mut self, before: u16, after: u16) -> Result<()> {
        for sql in [
            "update sites set url = replace(url, $1, $2)",
            "update pages set url = replace(url, $1, $2)",
            "update suppliers set profile = replace(profile, $1, $2)",
        ] {
            sqlx::query(sql)
                .bind(format!(".localhost:{before}/"))
                .bind(format!(".localhost:{after}/"))
                .execute(&mut *self.inner)
                .await
                .map_err(doing("moving the demo's port"))?;
        }
        Ok(())
    }
}

impl Store {
    /// One site.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn site(&self, id: i64) -> Result<Option<Site>> {
        let sql = format!(
            "select {} from sites s join clients c on c.id = s.client_id where s.id = $1",
            columns()
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a site"))
    }

    /// The site with an address.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn site_by_url(&self, url: &str) -> Result<Option<i64>> {
        sqlx::query_scalar("select id from sites where url = $1")
            .bind(url)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("looking up a site"))
    }

    /// Addresses of a list that are there already.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn known_addresses(&self, urls: &[String]) -> Result<Vec<String>> {
        sqlx::query_scalar("select url from sites where url = any($1)")
            .bind(urls)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("looking up sites"))
    }

    /// One page of rows and how many there are in all.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn sites(&self, f: &Filter, offset: i64, limit: i64) -> Result<(Vec<Site>, i64)> {
        let (join, order) = match f.order {
            Order::Client => ("", "c.name, s.id"),
            Order::Worst => ("", "s.worst, c.name, s.id"),
            Order::WorstIn(_) => (
                "join standings w on w.site_id = s.id and w.family = $10",
                "state_rank(w.state), c.name, s.id",
            ),
        };
        let sql = format!(
            "select {} from sites s join clients c on c.id = s.client_id {join} where {MATCHES} order by {order} offset $8 limit $9",
            columns()
        );
        let query = bind_filter!(sqlx::query_as(sqlx::AssertSqlSafe(sql)), f)
            .bind(offset)
            .bind(limit);
        let query = match f.order {
            Order::WorstIn(family) => query.bind(family.key()),
            _ => query,
        };
        let rows = query
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing sites"))?;
        let sql = format!("select count(*) from sites s where {MATCHES}");
        let total = bind_filter!(sqlx::query_scalar(sqlx::AssertSqlSafe(sql)), f)
            .fetch_one(&self.pool)
            .await
            .map_err(doing("counting sites"))?;
        Ok((rows, total))
    }

    /// Ids of all rows a filter matches, for acts on everything found.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn site_ids(&self, f: &Filter) -> Result<Vec<i64>> {
        let sql = format!("select s.id from sites s where {MATCHES} order by s.worst, s.id");
        bind_filter!(sqlx::query_scalar(sqlx::AssertSqlSafe(sql)), f)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing sites"))
    }

    /// Ids of all sites of some clients.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn site_ids_of(&self, clients: &[i64]) -> Result<Vec<i64>> {
        sqlx::query_scalar("select id from sites where client_id = any($1) order by id")
            .bind(clients)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing sites"))
    }

    /// Standings of some sites, each in the order of the job.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn standings_of(&self, sites: &[i64]) -> Result<HashMap<i64, Vec<StandingRow>>> {
        let rows: Vec<StandingRow> = sqlx::query_as("select site_id, family, state, summary, remedy, at, check_id from standings where site_id = any($1)")
            .bind(sites)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading standings"))?;
        let mut out: HashMap<i64, Vec<StandingRow>> = HashMap::new();
        for row in rows {
            out.entry(row.site_id).or_default().push(row);
        }
        for list in out.values_mut() {
            list.sort_by_key(StandingRow::family);
        }
        Ok(out)
    }

    /// How many sites stand how in each family, and in all (no family): the counts of the Trail.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn counts(&self) -> Result<HashMap<(Option<Family>, Standing), i64>> {
        let rows: Vec<(String, String, i64)> = sqlx::query_as(
            "select family, state, sum(n)::bigint from tallies group by family, state",
        )
        .fetch_all(&self.pool)
        .await
        .map_err(doing("counting standings"))?;
        let known = |(family, state, n): (String, String, i64)| {
            let family = match family.as_str() {
                "estate" => None,
                key => Some(Family::from_key(key)?),
            };
            Some(((family, Standing::from_key(&state)?), n))
        };
        Ok(rows.into_iter().filter_map(known).collect())
    }

    /// The sealed token of a site.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn site_token(&self, id: i64) -> Result<Option<Vec<u8>>> {
        let found: Option<Option<Vec<u8>>> =
            sqlx::query_scalar("select token_sealed from sites where id = $1")
                .bind(id)
                .fetch_optional(&self.pool)
                .await
                .map_err(doing("reading a token"))?;
        Ok(found.flatten())
    }

    /// What needs somebody now: sites with the same next action together, what fails first.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn worklist(&self, shown: i64, offset: i64, limit: i64) -> Result<Worklist> {
        let batches: Vec<Batch> = sqlx::query_as(include_str!("sql/batches.sql"))
            .bind(offset)
            .bind(limit)
            .bind(shown)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading the worklist"))?;
        let (kinds, sites): (i64, i64) = sqlx::query_as("select count(distinct (next_family, next_act)), count(*) from sites where next_act is not null")
            .fetch_one(&self.pool)
            .await
            .map_err(doing("counting the worklist"))?;
        Ok(Worklist {
            batches,
            kinds,
            sites,
        })
    }
}

/// One page of the worklist.
#[derive(Debug, Clone)]
pub struct Worklist {
    pub batches: Vec<Batch>,
    /// How many batches there are in all.
    pub kinds: i64,
    /// How many sites have something to be done.
    pub sites: i64,
}

/// A site in a batch: id, name, client, why.
pub type InBatch = (i64, String, String, String);

/// Sites with the same next action.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Batch {
    pub family: String,
    pub state: String,
    pub act: String,
    pub sites: i64,
    /// The first of them: id, site, client, why.
    pub first: sqlx::types::Json<Vec<InBatch>>,
}

/// A corrupt row is told, not passed over.
pub fn corrupt(what: &'static str, why: impl ToString) -> StoreError {
    StoreError::Corrupt {
        what,
        why: clean(&why.to_string()),
    }
}
