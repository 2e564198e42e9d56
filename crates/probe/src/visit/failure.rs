//! The browser's words for failures, and what they mean.

use crate::http::from_connect;
use crate::proxy::Failures;
use newtfern_core::observation::{FailureKind, NetFailure};
use url::Url;

pub fn timeout(text: &str) -> NetFailure {
    NetFailure {
        kind: FailureKind::Timeout,
        text: text.to_string(),
    }
}

/// From `Network.loadingFailed` or `Page.navigate`: the net error, why the browser itself blocked it,
/// and whether it was cross-origin rules.
pub fn from_browser(
    proxy: &Failures,
    url: &str,
    text: &str,
    blocked: &str,
    cors: &str,
    answered: bool,
) -> NetFailure {
    let made = |kind| NetFailure {
        kind,
        text: if blocked.is_empty() {
            text.to_string()
        } else {
            format!("{text} ({blocked})")
        },
    };
    match blocked {
        "csp" => return made(FailureKind::Policy),
        "mixed-content" => return made(FailureKind::Mixed),
        "inspector" => return made(FailureKind::BlockedClient),
        "content-type" => return made(FailureKind::Type),
        "integrity" => return made(FailureKind::Integrity),
        _ => {}
    }
    if !cors.is_empty() {
        return NetFailure {
            kind: FailureKind::Cors,
            text: format!("{text} ({cors})"),
        };
    }
    let word = text.trim_start_matches("net::");
    if word.starts_with("ERR_SOCKS")
        || word.starts_with("ERR_PROXY")
        || word == "ERR_TUNNEL_CONNECTION_FAILED"
    {
        let cause = Url::parse(url)
            .ok()
            .and_then(|u| proxy.of(u.host_str()?, u.port_or_known_default()?));
        return match cause {
            Some(error) => from_connect(&error),
            None => NetFailure {
                kind: FailureKind::Refused,
                text: "the connection failed".into(),
            },
        };
    }
    let kind = match word {
        "ERR_NAME_NOT_RESOLVED" | "ERR_DNS_TIMED_OUT" => FailureKind::Dns,
        "ERR_TIMED_OUT" | "ERR_CONNECTION_TIMED_OUT" => FailureKind::Timeout,
        "ERR_TOO_MANY_REDIRECTS" => FailureKind::RedirectLoop,
        "ERR_CONTENT_LENGTH_MISMATCH"
        | "ERR_INCOMPLETE_CHUNKED_ENCODING"
        | "ERR_CONTENT_DECODING_FAILED"
        | "ERR_INVALID_CHUNKED_ENCODING" => FailureKind::CutOff,
        "ERR_CONNECTION_RESET"
        | "ERR_CONNECTION_CLOSED"
        | "ERR_HTTP2_PROTOCOL_ERROR"
        | "ERR_HTTP2_STREAM_ERROR"
            if answered =>
        {
            FailureKind::CutOff
        }
        "ERR_CONNECTION_REFUSED"
        | "ERR_CONNECTION_RESET"
        | "ERR_CONNECTION_CLOSED"
        | "ERR_EMPTY_RESPONSE"
        | "ERR_ADDRESS_UNREACHABLE"
        | "ERR_CONNECTION_FAILED"
        | "ERR_INVALID_HTTP_RESPONSE" => FailureKind::Refused,
        "ERR_BLOCKED_BY_ORB" => FailureKind::Type,
        "ERR_BLOCKED_BY_CLIENT" | "ERR_BLOCKED_BY_ADMINISTRATOR" => FailureKind::BlockedClient,
        "ERR_ABORTED" => FailureKind::Aborted,
        w if w.starts_with("ERR_CERT")
            || w.starts_with("ERR_SSL")
            || w.starts_with("ERR_BAD_SSL")
            || w.starts_with("ERR_ECH") =>
        {
            FailureKind::Tls
        }
        _ => FailureKind::Other,
    };
    made(kind)
}
