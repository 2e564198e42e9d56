//! Placing handed to somebody who has no account: links, and what was written with them.

use crate::handles::HandingRows;
use crate::text::clean;
use crate::{Moment, Result, Tx, doing};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;

/// A link with the steps and the code.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Errand {
    /// Number of the link.
    pub id: i64,
    /// Number of the site.
    pub site_id: i64,
    /// Key of the widget that it is for; empty for the site's first.
    pub widget_key: String,
    /// Short name of the slot.
    pub slot_id: String,
    /// Name of the person the link is for.
    pub to_whom: String,
    /// Name of who made the link.
    pub who: String,
    /// Time at which the link was made.
    pub created_at: Moment,
    /// Until when it opens.
    pub expires_at: Moment,
    /// Time at which it was withdrawn.
    pub withdrawn_at: Option<Moment>,
    /// Time at which the person said that it is done.
    pub done_at: Option<Moment>,
    /// Name that the person gave.
    pub done_by: String,
    /// Whether the link still opens.
    pub is_open: bool,
}

/// A link to make.
#[derive(Debug, Clone)]
pub struct NewErrand<'a> {
    /// Number of the site.
    pub site: i64,
    /// Key of the widget that it is for; empty for the site's first.
    pub widget_key: &'a str,
    /// Short name of the slot.
    pub slot: &'a str,
    /// Name of the person the link is for.
    pub to_whom: &'a str,
    /// Name of who makes the link.
    pub who: &'a str,
    /// Hash of its token.
    pub hash: &'a [u8],
    /// Until when it opens.
    pub until: Timestamp,
}

/// Something that was written.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Words {
    /// Number of the link.
    pub errand_id: i64,
    /// Time of the message.
    pub at: Moment,
    /// Name of who wrote the message.
    pub who: String,
    /// Whether the person with the link wrote it.
    pub outside: bool,
    /// Text of the message.
    pub words: String,
}

/// A question of somebody with a link that nobody has answered.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct OpenQuestion {
    /// Number of the site.
    pub site_id: i64,
    /// Name of the site.
    pub site: String,
    /// Name of its client.
    pub client: String,
    /// Time of the question.
    pub at: Moment,
    /// Name of who asks.
    pub who: String,
    /// Text of the question.
    pub words: String,
    /// Number of all that are open.
    of: i64,
}

const ERRAND: &str = "select id, site_id, widget_key, slot_id, to_whom, who, created_at, \
    expires_at, withdrawn_at, done_at, done_by, \
    withdrawn_at is null and expires_at > now() as is_open from errands";

impl HandingRows<'_> {
    /// Links of a site, newest first.
    pub async fn errands(self, site: i64) -> Result<Vec<Errand>> {
        let sql = format!("{ERRAND} where site_id = $1 order by id desc limit 20");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(site)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing links"))
    }

    /// Returns a link by its number.
    pub async fn errand(self, id: i64) -> Result<Option<Errand>> {
        let sql = format!("{ERRAND} where id = $1");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a link"))
    }

    /// The link of a token, whether it opens or not.
    pub async fn errand_by(self, hash: &[u8]) -> Result<Option<Errand>> {
        let sql = format!("{ERRAND} where token_hash = $1");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(hash)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a link"))
    }

    /// Returns questions that nobody has answered, the oldest first, and how many there are: of
    /// these sites, or of all. Of a withdrawn link nobody waits for an answer.
    pub async fn open_questions(
        self,
        sites: Option<&[i64]>,
        limit: i64,
    ) -> Result<(Vec<OpenQuestion>, i64)> {
        let found: Vec<OpenQuestion> = sqlx::query_as(include_str!("../sql/open_questions.sql"))
            .bind(sites)
            .bind(limit)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("reading open questions"))?;
        let of = found.first().map_or(0, |q| q.of);
        Ok((found, of))
    }

    /// Returns the messages of some links, oldest first.
    pub async fn errand_words(self, errands: &[i64]) -> Result<Vec<Words>> {
        sqlx::query_as(
            "select errand_id, at, who, outside, words from errand_words \
            where errand_id = any($1) order by id limit 500",
        )
        .bind(errands)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading questions"))
    }
}

impl Tx {
    /// Adds a link and returns its number.
    pub async fn add_errand(&mut self, new: &NewErrand<'_>) -> Result<i64> {
        sqlx::query_scalar(
            "insert into errands \
            (site_id, widget_key, slot_id, to_whom, who, token_hash, expires_at) \
            values ($1, $2, $3, $4, $5, $6, $7) returning id",
        )
        .bind(new.site)
        .bind(clean(new.widget_key))
        .bind(clean(new.slot))
        .bind(clean(new.to_whom))
        .bind(new.who)
        .bind(new.hash)
        .bind(new.until.to_sqlx())
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("keeping a link"))
    }

    /// Withdraws a link, which then opens no longer.
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

    /// The person says that it is done; false where that was said minutes ago.
    pub async fn end_errand(&mut self, id: i64, by: &str) -> Result<bool> {
        sqlx::query(
            "update errands set done_at = now(), done_by = $2 where id = $1 \
            and (done_at is null or done_at < now() - interval '10 minutes')",
        )
        .bind(id)
        .bind(clean(by))
        .execute(&mut *self.inner)
        .await
        .map(|done| done.rows_affected() == 1)
        .map_err(doing("ending a link"))
    }

    /// Writes a question or an answer; false where so many were written that no more are taken.
    pub async fn write_errand(
        &mut self,
        id: i64,
        who: &str,
        outside: bool,
        words: &str,
        most: i64,
    ) -> Result<bool> {
        // Those who write at once are counted one after the other.
        sqlx::query("select id from errands where id = $1 for update")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("keeping a question"))?;
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
