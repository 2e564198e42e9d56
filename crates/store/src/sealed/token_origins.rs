//! Origins to which a token may be sent, as somebody confirmed them.

use crate::handles::ClientRows;
use crate::{Result, Tx, doing};

impl ClientRows<'_> {
    /// Returns the confirmed origins of a token; `holder` is the place for which it is sealed.
    pub async fn token_origins(self, holder: &str) -> Result<Vec<String>> {
        sqlx::query_scalar("select origin from token_origins where holder = $1 order by origin")
            .bind(holder)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("reading where a token goes"))
    }
}

impl Tx {
    /// Adds an origin to which a token may be sent.
    pub async fn confirm_token_origin(
        &mut self,
        holder: &str,
        origin: &str,
        who: &str,
    ) -> Result<()> {
        sqlx::query(
            "insert into token_origins (holder, origin, who) values ($1, $2, $3) \
            on conflict (holder, origin) do nothing",
        )
        .bind(holder)
        .bind(origin)
        .bind(who)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("confirming where a token goes"))
    }

    /// Forgets all origins of a token: it was replaced or removed.
    pub async fn forget_token_origins(&mut self, holder: &str) -> Result<()> {
        sqlx::query("delete from token_origins where holder = $1")
            .bind(holder)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("forgetting where a token goes"))
    }
}
