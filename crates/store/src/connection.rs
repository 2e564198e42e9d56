//! The pool of connections, and what is listened for.

use crate::error::{Result, StoreError, doing};
use sqlx::PgPool;
use sqlx::postgres::PgPoolOptions;

/// An instant as rows hold it, to the microsecond.
pub type Moment = jiff_sqlx::Timestamp;

/// The connections to the database.
///
/// Nothing that holds one of [`Store::pool`] asks for a second: enough of them at once would wait
/// for each other. What must be told while a transaction is open goes over [`Store::beside`], whose
/// users wait for nothing else.
#[derive(Clone)]
pub struct Store {
    /// Connections, handed out in turn.
    pub pool: PgPool,
    /// Connections for what is told or heard beside a transaction.
    pub beside: PgPool,
}

/// Connections of one process for acts and pages.
pub(super) const CONNECTIONS: u32 = 12;

/// Connections of one process for what goes beside.
pub(super) const BESIDE: u32 = 3;

/// A connection that does not come within this is an error.
pub(super) const PATIENCE: std::time::Duration = std::time::Duration::from_secs(10);

impl Store {
    /// Connects to a database by its address; the schema is not looked at.
    ///
    /// # Errors
    /// [`StoreError::Connect`], where no database answers.
    pub async fn connect(address: &str) -> Result<Store> {
        Store::with_connections(address, CONNECTIONS).await
    }

    /// Connects with so many connections for acts and pages. As [`Store::connect`] otherwise.
    ///
    /// # Errors
    /// [`StoreError::Connect`], where no database answers.
    pub async fn with_connections(address: &str, connections: u32) -> Result<Store> {
        let pool = PgPoolOptions::new()
            .max_connections(connections)
            .acquire_timeout(PATIENCE)
            .connect(address)
            .await
            .map_err(StoreError::Connect)?;
        let beside = PgPoolOptions::new()
            .max_connections(BESIDE)
            .acquire_timeout(PATIENCE)
            .connect_lazy(address)
            .map_err(StoreError::Connect)?;
        Ok(Store { pool, beside })
    }

    /// Brings the database to this version, and what lists show of sites that came with it.
    ///
    /// # Errors
    /// Where a migration fails.
    pub async fn migrate(&self) -> Result<()> {
        sqlx::migrate!("./migrations").run(&self.pool).await?;
        let mut tx = self.begin().await?;
        // The next action is computed here and not in SQL: rows of an earlier version have none
        // yet.
        let sites: Vec<i64> = sqlx::query_scalar(
            "select distinct s.id from sites s \
            join standings t on t.site_id = s.id where s.next_cause is null \
            and t.state not in ('passing', 'remarks', 'not_applicable')",
        )
        .fetch_all(&mut *tx.inner)
        .await
        .map_err(doing("looking for sites of an earlier version"))?;
        tx.refresh(&sites).await?;
        tx.commit().await
    }

    /// The time by the database's clock: the one clock of all machines. Looks are ordered by it.
    pub async fn now(&self) -> Result<jiff::Timestamp> {
        now(&self.pool).await
    }

    /// Asks the database, for the health page.
    pub async fn alive(&self) -> Result<()> {
        sqlx::query("select 1")
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("asking whether it is alive"))
    }
}

pub(super) async fn now(within: impl sqlx::PgExecutor<'_>) -> Result<jiff::Timestamp> {
    let now: Moment = sqlx::query_scalar("select clock_timestamp()")
        .fetch_one(within)
        .await
        .map_err(doing("asking for the time"))?;
    Ok(now.to_jiff())
}

/// SHA-256 of a token: what is kept instead of it.
pub fn token_hash(token: &str) -> Vec<u8> {
    use sha2::Digest;
    sha2::Sha256::digest(token.as_bytes()).to_vec()
}

/// 32 random bytes in hexadecimal digits.
pub fn fresh_token() -> String {
    let bytes: [u8; 32] = rand::random();
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
