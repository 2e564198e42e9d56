//! The network guard: every connection, of our HTTP client and of the browser, is made by
//! [`Guard::connect`], which resolves the name itself, looks at each address, and connects to just
//! that address; so neither a redirect nor a second DNS answer leads a visit inside.

use newtfern_standards::address::{is_invalid_name, is_localhost_name};
use newtfern_standards::private_hosts::PrivateHosts;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};
use std::time::Duration;
use tokio::net::TcpStream;

/// Time for one connection attempt, ms.
const CONNECT_MS: u64 = 8000;

/// The network rule: where visits may go.
#[derive(Debug, Clone, Default)]
pub struct Guard {
    /// Listed by an administrator, or by the demo for its own stand-ins.
    pub private: PrivateHosts,
}

/// An address that the network rule keeps us from.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{host} is at {ip}, a private or local address; an administrator can allow it")]
pub struct Refused {
    /// The name that was asked for.
    pub host: String,
    /// The address it led to.
    pub ip: IpAddr,
}

/// Reason why no connection came about.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ConnectError {
    /// The network rule forbids it.
    #[error(transparent)]
    Refused(#[from] Refused),
    /// The name does not resolve; the name.
    #[error("{0} does not resolve")]
    Dns(String),
    /// The connection was refused or ended; the words of the system.
    #[error("{0} refuses the connection")]
    Connection(String),
    /// The connection took too long; the host.
    #[error("{0} does not answer")]
    Timeout(String),
}

impl Guard {
    /// Public addresses, and what is on the list.
    pub fn new(private: PrivateHosts) -> Guard {
        Guard { private }
    }

    /// Every address; for one check by hand, and for tests.
    pub fn open() -> Guard {
        Guard::new(PrivateHosts::all())
    }

    /// Resolves a host to the addresses a visit may go to. `localhost` names are loopback by
    /// definition and never asked of the system's resolver, which may not know them.
    ///
    /// # Errors
    /// [`ConnectError`], where the name leads nowhere or where it must not.
    pub async fn resolve(&self, host: &str, port: u16) -> Result<Vec<SocketAddr>, ConnectError> {
        let bare = host.trim_start_matches('[').trim_end_matches(']');
        let found: Vec<IpAddr> = if let Ok(ip) = bare.parse::<IpAddr>() {
            vec![ip]
        } else if is_localhost_name(host) {
            vec![
                IpAddr::V4(Ipv4Addr::LOCALHOST),
                IpAddr::V6(Ipv6Addr::LOCALHOST),
            ]
        } else if is_invalid_name(host) {
            return Err(ConnectError::Dns(host.to_string()));
        } else {
            let looked = tokio::time::timeout(
                Duration::from_millis(CONNECT_MS),
                tokio::net::lookup_host((host, port)),
            )
            .await;
            match looked {
                Ok(Ok(addresses)) => addresses.map(|a| a.ip()).collect(),
                Ok(Err(_)) | Err(_) => return Err(ConnectError::Dns(host.to_string())),
            }
        };
        if found.is_empty() {
            return Err(ConnectError::Dns(host.to_string()));
        }
        let allowed: Vec<SocketAddr> = found
            .iter()
            .filter(|ip| self.private.allow(bare, **ip))
            .map(|ip| SocketAddr::new(*ip, port))
            .collect();
        if allowed.is_empty() {
            return Err(Refused {
                host: host.to_string(),
                ip: found[0],
            }
            .into());
        }
        Ok(allowed)
    }

    /// Connects to the first address that answers.
    ///
    /// # Errors
    /// [`ConnectError`], with its cause.
    pub async fn connect(&self, host: &str, port: u16) -> Result<TcpStream, ConnectError> {
        let mut last = ConnectError::Connection(host.to_string());
        for address in self.resolve(host, port).await? {
            match tokio::time::timeout(
                Duration::from_millis(CONNECT_MS),
                TcpStream::connect(address),
            )
            .await
            {
                Ok(Ok(stream)) => {
                    let _ = stream.set_nodelay(true);
                    return Ok(stream);
                }
                Ok(Err(_)) => {}
                Err(_) => last = ConnectError::Timeout(host.to_string()),
            }
        }
        Err(last)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn private_addresses_are_refused_whatever_their_writing() {
        let guard = Guard::default();
        for host in [
            "127.0.0.1",
            "[::1]",
            "169.254.169.254",
            "shop.localhost",
            "localhost",
            "10.0.0.7",
            "::ffff:192.168.0.1",
        ] {
            assert!(
                matches!(guard.resolve(host, 80).await, Err(ConnectError::Refused(_))),
                "{host}"
            );
        }
        assert!(matches!(
            guard.resolve("nowhere.invalid", 80).await,
            Err(ConnectError::Dns(_))
        ));
        assert_eq!(guard.resolve("1.1.1.1", 443).await.map(|a| a.len()), Ok(1));
    }

    #[tokio::test]
    async fn the_demo_may_visit_its_own() {
        let list = PrivateHosts::read("*.localhost 127.0.0.1").unwrap();
        let guard = Guard::new(list);
        assert!(guard.resolve("shop.localhost", 80).await.is_ok());
        assert!(guard.resolve("localhost", 80).await.is_ok());
        let inside = guard.resolve("10.0.0.7", 80).await;
        assert!(matches!(inside, Err(ConnectError::Refused(_))));
        let closed = guard.connect("127.0.0.1", 1).await;
        assert!(matches!(closed, Err(ConnectError::Connection(_))));
    }
}
