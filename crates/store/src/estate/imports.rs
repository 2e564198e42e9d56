//! Files that are brought in: shown, taken, and how far that is.

use crate::handles::ImportRows;
use crate::{Moment, Result, Tx, doing};
use newtfern_model::job::UnknownWord;
use serde_json::Value;

/// Days that a file is kept for.
const KEPT_DAYS: i32 = 30;
/// Seconds without a sign after which taking a file has come to an end unseen: its process is gone.
const SILENT_S: f64 = 30.0;

/// A file that was brought in.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Import {
    /// Number of the import.
    pub id: i64,
    /// Name of who uploaded the file.
    pub who: String,
    /// Name of the file.
    pub name: String,
    /// Time of the upload.
    pub at: Moment,
    /// Content, sealed: tokens may be among it. None once it was imported.
    pub sealed: Option<Vec<u8>>,
    /// The client of new sites of files that name none.
    pub client_id: Option<i64>,
    /// Answers that people gave about clients.
    pub answers: Value,
    /// State of the import.
    #[sqlx(try_from = "String")]
    pub state: ImportState,
    /// Rows taken so far.
    pub progress_done: i32,
    /// Number of rows to import.
    pub progress_of: i32,
    /// Outcome in words.
    pub outcome: String,
    /// Whether it is being imported now by a process that lives.
    pub under_way: bool,
}

/// State of an import.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ImportState {
    /// The file was read and is shown.
    Shown,
    /// The file is being imported.
    Running,
    /// The import is finished.
    Done,
    /// Nothing of the file was imported; it can be tried again.
    Failed,
}

impl TryFrom<String> for ImportState {
    type Error = UnknownWord;

    fn try_from(word: String) -> std::result::Result<ImportState, UnknownWord> {
        match &*word {
            "shown" => Ok(ImportState::Shown),
            "running" => Ok(ImportState::Running),
            "done" => Ok(ImportState::Done),
            "failed" => Ok(ImportState::Failed),
            _ => Err(UnknownWord {
                what: "state of an import",
                word,
            }),
        }
    }
}

/// A file to keep.
#[derive(Debug, Default)]
pub struct NewImport<'a> {
    /// Name of who uploads the file.
    pub who: &'a str,
    /// Name of the file.
    pub name: &'a str,
    /// The client of new sites.
    pub client: Option<i64>,
}

impl ImportRows<'_> {
    /// Returns an import by its number.
    pub async fn import(self, id: i64) -> Result<Option<Import>> {
        sqlx::query_as(
            "select id, who, name, at, sealed, client_id, answers, state, progress_done, \
            progress_of, outcome, \
            state = 'running' and beat > now() - make_interval(secs => $2) as under_way \
            from imports where id = $1",
        )
        .bind(id)
        .bind(SILENT_S)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading an import"))
    }

    /// Begins to take a file; false where somebody does already, or it was taken.
    pub async fn begin_import(self, id: i64, of: i32) -> Result<bool> {
        sqlx::query(
            "update imports set state = 'running', cancelled = false, progress_done = 0, \
            progress_of = $2, beat = now(), outcome = '' where id = $1 and (state in \
            ('shown', 'failed') \
            or state = 'running' and beat < now() - make_interval(secs => $3))",
        )
        .bind(id)
        .bind(of)
        .bind(SILENT_S)
        .execute(&self.store.pool)
        .await
        .map(|done| done.rows_affected() == 1)
        .map_err(doing("beginning an import"))
    }

    /// Tells how far it is, beside the transaction that takes it; true where somebody wants it to
    /// end.
    pub async fn beat_import(self, id: i64, done: i32) -> Result<bool> {
        sqlx::query_scalar(
            "update imports set progress_done = $2, beat = now() where id = $1 returning cancelled",
        )
        .bind(id)
        .bind(done)
        .fetch_one(&self.store.beside)
        .await
        .map_err(doing("telling how far an import is"))
    }

    /// Ends an import that came to nothing: it can be tried again.
    pub async fn fail_import(self, id: i64, why: &str) -> Result<()> {
        sqlx::query(
            "update imports set state = 'failed', outcome = $2 where id = $1 and state = 'running'",
        )
        .bind(id)
        .bind(crate::text::clean(why))
        .execute(&self.store.pool)
        .await
        .map(|_| ())
        .map_err(doing("ending an import"))
    }
}

impl Tx {
    /// Keeps a file to be shown; those that are old go.
    pub async fn add_import(&mut self, new: &NewImport<'_>) -> Result<i64> {
        sqlx::query("delete from imports where at < now() - make_interval(days => $1)")
            .bind(KEPT_DAYS)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("forgetting old imports"))?;
        sqlx::query_scalar(
            "insert into imports (who, name, client_id) values ($1, $2, $3) returning id",
        )
        .bind(new.who)
        .bind(crate::text::clean(new.name))
        .bind(new.client)
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("keeping an import"))
    }

    /// Keeps what a file holds, sealed for its number.
    pub async fn set_import_content(&mut self, id: i64, sealed: &[u8]) -> Result<()> {
        sqlx::query("update imports set sealed = $2 where id = $1")
            .bind(id)
            .bind(sealed)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping an import"))
    }

    /// Stores the answers about clients that nearly equal a known one.
    pub async fn answer_import(&mut self, id: i64, answers: Value) -> Result<()> {
        sqlx::query("update imports set answers = answers || $2 where id = $1")
            .bind(id)
            .bind(crate::text::clean_json(answers))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping answers"))
    }

    /// Asks for its end; false where it is not being taken.
    pub async fn cancel_import(&mut self, id: i64) -> Result<bool> {
        sqlx::query("update imports set cancelled = true where id = $1 and state = 'running'")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|done| done.rows_affected() == 1)
            .map_err(doing("cancelling an import"))
    }

    /// Ends an import that was done. A token that the file had is not kept in it.
    pub async fn end_import(&mut self, id: i64, outcome: &str) -> Result<()> {
        sqlx::query(
            "update imports set state = 'done', outcome = $2, progress_done = progress_of, \
            sealed = null where id = $1",
        )
        .bind(id)
        .bind(outcome)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("ending an import"))
    }
}
