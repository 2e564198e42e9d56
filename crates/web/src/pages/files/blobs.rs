//! Pictures and files, for people who are signed in.

use crate::error::{PageError, PageResult};
use crate::session::Reader;
use crate::state::App;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use newtfern_acts::store::results::blobs::media_type;

pub async fn blob(
    State(app): State<App>,
    _: Reader,
    Path((folder, name)): Path<(String, String)>,
) -> PageResult {
    let key = format!("{folder}/{name}");
    let kind = media_type(&key).ok_or(PageError::NotFound("picture"))?;
    let bytes = app.acts.blobs.get(&key).await?;
    let bytes = bytes.ok_or(PageError::NotFound("picture"))?;
    // A key never changes its meaning.
    Ok(answer(kind, "private, max-age=86400", bytes.to_vec()))
}

/// An SVG is a document that could carry script: it is shown under a policy that lets none run.
pub fn answer(kind: &'static str, cache: &'static str, bytes: Vec<u8>) -> Response {
    (
        [
            ("content-type", kind),
            (
                "content-security-policy",
                "default-src 'none'; style-src 'unsafe-inline'; sandbox",
            ),
            ("cache-control", cache),
        ],
        bytes,
    )
        .into_response()
}
