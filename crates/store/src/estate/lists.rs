//! Rows of the lenses and the worklist: filtered, sorted, paged.

use crate::estate::sites::{Site, columns};
use crate::handles::ListRows;
use crate::{Result, doing};
use newtfern_verdict::family::harm::HARMS;
use newtfern_verdict::family::{Family, Standing};

/// Order that lists are sorted in.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Order {
    /// By client, then in the order in which sites were added.
    #[default]
    Client,
    /// By the site's own state, worst first; of equal state by the harm that it does to the client.
    Worst,
    /// By the standing in one family, worst first.
    WorstIn(Family),
}

/// Filter that chooses rows of the estate, and their order.
#[derive(Debug, Clone, Default)]
pub struct Filter {
    /// Words that must all be found: in names, addresses, keys, suppliers, platforms, codes.
    pub search: String,
    /// Only of this client.
    pub client: Option<i64>,
    /// A state: of the site, or of a family.
    pub state: Option<(Option<Family>, Standing)>,
    /// The next action asked for: family and cause.
    pub next: Option<(Family, String)>,
    /// Order of the rows.
    pub order: Order,
}

/// Keys of the families, the one whose fault does most harm first.
fn by_harm() -> Vec<&'static str> {
    HARMS.iter().map(|(family, _)| family.key()).collect()
}

/// The words of a search, each as a pattern; at most eight.
fn patterns(search: &str) -> Vec<String> {
    let words = search.split_whitespace().take(8);
    words
        .map(|w| crate::access::audit::like(&w.to_lowercase()))
        .collect()
}

/// Condition of a filter on a row: $1 patterns, $2 client, $3 family of the state, $4 state, $5
/// rank, $6 and $7 the next action.
const MATCHES: &str = "s.search like all ($1) and ($2::bigint is null or s.client_id = $2)
    and ($4::text is null or case when $3::text is null then s.worst = $5
        else exists (select 1 from standings t where t.site_id = s.id and t.family = $3 and \
        t.state = $4) end)
    and ($6::text is null or (s.next_family = $6 and s.next_cause = $7))";

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

impl ListRows<'_> {
    /// Returns one page of rows, and how many there are in all.
    pub async fn page(self, f: &Filter, offset: i64, limit: i64) -> Result<(Vec<Site>, i64)> {
        let (join, order) = match f.order {
            Order::Client => ("", "c.name, s.id"),
            Order::Worst => (
                "",
                "s.worst, array_position($10::text[], s.next_family), c.name, s.id",
            ),
            Order::WorstIn(_) => (
                "join standings w on w.site_id = s.id and w.family = $10",
                "state_rank(w.state), c.name, s.id",
            ),
        };
        // What is shown is read of the rows of this page only: of all rows it would be most of the
        // work.
        let from = format!("from sites s join clients c on c.id = s.client_id {join}");
        let sql = format!(
            "with page as materialized (select s.id {from} where {MATCHES} order by {order} \
            offset $8 limit $9)
            select {} {from} where s.id in (select id from page) order by {order}",
            columns()
        );
        let query = bind_filter!(sqlx::query_as(sqlx::AssertSqlSafe(sql)), f)
            .bind(offset)
            .bind(limit);
        let query = match f.order {
            Order::WorstIn(family) => query.bind(family.key()),
            Order::Worst => query.bind(by_harm()),
            Order::Client => query,
        };
        let rows = query
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing sites"))?;
        let sql = format!("select count(*) from sites s where {MATCHES}");
        let total = bind_filter!(sqlx::query_scalar(sqlx::AssertSqlSafe(sql)), f)
            .fetch_one(&self.store.pool)
            .await
            .map_err(doing("counting sites"))?;
        Ok((rows, total))
    }

    /// Ids of all rows a filter matches, for acts on everything found.
    pub async fn site_ids(self, f: &Filter) -> Result<Vec<i64>> {
        let sql = format!("select s.id from sites s where {MATCHES} order by s.worst, s.id");
        bind_filter!(sqlx::query_scalar(sqlx::AssertSqlSafe(sql)), f)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing sites"))
    }

    /// Ids of all sites of some clients.
    pub async fn site_ids_of(self, clients: &[i64]) -> Result<Vec<i64>> {
        sqlx::query_scalar("select id from sites where client_id = any($1) order by id")
            .bind(clients)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing sites"))
    }

    /// Returns the next actions, sites with the same one together: failures first, then by the harm
    /// to the client.
    pub async fn worklist(self, shown: i64, offset: i64, limit: i64) -> Result<Worklist> {
        let batches: Vec<Batch> = sqlx::query_as(include_str!("../sql/batches.sql"))
            .bind(offset)
            .bind(limit)
            .bind(shown)
            .bind(by_harm())
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("reading the worklist"))?;
        let (kinds, sites): (i64, i64) = sqlx::query_as(
            "select count(distinct (next_family, next_cause)), count(*) \
            from sites where next_act is not null",
        )
        .fetch_one(&self.store.pool)
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
    /// Batches, the most harmful first.
    pub batches: Vec<Batch>,
    /// Number of all batches.
    pub kinds: i64,
    /// Number of sites with something to be done.
    pub sites: i64,
}

/// A site in a batch: id, name, client, why, and its action where that is not the batch's.
pub type InBatch = (i64, String, String, String, String);

/// Sites that need the same.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Batch {
    /// Family that the batch is about.
    #[sqlx(try_from = "String")]
    pub family: Family,
    /// Standing of the sites in the family.
    #[sqlx(try_from = "String")]
    pub state: Standing,
    /// Key of the batch in its family.
    pub cause: String,
    /// Action of most of them, in words.
    pub act: String,
    /// Number of sites in the batch.
    pub sites: i64,
    /// The first of them.
    pub first: sqlx::types::Json<Vec<InBatch>>,
}
