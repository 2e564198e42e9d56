//! Handover sheets and the links by which clients read them.

use crate::{Result, Store, Tx, doing, fresh_token, token_hash};
use time::OffsetDateTime;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Handover {
    pub id: i64,
    pub site_id: i64,
    pub html: String,
    pub pdf: Option<String>,
    pub who: String,
    pub created_at: OffsetDateTime,
    pub expires_at: OffsetDateTime,
    pub withdrawn_at: Option<OffsetDateTime>,
    pub accepted_by: String,
    pub accepted_at: Option<OffsetDateTime>,
}

const COLUMNS: &str =
    "id, site_id, html, pdf, who, created_at, expires_at, withdrawn_at, accepted_by, accepted_at";

impl Store {
    pub async fn handovers(&self, site: i64) -> Result<Vec<Handover>> {
        let sql =
            format!("select {COLUMNS} from handovers where site_id = $1 order by id desc limit 20");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(site)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading handover sheets"))
    }

    pub async fn handover(&self, id: i64) -> Result<Option<Handover>> {
        let sql = format!("select {COLUMNS} from handovers where id = $1");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a handover sheet"))
    }

    /// By the client's link; nothing where it has expired or was withdrawn.
    pub async fn handover_by_token(&self, token: &str) -> Result<Option<Handover>> {
        let sql = format!(
            "select {COLUMNS} from handovers where token_hash = $1 and expires_at > now() and withdrawn_at is null"
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(token_hash(token))
            .fetch_optional(&self.pool)
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
        expires: OffsetDateTime,
    ) -> Result<String> {
        let token = fresh_token();
        sqlx::query("insert into handovers (site_id, token_hash, html, pdf, who, expires_at) values ($1, $2, $3, $4, $5, $6)")
            .bind(site)
            .bind(token_hash(&token))
            .bind(html)
            .bind(pdf)
            .bind(who)
            .bind(expires)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("keeping a handover sheet"))?;
        Ok(token)
    }

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

    pub async fn accept_handover(&mut self, id: i64, by: &str) -> Result<bool> {
        let rows = sqlx::query("update handovers set accepted_by = $2, accepted_at = now() where id = $1 and accepted_at is null")
            .bind(id)
            .bind(by)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("noting the client's yes"))?;
        Ok(rows.rows_affected() > 0)
    }

    /// A new link for a sheet; the one before stops working.
    pub async fn renew_link(&mut self, id: i64, expires: OffsetDateTime) -> Result<String> {
        let token = fresh_token();
        sqlx::query("update handovers set token_hash = $2, expires_at = $3, withdrawn_at = null where id = $1")
            .bind(id)
            .bind(token_hash(&token))
            .bind(expires)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("making a link"))?;
        Ok(token)
    }
}
