//! Sites that were removed, kept whole for a while so that they can be brought back.

use crate::handles::{Care, SiteRows};
use crate::{Moment, Result, StoreError, Tx, doing};
use sqlx::Row;

/// Days after which a removal is forgotten for good.
pub const KEPT_DAYS: i32 = 30;

/// Tables with what belongs to a site, each after those it refers to; with the columns that refer
/// to what is not kept with it.
const TABLES: [(&str, &str); 17] = [
    ("sites", "id = $1"),
    ("pages", "site_id = $1"),
    ("surveys", "site_id = $1"),
    ("checks", "site_id = $1"),
    ("findings", "site_id = $1"),
    (
        "drawings",
        "check_id in (select id from checks where site_id = $1)",
    ),
    (
        "check_blobs",
        "check_id in (select id from checks where site_id = $1)",
    ),
    ("observations", "site_id = $1"),
    ("standings", "site_id = $1"),
    ("placements", "site_id = $1"),
    ("former_addresses", "site_id = $1"),
    ("diary", "site_id = $1"),
    ("supplier_writes", "site_id = $1"),
    ("hand_tests", "site_id = $1"),
    ("handovers", "site_id = $1"),
    ("errands", "site_id = $1"),
    (
        "errand_words",
        "errand_id in (select id from errands where site_id = $1)",
    ),
];

/// The tables whose rows come back with a site.
pub fn tables_that_come_back() -> impl Iterator<Item = &'static str> {
    TABLES.iter().map(|(table, _)| *table)
}

/// Sites that were removed together.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Removal {
    /// Number of the removal.
    pub id: i64,
    /// Name of who removed the sites.
    pub who: String,
    /// Time of the removal.
    pub at: Moment,
    /// Title in words.
    pub title: String,
    /// Number of removed sites.
    pub sites: i64,
    /// The first of them.
    pub names: Vec<String>,
}

impl Tx {
    /// Begins a removal and returns its number.
    pub async fn begin_removal(&mut self, who: &str, title: &str) -> Result<i64> {
        sqlx::query_scalar("insert into removals (who, title) values ($1, $2) returning id")
            .bind(who)
            .bind(title)
            .fetch_one(&mut *self.inner)
            .await
            .map_err(doing("beginning a removal"))
    }

    /// Puts a site with all that is its into a removal. Links to it do not work until it comes
    /// back.
    pub async fn remove_into(&mut self, removal: i64, site: i64) -> Result<()> {
        let parts: Vec<String> = TABLES
            .iter()
            .map(|(table, of)| {
                format!(
                    "'{table}', (select coalesce(jsonb_agg(to_jsonb(t)), '[]') from \
                    {table} t where {of})"
                )
            })
            .collect();
        let sql = format!(
            "insert into removed_sites (removal_id, site_id, url, name, client, held, blobs) \
            select $2, s.id, s.url, s.name, c.name, jsonb_build_object({}), array[]::text[] \
            from sites s join clients c on c.id = s.client_id where s.id = $1",
            parts.join(", ")
        );
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .bind(site)
            .bind(removal)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("keeping a removed site"))?;
        let blobs = self.remove_site(site).await?;
        sqlx::query("update removed_sites set blobs = $3 where removal_id = $1 and site_id = $2")
            .bind(removal)
            .bind(site)
            .bind(blobs)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a removed site"))
    }

    /// Brings back what a removal took; gives the sites.
    ///
    /// # Errors
    /// [`StoreError::Taken`] where one of the addresses is another site's by now;
    /// [`StoreError::Gone`] where the client is.
    pub async fn bring_back(&mut self, removal: i64) -> Result<Vec<i64>> {
        let held = sqlx::query(
            "select site_id, url, client, held from removed_sites where \
            removal_id = $1 order by site_id for update",
        )
        .bind(removal)
        .fetch_all(&mut *self.inner)
        .await
        .map_err(doing("reading a removal"))?;
        let mut ids = Vec::new();
        for row in held {
            let (id, url): (i64, String) = (row.get("site_id"), row.get("url"));
            let held: serde_json::Value = row.get("held");
            self.still_free(
                &url,
                held["sites"][0]["client_id"].as_i64(),
                &row.get::<String, _>("client"),
            )
            .await?;
            for (table, _) in TABLES {
                // Jobs are not kept with a site; what they were is told by the rounds no more.
                let rows = match table {
                    "checks" => {
                        "select to_jsonb(r) - 'job_id' || '{\"job_id\": null}' from \
                        jsonb_array_elements($1) r"
                    }
                    _ => "select r from jsonb_array_elements($1) r",
                };
                let sql = format!(
                    "insert into {table} overriding system value select p.* from ({rows}) as x(j), \
                    jsonb_populate_record(null::{table}, x.j) p on conflict do nothing"
                );
                sqlx::query(sqlx::AssertSqlSafe(sql))
                    .bind(&held[table])
                    .execute(&mut *self.inner)
                    .await
                    .map_err(doing("bringing a site back"))?;
            }
            ids.push(id);
        }
        sqlx::query("delete from removals where id = $1")
            .bind(removal)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("bringing sites back"))?;
        self.refresh(&ids).await?;
        Ok(ids)
    }

    async fn still_free(&mut self, url: &str, client: Option<i64>, name: &str) -> Result<()> {
        let (taken, there): (bool, bool) = sqlx::query_as(
            "select exists (select 1 from sites where url = $1), exists (select 1 from \
            clients where id = $2)",
        )
        .bind(url)
        .bind(client)
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("looking up a site"))?;
        if taken {
            return Err(StoreError::Taken {
                what: "a site with this address",
                name: url.to_string(),
            });
        }
        if !there {
            return Err(StoreError::Gone {
                what: "client",
                name: name.to_string(),
            });
        }
        Ok(())
    }
}

impl SiteRows<'_> {
    /// Removals that can be taken back, newest first, and how many there are.
    pub async fn removals(self, offset: i64, limit: i64) -> Result<(Vec<Removal>, i64)> {
        let rows = sqlx::query_as(
            "select r.id, r.who, r.at, r.title, count(s.site_id) as sites, \
            (array_agg(s.client || ', ' || s.name order by s.site_id))[1:5] as names \
            from removals r join removed_sites s on s.removal_id = r.id \
            group by r.id order by r.id desc offset $1 limit $2",
        )
        .bind(offset)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing removals"))?;
        let total = sqlx::query_scalar("select count(*) from removals")
            .fetch_one(&self.store.pool)
            .await
            .map_err(doing("counting removals"))?;
        Ok((rows, total))
    }
}

impl Care<'_> {
    /// Forgets removals that are old, and gives the blobs that nothing refers to any more.
    pub async fn forget_removals(self) -> Result<Vec<String>> {
        sqlx::query_scalar(include_str!("../sql/forget_removals.sql"))
            .bind(KEPT_DAYS)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("forgetting removals"))
    }
}
