//! Styles, scripts and the typeface, inside the program; nothing is fetched from elsewhere.

use axum::extract::Path;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};

const FILES: &[(&str, &str, &[u8])] = &[
    (
        "bulma.min.css",
        "text/css",
        include_bytes!("../assets/bulma.min.css"),
    ),
    (
        "newtfern.css",
        "text/css",
        include_bytes!("../assets/newtfern.css"),
    ),
    (
        "sheet.css",
        "text/css",
        include_bytes!("../assets/sheet.css"),
    ),
    (
        "alpine-csp.min.js",
        "text/javascript",
        include_bytes!("../assets/alpine-csp.min.js"),
    ),
    (
        "newtfern.js",
        "text/javascript",
        include_bytes!("../assets/newtfern.js"),
    ),
    (
        "source-sans-3-latin-wght-normal.woff2",
        "font/woff2",
        include_bytes!("../assets/source-sans-3-latin-wght-normal.woff2"),
    ),
    (
        "frond.svg",
        "image/svg+xml",
        include_bytes!("../assets/frond.svg"),
    ),
];

pub async fn asset(Path(name): Path<String>) -> Response {
    match FILES.iter().find(|(n, _, _)| *n == name) {
        Some((_, kind, bytes)) => (
            [
                ("content-type", *kind),
                ("cache-control", "public, max-age=3600"),
            ],
            *bytes,
        )
            .into_response(),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}
