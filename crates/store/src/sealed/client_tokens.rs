//! Sealed tokens of a client's accounts: with a platform, or with a supplier.

use crate::handles::ClientRows;
use crate::{Result, Tx, doing};

/// Kind of account whose interface a token opens.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TokenKind {
    /// Token of a platform account.
    Platform,
    /// Token of a supplier account.
    Supplier,
}

impl TokenKind {
    /// Returns the kind's key, as it is stored and posted.
    pub fn key(self) -> &'static str {
        match self {
            TokenKind::Platform => "platform",
            TokenKind::Supplier => "supplier",
        }
    }

    /// Returns the kind that a stored key names.
    pub fn from_key(key: &str) -> Option<TokenKind> {
        [TokenKind::Platform, TokenKind::Supplier]
            .into_iter()
            .find(|k| k.key() == key)
    }
}

impl ClientRows<'_> {
    /// A client's token, sealed.
    pub async fn client_token(
        self,
        client: i64,
        kind: TokenKind,
        profile: &str,
    ) -> Result<Option<Vec<u8>>> {
        sqlx::query_scalar(
            "select sealed from client_tokens where client_id = $1 and kind = $2 and \
            profile_id = $3",
        )
        .bind(client)
        .bind(kind.key())
        .bind(profile)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading a token"))
    }

    /// Returns the tokens that a client has: kind and profile.
    pub async fn client_tokens(self, client: i64) -> Result<Vec<(String, String)>> {
        sqlx::query_as(
            "select kind, profile_id from client_tokens where client_id = $1 order by \
            kind, profile_id",
        )
        .bind(client)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing tokens"))
    }
}

impl Tx {
    /// Keeps a client's token, or lets it go.
    pub async fn set_client_token(
        &mut self,
        client: i64,
        kind: TokenKind,
        profile: &str,
        sealed: Option<&[u8]>,
    ) -> Result<()> {
        let sql = match sealed {
            Some(_) => {
                "insert into client_tokens values ($1, $2, $3, $4) \
                on conflict (client_id, kind, profile_id) do update set sealed = $4"
            }
            None => {
                "delete from client_tokens where client_id = $1 and kind = $2 and profile_id = $3"
            }
        };
        let query = sqlx::query(sql).bind(client).bind(kind.key()).bind(profile);
        let query = match sealed {
            Some(sealed) => query.bind(sealed),
            None => query,
        };
        query
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a token"))
    }
}
