//! One file a page or a family of pages; each template struct stands beside its handler.

pub mod access;
pub mod agency;
pub mod client;
pub mod design;
pub mod files;
pub mod glossary;
pub mod health;
pub mod lists;
pub mod profiles;
pub mod site;

use crate::error::{PageError, PageResult};
use crate::state::App;
use askama::Template;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use newtfern_acts::store::estate::sites::Site;

pub(crate) fn render(page: &impl Template) -> Result<Response, PageError> {
    Ok(Html(page.render()?).into_response())
}

/// A form again, with what was typed and what is wrong with it.
pub(crate) fn form_again(page: &impl Template) -> Result<Response, PageError> {
    Ok((StatusCode::UNPROCESSABLE_ENTITY, render(page)?).into_response())
}

pub(crate) async fn site_of(app: &App, id: i64) -> PageResult<Site> {
    app.reads()
        .sites()
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))
}

/// Returns one answer for unknown, expired and withdrawn links: it tells a stranger nothing.
pub(crate) fn message_gone() -> Response {
    let words = "The link has expired, was withdrawn, or was not copied completely. Ask \
        your agency for a \
        new link.";
    let page = crate::error::message("This link does not work", words);
    (StatusCode::NOT_FOUND, Html(page)).into_response()
}

/// A file to keep.
pub(crate) fn file(media_type: &'static str, name: &str, body: impl IntoResponse) -> Response {
    let disposition = format!("attachment; filename=\"{name}\"");
    let headers = [
        (header::CONTENT_TYPE, media_type.to_string()),
        (header::CONTENT_DISPOSITION, disposition),
    ];
    (headers, body).into_response()
}

/// A spreadsheet (CSV, RFC 4180) to keep.
pub(crate) fn csv(name: &str, text: String) -> Response {
    file("text/csv; charset=utf-8", name, text)
}
