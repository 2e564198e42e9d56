//! The browser's words for failures, and what they mean.

use crate::http::from_connect;
use crate::proxy::Failures;
use newtfern_standards::observation::{FailureKind, NetFailure};
use url::Url;

pub fn timeout(text: &str) -> NetFailure {
    NetFailure {
        kind: FailureKind::Timeout,
        text: text.to_string(),
    }
}

/// Message of the browser about a request that failed.
pub struct FailureNotice<'a> {
    /// The net error; empty where the browser never let it out.
    pub text: &'a str,
    /// Reason why the browser itself blocked it.
    pub blocked: &'a str,
    /// The cross-origin rule that it broke.
    pub cors: &'a str,
    /// An answer had begun to arrive.
    pub answered: bool,
}

/// Net errors whose meaning does not depend on how far the answer had come.
const KINDS: &[(&str, FailureKind)] = &[
    ("ERR_NAME_NOT_RESOLVED", FailureKind::Dns),
    ("ERR_DNS_TIMED_OUT", FailureKind::Dns),
    ("ERR_TIMED_OUT", FailureKind::Timeout),
    ("ERR_CONNECTION_TIMED_OUT", FailureKind::Timeout),
    ("ERR_TOO_MANY_REDIRECTS", FailureKind::RedirectLoop),
    ("ERR_CONTENT_LENGTH_MISMATCH", FailureKind::CutOff),
    ("ERR_INCOMPLETE_CHUNKED_ENCODING", FailureKind::CutOff),
    ("ERR_CONTENT_DECODING_FAILED", FailureKind::CutOff),
    ("ERR_INVALID_CHUNKED_ENCODING", FailureKind::CutOff),
    ("ERR_CONNECTION_REFUSED", FailureKind::Refused),
    ("ERR_EMPTY_RESPONSE", FailureKind::Refused),
    ("ERR_ADDRESS_UNREACHABLE", FailureKind::Refused),
    ("ERR_CONNECTION_FAILED", FailureKind::Refused),
    ("ERR_INVALID_HTTP_RESPONSE", FailureKind::Refused),
    ("ERR_UNSAFE_PORT", FailureKind::BadPort),
    ("ERR_BLOCKED_BY_ORB", FailureKind::Type),
    ("ERR_BLOCKED_BY_CLIENT", FailureKind::BlockedClient),
    ("ERR_BLOCKED_BY_ADMINISTRATOR", FailureKind::BlockedClient),
    ("ERR_ABORTED", FailureKind::Aborted),
];

/// Returns the failure that `Network.loadingFailed` or `Page.navigate` reports.
pub fn from_browser(proxy: &Failures, url: &str, said: &FailureNotice) -> NetFailure {
    if let Some(kind) = by_the_browser(said.blocked) {
        return made(kind, said.text, said.blocked);
    }
    if !said.cors.is_empty() {
        return made(FailureKind::Cors, said.text, said.cors);
    }
    let word = said.text.trim_start_matches("net::");
    let in_proxy = word.starts_with("ERR_SOCKS") || word.starts_with("ERR_PROXY");
    if in_proxy || word == "ERR_TUNNEL_CONNECTION_FAILED" {
        return through_proxy(proxy, url);
    }
    made(of_word(word, said.answered), said.text, said.blocked)
}

fn made(kind: FailureKind, text: &str, why: &str) -> NetFailure {
    let text = match (text, why) {
        ("", why) => format!("blocked in the browser: {why}"),
        (text, "") => text.to_string(),
        (text, why) => format!("{text} ({why})"),
    };
    NetFailure { kind, text }
}

/// Reasons of the browser's own, which come before any net error.
fn by_the_browser(blocked: &str) -> Option<FailureKind> {
    Some(match blocked {
        "csp" => FailureKind::Policy,
        "mixed-content" => FailureKind::Mixed,
        "inspector" => FailureKind::BlockedClient,
        "content-type" => FailureKind::Type,
        "integrity" => FailureKind::Integrity,
        _ => return None,
    })
}

/// The proxy is ours: it knows what really happened to the connection.
fn through_proxy(proxy: &Failures, url: &str) -> NetFailure {
    let cause = Url::parse(url)
        .ok()
        .and_then(|u| proxy.of(u.host_str()?, u.port_or_known_default()?));
    match cause {
        Some(error) => from_connect(&error),
        None => NetFailure {
            kind: FailureKind::Refused,
            text: "the connection failed".into(),
        },
    }
}

fn of_word(word: &str, answered: bool) -> FailureKind {
    // Broken before the first byte it is a refusal, after it a cut.
    let ended = ["ERR_CONNECTION_RESET", "ERR_CONNECTION_CLOSED"].contains(&word);
    let http2 = ["ERR_HTTP2_PROTOCOL_ERROR", "ERR_HTTP2_STREAM_ERROR"].contains(&word);
    if answered && (ended || http2) {
        return FailureKind::CutOff;
    }
    if ended {
        return FailureKind::Refused;
    }
    let secure = ["ERR_CERT", "ERR_SSL", "ERR_BAD_SSL", "ERR_ECH"];
    if secure.iter().any(|s| word.starts_with(s)) {
        return FailureKind::Tls;
    }
    let known = KINDS.iter().find(|(name, _)| *name == word);
    known.map_or(FailureKind::Other, |(_, kind)| *kind)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::proxy::Proxy;

    const LOADER: &str = "https://cdn.osier.test/l.js";

    #[test]
    fn the_browsers_words_for_failures() {
        // Long for its table of cases.
        let none = Failures::default();
        let said = |text: &str, blocked: &str, cors: &str, answered: bool| {
            let said = FailureNotice {
                text,
                blocked,
                cors,
                answered,
            };
            from_browser(&none, LOADER, &said)
        };
        let kind_of = |text: &str, blocked: &str, cors: &str, answered: bool| {
            said(text, blocked, cors, answered).kind
        };
        for (text, kind) in [
            ("net::ERR_NAME_NOT_RESOLVED", FailureKind::Dns),
            ("net::ERR_CONNECTION_TIMED_OUT", FailureKind::Timeout),
            ("net::ERR_TOO_MANY_REDIRECTS", FailureKind::RedirectLoop),
            ("net::ERR_CONNECTION_REFUSED", FailureKind::Refused),
            ("net::ERR_EMPTY_RESPONSE", FailureKind::Refused),
            ("net::ERR_INCOMPLETE_CHUNKED_ENCODING", FailureKind::CutOff),
            ("net::ERR_CERT_DATE_INVALID", FailureKind::Tls),
            ("net::ERR_SSL_PROTOCOL_ERROR", FailureKind::Tls),
            ("net::ERR_BLOCKED_BY_ORB", FailureKind::Type),
            ("net::ERR_BLOCKED_BY_CLIENT", FailureKind::BlockedClient),
            ("net::ERR_UNSAFE_PORT", FailureKind::BadPort),
            ("net::ERR_ABORTED", FailureKind::Aborted),
            ("net::ERR_SOMETHING_NEW", FailureKind::Other),
        ] {
            assert_eq!(kind_of(text, "", "", false), kind, "{text}");
        }
        for (blocked, kind) in [
            ("csp", FailureKind::Policy),
            ("mixed-content", FailureKind::Mixed),
            ("inspector", FailureKind::BlockedClient),
            ("content-type", FailureKind::Type),
            ("integrity", FailureKind::Integrity),
        ] {
            assert_eq!(
                kind_of(
                    "net::ERR_BLOCKED_BY_CSP",
                    blocked,
                    "MissingAllowOriginHeader",
                    false
                ),
                kind,
                "{blocked}"
            );
        }
        assert_eq!(
            kind_of("net::ERR_FAILED", "", "MissingAllowOriginHeader", true),
            FailureKind::Cors
        );
        // A reset after the answer began cuts it off; before, it refuses.
        assert_eq!(
            kind_of("net::ERR_CONNECTION_RESET", "", "", true),
            FailureKind::CutOff
        );
        assert_eq!(
            kind_of("net::ERR_CONNECTION_RESET", "", "", false),
            FailureKind::Refused
        );
        assert_eq!(
            said("net::ERR_BLOCKED_BY_CSP", "csp", "", false).text,
            "net::ERR_BLOCKED_BY_CSP (csp)"
        );
    }

    fn lost(text: &str) -> FailureNotice<'_> {
        FailureNotice {
            text,
            blocked: "",
            cors: "",
            answered: false,
        }
    }

    /// The browser says only that its proxy failed; the proxy knows why.
    #[tokio::test]
    async fn a_failed_connection_is_told_by_the_proxys_cause() {
        use tokio::io::{AsyncReadExt, AsyncWriteExt};
        let proxy = Proxy::start(crate::guard::Guard::default()).await.unwrap();
        for (host, kind) in [
            ("shop.localhost", FailureKind::Guard),
            ("nowhere.invalid", FailureKind::Dns),
        ] {
            let mut client = tokio::net::TcpStream::connect(proxy.address).await.unwrap();
            client.write_all(&[5, 1, 0]).await.unwrap();
            let mut answer = [0u8; 2];
            client.read_exact(&mut answer).await.unwrap();
            assert_eq!(answer, [5, 0], "no sign-in is asked for");
            let mut ask = vec![5, 1, 0, 3, host.len() as u8];
            ask.extend(host.as_bytes());
            ask.extend([0x01, 0xbb]);
            client.write_all(&ask).await.unwrap();
            let mut reply = [0u8; 10];
            client.read_exact(&mut reply).await.unwrap();
            assert_ne!(reply[1], 0, "{host} must be refused");
            let told = from_browser(
                &proxy.failures(),
                &format!("https://{}/", host.to_uppercase()),
                &lost("net::ERR_SOCKS_CONNECTION_HOST_UNREACHABLE"),
            );
            assert_eq!(told.kind, kind, "{host}: {told:?}");
        }
        let unknown = from_browser(
            &proxy.failures(),
            "https://other.example/",
            &lost("net::ERR_SOCKS_CONNECTION_FAILED"),
        );
        assert_eq!(unknown.kind, FailureKind::Refused);
    }
}
