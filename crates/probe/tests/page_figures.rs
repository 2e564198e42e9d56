//! Our page figures beside those of the npm package web-vitals in the same load.
#![allow(clippy::unwrap_used)]

use crate::single;
use axum::Router;
use axum::response::Html;
use newtfern_probe::browser::Browser;
use newtfern_probe::guard::Guard;
use newtfern_probe::visit::visit;
use url::Url;

const VITALS: &str = include_str!("data/web-vitals.iife.js");

/// Tasks of 180, 90 and 40 ms after the first paint, and what the browser's Long Animation Frames
/// (W3C) say of their blocking, which is what web-vitals hands on in its attributions.
const TASKS: &str = "<script>let sum = 0; new PerformanceObserver((list) => \
    { for (const e of list.getEntries()) sum += e.blockingDuration; \
    document.documentElement.setAttribute('data-blocking', sum); }).observe({type: \
    'long-animation-frame', buffered: true}); [[180, 500], [90, 900], [40, 1200]].forEach(([ms, \
    at]) => setTimeout(() => { const t = performance.now(); while (performance.now() - t < ms); }, \
    at));</script>";

fn page() -> String {
    let body = format!(
        "<p id=text>Much text to paint, so that something is the \
            largest.</p><script>{VITALS}</script><script>const put = (n) => (m) => \
            document.documentElement.setAttribute('data-' + n, m.value); \
            webVitals.onFCP(put('fcp')); webVitals.onLCP(put('lcp'), {{reportAllChanges: true}}); \
            webVitals.onCLS(put('cls'), {{reportAllChanges: true}}); setTimeout(() => {{ const d = \
            document.createElement('div'); d.style.height = '200px'; document.body.prepend(d); }}, \
            300);</script>{TASKS}"
    );
    format!("<!doctype html><title>x</title><body><h1>Page</h1>{body}</body>")
}

/// npm web-vitals 6.2.3, injected in the page of the same load. Its FCP and LCP are rounded by the
/// browser as ours are; both read the same entries, so they agree to a tenth of a millisecond.
#[tokio::test(flavor = "multi_thread")]
async fn page_figures_are_those_of_web_vitals() {
    let router = Router::new().fallback(async || Html(page()));
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    tokio::spawn(async move { axum::serve(listener, router).await });
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let url = Url::parse(&format!("http://vitals.localhost:{port}/vitals")).unwrap();
    let supplier = single::supplier(1000, "");
    let plan = single::plan(&url, &supplier, 8_000, 12_000);
    let seen = visit(&browser, &plan).await.unwrap().0;
    let theirs = |name: &str| -> f64 {
        let mark = format!("data-{name}=\"");
        let at = seen
            .final_html
            .find(&mark)
            .unwrap_or_else(|| panic!("web-vitals reported no {name}"))
            + mark.len();
        seen.final_html[at..]
            .split('"')
            .next()
            .unwrap()
            .parse()
            .unwrap()
    };
    let m = &seen.metrics;
    assert!((m.fcp_ms.unwrap() - theirs("fcp")).abs() < 0.15, "{m:?}");
    assert!((m.lcp_ms.unwrap() - theirs("lcp")).abs() < 0.15, "{m:?}");
    assert!(
        m.cls.unwrap() > 0.0 && (m.cls.unwrap() - theirs("cls")).abs() < 1e-4,
        "{m:?} {}",
        theirs("cls")
    );
    // 130 and 40 of the two long tasks, nothing of the short one; theirs has the painting of those
    // frames as well.
    let blocking = m.tbt_ms.unwrap();
    assert!(blocking >= 168.0, "{m:?}");
    assert!(
        (blocking - theirs("blocking")).abs() < 50.0,
        "{m:?} {}",
        theirs("blocking")
    );
}
