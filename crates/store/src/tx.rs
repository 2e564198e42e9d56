//! A transaction: what must happen together. Everything that changes something asks for one, so that
//! an act of several writes is kept whole or not at all.

use crate::{Result, Store, doing};
use serde_json::Value;

/// An open transaction; dropped without [`Tx::commit`], nothing of it is kept.
pub struct Tx {
    pub(crate) inner: sqlx::Transaction<'static, sqlx::Postgres>,
}

impl Store {
    /// Opens a transaction.
    ///
    /// # Errors
    /// Where the database cannot be reached.
    pub async fn begin(&self) -> Result<Tx> {
        let inner = self
            .pool
            .begin()
            .await
            .map_err(doing("beginning a transaction"))?;
        Ok(Tx { inner })
    }
}

impl Tx {
    /// Keeps everything.
    ///
    /// # Errors
    /// Where the database refuses; then nothing is kept.
    pub async fn commit(self) -> Result<()> {
        self.inner
            .commit()
            .await
            .map_err(doing("keeping a transaction"))
    }

    /// Writes into the audit trail: who did what to what.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn note(&mut self, who: &str, act: &str, subject: &str, detail: Value) -> Result<()> {
        sqlx::query("insert into audit (who, act, subject, detail) values ($1, $2, $3, $4)")
            .bind(crate::text::clean(who))
            .bind(act)
            .bind(crate::text::clean(subject))
            .bind(crate::text::clean_json(detail))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("writing the audit trail"))
    }

    /// Puts something into the outbox; who listens is told once the transaction is kept.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn tell(&mut self, kind: &str, body: Value) -> Result<()> {
        sqlx::query("insert into outbox (kind, body) values ($1, $2)")
            .bind(kind)
            .bind(body)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("telling what happened"))
    }
}
