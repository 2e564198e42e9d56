//! What leaves the house as a file stands in the audit trail, whoever may take it.

use crate::handles::SiteActs;
use crate::{Actor, Result, record};
use serde_json::json;

impl SiteActs<'_> {
    /// Notes that somebody took something as a file; `what` says what.
    ///
    /// # Errors
    /// Where the database cannot be asked; then nothing may leave.
    pub async fn note_export(self, actor: &Actor, what: &str) -> Result<()> {
        let mut tx = self.acts.store.begin().await?;
        record(&mut tx, actor, "exported", what, json!({})).await?;
        Ok(tx.commit().await?)
    }
}
