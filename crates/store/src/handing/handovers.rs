//! Handover sheets and the links by which clients read them.

use crate::handles::HandingRows;
use crate::{Moment, Result, Tx, doing, fresh_token, token_hash};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;

/// A sheet that was handed over, as it was then.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Handover {
    /// Number of the sheet.
    pub id: i64,
    /// Number of the site.
    pub site_id: i64,
    /// Sheet as an HTML page.
    pub html: String,
    /// Blob of the same as PDF.
    pub pdf: Option<String>,
    /// Name of who handed it over.
    pub who: String,
    /// Time at which the sheet was made.
    pub created_at: Moment,
    /// The client's link holds until then.
    pub expires_at: Moment,
    /// Time at which the link was withdrawn.
    pub withdrawn_at: Option<Moment>,
    /// Name of who accepted it; empty before.
    pub accepted_by: String,
    /// Time at which the client accepted it.
    pub accepted_at: Option<Moment>,
}

const COLUMNS: &str =
    "id, site_id, html, pdf, who, created_at, expires_at, withdrawn_at, accepted_by, accepted_at";

impl HandingRows<'_> {
    /// The sheets of a site, newest first.
    pub async fn handovers(self, site: i64) -> Result<Vec<Handover>> {
        let sql =
            format!("select {COLUMNS} from handovers where site_id = $1 order by id desc limit 20");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(site)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("reading handover sheets"))
    }

    /// Returns a sheet by its number.
    pub async fn handover(self, id: i64) -> Result<Option<Handover>> {
        let sql = format!("select {COLUMNS} from handovers where id = $1");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a handover sheet"))
    }

    /// Returns the sheet of a client's link; none where it has expired or was withdrawn.
    pub async fn handover_by_token(self, token: &str) -> Result<Option<Handover>> {
        let sql = format!(
            "select {COLUMNS} from handovers where token_hash = $1 and expires_at > now() \
                and withdrawn_at is null"
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(token_hash(token))
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a handover sheet"))
    }
}

impl Tx {
    /// Gives the link's token, which is shown once and kept only as a hash.
    pub async fn add_handover(
        &mut self,
        site: i64,
        html: &str,
        pdf: Option<&str>,
        who: &str,
        expires: Timestamp,
    ) -> Result<String> {
        let token = fresh_token();
        sqlx::query(
            "insert into handovers (site_id, token_hash, html, pdf, who, expires_at) \
            values ($1, $2, $3, $4, $5, $6)",
        )
        .bind(site)
        .bind(token_hash(&token))
        .bind(html)
        .bind(pdf)
        .bind(who)
        .bind(expires.to_sqlx())
        .execute(&mut *self.inner)
        .await
        .map_err(doing("keeping a handover sheet"))?;
        Ok(token)
    }

    /// The client's link does not hold any more.
    pub async fn withdraw_handover(&mut self, id: i64) -> Result<()> {
        sqlx::query(
            "update handovers set withdrawn_at = now() where id = $1 and withdrawn_at is null",
        )
        .bind(id)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("withdrawing a link"))
    }

    /// Notes the client's yes; false where it was given before.
    pub async fn accept_handover(&mut self, id: i64, by: &str) -> Result<bool> {
        let rows = sqlx::query(
            "update handovers set accepted_by = $2, accepted_at = now() \
            where id = $1 and accepted_at is null",
        )
        .bind(id)
        .bind(by)
        .execute(&mut *self.inner)
        .await
        .map_err(doing("noting the client's yes"))?;
        Ok(rows.rows_affected() > 0)
    }

    /// A new link for a sheet; the one before stops working.
    pub async fn renew_link(&mut self, id: i64, expires: Timestamp) -> Result<String> {
        let token = fresh_token();
        sqlx::query(
            "update handovers set token_hash = $2, expires_at = $3, withdrawn_at = null \
            where id = $1",
        )
        .bind(id)
        .bind(token_hash(&token))
        .bind(expires.to_sqlx())
        .execute(&mut *self.inner)
        .await
        .map_err(doing("making a link"))?;
        Ok(token)
    }
}
