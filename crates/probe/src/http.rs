//! Plain HTTP without a browser: address checks, second copies of a page, the interfaces of
//! platforms and suppliers. Redirects are followed by hand so that each hop passes the guard.

use crate::ProbeError;
use crate::guard::{ConnectError, Guard};
use newtfern_core::observation::{FailureKind, Hop, NetFailure};
use reqwest::dns::{Addrs, Name, Resolve, Resolving};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use url::Url;

/// A page's HTML beyond this is cut.
pub const MOST_BYTES: usize = 3_000_000;
const MOST_REDIRECTS: usize = 10;

#[derive(Clone)]
pub struct Http {
    client: reqwest::Client,
    guard: Guard,
    /// The resolver's last refusal, because reqwest hides it in its error chain.
    refusal: Arc<Mutex<Option<ConnectError>>>,
}

#[derive(Debug, Clone, Default)]
pub struct Fetched {
    pub final_url: String,
    pub redirects: Vec<Hop>,
    pub status: Option<u16>,
    pub headers: Vec<(String, String)>,
    pub body: String,
    pub failure: Option<NetFailure>,
}

struct GuardedResolver {
    guard: Guard,
    refusal: Arc<Mutex<Option<ConnectError>>>,
}

impl Resolve for GuardedResolver {
    fn resolve(&self, name: Name) -> Resolving {
        let (guard, refusal) = (self.guard, self.refusal.clone());
        Box::pin(async move {
            match guard.resolve(name.as_str(), 0).await {
                Ok(found) => Ok(Box::new(found.into_iter()) as Addrs),
                Err(error) => {
                    if let Ok(mut slot) = refusal.lock() {
                        *slot = Some(error.clone());
                    }
                    Err(Box::new(error) as Box<dyn std::error::Error + Send + Sync>)
                }
            }
        })
    }
}

impl Http {
    /// `ca` adds a trust anchor (PEM, one or more certificates).
    pub fn new(guard: Guard, ca: Option<&[u8]>) -> Result<Http, ProbeError> {
        let _ = rustls::crypto::ring::default_provider().install_default();
        let refusal: Arc<Mutex<Option<ConnectError>>> = Arc::default();
        let mut builder = reqwest::Client::builder()
            .redirect(reqwest::redirect::Policy::none())
            .dns_resolver(Arc::new(GuardedResolver { guard, refusal: refusal.clone() }))
            .connect_timeout(Duration::from_secs(8))
            .timeout(Duration::from_secs(20))
            .no_proxy()
            .user_agent("Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36");
        if let Some(pem) = ca {
            let trust = |e: reqwest::Error| ProbeError::Trust(e.to_string());
            builder =
                builder.tls_certs_merge(reqwest::Certificate::from_pem_bundle(pem).map_err(trust)?);
        }
        let client = builder
            .build()
            .map_err(|e| ProbeError::Trust(e.to_string()))?;
        Ok(Http {
            client,
            guard,
            refusal,
        })
    }

    /// An address written as a number never reaches the resolver, so it is looked at here.
    fn literal_allowed(&self, url: &Url) -> Result<(), NetFailure> {
        let ip = match url.host() {
            Some(url::Host::Ipv4(ip)) => std::net::IpAddr::V4(ip),
            Some(url::Host::Ipv6(ip)) => std::net::IpAddr::V6(ip),
            _ => return Ok(()),
        };
        if self.guard.allow_private || newtfern_core::address::is_public(ip) {
            return Ok(());
        }
        Err(NetFailure {
            kind: FailureKind::Guard,
            text: format!("{ip} is a private or local address"),
        })
    }

    /// GET with redirects. A failure is part of the answer.
    pub async fn get(&self, address: &Url) -> Fetched {
        let mut out = Fetched {
            final_url: address.to_string(),
            ..Fetched::default()
        };
        let mut url = address.clone();
        for _ in 0..=MOST_REDIRECTS {
            let answer = match self.once(reqwest::Method::GET, &url, None).await {
                Ok(answer) => answer,
                Err(failure) => {
                    out.failure = Some(failure);
                    return out;
                }
            };
            out.final_url = url.to_string();
            out.status = Some(answer.status().as_u16());
            out.headers = answer
                .headers()
                .iter()
                .map(|(n, v)| {
                    (
                        n.to_string(),
                        String::from_utf8_lossy(v.as_bytes()).into_owned(),
                    )
                })
                .collect();
            let location = answer
                .headers()
                .get("location")
                .and_then(|v| v.to_str().ok())
                .and_then(|l| url.join(l).ok());
            match location.filter(|_| answer.status().is_redirection()) {
                Some(next) if matches!(next.scheme(), "http" | "https") => {
                    out.redirects.push(Hop {
                        url: url.to_string(),
                        status: answer.status().as_u16(),
                        location: next.to_string(),
                    });
                    url = next;
                }
                _ => {
                    match body_of(answer).await {
                        Ok(body) => out.body = body,
                        Err(failure) => out.failure = Some(failure),
                    }
                    return out;
                }
            }
        }
        out.failure = Some(NetFailure {
            kind: FailureKind::RedirectLoop,
            text: format!("more than {MOST_REDIRECTS} redirects"),
        });
        out
    }

    /// One JSON call to an interface, without redirects.
    pub async fn json(
        &self,
        method: &str,
        address: &Url,
        body: Option<&serde_json::Value>,
        bearer: Option<&str>,
    ) -> Result<(u16, serde_json::Value), NetFailure> {
        let method = reqwest::Method::from_bytes(method.as_bytes()).unwrap_or(reqwest::Method::GET);
        let answer = self.once(method, address, Some((body, bearer))).await?;
        let status = answer.status().as_u16();
        let text = body_of(answer).await?;
        Ok((
            status,
            serde_json::from_str(&text).unwrap_or(serde_json::Value::String(text)),
        ))
    }

    async fn once(
        &self,
        method: reqwest::Method,
        url: &Url,
        call: Option<(Option<&serde_json::Value>, Option<&str>)>,
    ) -> Result<reqwest::Response, NetFailure> {
        self.literal_allowed(url)?;
        let mut request = self.client.request(method, url.clone());
        match call {
            None => request = request.header("accept", "text/html,application/xhtml+xml,*/*;q=0.8"),
            Some((body, bearer)) => {
                if let Some(token) = bearer {
                    request = request.header("authorization", format!("Bearer {token}"));
                }
                if let Some(body) = body {
                    request = request
                        .header("content-type", "application/json")
                        .body(body.to_string());
                }
            }
        }
        if let Ok(mut slot) = self.refusal.lock() {
            *slot = None;
        }
        request.send().await.map_err(|e| self.failure(&e))
    }

    fn failure(&self, error: &reqwest::Error) -> NetFailure {
        let refusal = self.refusal.lock().ok().and_then(|r| r.clone());
        if let Some(refusal) = refusal.filter(|_| error.is_connect()) {
            return from_connect(&refusal);
        }
        let mut text = error.to_string();
        let mut source = std::error::Error::source(error);
        while let Some(inner) = source {
            text = inner.to_string();
            source = inner.source();
        }
        let lower = text.to_lowercase();
        let kind = if error.is_timeout() {
            FailureKind::Timeout
        } else if lower.contains("certificate")
            || lower.contains("tls")
            || lower.contains("handshake")
            || lower.contains("unknownissuer")
        {
            FailureKind::Tls
        } else if error.is_connect() {
            FailureKind::Refused
        } else {
            FailureKind::Other
        };
        NetFailure { kind, text }
    }
}

pub fn from_connect(error: &ConnectError) -> NetFailure {
    let kind = match error {
        ConnectError::Refused(_) => FailureKind::Guard,
        ConnectError::Dns(_) => FailureKind::Dns,
        ConnectError::Connection(_) => FailureKind::Refused,
        ConnectError::Timeout(_) => FailureKind::Timeout,
    };
    NetFailure {
        kind,
        text: error.to_string(),
    }
}

async fn body_of(mut answer: reqwest::Response) -> Result<String, NetFailure> {
    let mut bytes = Vec::new();
    loop {
        match answer.chunk().await {
            Ok(Some(chunk)) => bytes.extend_from_slice(&chunk),
            Ok(None) => break,
            Err(e) => {
                return Err(NetFailure {
                    kind: if e.is_timeout() {
                        FailureKind::Timeout
                    } else {
                        FailureKind::CutOff
                    },
                    text: e.to_string(),
                });
            }
        }
        if bytes.len() > MOST_BYTES {
            bytes.truncate(MOST_BYTES);
            break;
        }
    }
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
