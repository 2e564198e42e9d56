//! What the database and the blobs refuse, and how it is told.

use crate::text::clean;

/// Reasons why the database or the blob store refused.
///
/// Every function of this crate that reads or writes returns one of them if the database refuses;
/// their own comments name only what else can fail.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// There is no connection.
    #[error("the database cannot be reached at the given address: {0}")]
    Connect(sqlx::Error),
    /// The schema could not be brought up to date.
    #[error("the database could not be brought up to date: {0}")]
    Migrate(#[from] sqlx::migrate::MigrateError),
    /// The database refused a statement.
    #[error("the database refused while {doing}: {source}")]
    Database {
        /// Step that was under way, as a clause.
        doing: &'static str,
        /// Error of the database.
        source: sqlx::Error,
    },
    /// A name that must be unique is taken.
    #[error("{what} is there already: {name}")]
    Taken {
        /// Kind of thing that has the name already.
        what: &'static str,
        /// Name that is taken.
        name: String,
    },
    /// Something that is referred to is not there any more.
    #[error("the {what} {name} is not there any more")]
    Gone {
        /// Kind of thing that is missing.
        what: &'static str,
        /// Name that was looked for.
        name: String,
    },
    /// A row holds what this version does not read.
    #[error("the stored {what} cannot be read: {why}")]
    Corrupt {
        /// Kind of the damaged row.
        what: &'static str,
        /// Reason, as a clause for people.
        why: String,
    },
    /// A program of PostgreSQL's did not do what was asked.
    #[error("{program} did not do it: {why}")]
    Tool {
        /// Name of the program.
        program: &'static str,
        /// Message of the program.
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
    /// The database was out of reach for a moment, by its own account: the same thing may be done
    /// again. Conditions of PostgreSQL's table of error codes: connections (08), serialization and
    /// deadlock (40), an administrator's shutdown, a crash, a start that is not over (57P01 to
    /// 57P03).
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
    /// Keeps the deepest cause: each layer above it says the same again.
    fn from(error: object_store::Error) -> StoreError {
        let mut deepest: &dyn std::error::Error = &error;
        while let Some(inner) = deepest.source() {
            deepest = inner;
        }
        StoreError::Blob(deepest.to_string())
    }
}

/// Result of the store's operations.
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

/// A corrupt row is told, not passed over.
pub fn corrupt(what: &'static str, why: impl ToString) -> StoreError {
    StoreError::Corrupt {
        what,
        why: clean(&why.to_string()),
    }
}
