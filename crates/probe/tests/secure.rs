//! Real Chromium against what only a secure server, a closed port or a blocked request can show.
//! The certificate is made for the test: trusted where the test says so, and not elsewhere.
#![allow(clippy::unwrap_used)]

use crate::common::{Ask, Checker, closed_port};
use newtfern_model::pages::Expect;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Condition, WidgetLet};
use newtfern_verdict::chain::{Case, Diagnosis, diagnose};
use newtfern_verdict::visits::{CHECK_MS, PAGE_MS, VisitPlan};
use rcgen::{BasicConstraints, CertificateParams, CertifiedIssuer, IsCa, KeyPair};
use std::sync::Arc;
use tokio::io::{AsyncRead, AsyncReadExt, AsyncWrite, AsyncWriteExt};
use tokio_rustls::TlsAcceptor;
use tokio_rustls::rustls::ServerConfig;
use tokio_rustls::rustls::pki_types::PrivateKeyDer;
use url::Url;

const KEY: &str = "withy-7301";

/// The two servers, and the authority that signed the certificate of the secure one.
struct World {
    plain: u16,
    secure: u16,
    authority: tempfile::NamedTempFile,
}

/// An authority, and what a server needs of a certificate that it signed for the test's hosts.
fn certificate() -> (String, ServerConfig) {
    let mut params = CertificateParams::new(Vec::new()).unwrap();
    params.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
    let authority = CertifiedIssuer::self_signed(params, KeyPair::generate().unwrap()).unwrap();
    let key = KeyPair::generate().unwrap();
    let hosts = ["kites.localhost", "cdn.withy.localhost"].map(String::from);
    let leaf = CertificateParams::new(hosts).unwrap();
    let signed = leaf.signed_by(&key, &authority).unwrap();
    let chain = vec![signed.der().clone()];
    let key = PrivateKeyDer::try_from(key.serialize_der()).unwrap();
    let config = ServerConfig::builder().with_no_client_auth();
    (
        authority.pem(),
        config.with_single_cert(chain, key).unwrap(),
    )
}

/// The page of the path: a snippet that asks for its loader by that scheme.
fn page(path: &str, world: (u16, u16)) -> String {
    let loader = match path {
        "/mixed" => "http://cdn.withy.test/l.js".to_string(),
        "/secure-loader" => format!("https://cdn.withy.localhost:{}/l.js", world.1),
        _ => format!("http://cdn.withy.localhost:{}/l.js", world.0),
    };
    format!(
        "<!doctype html><html><head><title>Kites</title></head><body><h1>Hi</h1>\n<script async \
        src=\"{loader}?k={KEY}\"></script></body></html>"
    )
}

const LOADER: &str = "var b = document.createElement('button'); b.id = 'withy-launcher'; \
    b.textContent = 'Chat'; b.style.cssText = 'position:fixed;right:20px;bottom:20px;width:60px;\
    height:60px'; document.body.append(b); window.withy = { up: true };";

/// One request a connection, answered with the page its path names.
async fn answer(mut stream: impl AsyncRead + AsyncWrite + Unpin, world: (u16, u16)) {
    let mut head = vec![0; 8192];
    let mut had = 0;
    while !head[..had].windows(4).any(|w| w == b"\r\n\r\n") && had < head.len() {
        match stream.read(&mut head[had..]).await {
            Ok(n) if n > 0 => had += n,
            _ => return,
        }
    }
    let head = String::from_utf8_lossy(&head[..had]);
    let path = head.split(' ').nth(1).unwrap_or_default();
    let (kind, body) = match path.starts_with("/l.js") {
        true => ("text/javascript", LOADER.to_string()),
        false => ("text/html", page(path, world)),
    };
    let text = format!(
        "HTTP/1.1 200 OK\r\ncontent-type: {kind}\r\ncontent-length: {}\r\nconnection: \
        close\r\n\r\n{body}",
        body.len()
    );
    let _ = stream.write_all(text.as_bytes()).await;
    let _ = stream.shutdown().await;
}

async fn serve() -> World {
    let _ = tokio_rustls::rustls::crypto::ring::default_provider().install_default();
    let (pem, config) = certificate();
    let acceptor = TlsAcceptor::from(Arc::new(config));
    let bind = || tokio::net::TcpListener::bind("127.0.0.1:0");
    let (plain, secure) = (bind().await.unwrap(), bind().await.unwrap());
    let ports = (
        plain.local_addr().unwrap().port(),
        secure.local_addr().unwrap().port(),
    );
    tokio::spawn(async move {
        while let Ok((stream, _)) = plain.accept().await {
            tokio::spawn(answer(stream, ports));
        }
    });
    tokio::spawn(async move {
        while let Ok((stream, _)) = secure.accept().await {
            let acceptor = acceptor.clone();
            tokio::spawn(async move {
                if let Ok(stream) = acceptor.accept(stream).await {
                    answer(stream, ports).await;
                }
            });
        }
    });
    let authority = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(authority.path(), pem).unwrap();
    World {
        plain: ports.0,
        secure: ports.1,
        authority,
    }
}

fn supplier() -> Supplier {
    Supplier::from_toml(
        r##"
id = "withy"
name = "Withy"
[recognise]
script_hosts = ["cdn.withy.localhost", "cdn.withy.test"]
key_patterns = ['l\.js\?k=(?P<key>[a-z0-9-]{6,40})']
[snippet]
template = '<script async src="http://cdn.withy.localhost/l.js?k={{key}}"></script>'
[alive]
script = "window.withy && window.withy.up === true"
launcher = "#withy-launcher"
start_within_ms = 2500
"##,
    )
    .unwrap()
}

async fn check(checker: &Checker, supplier: &Supplier, url: &str) -> Diagnosis {
    let ask = Ask {
        supplier,
        rivals: &[],
        consent: None,
        key: KEY,
        expect: Expect::Present,
    };
    checker.check(url, &ask).await.0
}

/// The root cause with its evidence, and the remedy, each holding what is wanted.
fn told(d: &Diagnosis, code: &str, evidence: &str, remedy: &str) {
    let found = d
        .verdict
        .root_finding()
        .unwrap_or_else(|| panic!("{code}: {d:?}"));
    assert_eq!(found.code.name(), code, "{found:?}");
    let lines: Vec<String> = found.evidence.iter().map(|e| e.line()).collect();
    assert!(lines.iter().any(|l| l.contains(evidence)), "{lines:?}");
    assert!(found.remedy.contains(remedy), "{}", found.remedy);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_certificate_nobody_signed_and_a_closed_port_are_told_apart() {
    let (world, supplier, checker) = (serve().await, supplier(), Checker::new());
    let page = format!("https://kites.localhost:{}/good", world.secure);
    let d = check(&checker, &supplier, &page).await;
    told(
        &d,
        "delivered.tls",
        "ERR_CERT_AUTHORITY_INVALID",
        "certificate",
    );
    let closed = format!("http://kites.localhost:{}/", closed_port());
    let d = check(&checker, &supplier, &closed).await;
    told(
        &d,
        "delivered.refused",
        "refuses the connection",
        "start it",
    );
    // The discard port is one of the Fetch Standard's bad ports: no connection is tried.
    let d = check(&checker, &supplier, "http://kites.localhost:9/").await;
    told(
        &d,
        "delivered.refused",
        "ERR_UNSAFE_PORT",
        "Correct the port",
    );
    let page = format!("http://kites.localhost:{}/secure-loader", world.plain);
    let d = check(&checker, &supplier, &page).await;
    told(
        &d,
        "fetched.tls",
        "ERR_CERT_AUTHORITY_INVALID",
        "certificate of cdn.withy.localhost",
    );
    checker.pool.close().await;
}

/// What a secure page that asks for everything by https, and whose certificate is trusted, is near
/// to; and a plain one at an open port in a browser without blockers.
const NEAR: &[&str] = &[
    "delivered.tls",
    "fetched.tls",
    "allowed.mixed",
    "fetched.blocked-client",
];

#[tokio::test(flavor = "multi_thread")]
async fn an_http_loader_on_a_secure_page_is_told() {
    let (world, supplier) = (serve().await, supplier());
    let checker = Checker::trusting(Some(world.authority.path()));
    let page = format!("https://kites.localhost:{}/mixed", world.secure);
    let d = check(&checker, &supplier, &page).await;
    told(
        &d,
        "allowed.mixed",
        "http://cdn.withy.test/l.js",
        "with https",
    );
    let secure = format!("https://kites.localhost:{}/secure-loader", world.secure);
    let plain = format!("http://kites.localhost:{}/good", world.plain);
    for near in [secure, plain] {
        let d = check(&checker, &supplier, &near).await;
        assert_eq!(d.verdict.root(), None, "{near}: {d:?}");
        let codes = d.verdict.findings().iter().map(|f| f.code.name());
        let told: Vec<&str> = codes.filter(|code| NEAR.contains(code)).collect();
        assert_eq!(told, [""; 0], "{near}");
    }
    checker.pool.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_loader_that_is_blocked_in_the_browser_is_told_as_such() {
    let (world, supplier, checker) = (serve().await, supplier(), Checker::new());
    let url = Url::parse(&format!("http://kites.localhost:{}/good", world.plain)).unwrap();
    let plan = VisitPlan {
        url: &url,
        condition: Condition {
            widget: WidgetLet::Withheld,
            ..Condition::default()
        },
        supplier: &supplier,
        consent: None,
        pictures: false,
        delay_ms: 0,
        prompt: None,
        page_ms: PAGE_MS,
        total_ms: CHECK_MS,
    };
    let (seen, _) = newtfern_probe::check::one(&checker.pool, &plan)
        .await
        .unwrap();
    let d = diagnose(&Case {
        supplier: &supplier,
        rivals: &[],
        key: Some(KEY),
        expect: Expect::Present,
        consent: None,
        visits: &[seen],
        asides: &[],
        siblings: &[],
    });
    told(
        &d,
        "fetched.blocked-client",
        "blocked in the browser: inspector",
        "without content blockers",
    );
    checker.pool.close().await;
}
