//! Sites: adding, changing, and the rows of the lenses.

use crate::error::corrupt;
use crate::estate::names::{family_of, standing_of};
use crate::handles::SiteRows;
use crate::text::{clean, json_of};
use crate::{Moment, Result, Tx, doing, unique};
use newtfern_model::design::Layer;
use newtfern_model::site::{SiteField, SiteFields};
use newtfern_verdict::family::{Family, FamilyStanding, NextAction, Standing};
use serde_json::Value;
use std::collections::HashMap;
use url::Url;

/// A site as it is kept.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Site {
    /// Number of the site.
    pub id: i64,
    /// Number of the site's client.
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
    /// Key of sites that need the same.
    pub next_cause: Option<String>,
    /// Reason for the next action.
    pub next_why: String,
    /// The file that the site came from, for what it says beyond the fields; empty where it did
    /// not.
    pub beyond: String,
    /// Time at which somebody took the widget off on purpose; none where it should be there.
    pub off_since: Option<Moment>,
    /// Name of who took it off.
    pub off_by: String,
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

    /// Returns the fields of the site.
    pub fn fields(&self) -> &SiteFields {
        &self.fields.0
    }

    /// Returns the address of the site, parsed.
    ///
    /// # Errors
    /// [`StoreError::Corrupt`](crate::StoreError::Corrupt) where the stored text is no address.
    pub fn address(&self) -> Result<Url> {
        Url::parse(&self.url).map_err(|e| corrupt("address of a site", e))
    }

    /// Client and name, as lists of many sites say it.
    pub fn title(&self) -> String {
        format!("{}, {}", self.client_name, self.name)
    }

    /// Returns who took the widget off on purpose and when, where that is still what is wanted:
    /// page rules that somebody wrote since say otherwise.
    pub fn taken_off(&self) -> Option<(Moment, &str)> {
        let since = self.off_since.filter(|_| self.pages_not_on == NOWHERE)?;
        Some((since, &self.off_by))
    }

    /// Returns the next action, as it was noted with the last change; none where all stands well.
    pub fn next(&self) -> Option<NextAction> {
        Some(NextAction {
            family: Family::from_key(self.next_family.as_deref()?)?,
            standing: Standing::from_key(self.next_state.as_deref()?)?,
            act: self.next_act.clone()?,
            cause: self.next_cause.clone().unwrap_or_default(),
            why: self.next_why.clone(),
        })
    }

    /// Returns the state: the worst of its families.
    pub fn state(&self) -> Standing {
        standing_of_rank(self.worst)
    }
}

/// The standing of a rank as the database keeps it, 1 the worst.
pub fn standing_of_rank(rank: i16) -> Standing {
    let index = usize::try_from(rank - 1).unwrap_or(0);
    Standing::ALL.get(index).copied().unwrap_or_default()
}

/// Standing of a site in one family.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct StandingRow {
    /// Number of the site.
    pub site_id: i64,
    /// Family that stands so.
    #[sqlx(try_from = "String")]
    pub family: Family,
    /// Standing of the family.
    #[sqlx(try_from = "String")]
    pub state: Standing,
    /// Result in one sentence.
    pub summary: String,
    /// Remedy in one sentence.
    pub remedy: String,
    /// Time of the check.
    pub at: Moment,
    /// The check that it rests on.
    pub check_id: Option<i64>,
}

impl StandingRow {
    /// Returns the standing as words about it need it; its leading code is not kept in the row.
    pub fn stood(&self) -> FamilyStanding<'_> {
        FamilyStanding {
            standing: self.state,
            summary: &self.summary,
            remedy: &self.remedy,
            ..FamilyStanding::not_yet(self.family)
        }
    }
}

/// Page rule of a site on which no page has the widget.
const NOWHERE: &str = "/**";

pub(crate) fn columns() -> String {
    let pairs: Vec<String> = SiteField::ALL
        .iter()
        .map(|f| format!("'{0}', s.{0}", f.column()))
        .collect();
    format!(
        "s.id, s.client_id, c.name as client_name, s.worst, s.preview_desktop, s.preview_phone, \
        s.next_family, s.next_state, s.next_act, s.next_cause, s.next_why, s.beyond, s.off_since, \
        s.off_by, s.adjustments, \
        jsonb_build_object({}) as fields",
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

/// Address that a site had before it was corrected.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct FormerAddress {
    /// Address that the site had.
    pub url: String,
    /// Name of who corrected the address.
    pub who: String,
    /// Time of the correction.
    pub until: Moment,
}

impl SiteRows<'_> {
    /// The client and the own design of each site.
    pub async fn layers(self) -> Result<Vec<(i64, Layer)>> {
        let rows: Vec<(i64, sqlx::types::Json<Layer>)> =
            sqlx::query_as("select client_id, adjustments from sites")
                .fetch_all(&self.store.pool)
                .await
                .map_err(doing("reading the designs of all sites"))?;
        Ok(rows.into_iter().map(|(id, layer)| (id, layer.0)).collect())
    }
}

impl Tx {
    /// Sites that are about to be changed: nobody else changes them before this transaction ends.
    pub async fn sites_for_change(&mut self, ids: &[i64]) -> Result<Vec<Site>> {
        // In one order, so that two such transactions do not wait for each other.
        let sql = format!(
            "select {} from sites s join clients c on c.id = s.client_id where s.id = any($1) \
             order by s.id for update of s",
            columns()
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(ids)
            .fetch_all(&mut *self.inner)
            .await
            .map_err(doing("reading sites"))
    }

    /// Adds a site, with a standing in each family from the moment it exists.
    ///
    /// # Errors
    /// [`crate::StoreError::Taken`] where a site with this address is there.
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
    /// [`crate::StoreError::Taken`] where another site has the address.
    pub async fn set_site(&mut self, id: i64, fields: &SiteFields) -> Result<()> {
        self.set_sites(&[(id, fields)]).await
    }

    /// The site's own values of its design.
    pub async fn set_adjustments(&mut self, id: i64, layer: &Layer) -> Result<()> {
        self.set(
            id,
            "update sites set adjustments = $2 where id = $1",
            json_of(layer),
        )
        .await
    }

    /// A site's address was corrected: where it was stays known, and the inventory of pages begins
    /// anew where the origin is another.
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
    pub async fn set_beyond(&mut self, id: i64, file: &str) -> Result<()> {
        sqlx::query("update sites set beyond = $2 where id = $1")
            .bind(id)
            .bind(clean(file))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a site's file"))
    }

    /// Expects the widget on no page any more, since somebody took it off on purpose. The page
    /// rules from before are kept for [`Tx::expect_widget`].
    pub async fn expect_no_widget(&mut self, id: i64, who: &str) -> Result<()> {
        sqlx::query(
            "update sites set off_since = now(), off_by = $2, off_not_on = pages_not_on, \
            pages_not_on = $3 where id = $1 and off_since is null",
        )
        .bind(id)
        .bind(clean(who))
        .bind(NOWHERE)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("expecting no widget"))
    }

    /// Expects the widget again by the page rules from before; rules that somebody wrote meanwhile
    /// stay. False where it was not taken off.
    pub async fn expect_widget(&mut self, id: i64) -> Result<bool> {
        sqlx::query(
            "update sites set off_since = null, off_by = '', off_not_on = '', pages_not_on = case \
            when pages_not_on = $2 then off_not_on else pages_not_on end \
            where id = $1 and off_since is not null",
        )
        .bind(id)
        .bind(NOWHERE)
        .execute(&mut *self.inner)
        .await
        .map(|done| done.rows_affected() > 0)
        .map_err(doing("expecting a widget again"))
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
    pub async fn set_previews(
        &mut self,
        id: i64,
        desktop: Option<&str>,
        phone: Option<&str>,
    ) -> Result<()> {
        sqlx::query(
            "update sites \
            set preview_desktop = coalesce($2, preview_desktop), preview_phone = coalesce($3, \
            preview_phone) \
            where id = $1",
        )
        .bind(id)
        .bind(desktop)
        .bind(phone)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("keeping a preview"))
    }

    /// The sealed token of the site's platform interface.
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
    pub async fn drop_site_token(&mut self, id: i64) -> Result<()> {
        sqlx::query("update sites set token_sealed = null where id = $1")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("letting a token go"))
    }

    /// Removes a site and what belongs to it; gives the blobs that nothing refers to any more.
    pub async fn remove_site(&mut self, id: i64) -> Result<Vec<String>> {
        sqlx::query_scalar(include_str!("../sql/remove_site.sql"))
            .bind(id)
            .fetch_all(&mut *self.inner)
            .await
            .map_err(doing("removing a site"))
    }

    /// The demo's stand-ins moved to another port: addresses, profiles, and the origins that were
    /// confirmed for tokens follow.
    pub async fn move_port(&mut self, before: u16, after: u16) -> Result<()> {
        for sql in [
            "update sites set url = replace(url, $1, $2)",
            "update pages set url = replace(url, $1, $2)",
            "update suppliers set profile = replace(profile, $1, $2)",
            "update platforms set profile = replace(profile, $1, $2)",
            "update consent_managers set profile = replace(profile, $1, $2)",
        ] {
            sqlx::query(sql)
                .bind(format!(".localhost:{before}/"))
                .bind(format!(".localhost:{after}/"))
                .execute(&mut *self.inner)
                .await
                .map_err(doing("moving the demo's port"))?;
        }
        // An origin ends with its port.
        let origins = "update token_origins o set origin = regexp_replace(origin, $1, $2) \
            where origin ~ $1 and not exists (select 1 from token_origins p \
            where p.holder = o.holder and p.origin = regexp_replace(o.origin, $1, $2))";
        sqlx::query(origins)
            .bind(format!("\\.localhost:{before}$"))
            .bind(format!(".localhost:{after}"))
            .execute(&mut *self.inner)
            .await
            .map_err(doing("moving the demo's tokens"))?;
        Ok(())
    }
}

impl SiteRows<'_> {
    /// Returns the sites with these numbers.
    pub async fn sites_of(self, ids: &[i64]) -> Result<Vec<Site>> {
        let sql = format!(
            "select {} from sites s join clients c on c.id = s.client_id where s.id = any($1) \
             order by array_position($1, s.id)",
            columns()
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(ids)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("reading sites"))
    }

    /// Returns those of some sites that exist, in their order.
    pub async fn site_ids_among(self, ids: &[i64]) -> Result<Vec<i64>> {
        sqlx::query_scalar(
            "select id from sites where id = any($1) order by array_position($1, id)",
        )
        .bind(ids)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("looking for sites"))
    }

    /// Returns a site by its number.
    pub async fn site(self, id: i64) -> Result<Option<Site>> {
        let sql = format!(
            "select {} from sites s join clients c on c.id = s.client_id where s.id = $1",
            columns()
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a site"))
    }

    /// The site with an address.
    pub async fn site_by_url(self, url: &str) -> Result<Option<i64>> {
        sqlx::query_scalar("select id from sites where url = $1")
            .bind(url)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("looking up a site"))
    }

    /// Returns the addresses that a site had before, newest first.
    pub async fn former_addresses(self, id: i64) -> Result<Vec<FormerAddress>> {
        sqlx::query_as(
            "select url, who, until from former_addresses where site_id = $1 order by \
            id desc limit 50",
        )
        .bind(id)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading former addresses"))
    }

    /// Standings of some sites, each in the order of the job.
    pub async fn standings_of(self, sites: &[i64]) -> Result<HashMap<i64, Vec<StandingRow>>> {
        let rows: Vec<StandingRow> = sqlx::query_as(
            "select site_id, family, state, summary, remedy, at, check_id \
            from standings where site_id = any($1)",
        )
        .bind(sites)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading standings"))?;
        let mut out: HashMap<i64, Vec<StandingRow>> = HashMap::new();
        for row in rows {
            out.entry(row.site_id).or_default().push(row);
        }
        for list in out.values_mut() {
            list.sort_by_key(|s| s.family);
        }
        Ok(out)
    }

    /// Returns how many sites stand how in each family, and in all (no family): the counts of the
    /// Trail.
    pub async fn counts(self) -> Result<HashMap<(Option<Family>, Standing), i64>> {
        let rows: Vec<(String, String, i64)> = sqlx::query_as(
            "select family, state, sum(n)::bigint from tallies group by family, state",
        )
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("counting standings"))?;
        let read = |(family, state, n): (String, String, i64)| {
            let family = match family.as_str() {
                "estate" => None,
                key => Some(family_of(key)?),
            };
            Ok(((family, standing_of(&state)?), n))
        };
        rows.into_iter().map(read).collect()
    }

    /// The sealed token of a site.
    pub async fn site_token(self, id: i64) -> Result<Option<Vec<u8>>> {
        let found: Option<Option<Vec<u8>>> =
            sqlx::query_scalar("select token_sealed from sites where id = $1")
                .bind(id)
                .fetch_optional(&self.store.pool)
                .await
                .map_err(doing("reading a token"))?;
        Ok(found.flatten())
    }
}
