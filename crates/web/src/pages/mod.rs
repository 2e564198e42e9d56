//! One file a page or a family of pages; each template struct stands beside its handler.

pub mod account;
pub mod bench;
pub mod blobs;
pub mod bulk;
pub mod client_acts;
pub mod clients;
pub mod design;
pub mod diary;
pub mod errand;
pub mod events;
pub mod hand_test;
pub mod handover;
pub mod health;
pub mod history;
pub mod house;
pub mod intake;
pub mod intended;
pub mod lens;
pub mod lineup;
pub mod outtake;
pub mod people;
pub mod place;
pub mod privacy;
pub mod profiles;
pub mod push_many;
pub mod removed;
pub mod rounds;
pub mod settings;
pub mod sign_in;
pub mod site_pages;
pub mod sites;
pub mod suppliers;
pub mod timelines;
pub mod worklist;

use crate::error::{PageError, PageResult};
use crate::state::App;
use askama::Template;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use newtfern_acts::store::sites::Site;

pub(crate) fn render(page: &impl Template) -> Result<Response, PageError> {
    Ok(Html(page.render()?).into_response())
}

/// A form again, with what was typed and what is wrong with it.
pub(crate) fn form_again(page: &impl Template) -> Result<Response, PageError> {
    Ok((StatusCode::UNPROCESSABLE_ENTITY, render(page)?).into_response())
}

pub(crate) async fn site_of(app: &App, id: i64) -> PageResult<Site> {
    app.store()
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))
}

/// One answer for unknown, expired and withdrawn links: it tells a stranger nothing.
pub(crate) fn message_gone() -> Response {
    let words =
        "It has expired, was withdrawn, or was not copied whole. Ask your agency for a new one.";
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
