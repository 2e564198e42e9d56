//! PostgreSQL through SQLx, the queue, blobs. Statements are short and stand beside the type they
//! fill; what must happen together is one method with one transaction.

#![warn(missing_docs, clippy::missing_errors_doc)]

pub mod audit;
pub mod backup;
pub mod blobs;
pub mod checks;
pub mod client_tokens;
pub mod clients;
mod compiled;
pub mod diary;
pub mod errands;
pub mod hand_tests;
pub mod handovers;
pub mod history;
pub mod imports;
pub mod intake;
pub mod lists;
pub mod local_server;
pub mod people;
pub mod placements;
pub mod profile_room;
pub mod profiles;
pub mod queue;
pub mod removals;
pub mod rounds;
pub mod scratch;
pub mod seal;
pub mod second_factor;
pub mod sessions;
pub mod sites;
pub mod supplier_writes;
pub mod surveys;
pub mod text;
mod tx;

pub use tx::Tx;

use sqlx::PgPool;
use sqlx::postgres::PgPoolOptions;

/// Why the database or the blobs did not do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// There is no connection.
    #[error("the database cannot be reached at the given address: {0}")]
    Connect(sqlx::Error),
    /// The schema could not be brought up to date.
    #[error("the database could not be brought up to date: {0}")]
    Migrate(#[from] sqlx::migrate::MigrateError),
    /// The database refused.
    #[error("the database refused while {doing}: {source}")]
    Database {
        /// What was being done.
        doing: &'static str,
        /// Its words.
        source: sqlx::Error,
    },
    /// A name that must be unique is taken.
    #[error("{what} is there already: {name}")]
    Taken {
        /// What has it.
        what: &'static str,
        /// The name.
        name: String,
    },
    /// Something that is referred to is not there any more.
    #[error("the {what} {name} is not there any more")]
    Gone {
        /// Of which kind.
        what: &'static str,
        /// Its name.
        name: String,
    },
    /// A row holds what this version does not read.
    #[error("the stored {what} cannot be read: {why}")]
    Corrupt {
        /// Which kind.
        what: &'static str,
        /// Why.
        why: String,
    },
    /// A program of PostgreSQL's did not do what was asked.
    #[error("{program} did not do it: {why}")]
    Tool {
        /// Its name.
        program: &'static str,
        /// Its words.
        why: String,
    },
    /// A blob could not be read or written.
    #[error("pictures and files cannot be kept or read: {0}")]
    Blob(String),
    /// A secret could not be sealed or opened.
    #[error("a secret cannot be opened: the key of this installation has changed")]
    Seal,
}

impl StoreError {
    /// The database was out of reach for a moment, by its own account: the same thing may be done again.
    /// Conditions of PostgreSQL's table of error codes: connections (08), serialization and deadlock (40),
    /// an administrator's shutdown, a crash, a start that is not over (57P01 to 57P03).
    pub fn is_passing(&self) -> bool {
        let source = match self {
            StoreError::Connect(source) | StoreError::Database { source, .. } => source,
            _ => return false,
        };
        match source {
            sqlx::Error::Io(_)
            | sqlx::Error::Tls(_)
            | sqlx::Error::PoolTimedOut
            | sqlx::Error::PoolClosed
            | sqlx::Error::WorkerCrashed => true,
            sqlx::Error::Database(e) => e.code().is_some_and(|code| {
                code.starts_with("08")
                    || code.starts_with("40")
                    || matches!(code.as_ref(), "57P01" | "57P02" | "57P03")
            }),
            _ => false,
        }
    }
}

impl From<object_store::Error> for StoreError {
    /// By the deepest cause: each layer above it says the same again.
    fn from(error: object_store::Error) -> StoreError {
        let mut deepest: &dyn std::error::Error = &error;
        while let Some(inner) = deepest.source() {
            deepest = inner;
        }
        StoreError::Blob(deepest.to_string())
    }
}

/// An instant as rows hold it, to the microsecond.
pub type Moment = jiff_sqlx::Timestamp;

/// What the store gives.
pub type Result<T> = std::result::Result<T, StoreError>;

pub(crate) fn doing(doing: &'static str) -> impl FnOnce(sqlx::Error) -> StoreError {
    move |source| StoreError::Database { doing, source }
}

/// Tells a violated uniqueness from other errors.
pub(crate) fn unique(
    what: &'static str,
    name: &str,
    doing: &'static str,
) -> impl FnOnce(sqlx::Error) -> StoreError {
    let name = name.to_string();
    move |source| match &source {
        sqlx::Error::Database(e) if e.is_unique_violation() => StoreError::Taken { what, name },
        _ => StoreError::Database { doing, source },
    }
}

/// The connections to the database.
#[derive(Clone)]
pub struct Store {
    /// Connections, handed out in turn.
    pub pool: PgPool,
}

impl Store {
    /// Connects to a database by its address; the schema is not looked at.
    ///
    /// # Errors
    /// [`StoreError::Connect`], where no database answers.
    pub async fn connect(address: &str) -> Result<Store> {
        let pool = PgPoolOptions::new()
            .max_connections(12)
            .acquire_timeout(std::time::Duration::from_secs(10))
            .connect(address)
            .await
            .map_err(StoreError::Connect)?;
        Ok(Store { pool })
    }

    /// Brings the database to this version, and what lists show of sites that came with it.
    ///
    /// # Errors
    /// Where a migration fails.
    pub async fn migrate(&self) -> Result<()> {
        sqlx::migrate!("./migrations").run(&self.pool).await?;
        let mut tx = self.begin().await?;
        // The next action is computed here and not in SQL: rows of an earlier version have none yet.
        let sites: Vec<i64> = sqlx::query_scalar(
            "select distinct s.id from sites s \
            join standings t on t.site_id = s.id where s.next_act is null \
            and t.state not in ('passing', 'not_applicable')",
        )
        .fetch_all(&mut *tx.inner)
        .await
        .map_err(doing("looking for sites of an earlier version"))?;
        tx.refresh(&sites).await?;
        tx.commit().await
    }

    /// The time by the database's clock: the one clock of all machines. Looks are ordered by it.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn now(&self) -> Result<jiff::Timestamp> {
        let now: Moment = sqlx::query_scalar("select clock_timestamp()")
            .fetch_one(&self.pool)
            .await
            .map_err(doing("asking for the time"))?;
        Ok(now.to_jiff())
    }

    /// Asks the database, for the health page.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn alive(&self) -> Result<()> {
        sqlx::query("select 1")
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("asking whether it is alive"))
    }
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

/// Notices of progress, from whichever worker on whichever machine.
pub struct Listener(sqlx::postgres::PgListener);

/// Listens to what is told in the database.
///
/// # Errors
/// Where the database refuses.
pub async fn listen(pool: &PgPool) -> Result<Listener> {
    let mut listener = sqlx::postgres::PgListener::connect_with(pool)
        .await
        .map_err(doing("listening"))?;
    listener
        .listen("newtfern_events")
        .await
        .map_err(doing("listening"))?;
    Ok(Listener(listener))
}

/// Wakes idle workers when a round starts.
///
/// # Errors
/// Where the database refuses.
pub async fn listen_for_jobs(pool: &PgPool) -> Result<Listener> {
    let mut listener = sqlx::postgres::PgListener::connect_with(pool)
        .await
        .map_err(doing("listening"))?;
    listener
        .listen("newtfern_jobs")
        .await
        .map_err(doing("listening"))?;
    Ok(Listener(listener))
}

impl Listener {
    /// Waits for the next thing that is told.
    ///
    /// # Errors
    /// Where the connection is lost for good.
    pub async fn next(&mut self) -> Result<String> {
        self.0
            .recv()
            .await
            .map(|n| n.payload().to_string())
            .map_err(doing("listening"))
    }
}
