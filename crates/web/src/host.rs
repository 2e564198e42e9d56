//! Is a request meant for us? A name that somebody else points at this machine would let their
//! pages read ours as their own (DNS rebinding), so only our public address and loopback's names
//! are answered.

use crate::error::message;
use crate::state::App;
use axum::extract::{Request, State};
use axum::http::StatusCode;
use axum::middleware::Next;
use axum::response::{Html, IntoResponse, Response};

/// The name in a `Host` header, without its port and in small letters.
fn name(host: &str) -> String {
    let host = host.trim().to_ascii_lowercase();
    let without_port = match host.rsplit_once(':') {
        Some((name, port)) if port.bytes().all(|b| b.is_ascii_digit()) => name.to_string(),
        _ => host,
    };
    without_port.trim_end_matches('.').to_string()
}

/// Our public address's name, or this machine's for itself.
fn is_ours(host: &str, public_address: &str) -> bool {
    let asked = name(host);
    let loopback = ["localhost", "127.0.0.1", "[::1]"];
    let public = url::Url::parse(public_address).ok();
    let public = public.and_then(|u| u.host_str().map(str::to_ascii_lowercase));
    loopback.contains(&asked.as_str()) || public.is_some_and(|p| p.trim_end_matches('.') == asked)
}

/// Refuses other names (RFC 9110, 15.5.20 "421 Misdirected Request"). The health check is asked by
/// whatever name a watcher has.
pub async fn own_host(State(app): State<App>, request: Request, next: Next) -> Response {
    let host = request
        .headers()
        .get("host")
        .map(|v| v.to_str().unwrap_or("?"));
    let public = &app.settings.public_address;
    let ours = host.is_none_or(|host| is_ours(host, public));
    if ours || request.uri().path() == "/health" {
        return next.run(request).await;
    }
    let text = match public.is_empty() {
        true => "This application does not serve this address.".to_string(),
        false => format!("Open this application at {public}."),
    };
    let page = message("Wrong address", &text);
    (StatusCode::MISDIRECTED_REQUEST, Html(page)).into_response()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_our_own_names_are_answered() {
        let public = "https://newtfern.agency.example";
        for ours in [
            "newtfern.agency.example",
            "Newtfern.Agency.Example:443",
            "newtfern.agency.example.",
            "localhost:8480",
            "127.0.0.1",
            "[::1]:8480",
        ] {
            assert!(is_ours(ours, public), "{ours}");
        }
        for other in [
            "elsewhere.example",
            "newtfern.agency.example.elsewhere.example",
            "127.0.0.1.elsewhere.example",
            "localhost@elsewhere.example",
            "192.0.2.1",
            "",
            "?",
        ] {
            assert!(!is_ours(other, public), "{other}");
        }
        assert!(!is_ours("newtfern.agency.example", ""));
    }
}
