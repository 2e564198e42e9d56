//! The audit trail: every change and who made it.

use crate::handles::PeopleRows;
use crate::{Moment, Result, doing};
use serde_json::Value;

/// A line of the audit.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Entry {
    /// Time of the act.
    pub at: Moment,
    /// Name of the person, or of the program.
    pub who: String,
    /// Act in words.
    pub act: String,
    /// Subject that the act was done to.
    pub subject: String,
    /// Details, as the act has them.
    pub detail: Value,
}

impl PeopleRows<'_> {
    /// Lines that hold the words of a search, newest first, and how many there are.
    pub async fn audit(self, search: &str, offset: i64, limit: i64) -> Result<(Vec<Entry>, i64)> {
        let like = like(search);
        let rows = sqlx::query_as(
            "select at, who, act, subject, detail from audit \
            where who ilike $1 or act ilike $1 or subject ilike $1 order by id desc offset $2 \
            limit $3",
        )
        .bind(&like)
        .bind(offset)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading the audit trail"))?;
        let total = sqlx::query_scalar(
            "select count(*) from audit where who ilike $1 or act ilike $1 or subject ilike $1",
        )
        .bind(&like)
        .fetch_one(&self.store.pool)
        .await
        .map_err(doing("counting the audit trail"))?;
        Ok((rows, total))
    }
}

/// Characters of a search that are looked at: no name is longer.
const MOST_SEARCH: usize = 200;

/// A search as typed, for `ilike`: its wildcards mean themselves.
pub(crate) fn like(search: &str) -> String {
    let search: String = search.trim().chars().take(MOST_SEARCH).collect();
    format!(
        "%{}%",
        crate::text::clean(&search)
            .replace('\\', "\\\\")
            .replace('%', "\\%")
            .replace('_', "\\_")
    )
}
