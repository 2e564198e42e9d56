//! Answers that several stand-ins give.

use crate::profiles::DEMO_TOKEN;
use axum::Router;
use axum::response::{IntoResponse, Response};
use axum::routing::any;

pub(super) fn banner(source: &'static str) -> Router {
    Router::new().route(
        "/banner.js",
        any(move || async { script(source.to_string()) }),
    )
}

/// The interface is asked with the demo's token.
pub(super) fn signed_in(headers: &axum::http::HeaderMap) -> bool {
    headers
        .get("authorization")
        .is_some_and(|v| v.as_bytes() == format!("Bearer {DEMO_TOKEN}").as_bytes())
}

/// Script that other sites may load.
pub(super) fn script(text: String) -> Response {
    (
        [
            ("content-type", "text/javascript; charset=utf-8"),
            ("access-control-allow-origin", "*"),
            ("cache-control", "no-store"),
        ],
        text,
    )
        .into_response()
}

pub fn escape(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
        .replace('"', "&quot;")
}
