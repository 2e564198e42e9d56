//! The echo test in real Chromium where the widget is in order and the supplier's console is not:
//! a console that stands before the stand-in's own and changes what passes through it.
#![allow(clippy::unwrap_used)]

use crate::talk::{World, answers, one_page};
use axum::Router;
use axum::body::to_bytes;
use axum::extract::Request;
use axum::http::{Method, StatusCode};
use axum::response::{IntoResponse, Response};
use newtfern_model::finding::Finding;
use newtfern_model::profile::Supplier;
use newtfern_probe::echo::{EchoOrder, run};
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standins::DEMO_TOKEN;
use newtfern_verdict::echo::{TestVisitor, judge};
use serde_json::{Value, json};
use std::sync::Arc;
use std::time::{Duration, Instant};
use url::Url;

/// The supplier's service is slow above this, s (common practice: a visitor looks away after five).
const SLOW: Duration = Duration::from_millis(5_500);

/// What a console does to what passes through it.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Way {
    Straight,
    /// Another page, another language, no file, and the second answer lost.
    Confused,
    /// Messages come late.
    Slow,
    /// Answers are taken and go nowhere.
    Deaf,
}

struct Console {
    way: Way,
    /// Address of the stand-in's own.
    behind: String,
    http: Http,
    asked_first: std::sync::OnceLock<Instant>,
    given: std::sync::atomic::AtomicUsize,
}

impl Console {
    /// Passes a request on, changed.
    async fn pass(&self, request: Request) -> Response {
        let (method, path) = (request.method().clone(), request.uri().to_string());
        let body = to_bytes(request.into_body(), 100_000).await.unwrap();
        let body: Option<Value> = serde_json::from_slice(&body).ok();
        let first = *self.asked_first.get_or_init(Instant::now);
        if self.way == Way::Slow && method == Method::GET && first.elapsed() < SLOW {
            return axum::Json(json!({ "messages": [] })).into_response();
        }
        if method == Method::POST && !self.lets_through() {
            return StatusCode::NO_CONTENT.into_response();
        }
        let to = Url::parse(&format!("{}{path}", self.behind)).unwrap();
        let passed = self
            .http
            .json(method.as_str(), &to, body.as_ref(), Some(DEMO_TOKEN));
        let (status, mut told) = passed.await.unwrap();
        if self.way == Way::Confused {
            let messages = told.get_mut("messages").and_then(Value::as_array_mut);
            for message in messages.into_iter().flatten() {
                message["page"] = "http://gust.localhost/other".into();
                message["language"] = "cy".into();
                message["file"] = Value::Null;
            }
        }
        match StatusCode::from_u16(status).unwrap() {
            StatusCode::NO_CONTENT => StatusCode::NO_CONTENT.into_response(),
            status => (status, axum::Json(told)).into_response(),
        }
    }

    /// Returns whether an answer goes on to the widget.
    fn lets_through(&self) -> bool {
        let before = self
            .given
            .fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        match self.way {
            Way::Straight | Way::Slow => true,
            Way::Confused => before == 0,
            Way::Deaf => false,
        }
    }
}

/// The supplier with such a console before its own.
async fn supplier(world: &World, way: Way) -> Supplier {
    let port = world.standins.port;
    let mut supplier = Supplier::from_toml(&newtfern_standins::farthing_profile(port)).unwrap();
    let behind = format!("http://desk.farthing.localhost:{port}");
    let console = Arc::new(Console {
        way,
        behind: behind.clone(),
        http: Http::new(Guard::open(), None).unwrap(),
        asked_first: std::sync::OnceLock::new(),
        given: std::sync::atomic::AtomicUsize::new(0),
    });
    let app = Router::new().fallback(move |request: Request| {
        let console = console.clone();
        async move { console.pass(request).await }
    });
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let before = format!(
        "http://desk.localhost:{}",
        listener.local_addr().unwrap().port()
    );
    tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
    let echo = supplier.echo.as_mut().unwrap();
    for address in [
        &mut echo.console_read,
        &mut echo.console_answer,
        &mut echo.console_tidy,
        &mut echo.console_talk,
    ] {
        assert!(address.starts_with(&behind), "{address}");
        *address = address.replace(&behind, &before);
    }
    supplier
}

async fn told(world: &World, way: Way, message: &str) -> Vec<Finding> {
    let supplier = supplier(world, way).await;
    let url = one_page(&supplier.snippet_for("gustkites-live")).await;
    // A campaign in the address is no other page.
    let url = Url::parse(&format!("{url}?from=letter")).unwrap();
    let request = EchoOrder {
        url: &url,
        supplier: &supplier,
        consent: None,
        key: "gustkites-live",
        message,
        answers: &answers(message),
        visitor: &TestVisitor::of("Fenwick & Sallow", "desk@fenwick.example"),
        token: Some(DEMO_TOKEN),
        only_left: false,
        mailbox: Err("no mailbox is set"),
    };
    judge(&run(&world.browser, &world.http, &request).await.unwrap().0)
}

#[tokio::test(flavor = "multi_thread")]
async fn what_the_console_does_to_a_talk_is_told_by_its_code() {
    let world = World::start().await;
    let (straight, confused, slow, deaf) = tokio::join!(
        told(&world, Way::Straight, "Test (no. 11)"),
        told(&world, Way::Confused, "Test (no. 12)"),
        told(&world, Way::Slow, "Test (no. 13)"),
        told(&world, Way::Deaf, "Test (no. 14)"),
    );
    let codes = |told: &[Finding]| told.iter().map(|f| f.code.name()).collect::<Vec<_>>();
    assert_eq!(codes(&straight), [""; 0], "{straight:?}");
    let mut all = codes(&confused);
    all.sort_unstable();
    let wanted = ["echo.answers", "echo.file", "echo.language", "echo.page"];
    assert_eq!(all, wanted, "{confused:?}");
    let page = confused
        .iter()
        .find(|f| f.code.name() == "echo.page")
        .unwrap();
    let lines: String = page.evidence.iter().map(|e| e.line()).collect();
    assert!(lines.contains("gust.localhost/other"), "{lines}");
    assert!(page.remedy.contains("the key belongs to this site"));
    assert_eq!(codes(&slow), ["echo.slow"], "{slow:?}");
    assert!(slow[0].summary.contains("to reach the console"), "{slow:?}");
    assert_eq!(codes(&deaf), ["echo.no-answer"], "{deaf:?}");
    assert!(!deaf[0].remedy.is_empty());
}
