//! Who asks, by address: the connection's own, or behind proxies that are trusted the one that the
//! last of them names (`X-Forwarded-For`, common practice; what stands left of it anybody can
//! write).

use crate::state::App;
use axum::extract::{ConnectInfo, FromRef, FromRequestParts};
use axum::http::HeaderMap;
use axum::http::request::Parts;
use newtfern_acts::store::access::sessions::From;
use std::convert::Infallible;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};

/// The address a request comes from, and what its browser calls itself.
#[derive(Debug, Clone)]
pub struct Peer {
    pub address: IpAddr,
    pub agent: String,
}

impl Peer {
    /// Returns the peer as sessions store it.
    pub fn from(&self) -> From {
        From {
            peer: self.address.to_string(),
            agent: self.agent.clone(),
        }
    }
}

/// The last address that no proxy of ours wrote of itself.
pub fn behind(connection: IpAddr, headers: &HeaderMap, trusted: &[IpAddr]) -> IpAddr {
    let connection = connection.to_canonical();
    if !trusted.contains(&connection) {
        return connection;
    }
    let lines = headers.get_all("x-forwarded-for").iter();
    let texts: Vec<&str> = lines.filter_map(|v| v.to_str().ok()).collect();
    let named = texts.iter().rev().flat_map(|line| line.rsplit(','));
    let mut last = connection;
    for text in named {
        let Ok(address) = text.trim().parse::<IpAddr>() else {
            break;
        };
        last = address.to_canonical();
        if !trusted.contains(&last) {
            break;
        }
    }
    last
}

impl<S: Send + Sync> FromRequestParts<S> for Peer
where
    App: FromRef<S>,
{
    type Rejection = Infallible;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Infallible> {
        let app = App::from_ref(state);
        let connection = parts.extensions.get::<ConnectInfo<SocketAddr>>();
        let connection = connection.map_or(IpAddr::V4(Ipv4Addr::UNSPECIFIED), |c| c.0.ip());
        let agent = parts.headers.get("user-agent");
        let agent = agent.and_then(|v| v.to_str().ok()).unwrap_or_default();
        Ok(Peer {
            address: behind(connection, &parts.headers, &app.settings.trusted_proxies),
            agent: agent.to_string(),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_trusted_proxies_say_counts() {
        let ip = |text: &str| text.parse::<IpAddr>().unwrap();
        let seen = |connection: &str, lines: &[&str]| {
            let mut headers = HeaderMap::new();
            for line in lines {
                headers.append("x-forwarded-for", line.parse().unwrap());
            }
            let trusted = [ip("10.0.0.1"), ip("10.0.0.2"), ip("::1")];
            behind(ip(connection), &headers, &trusted).to_string()
        };
        // A stranger may say anything.
        assert_eq!(seen("192.0.2.9", &["203.0.113.5"]), "192.0.2.9");
        assert_eq!(seen("10.0.0.1", &["203.0.113.5"]), "203.0.113.5");
        // What the visitor wrote stands left of what the proxies wrote.
        assert_eq!(
            seen("10.0.0.1", &["127.0.0.1, 203.0.113.5, 10.0.0.2"]),
            "203.0.113.5"
        );
        assert_eq!(
            seen("10.0.0.1", &["127.0.0.1", "203.0.113.5"]),
            "203.0.113.5"
        );
        assert_eq!(seen("::1", &["2001:db8::7"]), "2001:db8::7");
        assert_eq!(
            seen("::ffff:10.0.0.1", &["::ffff:203.0.113.5"]),
            "203.0.113.5"
        );
        // Nothing to be read: the proxy itself.
        assert_eq!(seen("10.0.0.1", &["unknown"]), "10.0.0.1");
        assert_eq!(seen("10.0.0.1", &[]), "10.0.0.1");
    }
}
