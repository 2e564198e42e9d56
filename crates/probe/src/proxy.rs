//! A SOCKS5 proxy on loopback (RFC 1928, CONNECT without authentication) through which the browser
//! makes all its connections, so that the guard judges each at connect time. Secure connections
//! pass through untouched. The browser reports a refused proxy connection by one word for all
//! causes; the cause is kept here by host and port and put back into the observation.

use crate::guard::{ConnectError, Guard};
use std::collections::HashMap;
use std::net::{Ipv4Addr, Ipv6Addr, SocketAddr};
use std::sync::{Arc, Mutex};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// A SOCKS proxy of our own, where each connection of the browser is judged.
pub struct Proxy {
    /// Address on loopback at which it listens.
    pub address: SocketAddr,
    failures: Failures,
    task: tokio::task::JoinHandle<()>,
}

impl Drop for Proxy {
    fn drop(&mut self) {
        self.task.abort();
    }
}

/// Failures kept at most; a hostile page can ask for names without end.
const MOST_FAILURES: usize = 10_000;

impl Proxy {
    /// Starts it on any free port.
    ///
    /// # Errors
    /// Where no port is free on loopback.
    pub async fn start(guard: Guard) -> std::io::Result<Proxy> {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).await?;
        let address = listener.local_addr()?;
        let failures = Failures::default();
        let log = failures.0.clone();
        let task = tokio::spawn(async move {
            loop {
                let Ok((stream, peer)) = listener.accept().await else {
                    continue;
                };
                let (log, guard) = (log.clone(), guard.clone());
                tokio::spawn(async move {
                    // The port is open to every user of the machine, the way out is not.
                    if crate::owner::is_ours(peer, address) {
                        let _ = serve(stream, guard, log).await;
                    }
                });
            }
        });
        Ok(Proxy {
            address,
            failures,
            task,
        })
    }

    /// Returns the failures of connections, as far as they are known.
    pub fn failures(&self) -> Failures {
        self.failures.clone()
    }
}

type Log = Arc<Mutex<HashMap<(String, u16), ConnectError>>>;

/// The causes of failed connections, by host and port.
#[derive(Clone, Default)]
pub struct Failures(Log);

impl Failures {
    /// Returns why the last connection to this host and port failed, if it did.
    pub fn of(&self, host: &str, port: u16) -> Option<ConnectError> {
        let host = host
            .trim_start_matches('[')
            .trim_end_matches(']')
            .to_ascii_lowercase();
        self.0.lock().ok()?.get(&(host, port)).cloned()
    }
}

/// SOCKS version 5 without a sign-in (RFC 1928): a greeting, then one request.
async fn serve(mut client: TcpStream, guard: Guard, log: Log) -> std::io::Result<()> {
    // Greeting: version, number of methods, methods.
    let mut head = [0u8; 2];
    client.read_exact(&mut head).await?;
    let mut methods = vec![0u8; usize::from(head[1])];
    client.read_exact(&mut methods).await?;
    if head[0] != 5 || !methods.contains(&0) {
        return client.write_all(&[5, 0xff]).await;
    }
    client.write_all(&[5, 0]).await?;
    let (host, port) = match asked(&mut client).await? {
        Ok(place) => place,
        Err(code) => return reply(&mut client, code).await,
    };
    tracing::debug!("asked for {host}:{port}");
    let bare = host.trim_start_matches('[').trim_end_matches(']');
    let key = (bare.to_string(), port);
    match guard.connect(&host, port).await {
        Ok(mut server) => {
            if let Ok(mut log) = log.lock() {
                log.remove(&key);
            }
            reply(&mut client, 0).await?;
            client.set_nodelay(true)?;
            tokio::io::copy_bidirectional(&mut client, &mut server).await?;
            Ok(())
        }
        Err(error) => {
            let code = code_of(&error);
            if let Ok(mut log) = log.lock() {
                if log.len() >= MOST_FAILURES {
                    log.clear();
                }
                log.insert(key, error);
            }
            reply(&mut client, code).await
        }
    }
}

/// The place that is asked for, or the code of a request that is not answered.
async fn asked(client: &mut TcpStream) -> std::io::Result<Result<(String, u16), u8>> {
    // Request: version, command, reserved, address type, address, port.
    let mut request = [0u8; 4];
    client.read_exact(&mut request).await?;
    let host = match request[3] {
        1 => Ipv4Addr::from(client.read_u32().await?).to_string(),
        4 => Ipv6Addr::from(client.read_u128().await?).to_string(),
        3 => {
            let mut name = vec![0u8; usize::from(client.read_u8().await?)];
            client.read_exact(&mut name).await?;
            String::from_utf8_lossy(&name).to_ascii_lowercase()
        }
        _ => return Ok(Err(8)),
    };
    let port = client.read_u16().await?;
    Ok(if request[1] == 1 {
        Ok((host, port))
    } else {
        Err(7)
    })
}

/// Reply codes of RFC 1928, section 6.
fn code_of(error: &ConnectError) -> u8 {
    match error {
        ConnectError::Refused(_) => 2,
        ConnectError::Dns(_) => 4,
        ConnectError::Connection(_) => 5,
        ConnectError::Timeout(_) => 6,
    }
}

async fn reply(client: &mut TcpStream, code: u8) -> std::io::Result<()> {
    client.write_all(&[5, code, 0, 1, 0, 0, 0, 0, 0, 0]).await
}
