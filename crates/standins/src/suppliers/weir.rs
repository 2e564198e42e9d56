//! Weir, a stand-in supplier that each client runs on a server of its own: the observatory's,
//! `weir.harrowdown.localhost`, serves nobody else.

use crate::answers::script;
use crate::estate::{CLIENTS, WEIR};
use axum::Router;
use axum::extract::Request;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};

/// Returns the client's part of a server's name, such as `harrowdown`.
fn client_of(host: &str) -> Option<&'static str> {
    let slug = host.strip_prefix(WEIR)?.strip_suffix(".localhost")?;
    let client = CLIENTS.iter().find(|c| c.slug == slug)?;
    Some(client.slug)
}

/// Returns whether a host is the server of one of the clients.
pub fn is_server(host: &str) -> bool {
    client_of(host).is_some()
}

pub fn router() -> Router {
    Router::new().fallback(answer)
}

async fn answer(request: Request) -> Response {
    match request.uri().path() {
        "/weir.js" => script(include_str!("../assets/weir.js").to_string()),
        "/talk" => Html(
            "<!doctype html><html lang=en><meta charset=utf-8><title>Chat</title>\
            <body style='font:15px system-ui,sans-serif;margin:14px'><p>Hello! How can we help?</p>\
            <label>Message <textarea rows=3 style='width:100%'></textarea></label>\
            <button style='min-height:36px'>Send</button></body></html>",
        )
        .into_response(),
        _ => StatusCode::NOT_FOUND.into_response(),
    }
}
