//! What slots held before and after each push.

use crate::handles::WritingRows;
use crate::{Moment, Result, Tx, doing};

/// A push into a slot, with the text before and after.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Placement {
    /// Number of the placement.
    pub id: i64,
    /// Number of the site.
    pub site_id: i64,
    /// Short name of the slot.
    pub slot_id: String,
    /// Text of the slot before the push.
    pub before_text: String,
    /// Text of the slot after the push.
    pub after_text: String,
    /// The code we put in.
    pub ours: String,
    /// Name of who pushed the code.
    pub who: String,
    /// Time of the push.
    pub at: Moment,
    /// Time at which the earlier text was put back.
    pub put_back_at: Option<Moment>,
    /// The first of those that were written together.
    pub batch: Option<i64>,
    /// The round that pushed to many sites.
    pub round_id: Option<i64>,
}

/// A push to keep.
pub struct NewPlacement<'a> {
    /// Number of the site.
    pub site: i64,
    /// Short name of the slot.
    pub slot: &'a str,
    /// Text of the slot before the push.
    pub before: &'a str,
    /// Text of the slot after the push.
    pub after: &'a str,
    /// The code that was put in.
    pub ours: &'a str,
    /// Name of who pushes the code.
    pub who: &'a str,
    /// The first of those that are written together; none for that one itself.
    pub batch: Option<i64>,
    /// The round that pushes to many sites.
    pub round: Option<i64>,
}

impl WritingRows<'_> {
    /// Returns the placements of a site, newest first.
    pub async fn placements(self, site: i64) -> Result<Vec<Placement>> {
        sqlx::query_as(
            "select id, site_id, slot_id, before_text, after_text, ours, who, at, put_back_at, \
            batch, round_id \
            from placements where site_id = $1 order by id desc limit 60",
        )
        .bind(site)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading what a slot held"))
    }
}

impl Tx {
    /// Keeps what a slot held, before it is written.
    pub async fn add_placement(&mut self, new: &NewPlacement<'_>) -> Result<i64> {
        sqlx::query_scalar(
            "with n as (select nextval(pg_get_serial_sequence('placements', 'id')) as id) \
            insert into placements (id, site_id, slot_id, before_text, after_text, ours, who, \
            batch, round_id) \
            overriding system value select n.id, $1, $2, $3, $4, $5, $6, coalesce($7, n.id), $8 \
            from n returning id",
        )
        .bind(new.site)
        .bind(new.slot)
        .bind(crate::text::clean(new.before))
        .bind(crate::text::clean(new.after))
        .bind(crate::text::clean(new.ours))
        .bind(new.who)
        .bind(new.batch)
        .bind(new.round)
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("keeping what a slot held"))
    }

    /// Notes that the text before was put back.
    pub async fn mark_put_back(&mut self, id: i64) -> Result<()> {
        sqlx::query("update placements set put_back_at = now() where id = $1")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("noting what was put back"))
    }
}
