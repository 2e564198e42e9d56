//! Test talks that wait for what a person saw.

use crate::handles::CheckRows;
use crate::{Moment, Result, Tx, doing};

/// A test by hand that waits for its answers.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct HandTest {
    /// Message that the person sends.
    pub message: String,
    /// Name of who began the test.
    pub who: String,
    /// Time at which the test began.
    pub at: Moment,
}

impl CheckRows<'_> {
    /// The one that waits at a site.
    pub async fn hand_test(self, site: i64) -> Result<Option<HandTest>> {
        sqlx::query_as("select message, who, at from hand_tests where site_id = $1")
            .bind(site)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a test by hand"))
    }
}

impl Tx {
    /// Begins one in place of the one before; its message ends with its number.
    pub async fn begin_hand_test(&mut self, site: i64, who: &str, words: &str) -> Result<()> {
        self.end_hand_test(site).await?;
        sqlx::query("insert into hand_tests (site_id, who) values ($1, $2)")
            .bind(site)
            .bind(who)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("beginning a test by hand"))?;
        sqlx::query(
            "update hand_tests set message = $2 || ' (no. H' || number || ')' where site_id = $1",
        )
        .bind(site)
        .bind(words)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("beginning a test by hand"))
    }

    /// Ends it. False where none waits.
    pub async fn end_hand_test(&mut self, site: i64) -> Result<bool> {
        sqlx::query("delete from hand_tests where site_id = $1")
            .bind(site)
            .execute(&mut *self.inner)
            .await
            .map(|done| done.rows_affected() > 0)
            .map_err(doing("ending a test by hand"))
    }
}
