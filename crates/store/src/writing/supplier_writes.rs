//! What suppliers' settings held before a design was written there.

use crate::handles::WritingRows;
use crate::{Moment, Result, Tx, doing};
use serde_json::Value;

/// A write into a supplier's settings, with what was there before.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct SupplierWrite {
    /// Number of the write.
    pub id: i64,
    /// Id of the supplier.
    pub supplier_id: String,
    /// The key whose settings they are.
    pub key: String,
    /// A list of settings: there, is, becomes.
    pub changes: Value,
    /// Name of who wrote the settings.
    pub who: String,
    /// Time of the write.
    pub at: Moment,
    /// Time at which the earlier settings were put back.
    pub put_back_at: Option<Moment>,
}

impl WritingRows<'_> {
    /// Returns the writes at a site's supplier, newest first.
    pub async fn supplier_writes(self, site: i64) -> Result<Vec<SupplierWrite>> {
        sqlx::query_as(
            "select id, supplier_id, key, changes, who, at, put_back_at from supplier_writes \
            where site_id = $1 order by id desc limit 20",
        )
        .bind(site)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading what was written at the supplier"))
    }
}

impl Tx {
    /// Keeps what the settings held, before they are written.
    pub async fn add_supplier_write(
        &mut self,
        site: i64,
        (supplier, key): (&str, &str),
        changes: &Value,
        who: &str,
    ) -> Result<i64> {
        sqlx::query_scalar(
            "insert into supplier_writes (site_id, supplier_id, key, changes, who) \
            values ($1, $2, $3, $4, $5) returning id",
        )
        .bind(site)
        .bind(supplier)
        .bind(key)
        .bind(crate::text::json_of(changes))
        .bind(who)
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("keeping what the supplier held"))
    }

    /// Notes that what was there before was put back.
    pub async fn mark_write_put_back(&mut self, id: i64) -> Result<()> {
        sqlx::query("update supplier_writes set put_back_at = now() where id = $1")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("noting what was put back"))
    }
}
