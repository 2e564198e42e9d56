//! One file a page or a family of pages; each template struct stands beside its handler.

pub mod bench;
pub mod blobs;
pub mod clients;
pub mod design;
pub mod handover;
pub mod health;
pub mod house;
pub mod intake;
pub mod lens;
pub mod place;
pub mod rounds;
pub mod settings;
pub mod sign_in;
pub mod sites;
pub mod worklist;

use crate::error::PageError;
use askama::Template;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};

pub(crate) fn render(page: &impl Template) -> Result<Response, PageError> {
    Ok(Html(page.render()?).into_response())
}

/// A form again, with what was typed and what is wrong with it.
pub(crate) fn form_again(page: &impl Template) -> Result<Response, PageError> {
    Ok((StatusCode::UNPROCESSABLE_ENTITY, render(page)?).into_response())
}
