//! Placing handed to somebody who has no account: links, and what was written with them.

use crate::text::clean;
use crate::{Moment, Result, Store, Tx, doing};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;

/// A link with the steps and the code.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Errand {
    /// Its number.
    pub id: i64,
    /// Of which site.
    pub site_id: i64,
    /// Short name of the slot.
    pub slot_id: String,
    /// For whom.
    pub to_whom: String,
    /// Who made it.
    pub who: String,
    /// When.
    pub created_at: Moment,
    /// Until when it opens.
    pub expires_at: Moment,
    /// When it was withdrawn.
    pub withdrawn_at: Option<Moment>,
    /// When the person said that it is done.
    pub done_at: Option<Moment>,
    /// As they called themselves.
    pub done_by: String,
    /// It opens now.
    pub is_open: bool,
}

/// Something that was written.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Words {
    /// With which link.
    pub errand_id: i64,
    /// When.
    pub at: Moment,
    /// By whom.
    pub who: String,
    /// By the person with the link.
    pub outside: bool,
    /// What.
    pub words: String,
}

const ERRAND: &str = "select id, site_id, slot_id, to_whom, who, created_at, expires_at, withdrawn_at, done_at, done_by, \
    withdrawn_at is null and expires_at > now() as is_open from errands";

impl Store {
    /// Links of a site, newest first.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn errands(&self, site: i64) -> Result<Vec<Errand>> {
        let sql = format!("{ERRAND} where site_id = $1 order by id desc limit 20");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(site)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing links"))
    }

    /// One link.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn errand(&self, id: i64) -> Result<Option<Errand>> {
        let sql = format!("{ERRAND} where id = $1");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a link"))
    }

    /// The link of a token, whether it opens or not.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn errand_by(&self, hash: &[u8]) -> Result<Option<Errand>> {
        let sql = format!("{ERRAND} where token_hash = $1");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(hash)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a link"))
    }

    /// What was written with some links, oldest first.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn errand_words(&self, errands: &[i64]) -> Result<Vec<Words>> {
        sqlx::query_as(
            "select errand_id, at, who, outside, words from errand_words \
            where errand_id = any($1) order by id limit 500",
        )
        .bind(errands)
        .fetch_all(&self.pool)
        .await
        .map_err(doing("reading questions"))
    }
}

impl Tx {
    /// Keeps a link.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn add_errand(
        &mut self,
        site: i64,
        slot: &str,
        to_whom: &str,
        who: &str,
        hash: &[u8],
        until: Timestamp,
    ) -> Result<i64> {
        sqlx::query_scalar(
            "insert into errands (site_id, slot_id, to_whom, who, token_hash, expires_at) \
            values ($1, $2, $3, $4, $5, $6) returning id",
        )
        .bind(site)
        .bind(clean(slot))
        .bind(clean(to_whom))
        .bind(who)
        .bind(hash)
        .bind(until.to_sqlx())
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("keeping a link"))
    }

    /// Withdraws a link.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn withdraw_errand(&mut self, id: i64) -> Result<()> {
        sqlx::query(
            "update errands set withdrawn_at = now() where id = $1 and withdrawn_at is null",
        )
        .bind(id)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("withdrawing a link"))
    }

    /// The person says that it is done.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn end_errand(&mut self, id: i64, by: &str) -> Result<()> {
        sqlx::query("update errands set done_at = now(), done_by = $2 where id = $1")
            .bind(id)
            .bind(clean(by))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("ending a link"))
    }

    /// Writes a question or an answer; false where so many were written that no more are taken.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn write_errand(
        &mut self,
        id: i64,
        who: &str,
        outside: bool,
        words: &str,
        most: i64,
    ) -> Result<bool> {
        sqlx::query(
            "insert into errand_words (errand_id, who, outside, words) select $1, $2, $3, $4 \
            where (select count(*) from errand_words where errand_id = $1) < $5",
        )
        .bind(id)
        .bind(clean(who))
        .bind(outside)
        .bind(clean(words))
        .bind(most)
        .execute(&mut *self.inner)
        .await
        .map(|done| done.rows_affected() == 1)
        .map_err(doing("keeping a question"))
    }
}
