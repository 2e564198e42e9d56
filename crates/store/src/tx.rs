//! A transaction: what must happen together. Everything that changes something asks for one, so
//! that an act of several writes is kept whole or not at all.

use crate::{Result, Store, doing};
use serde_json::Value;

/// An open transaction; dropped without [`Tx::commit`], nothing of it is kept.
pub struct Tx {
    pub(crate) inner: sqlx::Transaction<'static, sqlx::Postgres>,
}

impl Store {
    /// Opens a transaction for writing.
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
    /// Commits everything that was written.
    ///
    /// # Errors
    /// Where the database cannot store everything; then nothing is stored.
    pub async fn commit(self) -> Result<()> {
        self.inner
            .commit()
            .await
            .map_err(doing("keeping a transaction"))
    }

    /// Writes into the audit trail: who did what to what.
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

    /// Writes one line for each subject into the audit trail, and tells of each, by two statements:
    /// one act on many.
    pub async fn note_each(
        &mut self,
        who: &str,
        act: &str,
        subjects: &[(String, Value)],
    ) -> Result<()> {
        if subjects.is_empty() {
            return Ok(());
        }
        let clean = |(subject, _): &(String, Value)| crate::text::clean(subject);
        let names: Vec<String> = subjects.iter().map(clean).collect();
        let details = subjects.iter().map(|(_, detail)| detail.clone());
        let details: Vec<Value> = details.map(crate::text::clean_json).collect();
        sqlx::query(
            "insert into audit (who, act, subject, detail) select $1, $2, n.subject, n.detail \
            from unnest($3::text[], $4::jsonb[]) with ordinality as n(subject, detail, \
            at) order by n.at",
        )
        .bind(crate::text::clean(who))
        .bind(act)
        .bind(&names)
        .bind(details)
        .execute(&mut *self.inner)
        .await
        .map_err(doing("writing the audit trail"))?;
        sqlx::query(
            "insert into outbox (kind, body) \
            select 'act', jsonb_build_object('act', $1::text, 'subject', n.subject) \
            from unnest($2::text[]) with ordinality as n(subject, at) order by n.at",
        )
        .bind(act)
        .bind(names)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("telling what happened"))
    }

    /// Puts something into the outbox; who listens is told once the transaction is kept.
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
