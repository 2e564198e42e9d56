//! What slots held before and after each push.

use crate::{Result, Store, doing};
use time::OffsetDateTime;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Placement {
    pub id: i64,
    pub site_id: i64,
    pub slot_id: String,
    pub before_text: String,
    pub after_text: String,
    /// The code we put in.
    pub ours: String,
    pub who: String,
    pub at: OffsetDateTime,
    pub put_back_at: Option<OffsetDateTime>,
}

impl Store {
    pub async fn add_placement(
        &self,
        site: i64,
        slot: &str,
        before: &str,
        after: &str,
        ours: &str,
        who: &str,
    ) -> Result<i64> {
        sqlx::query_scalar("insert into placements (site_id, slot_id, before_text, after_text, ours, who) values ($1, $2, $3, $4, $5, $6) returning id")
            .bind(site)
            .bind(slot)
            .bind(before)
            .bind(after)
            .bind(ours)
            .bind(who)
            .fetch_one(&self.pool)
            .await
            .map_err(doing("keeping what a slot held"))
    }

    /// Newest first.
    pub async fn placements(&self, site: i64) -> Result<Vec<Placement>> {
        sqlx::query_as("select id, site_id, slot_id, before_text, after_text, ours, who, at, put_back_at from placements where site_id = $1 order by id desc limit 20")
            .bind(site)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading what a slot held"))
    }

    pub async fn mark_put_back(&self, id: i64) -> Result<()> {
        sqlx::query("update placements set put_back_at = now() where id = $1")
            .bind(id)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("noting what was put back"))
    }
}
