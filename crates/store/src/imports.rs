//! Files that are brought in: shown, taken, and how far that is.

use crate::{Moment, Result, Store, Tx, doing};
use serde_json::Value;

/// Days that a file is kept for.
const KEPT_DAYS: i32 = 30;
/// Seconds without a sign after which taking a file has come to an end unseen: its process is gone.
const SILENT_S: f64 = 30.0;

/// A file that was brought in.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Import {
    /// Its number.
    pub id: i64,
    /// Who brought it.
    pub who: String,
    /// Its name.
    pub name: String,
    /// When.
    pub at: Moment,
    /// A spreadsheet's bytes.
    pub spreadsheet: Option<Vec<u8>>,
    /// Expectation files, names and texts.
    pub files: Option<Value>,
    /// The client of new sites of files that name none.
    pub client_id: Option<i64>,
    /// What people said of clients.
    pub answers: Value,
    /// shown, running, done or failed.
    pub state: String,
    /// Rows taken so far.
    pub progress_done: i32,
    /// Rows to take.
    pub progress_of: i32,
    /// What came of it.
    pub outcome: String,
    /// It is being taken now, and its process lives.
    pub under_way: bool,
}

/// A file to keep.
#[derive(Debug, Default)]
pub struct NewImport<'a> {
    /// Who brings it.
    pub who: &'a str,
    /// Its name.
    pub name: &'a str,
    /// A spreadsheet's bytes.
    pub spreadsheet: Option<&'a [u8]>,
    /// Expectation files, names and texts.
    pub files: Option<Value>,
    /// The client of new sites.
    pub client: Option<i64>,
}

impl Store {
    /// One file.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn import(&self, id: i64) -> Result<Option<Import>> {
        sqlx::query_as(
            "select id, who, name, at, spreadsheet, files, client_id, answers, state, progress_done, \
            progress_of, outcome, \
            state = 'running' and beat > now() - make_interval(secs => $2) as under_way \
            from imports where id = $1",
        )
        .bind(id)
        .bind(SILENT_S)
        .fetch_optional(&self.pool)
        .await
        .map_err(doing("reading an import"))
    }

    /// Begins to take a file; false where somebody does already, or it was taken.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn begin_import(&self, id: i64, of: i32) -> Result<bool> {
        sqlx::query(
            "update imports set state = 'running', cancelled = false, progress_done = 0, \
            progress_of = $2, beat = now(), outcome = '' where id = $1 and (state in ('shown', 'failed') \
            or state = 'running' and beat < now() - make_interval(secs => $3))",
        )
        .bind(id)
        .bind(of)
        .bind(SILENT_S)
        .execute(&self.pool)
        .await
        .map(|done| done.rows_affected() == 1)
        .map_err(doing("beginning an import"))
    }

    /// Tells how far it is; true where somebody wants it to end.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn beat_import(&self, id: i64, done: i32) -> Result<bool> {
        sqlx::query_scalar(
            "update imports set progress_done = $2, beat = now() where id = $1 returning cancelled",
        )
        .bind(id)
        .bind(done)
        .fetch_one(&self.pool)
        .await
        .map_err(doing("telling how far an import is"))
    }

    /// Asks for its end.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn cancel_import(&self, id: i64) -> Result<()> {
        sqlx::query("update imports set cancelled = true where id = $1 and state = 'running'")
            .bind(id)
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("cancelling an import"))
    }

    /// It came to nothing: it can be taken again.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn fail_import(&self, id: i64, why: &str) -> Result<()> {
        sqlx::query(
            "update imports set state = 'failed', outcome = $2 where id = $1 and state = 'running'",
        )
        .bind(id)
        .bind(crate::text::clean(why))
        .execute(&self.pool)
        .await
        .map(|_| ())
        .map_err(doing("ending an import"))
    }
}

impl Tx {
    /// Keeps a file to be shown; those that are old go.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn add_import(&mut self, new: &NewImport<'_>) -> Result<i64> {
        sqlx::query("delete from imports where at < now() - make_interval(days => $1)")
            .bind(KEPT_DAYS)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("forgetting old imports"))?;
        sqlx::query_scalar(
            "insert into imports (who, name, spreadsheet, files, client_id) \
            values ($1, $2, $3, $4, $5) returning id",
        )
        .bind(new.who)
        .bind(crate::text::clean(new.name))
        .bind(new.spreadsheet)
        .bind(new.files.clone().map(crate::text::clean_json))
        .bind(new.client)
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("keeping an import"))
    }

    /// What people said of clients that nearly equal a known one.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn answer_import(&mut self, id: i64, answers: Value) -> Result<()> {
        sqlx::query("update imports set answers = answers || $2 where id = $1")
            .bind(id)
            .bind(crate::text::clean_json(answers))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping answers"))
    }

    /// It was taken. A token that it held is not kept in it.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn end_import(&mut self, id: i64, outcome: &str) -> Result<()> {
        sqlx::query(
            "update imports set state = 'done', outcome = $2, progress_done = progress_of, \
            spreadsheet = null, files = null where id = $1",
        )
        .bind(id)
        .bind(outcome)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("ending an import"))
    }
}
