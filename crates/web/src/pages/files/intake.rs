//! Sites from files: brought, shown with what they would change, taken.

use crate::archive::{text, unpacked};
use crate::error::{PageError, PageResult};
use crate::pages::{csv, render};
use crate::session::{Posted, Reader, check, whole_form};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager};
use askama::Template;
use axum::extract::{Multipart, Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_acts::store::estate::imports::{Import, ImportState};
use newtfern_acts::{ActError, ImportPreview, ImportSource};
use newtfern_heavy::heavy;
use newtfern_model::intake::{self, PlannedRow, Question, RowPlan};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::time::Duration;

#[derive(Template)]
#[template(path = "files/import.html")]
struct Form {
    frame: Frame,
    problem: String,
    columns: String,
    clients: Vec<(i64, String)>,
}

async fn form_of(app: &App, reader: &Reader, problem: String) -> PageResult<Form> {
    Ok(Form {
        frame: Frame::new(app, reader, "Import sites", "", "add").await?,
        problem,
        columns: intake::columns().join(", "),
        clients: app.reads().clients().client_names().await?,
    })
}

/// Shows the upload form.
pub async fn form(State(app): State<App>, reader: Reader) -> PageResult {
    render(&form_of(&app, &reader, String::new()).await?)
}

/// Brings files in, to be shown.
///
/// # Errors
/// Where they did not arrive; what cannot be read is told with the form.
pub async fn submit(State(app): State<App>, reader: Reader, mut form: Multipart) -> PageResult {
    let (fields, files) = whole_form(&mut form).await?;
    check(&reader.0, fields.get("csrf"))?;
    let client = fields.get("client_id").parse().ok();
    let names: Vec<String> = files.iter().map(|(name, _)| name.clone()).collect();
    let is_file = |name: &String| name.ends_with(".toml") || name.ends_with(".tar");
    let actor = reader.actor();
    let brought = if names.iter().any(is_file) {
        let texts = files
            .into_iter()
            .map(|(name, bytes)| match name.ends_with(".tar") {
                true => unpacked(&name, &bytes),
                false => text(&name, bytes).map(|t| vec![t]),
            });
        match heavy(|| texts.collect::<Result<Vec<_>, String>>()).await {
            Ok(texts) => {
                let brings = ImportSource::Files(texts.concat());
                app.acts
                    .imports()
                    .bring(&actor, &names.join(", "), brings, client)
                    .await
            }
            Err(problem) => Err(ActError::Bad(problem)),
        }
    } else {
        let (name, bytes) = files.into_iter().next_back().unwrap_or_default();
        let brings = ImportSource::Spreadsheet(&bytes);
        app.acts
            .imports()
            .bring(&actor, &name, brings, client)
            .await
    };
    match brought {
        Ok(id) => Ok(Redirect::to(&format!("/imports/{id}")).into_response()),
        Err(ActError::Bad(problem)) => render(&form_of(&app, &reader, problem).await?),
        Err(other) => Err(other.into()),
    }
}

#[derive(Deserialize, Default)]
pub struct IntakeQuery {
    #[serde(default)]
    q: String,
    #[serde(default)]
    what: String,
    page: Option<i64>,
}

/// The word of what becomes of a row.
fn word(what: &RowPlan) -> &'static str {
    match what {
        RowPlan::Add => "new",
        RowPlan::Change { .. } => "changed",
        RowPlan::Same { .. } => "unchanged",
        RowPlan::Refused(_) => "refused",
    }
}

struct Line {
    row: PlannedRow,
    what: &'static str,
    /// The site, where it is there.
    id: Option<i64>,
}

#[derive(Template)]
#[template(path = "files/imported.html")]
struct Page {
    frame: Frame,
    import: Import,
    remarks: Vec<String>,
    counts: Vec<(&'static str, usize)>,
    questions: Vec<Question>,
    lines: Vec<Line>,
    problem: String,
    asked: IntakeQuery,
    pager: Pager,
    percent: i32,
}

impl Page {
    fn count(&self, what: &str) -> usize {
        let found = self.counts.iter().find(|(w, _)| *w == what);
        found.map_or(0, |(_, n)| *n)
    }

    /// Returns whether its rows are files of one site each.
    fn has_files(&self) -> bool {
        self.lines.iter().any(|l| !l.row.file.is_empty())
    }

    fn is_open(&self) -> bool {
        match self.import.state {
            ImportState::Shown | ImportState::Failed => true,
            ImportState::Running => !self.import.under_way,
            ImportState::Done => false,
        }
    }
}

async fn page_of(
    app: &App,
    reader: &Reader,
    id: i64,
    asked: IntakeQuery,
    problem: String,
) -> PageResult<Page> {
    let ImportPreview {
        import,
        sheet,
        rows,
        questions,
    } = app.acts.imports().show_import(id).await?;
    let counts = ["new", "changed", "unchanged", "refused"].map(|w| {
        let n = rows.iter().filter(|r| word(&r.what) == w).count();
        (w, n)
    });
    let q = asked.q.to_lowercase();
    let is_found = |r: &PlannedRow| {
        let of_kind = asked.what.is_empty() || word(&r.what) == asked.what;
        let text = || [&r.fields.name, &r.fields.url, &r.client, &r.file];
        of_kind && (q.is_empty() || text().iter().any(|t| t.to_lowercase().contains(&q)))
    };
    let number = asked.page.unwrap_or(1);
    let found: Vec<PlannedRow> = rows.into_iter().filter(is_found).collect();
    let pager = Pager::new(
        number,
        found.len() as i64,
        &[("q", &asked.q), ("what", &asked.what)],
    );
    let shown = found.into_iter().skip(Pager::offset(number) as usize);
    let line = |row: PlannedRow| Line {
        what: word(&row.what),
        id: match &row.what {
            RowPlan::Change { id, .. } | RowPlan::Same { id } => Some(*id),
            _ => None,
        },
        row,
    };
    Ok(Page {
        frame: Frame::new(app, reader, "Import", "", "add").await?,
        percent: import.progress_done * 100 / import.progress_of.max(1),
        remarks: sheet.remarks,
        counts: counts.into(),
        questions,
        lines: shown.take(PAGE_SIZE as usize).map(line).collect(),
        problem,
        asked,
        pager,
        import,
    })
}

/// Shows what a file would change, or its result.
///
/// # Errors
/// Where there is no such file.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(asked): Query<IntakeQuery>,
) -> PageResult {
    render(&page_of(&app, &reader, id, asked, String::new()).await?)
}

/// A file that takes no longer is answered with its end, one that does with its progress.
const AT_ONCE: Duration = Duration::from_secs(3);

/// Imports the rows of a file.
///
/// # Errors
/// Where there is no such file; what keeps it from being taken is told with the page.
pub async fn take(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let answers: BTreeMap<String, String> = (posted.fields.0.iter())
        .filter_map(|(name, value)| {
            let given = name.strip_prefix("is:")?;
            (!value.is_empty()).then(|| (given.to_string(), value.clone()))
        })
        .collect();
    let acts = app.acts.clone();
    let actor = posted.actor();
    // Goes on although nobody waits for the answer any more.
    let work = tokio::spawn(async move { acts.imports().take_import(&actor, id, answers).await });
    let back = || Redirect::to(&format!("/imports/{id}")).into_response();
    match tokio::time::timeout(AT_ONCE, work).await {
        Err(_) | Ok(Ok(Ok(_))) => Ok(back()),
        Ok(Ok(Err(ActError::Bad(problem)))) => {
            let page = page_of(&app, &posted.reader(), id, IntakeQuery::default(), problem).await?;
            crate::pages::form_again(&page)
        }
        Ok(Ok(Err(other))) => Err(other.into()),
        Ok(Err(broken)) => Err(PageError::Broken(broken.to_string())),
    }
}

/// Asks for the end of taking a file; then nothing of it is taken.
pub async fn cancel(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    app.acts
        .imports()
        .cancel_import(&posted.actor(), id)
        .await?;
    Ok(Redirect::to(&format!("/imports/{id}")).into_response())
}

/// The rows that are refused, as a file with the reason beside them.
///
/// # Errors
/// Where there is no such file.
pub async fn refused(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
) -> PageResult<Response> {
    let shown = app.acts.imports().show_import(id).await?;
    let what = format!("refused rows of {}", shown.import.name);
    app.acts.sites().note_export(&reader.actor(), &what).await?;
    Ok(csv(
        "refused.csv",
        intake::refused(&shown.sheet, &shown.rows),
    ))
}
