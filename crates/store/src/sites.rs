//! Sites: adding, changing, and the rows of the lenses.

use crate::text::{clean, json_of};
use crate::{Moment, Result, Store, StoreError, Tx, doing, unique};
use newtfern_core::design::Layer;
use newtfern_core::family::{Family, Standing, Stood};
use newtfern_core::site::{SiteField, SiteFields};
use serde_json::Value;
use std::collections::HashMap;

/// A site as it is kept.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Site {
    /// Its number.
    pub id: i64,
    /// Its client.
    pub client_id: i64,
    /// Name of its client.
    pub client_name: String,
    /// Rank of its state, 1 the worst.
    pub worst: i16,
    /// Blob of the page without the widget, desktop.
    pub preview_desktop: Option<String>,
    /// Blob of the page without the widget, phone.
    pub preview_phone: Option<String>,
    /// Family of the next action.
    pub next_family: Option<String>,
    /// State that asks for it.
    pub next_state: Option<String>,
    /// The next action, in words.
    pub next_act: Option<String>,
    /// Why.
    pub next_why: String,
    /// The file that the site came from, for what it says beyond the fields; empty where it did not.
    pub beyond: String,
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

    /// Client and name, as lists of many sites say it.
    pub fn title(&self) -> String {
        format!("{}, {}", self.client_name, self.name)
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
    /// Of which site.
    pub site_id: i64,
    /// The family's key.
    pub family: String,
    /// The state's key.
    pub state: String,
    /// In one sentence.
    pub summary: String,
    /// What to do.
    pub remedy: String,
    /// When it was seen.
    pub at: Moment,
    /// The check that it rests on.
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

pub(crate) fn columns() -> String {
    let pairs: Vec<String> = SiteField::ALL
        .iter()
        .map(|f| format!("'{0}', s.{0}", f.column()))
        .collect();
    format!(
        "s.id, s.client_id, c.name as client_name, s.worst, s.preview_desktop, s.preview_phone, s.next_family, \
         s.next_state, s.next_act, s.next_why, s.beyond, s.adjustments, jsonb_build_object({}) as fields",
        pairs.join(", ")
    )
}

/// The fields' columns, for writing: one list for all statements.
fn names() -> String {
    let names: Vec<&str> = SiteField::ALL.iter().map(|f| f.column()).collect();
    names.join(", ")
}

/// Scheme and host of an address as it is kept, with the slash behind them.
fn origin(url: &str) -> &str {
    let host = url.find("://").map_or(0, |at| at + 3);
    match url[host..].find('/') {
        Some(slash) => &url[..=host + slash],
        None => url,
    }
}

/// Where a site was before its address was corrected.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct FormerAddress {
    /// The address.
    pub url: String,
    /// Who corrected it.
    pub who: String,
    /// When.
    pub until: Moment,
}

impl Store {
    /// The client and the own design of each site.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn layers(&self) -> Result<Vec<(i64, Layer)>> {
        let rows: Vec<(i64, sqlx::types::Json<Layer>)> =
            sqlx::query_as("select client_id, adjustments from sites")
                .fetch_all(&self.pool)
                .await
                .map_err(doing("reading the designs of all sites"))?;
        Ok(rows.into_iter().map(|(id, layer)| (id, layer.0)).collect())
    }
}

impl Tx {
    /// Adds a site, with a standing in each family from the moment it exists.
    ///
    /// # Errors
    /// [`StoreError::Taken`] where a site with this address is there.
    pub async fn add_site(&mut self, client: i64, fields: &SiteFields) -> Result<i64> {
        let names = names();
        let sql = format!(
            "insert into sites (client_id, {names}) select $1, {names} \
                from jsonb_populate_record(null::sites, $2) returning id"
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

    /// A site's address was corrected: where it was stays known, and the inventory of pages begins anew
    /// where the origin is another.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn note_address(
        &mut self,
        id: i64,
        before: &str,
        after: &str,
        who: &str,
    ) -> Result<()> {
        sqlx::query("insert into former_addresses (site_id, url, who) values ($1, $2, $3)")
            .bind(id)
            .bind(before)
            .bind(who)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("correcting an address"))?;
        for (sql, bound) in [
            (
                "delete from pages where site_id = $1 and not starts_with(url, $2)",
                origin(after),
            ),
            (
                "insert into pages (site_id, url) values ($1, $2) on conflict do nothing",
                after,
            ),
        ] {
            sqlx::query(sql)
                .bind(id)
                .bind(bound)
                .execute(&mut *self.inner)
                .await
                .map_err(doing("correcting an address"))?;
        }
        Ok(())
    }

    /// The file that a site came from.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_beyond(&mut self, id: i64, file: &str) -> Result<()> {
        sqlx::query("update sites set beyond = $2 where id = $1")
            .bind(id)
            .bind(clean(file))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a site's file"))
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
        sqlx::query("update sites \
            set preview_desktop = coalesce($2, preview_desktop), preview_phone = coalesce($3, preview_phone) \
            where id = $1")
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

    /// Lets the token of a site's platform interface go.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn drop_site_token(&mut self, id: i64) -> Result<()> {
        sqlx::query("update sites set token_sealed = null where id = $1")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("letting a token go"))
    }

    /// Removes a site and what belongs to it; gives the blobs that nothing refers to any more.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn remove_site(&mut self, id: i64) -> Result<Vec<String>> {
        sqlx::query_scalar(include_str!("sql/remove_site.sql"))
            .bind(id)
            .fetch_all(&mut *self.inner)
            .await
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
    pub async fn sites_of(&self, ids: &[i64]) -> Result<Vec<Site>> {
        let sql = format!(
            "select {} from sites s join clients c on c.id = s.client_id where s.id = any($1) \
             order by array_position($1, s.id)",
            columns()
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(ids)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading sites"))
    }

    /// A site.
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

    /// Where a site was before, newest first.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn former_addresses(&self, id: i64) -> Result<Vec<FormerAddress>> {
        sqlx::query_as(
            "select url, who, until from former_addresses where site_id = $1 order by id desc limit 50",
        )
        .bind(id)
        .fetch_all(&self.pool)
        .await
        .map_err(doing("reading former addresses"))
    }

    /// Standings of some sites, each in the order of the job.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn standings_of(&self, sites: &[i64]) -> Result<HashMap<i64, Vec<StandingRow>>> {
        let rows: Vec<StandingRow> = sqlx::query_as(
            "select site_id, family, state, summary, remedy, at, check_id \
            from standings where site_id = any($1)",
        )
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
}

/// A corrupt row is told, not passed over.
pub fn corrupt(what: &'static str, why: impl ToString) -> StoreError {
    StoreError::Corrupt {
        what,
        why: clean(&why.to_string()),
    }
}
