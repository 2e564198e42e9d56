//! Visits that somebody asked for and waits for.

use crate::handles::Queue;
use crate::{Result, Tx, doing};
use serde_json::Value;

/// Visits that wait at once, whoever asked for them.
const MOST_WAITING: i64 = 8;

/// A visit that a worker took.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct AskedVisit {
    /// Number of the visit.
    pub id: i64,
    /// Address to visit.
    pub url: String,
    /// The supplier's profile that was typed.
    pub profile: String,
}

impl Queue<'_> {
    /// Returns whether a visit waits.
    pub async fn has_asked_visit(self) -> Result<bool> {
        sqlx::query_scalar(
            "select exists (select from asked_visits where taken_at is null and until > now())",
        )
        .fetch_one(&self.store.pool)
        .await
        .map_err(doing("looking for a visit that was asked for"))
    }

    /// Takes the visit that waits longest and is still waited for.
    pub async fn take_asked_visit(self) -> Result<Option<AskedVisit>> {
        sqlx::query_as(
            "update asked_visits set taken_at = now() where id = (select id from asked_visits \
            where taken_at is null and until > now() order by id limit 1 for update skip locked) \
            returning id, url, profile",
        )
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("taking a visit that was asked for"))
    }

    /// Keeps what a visit gave.
    pub async fn answer_asked_visit(self, id: i64, answer: Value) -> Result<()> {
        sqlx::query("update asked_visits set answer = $2 where id = $1")
            .bind(id)
            .bind(crate::text::clean_json(answer))
            .execute(&self.store.pool)
            .await
            .map(|_| ())
            .map_err(doing("keeping what a visit gave"))
    }

    /// Returns what a visit gave, and lets it go; none while it is under way.
    pub async fn fetch_asked_visit(self, id: i64) -> Result<Option<Value>> {
        sqlx::query_scalar(
            "delete from asked_visits where id = $1 and answer is not null returning answer",
        )
        .bind(id)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading what a visit gave"))
    }

    /// Lets go of a visit that nobody waits for any more.
    pub async fn drop_asked_visit(self, id: i64) -> Result<()> {
        sqlx::query("delete from asked_visits where id = $1 or until < now() - interval '1 hour'")
            .bind(id)
            .execute(&self.store.pool)
            .await
            .map(|_| ())
            .map_err(doing("letting a visit go"))
    }
}

impl Tx {
    /// Asks for a visit and wakes a worker; none where so many wait that another would not be made
    /// in time.
    pub async fn ask_for_visit(
        &mut self,
        who: &str,
        (url, profile): (&str, &str),
        seconds: f64,
    ) -> Result<Option<i64>> {
        let id: Option<i64> = sqlx::query_scalar(
            "insert into asked_visits (who, url, profile, until) \
            select $1, $2, $3, now() + make_interval(secs => $4) \
            where (select count(*) from asked_visits where answer is null and until > now()) < $5 \
            returning id",
        )
        .bind(who)
        .bind(url)
        .bind(crate::text::clean(profile))
        .bind(seconds)
        .bind(MOST_WAITING)
        .fetch_optional(&mut *self.inner)
        .await
        .map_err(doing("asking for a visit"))?;
        sqlx::query("select pg_notify('newtfern_jobs', '')")
            .execute(&mut *self.inner)
            .await
            .map_err(doing("waking a worker"))?;
        Ok(id)
    }
}
