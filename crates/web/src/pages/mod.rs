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
use axum::response::{Html, IntoResponse, Response};

pub(crate) fn render(page: &impl Template) -> Result<Response, PageError> {
    Ok(Html(page.render()?).into_response())
}
