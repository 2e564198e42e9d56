//! Pictures and files, for people who are signed in.

use crate::error::{PageError, PageResult};
use crate::session::Reader;
use crate::state::App;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use newtfern_acts::store::blobs::media_type;

pub async fn blob(
    State(app): State<App>,
    _: Reader,
    Path((folder, name)): Path<(String, String)>,
) -> PageResult {
    let key = format!("{folder}/{name}");
    let bytes = app.acts.blobs.get(&key).await?;
    let bytes = bytes.ok_or(PageError::NotFound("picture"))?;
    Ok(answer(&key, bytes.to_vec()))
}

/// An SVG is a document that could carry script: it is shown under a policy that lets none run.
pub fn answer(key: &str, bytes: Vec<u8>) -> Response {
    (
        [
            ("content-type", media_type(key)),
            (
                "content-security-policy",
                "default-src 'none'; style-src 'unsafe-inline'; sandbox",
            ),
            ("cache-control", "private, max-age=86400"),
        ],
        bytes,
    )
        .into_response()
}
