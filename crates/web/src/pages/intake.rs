//! Sites from CSV with a result a row, and back to CSV.

use super::{file, render};
use crate::error::PageResult;
use crate::session::{Reader, check, upload};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::{Multipart, State};
use newtfern_acts::store::lists::Filter;
use newtfern_acts::{ActError, Imported};
use newtfern_core::intake::{self, SiteRow};

#[derive(Template)]
#[template(path = "import.html")]
struct Page {
    frame: Frame,
    problem: String,
    result: Option<Imported>,
    columns: String,
}

async fn page_of(app: &App, reader: &Reader) -> PageResult<Page> {
    Ok(Page {
        frame: Frame::new(app, reader, "Import sites", "", "add").await?,
        problem: String::new(),
        result: None,
        columns: intake::columns().join(", "),
    })
}

/// The form.
///
/// # Errors
/// Where the database refuses.
pub async fn form(State(app): State<App>, reader: Reader) -> PageResult {
    render(&page_of(&app, &reader).await?)
}

/// Imports a file.
///
/// # Errors
/// Where the file did not arrive, or something fails on our side; then no row was taken.
pub async fn submit(State(app): State<App>, reader: Reader, mut form: Multipart) -> PageResult {
    let (csrf, bytes) = upload(&mut form, "file").await?;
    check(&reader.0, &csrf)?;
    let (result, problem) = match app.acts.import(&reader.actor(), &bytes).await {
        Ok(imported) => (Some(imported), String::new()),
        Err(ActError::Bad(problem)) => (None, problem),
        Err(other) => return Err(other.into()),
    };
    let mut page = page_of(&app, &reader).await?;
    (page.result, page.problem) = (result, problem);
    render(&page)
}

/// All sites, in the form that can be imported.
///
/// # Errors
/// Where the database refuses.
pub async fn export(State(app): State<App>, _: Reader) -> PageResult {
    let mut rows = Vec::new();
    loop {
        let offset = rows.len() as i64;
        let (sites, total) = app.store().sites(&Filter::default(), offset, 1000).await?;
        rows.extend(sites.iter().map(|s| SiteRow {
            client: s.client_name.clone(),
            site: s.fields().clone(),
        }));
        if sites.is_empty() || rows.len() as i64 >= total {
            break;
        }
    }
    Ok(file(
        "text/csv; charset=utf-8",
        "sites.csv",
        intake::write(&rows),
    ))
}
