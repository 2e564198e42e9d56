//! A corpus of hostile sites (`data/hostile/`, and answers that only a server can give): each costs
//! its own visit and its own time, keeps no more than a visit may keep, and is judged without being
//! called working. After all of them the same browser still sees a plain page as it is.
#![allow(clippy::unwrap_used)]

use axum::Router;
use axum::body::{Body, Bytes};
use axum::extract::Request;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use futures_util::StreamExt;
use newtfern_model::profile::Supplier;
use newtfern_probe::browser::Browser;
use newtfern_probe::guard::Guard;
use newtfern_probe::pace::spent_since;
use newtfern_probe::visit::visit;
use newtfern_standards::observation::{LeftOut, Observation};
use newtfern_verdict::chain::{Diagnosis, Outcome};
use newtfern_verdict::visits::VisitPlan;
use std::convert::Infallible;
use std::path::Path;
use std::time::{Duration, Instant};
use url::Url;

/// A visit ends by then, and closing a page that does not answer takes some seconds more.
const TOTAL_MS: u64 = 9_000;
const MOST: Duration = Duration::from_secs(30);
/// Bytes of JSON that a visit keeps beside its documents, and those of a document.
const MOST_VISIT: usize = 2_000_000;
const MOST_DOCUMENT: usize = 2_000_000;

/// What only a server can do.
const ANSWERS: &[&str] = &[
    "endless", "drip", "bomb", "short", "basic", "headers", "policies", "far", "circle", "teapot",
    "nothing", "stream", "refresh", "binary",
];

/// What is told of them, or nothing where the machine is too slow to see it; never another cause.
const TOLD: &[(&str, &str)] = &[
    ("nul", "placed.absent"),
    ("permissions", "placed.absent"),
    ("prototypes", "placed.absent"),
    ("storage", "placed.absent"),
    ("fixed", "placed.absent"),
    ("to-file", "placed.absent"),
    ("to-browser", "placed.absent"),
    ("to-data", "placed.absent"),
    ("violations", "unchecked"),
    ("submits", "delivered.redirect-loop"),
    ("circle", "delivered.redirect-loop"),
    ("refresh", "delivered.redirect-loop"),
    ("basic", "delivered.status"),
    ("teapot", "delivered.status"),
    ("nothing", "delivered.not-html"),
    ("endless", "delivered.timeout"),
    ("drip", "delivered.timeout"),
    ("headers", "placed.absent"),
    ("policies", "placed.absent"),
    ("plain", "placed.absent"),
];

fn files() -> Vec<String> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/hostile");
    let names = std::fs::read_dir(folder).unwrap().flatten();
    let mut names: Vec<String> = names
        .filter_map(|f| Some(f.file_name().to_str()?.strip_suffix(".html")?.to_string()))
        .collect();
    names.sort();
    names
}

fn body(parts: impl futures_util::Stream<Item = Bytes> + Send + 'static) -> Response {
    let stream = parts.map(Ok::<_, Infallible>);
    ([("content-type", "text/html")], Body::from_stream(stream)).into_response()
}

async fn answer(request: Request) -> Response {
    let path = request.uri().path().to_string();
    let name = path.trim_start_matches("/site/");
    if name == "service-worker.js" {
        let script = "addEventListener('install', () => skipWaiting()); \
            addEventListener('activate', (e) => e.waitUntil(clients.claim())); \
            addEventListener('fetch', (e) => e.respondWith(new Response('mine')));";
        return ([("content-type", "text/javascript")], script).into_response();
    }
    let file =
        Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/data/hostile/{name}.html"));
    if let Ok(html) = std::fs::read_to_string(file) {
        return Html(html).into_response();
    }
    let much = Bytes::from("<p>more</p>".repeat(1_000));
    match name {
        "endless" => body(futures_util::stream::repeat(much)),
        "drip" => body(futures_util::stream::unfold(0, |n| async move {
            tokio::time::sleep(Duration::from_millis(400)).await;
            Some((Bytes::from_static(b"<i>"), n + 1))
        })),
        "bomb" => {
            // 60 MB of blanks in 60 kB.
            let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
            for _ in 0..60 {
                std::io::Write::write_all(&mut gzip, &vec![b' '; 1_000_000]).unwrap();
            }
            let head = [("content-type", "text/html"), ("content-encoding", "gzip")];
            (head, gzip.finish().unwrap()).into_response()
        }
        "short" => {
            let head = [("content-type", "text/html"), ("content-length", "5000")];
            let part = futures_util::stream::iter([
                Ok(Bytes::from_static(b"<p>cut")),
                Err(std::io::Error::other("gone")),
            ]);
            (head, Body::from_stream(part)).into_response()
        }
        "basic" => (
            StatusCode::UNAUTHORIZED,
            [("www-authenticate", "Basic realm=\"x\"")],
            "who?",
        )
            .into_response(),
        "headers" => {
            let mut page = Html("<h1>x</h1>").into_response();
            for i in 0..60 {
                let name = axum::http::HeaderName::try_from(format!("x-h{i}")).unwrap();
                page.headers_mut()
                    .insert(name, "v".repeat(3_000).parse().unwrap());
                page.headers_mut().append(
                    "set-cookie",
                    format!("c{i}={}", "v".repeat(900)).parse().unwrap(),
                );
            }
            page
        }
        "policies" => {
            let mut page = Html("<h1>x</h1>").into_response();
            for i in 0..12 {
                let hosts: String = (0..700)
                    .map(|n| format!(" https://h{n}-{i}.test"))
                    .collect();
                page.headers_mut().append(
                    "content-security-policy",
                    format!("img-src{hosts}").parse().unwrap(),
                );
            }
            page
        }
        "far" => Redirect::temporary("file:///etc/passwd").into_response(),
        "circle" => Redirect::temporary(&format!(
            "/site/circle?{}",
            request.uri().query().unwrap_or("").len()
        ))
        .into_response(),
        "teapot" => (StatusCode::IM_A_TEAPOT, Html("<h1>x</h1>")).into_response(),
        "nothing" => StatusCode::NO_CONTENT.into_response(),
        "stream" => {
            let part =
                Bytes::from_static(b"--e\r\ncontent-type: text/html\r\n\r\n<h1>part</h1>\r\n");
            let head = [("content-type", "multipart/x-mixed-replace; boundary=e")];
            let parts = futures_util::stream::unfold(part, |part| async move {
                tokio::time::sleep(Duration::from_millis(200)).await;
                Some((Ok::<_, Infallible>(part.clone()), part))
            });
            (head, Body::from_stream(parts)).into_response()
        }
        "refresh" => ([("refresh", "0;url=/site/refresh")], Html("<h1>x</h1>")).into_response(),
        "binary" => (
            [("content-type", "text/html; charset=utf-16")],
            [0u8, 216, 255, 254, 0, 0, 7].repeat(9_000),
        )
            .into_response(),
        _ => StatusCode::NOT_FOUND.into_response(),
    }
}

fn supplier() -> Supplier {
    crate::single::supplier(1000, "[open]\npanel='#panel'")
}

async fn see(browser: &Browser, port: u16, name: &str) -> Result<Observation, String> {
    let supplier = supplier();
    // Each a site of its own, as sites are.
    let url = Url::parse(&format!("http://{name}.localhost:{port}/site/{name}")).unwrap();
    let plan = VisitPlan {
        pictures: true,
        delay_ms: 0,
        prompt: None,
        ..crate::single::plan(&url, &supplier, 6_000, TOTAL_MS)
    };
    let began = Instant::now();
    let seen = visit(browser, &plan).await;
    let took = spent_since(began);
    let (mut seen, _) = seen.map_err(|e| format!("{name}: {e}"))?;
    if took > MOST {
        return Err(format!("{name} took {took:?}"));
    }
    for (what, html) in [("page", &seen.page.html), ("end", &seen.final_html)] {
        if html.len() > MOST_DOCUMENT {
            return Err(format!("{name}: the {what} has {} bytes", html.len()));
        }
    }
    let documents = (
        std::mem::take(&mut seen.page.html),
        std::mem::take(&mut seen.final_html),
    );
    let kept = serde_json::to_string(&seen).unwrap();
    (seen.page.html, seen.final_html) = documents;
    match kept.len() <= MOST_VISIT {
        true => Ok(seen),
        false => Err(format!(
            "{name}: {} bytes are kept of the visit",
            kept.len()
        )),
    }
}

fn judged(seen: &Observation) -> Diagnosis {
    crate::single::judged(&supplier(), seen)
}

#[tokio::test(flavor = "multi_thread")]
async fn each_hostile_site_costs_one_visit_and_no_more_than_a_visit_may() {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    tokio::spawn(async move { axum::serve(listener, Router::new().fallback(answer)).await });
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let mut names = files();
    names.extend(ANSWERS.iter().map(|n| n.to_string()));
    // To look at one by one: NEWTFERN_ONLY=nul,drip.
    if let Ok(only) = std::env::var("NEWTFERN_ONLY") {
        names.retain(|n| only.split(',').any(|o| o == n));
    }
    let visits = futures_util::stream::iter(&names)
        .map(|name| async { (name.as_str(), see(&browser, port, name).await) })
        .buffer_unordered(8);
    let all: Vec<_> = visits.collect().await;
    let mut wrong = Vec::new();
    for (name, seen) in all {
        let seen = match seen {
            Ok(seen) => seen,
            Err(why) => {
                wrong.push(why);
                continue;
            }
        };
        let d = judged(&seen);
        let told = d
            .verdict
            .root()
            .map_or(d.verdict.outcome().words().to_string(), |c| c.to_string());
        if matches!(d.verdict.outcome(), Outcome::Working | Outcome::AsIntended) {
            wrong.push(format!("{name}: {told}"));
        }
        if let Some((_, expected)) = TOLD.iter().find(|(n, _)| *n == name)
            && told != *expected
            && d.verdict.outcome() != Outcome::Unchecked
        {
            wrong.push(format!("{name}: {told} should be {expected}: {d:?}"));
        }
        // Absence is told only of what was kept whole.
        let cut = seen.left_out.contains(&LeftOut::Requests);
        if cut && d.verdict.root().is_some() {
            wrong.push(format!("{name}: {told}, and requests were left out"));
        }
    }
    let mut plain = see(&browser, port, "plain").await.unwrap();
    for _ in 0..4 {
        // Our machine was busy: looked at again.
        if plain.withheld.starved() {
            plain = see(&browser, port, "plain").await.unwrap();
        }
    }
    let told = judged(&plain).verdict.root().map(|c| c.to_string());
    assert_eq!(told.as_deref(), Some("placed.absent"));
    assert!(wrong.is_empty(), "{wrong:#?}");
}
