//! Plain HTTP without a browser: address checks, second copies of a page, the interfaces of
//! platforms and suppliers. Redirects are followed by hand so that each hop passes the guard.

use crate::ProbeError;
use crate::guard::{ConnectError, Guard};
use newtfern_standards::observation::{FailureKind, Hop, NetFailure};
use reqwest::dns::{Addrs, Name, Resolve, Resolving};
use std::collections::HashMap;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use url::Url;

/// A page's HTML beyond this is cut.
pub const MOST_BYTES: usize = 3_000_000;
const MOST_REDIRECTS: usize = 10;

/// Fetches without a browser, under the same network rule.
#[derive(Clone)]
pub struct Http {
    client: reqwest::Client,
    guard: Guard,
    refusals: Refusals,
}

/// Refused names with their errors, by host: reqwest hides the resolver's error in its own.
/// Requests that run side by side do not share their failures, for the cause depends on the host
/// alone.
type Refusals = Arc<Mutex<HashMap<String, ConnectError>>>;

/// Refusals kept at most.
const MOST_REFUSALS: usize = 1_000;

/// Answer of a fetch.
#[derive(Debug, Clone, Default)]
pub struct HttpAnswer {
    /// Address after redirects.
    pub final_url: String,
    /// Redirects in the order in which they came.
    pub redirects: Vec<Hop>,
    /// Status of the last answer.
    pub status: Option<u16>,
    /// Headers of the last answer, names in lower case.
    pub headers: Vec<(String, String)>,
    /// Body as text, cut to a bound.
    pub body: String,
    /// Reason why there is no answer.
    pub failure: Option<NetFailure>,
}

impl HttpAnswer {
    /// The first value of a header.
    pub fn header(&self, name: &str) -> Option<&str> {
        let mut found = self.headers.iter();
        let found = found.find(|(n, _)| n.eq_ignore_ascii_case(name));
        found.map(|(_, value)| value.as_str())
    }
}

struct GuardedResolver {
    guard: Guard,
    refusals: Refusals,
}

impl Resolve for GuardedResolver {
    fn resolve(&self, name: Name) -> Resolving {
        let (guard, refusals) = (self.guard.clone(), self.refusals.clone());
        Box::pin(async move {
            let host = name.as_str().to_ascii_lowercase();
            match guard.resolve(name.as_str(), 0).await {
                Ok(found) => {
                    if let Ok(mut known) = refusals.lock() {
                        known.remove(&host);
                    }
                    Ok(Box::new(found.into_iter()) as Addrs)
                }
                Err(error) => {
                    if let Ok(mut known) = refusals.lock() {
                        if known.len() >= MOST_REFUSALS {
                            known.clear();
                        }
                        known.insert(host, error.clone());
                    }
                    Err(Box::new(error) as Box<dyn std::error::Error + Send + Sync>)
                }
            }
        })
    }
}

impl Http {
    /// `ca` adds a trust anchor (PEM, one or more certificates).
    ///
    /// # Errors
    /// [`ProbeError::Trust`], where the trust anchor cannot be used.
    pub fn new(guard: Guard, ca: Option<&[u8]>) -> Result<Http, ProbeError> {
        Http::called(guard, ca, crate::browser::user_agent())
    }

    /// The same under a name of its own: whoever looks through a site's pages says who they are.
    ///
    /// # Errors
    /// [`ProbeError::Trust`], where the trust anchor cannot be used.
    pub fn called(guard: Guard, ca: Option<&[u8]>, agent: &str) -> Result<Http, ProbeError> {
        let _ = rustls::crypto::ring::default_provider().install_default();
        let refusals = Refusals::default();
        let mut builder = reqwest::Client::builder()
            .redirect(reqwest::redirect::Policy::none())
            .dns_resolver(Arc::new(GuardedResolver {
                guard: guard.clone(),
                refusals: refusals.clone(),
            }))
            .connect_timeout(Duration::from_secs(8))
            .timeout(Duration::from_secs(20))
            .no_proxy()
            .user_agent(agent);
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
            refusals,
        })
    }

    /// The network rule it works under.
    pub fn guard(&self) -> &Guard {
        &self.guard
    }

    /// An address written as a number never reaches the resolver, so it is looked at here.
    fn literal_allowed(&self, url: &Url) -> Result<(), NetFailure> {
        let ip = match url.host() {
            Some(url::Host::Ipv4(ip)) => std::net::IpAddr::V4(ip),
            Some(url::Host::Ipv6(ip)) => std::net::IpAddr::V6(ip),
            _ => return Ok(()),
        };
        let host = url.host_str().unwrap_or_default();
        if self.guard.private.allow(host, ip) {
            return Ok(());
        }
        Err(NetFailure {
            kind: FailureKind::Guard,
            text: format!("{ip} is a private or local address"),
        })
    }

    /// GET with redirects. A failure is part of the answer.
    pub async fn get(&self, address: &Url) -> HttpAnswer {
        let (mut out, bytes) = self.get_bytes(address, MOST_BYTES).await;
        out.body = crate::decoding::text_of(&bytes, out.header("content-type"));
        out
    }

    /// The same with the body as bytes, so many at most.
    pub async fn get_bytes(&self, address: &Url, most: usize) -> (HttpAnswer, Vec<u8>) {
        let mut out = HttpAnswer {
            final_url: address.to_string(),
            ..HttpAnswer::default()
        };
        let mut url = address.clone();
        for _ in 0..=MOST_REDIRECTS {
            let answer = match self.once(reqwest::Method::GET, &url, None).await {
                Ok(answer) => answer,
                Err(failure) => {
                    out.failure = Some(failure);
                    return (out, Vec::new());
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
                    let body = bytes_of(answer, most).await;
                    return match body {
                        Ok(bytes) => (out, bytes),
                        Err(failure) => {
                            out.failure = Some(failure);
                            (out, Vec::new())
                        }
                    };
                }
            }
        }
        out.failure = Some(NetFailure {
            kind: FailureKind::RedirectLoop,
            text: format!("more than {MOST_REDIRECTS} redirects"),
        });
        (out, Vec::new())
    }

    /// Makes one JSON call to an interface, without redirects.
    ///
    /// # Errors
    /// Where the answer does not come, is an error or is no JSON; in words.
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
        let kind = answer.headers().get("content-type");
        let kind = kind.and_then(|v| v.to_str().ok()).map(str::to_string);
        let bytes = bytes_of(answer, MOST_BYTES).await?;
        let text = crate::decoding::text_of(&bytes, kind.as_deref());
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
        let host = url.host_str().unwrap_or_default().to_ascii_lowercase();
        request.send().await.map_err(|e| self.failure(&e, &host))
    }

    fn failure(&self, error: &reqwest::Error, host: &str) -> NetFailure {
        let known = self.refusals.lock().ok();
        let refusal = known.and_then(|r| r.get(host).cloned());
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

/// Returns what a connection that did not come about means.
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

async fn bytes_of(mut answer: reqwest::Response, most: usize) -> Result<Vec<u8>, NetFailure> {
    let mut bytes = Vec::new();
    loop {
        match answer.chunk().await {
            Ok(Some(chunk)) => bytes.extend_from_slice(&chunk),
            Ok(None) => return Ok(bytes),
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
        if bytes.len() > most {
            bytes.truncate(most);
            return Ok(bytes);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// reqwest hides the resolver's error, so causes are kept beside it: by host, for requests that
    /// run side by side must not get each other's.
    #[tokio::test]
    async fn requests_side_by_side_keep_their_own_failures() {
        let http = Http::new(Guard::default(), None).unwrap();
        let names = (0..30).map(|i| match i % 2 {
            0 => (format!("http://inside{i}.localhost:9/"), FailureKind::Guard),
            _ => (format!("http://nowhere{i}.invalid/"), FailureKind::Dns),
        });
        let asked = names.map(|(address, expected)| {
            let http = http.clone();
            async move {
                let url = Url::parse(&address).unwrap();
                let failure = http.get(&url).await.failure;
                assert_eq!(failure.map(|f| f.kind), Some(expected), "{address}");
            }
        });
        futures_util::future::join_all(asked).await;
    }
}
