//! The record of hand work on a site.

use crate::handles::HandingRows;
use crate::text::clean;
use crate::{Moment, Result, StoreError, Tx, doing};
use newtfern_model::diary::Kind;

/// One entry of a site's diary.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Entry {
    /// Number of the entry.
    pub id: i64,
    /// Time of the entry.
    pub at: Moment,
    /// Name of who wrote it.
    pub who: String,
    kind: String,
    /// Short name of the slot that it is about, if it is about one.
    pub slot_id: String,
    /// Text of the entry.
    pub words: String,
    /// Blob of a photo.
    pub photo: Option<String>,
}

impl Entry {
    /// Returns the kind of the entry.
    ///
    /// # Errors
    /// [`StoreError::Corrupt`], where the kind is not known.
    pub fn kind(&self) -> Result<Kind> {
        Kind::from_key(&self.kind).ok_or_else(|| StoreError::Corrupt {
            what: "diary",
            why: format!("{} is not a kind of entry", self.kind),
        })
    }
}

/// An entry to keep.
#[derive(Debug)]
pub struct NewEntry<'a> {
    /// Number of the site.
    pub site: i64,
    /// Name of who writes the entry.
    pub who: &'a str,
    /// Kind of the entry.
    pub kind: Kind,
    /// Short name of a slot.
    pub slot: &'a str,
    /// Text of the entry.
    pub words: &'a str,
    /// Blob of a photo.
    pub photo: Option<&'a str>,
}

impl HandingRows<'_> {
    /// A site's diary, newest first, and how long it is.
    pub async fn diary(self, site: i64, offset: i64, limit: i64) -> Result<(Vec<Entry>, i64)> {
        let rows = sqlx::query_as(
            "select id, at, who, kind, slot_id, words, photo from diary where site_id = $1 \
            order by id desc offset $2 limit $3",
        )
        .bind(site)
        .bind(offset)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading the diary"))?;
        let total = sqlx::query_scalar("select count(*) from diary where site_id = $1")
            .bind(site)
            .fetch_one(&self.store.pool)
            .await
            .map_err(doing("counting the diary"))?;
        Ok((rows, total))
    }

    /// A backup is recorded of a site.
    pub async fn has_backup_noted(self, site: i64) -> Result<bool> {
        sqlx::query_scalar("select exists (select 1 from diary where site_id = $1 and kind = $2)")
            .bind(site)
            .bind(Kind::Backup.key())
            .fetch_one(&self.store.pool)
            .await
            .map_err(doing("reading the diary"))
    }
}

impl Tx {
    /// Writes into a site's diary.
    pub async fn write_diary(&mut self, new: &NewEntry<'_>) -> Result<i64> {
        sqlx::query_scalar(
            "insert into diary (site_id, who, kind, slot_id, words, photo) \
            values ($1, $2, $3, $4, $5, $6) returning id",
        )
        .bind(new.site)
        .bind(clean(new.who))
        .bind(new.kind.key())
        .bind(clean(new.slot))
        .bind(clean(new.words))
        .bind(new.photo)
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("writing the diary"))
    }
}
