//! Weigh-ins in real Chromium of a widget whose cost is known, because its script spins for a set
//! time by the browser's own clock. A loaded machine can only make that longer, so these tests say
//! "at least" and "told apart from", never "as fast as".
#![allow(clippy::unwrap_used)]

use axum::Router;
use axum::extract::Request as HttpRequest;
use axum::http::{HeaderMap, header};
use axum::response::{Html, IntoResponse, Response};
use newtfern_model::profile::Supplier;
use newtfern_probe::ProbeError;
use newtfern_probe::browser::Browser;
use newtfern_probe::guard::Guard;
use newtfern_probe::weigh::{WeighOrder, run};
use newtfern_standards::observation::Viewport;
use newtfern_standards::statistics::median;
use newtfern_verdict::weigh::moments::{LOADS, Moments};
use newtfern_verdict::weigh::{BudgetVerdict, OwnLoad, conclude, empty_page};
use url::Url;

/// ms that the widget and the page spin.
const WIDGET: u32 = 120;
const PAGE: u32 = 300;
const OPENING: u32 = 80;

const WORK: &str = "(function () { for (var x = 1, i = 0; i < 6e7; i++) x = Math.imul(x ^ i, \
                    16777619); window.mixed = x; })();";

fn spin(ms: u32) -> String {
    format!(
        "(function () {{ var t = performance.now(); while (performance.now() - t < \
        {ms}) {{}} }})();"
    )
}

/// Starts once the page has painted, because blocking is counted from the first contentful paint
/// on. Opened, it spins again, and asks its host for something two seconds later.
fn widget(port: u16) -> String {
    let opened = format!(
        "{} var p = document.createElement('div'); p.id = 'osier-panel'; p.textContent = 'Hello'; \
        document.body.append(p); setTimeout(function () {{ \
        fetch('http://cdn.osier.localhost:{port}/beat'); }}, 2000);",
        spin(OPENING)
    );
    let start = format!(
        "{} window.osier = {{ ready: true }}; var b = document.createElement('button'); b.id = \
        'osier-launcher'; b.textContent = 'c'; b.onclick = function () {{ {opened} }}; \
        document.body.append(b);",
        spin(WIDGET)
    );
    format!(
        "new PerformanceObserver(function (l, o) {{ if \
        (l.getEntriesByName('first-contentful-paint').length) {{ o.disconnect(); \
        setTimeout(function () {{ {start} }}, 20); }} }}).observe({{ type: 'paint', \
        buffered: true }});"
    )
}

async fn answer(headers: HeaderMap, request: HttpRequest, port: u16) -> Response {
    let host = headers
        .get(header::HOST)
        .and_then(|h| h.to_str().ok())
        .unwrap_or_default();
    if host.starts_with("cdn.osier") {
        let kept = [
            (header::CONTENT_TYPE, "text/javascript"),
            (header::CACHE_CONTROL, "max-age=600"),
        ];
        return match request.uri().path() {
            "/beat" => ([(header::ACCESS_CONTROL_ALLOW_ORIGIN, "*")], "beat").into_response(),
            // The same work however long it takes: what a slower processor shows at.
            _ if request.uri().query() == Some("work") => {
                (kept, WORK.to_string() + &widget(port)).into_response()
            }
            _ => (kept, widget(port)).into_response(),
        };
    }
    let own = if request.uri().path() == "/busy" {
        format!("<script>{}</script>", spin(PAGE))
    } else {
        String::new()
    };
    let snippet = format!(
        "<script async src=\"http://cdn.osier.localhost:{port}/l.js{}\" \
        data-key=\"osier-4821\"></script>",
        match request.uri().path() {
            "/work" => "?work",
            _ => "",
        }
    );
    Html(format!(
        "<!doctype html><title>Rink</title><body><h1>Ice today</h1>{own}{snippet}</body>"
    ))
    .into_response()
}

async fn serve() -> u16 {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    let router = Router::new()
        .fallback(move |headers: HeaderMap, request: HttpRequest| answer(headers, request, port));
    tokio::spawn(async move { axum::serve(listener, router).await });
    port
}

fn supplier() -> Supplier {
    Supplier::from_toml(
        r##"
id = "osier"
name = "Osier"
[recognise]
script_hosts = ["cdn.osier.localhost"]
key_patterns = ['data-key="(?P<key>[A-Za-z0-9-]{8,36})"']
[snippet]
template = '<script async src="http://cdn.osier.localhost/l.js" data-key="{{key}}"></script>'
[alive]
script = "window.osier && window.osier.ready === true"
launcher = "#osier-launcher"
start_within_ms = 3000
[open]
click = "#osier-launcher"
panel = "#osier-panel"
"##,
    )
    .unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_widgets_cost_is_told_apart_from_the_pages() {
    // One browser for all pages: starting it costs more than they do.
    let port = serve().await;
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let supplier = supplier();

    let url = Url::parse(&format!("http://rink.localhost:{port}/busy")).unwrap();
    let mut steps = Vec::new();
    let request = WeighOrder {
        url: &url,
        supplier: &supplier,
        consent: None,
        viewport: Viewport::Desktop,
        own_loads: 3,
        pairs: 0,
        seed: 1,
        slow: 1.0,
        further_loads: 0,
        stop_at: None,
        phone_loads: 0,
        empty_page: None,
    };
    let busy = run(&browser, &request, |done, of| {
        steps.push((done, of));
        true
    })
    .await
    .unwrap();
    assert_eq!(
        (busy.own.len(), busy.failed_loads, steps),
        (3, 0, vec![(1, 3), (2, 3), (3, 3)])
    );
    for load in &busy.own {
        assert!(load.wall_ms >= f64::from(WIDGET), "{load:?}");
        assert!(
            load.wall_ms < f64::from(WIDGET + PAGE),
            "the page's own work was counted: {load:?}"
        );
        assert!(
            load.thread_ms > 10.0 && load.thread_ms <= load.wall_ms + 1.0,
            "{load:?}"
        );
        // One request; on the wire the script and its headers.
        assert_eq!(load.requests, 1, "{load:?}");
        let script = widget(port).len() as u64;
        assert!((script..script + 600).contains(&load.bytes), "{load:?}");
    }

    // Total blocking time counts what a task takes beyond 50 ms (W3C Long Tasks; web.dev's
    // definition of TBT).
    let url = Url::parse(&format!("http://rink.localhost:{port}/quiet")).unwrap();
    let request = WeighOrder {
        url: &url,
        own_loads: 6,
        pairs: 3,
        ..request
    };
    let measured = run(&browser, &request, |_, _| true).await.unwrap();
    assert_eq!(
        (
            measured.pairs.len(),
            measured.floor.len(),
            measured.failed_loads
        ),
        (3, 3, 0)
    );
    for pair in &measured.pairs {
        assert!(
            pair.with.tbt_ms.unwrap() >= f64::from(WIDGET - 50) - 1.0,
            "{pair:?}"
        );
    }
    let of = |f: &dyn Fn(&newtfern_verdict::weigh::Pair) -> f64| {
        median(&measured.pairs.iter().map(f).collect::<Vec<_>>())
    };
    assert!(
        of(&|p| p.without.tbt_ms.unwrap()) < of(&|p| p.with.tbt_ms.unwrap()),
        "{:?}",
        measured.pairs
    );
    // The seed draws the order anew for each pair, the same each time.
    let drawn: Vec<bool> = measured.pairs.iter().map(|p| p.first_with).collect();
    assert_eq!(drawn, newtfern_verdict::weigh::order(1, 3));
    assert_eq!(
        conclude(url.as_str(), 1, &measured, 2.0)
            .map(|w| w.verdict)
            .ok(),
        Some(BudgetVerdict::Over)
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn what_it_costs_later_and_alone_is_told_apart_from_the_first_load() {
    let port = serve().await;
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let supplier = supplier();
    let url = Url::parse(&format!("http://rink.localhost:{port}/busy?from=mail")).unwrap();
    let snippet = format!(
        "<script async src=\"http://cdn.osier.localhost:{port}/l.js\" \
        data-key=\"osier-4821\"></script>"
    );
    let empty = empty_page(&snippet);
    let request = WeighOrder {
        url: &url,
        supplier: &supplier,
        consent: None,
        viewport: Viewport::Desktop,
        own_loads: 20,
        pairs: 0,
        seed: 1,
        slow: 1.0,
        further_loads: 1,
        // Far over the budget: the first look decides.
        stop_at: Some(1.0),
        phone_loads: 0,
        empty_page: Some(&empty),
    };
    let mut last = (0, 0);
    let measured = run(&browser, &request, |done, of| {
        last = (done, of);
        true
    })
    .await
    .unwrap();
    assert_eq!((measured.own.len(), measured.empty.len()), (8, LOADS));
    assert_eq!(
        last,
        (8 + LOADS, 8 + LOADS),
        "loads that are not needed are not waited for"
    );
    let told = measured.own[0].moments;
    let opening = told.opening.unwrap();
    assert!(
        opening.thread_ms > 8.0 && opening.thread_ms < f64::from(PAGE),
        "{opening:?}"
    );
    assert_eq!(opening.requests, 0, "{opening:?}");
    let open = told.open.unwrap();
    assert_eq!(open.requests, 1, "{open:?}");
    assert!(open.thread_ms < opening.thread_ms, "{open:?}");
    // The script is in the browser's cache, and runs again.
    let again = told.again.unwrap();
    assert_eq!((again.bytes, again.requests), (0, 0), "{again:?}");
    assert!(again.thread_ms > 10.0, "{again:?}");
    assert_eq!(measured.own[1].moments, Moments::default());
    // Alone the widget costs what it costs here, without the page's own spin.
    for load in &measured.empty {
        assert!(load.up && load.wall_ms >= f64::from(WIDGET), "{load:?}");
        assert!(load.wall_ms < f64::from(WIDGET + PAGE), "{load:?}");
    }
    let weighed = conclude(url.as_str(), 1, &measured, 1.0).unwrap();
    assert_eq!(weighed.verdict, BudgetVerdict::Over);
    assert!(weighed.empty.unwrap().wall_ms.median >= f64::from(WIDGET));
}

/// The widget's work is the same on both; what it takes is not.
#[tokio::test(flavor = "multi_thread")]
async fn on_a_phone_the_same_work_takes_longer() {
    let port = serve().await;
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let (url, supplier) = (
        Url::parse(&format!("http://rink.localhost:{port}/work")).unwrap(),
        supplier(),
    );
    let request = WeighOrder {
        url: &url,
        supplier: &supplier,
        consent: None,
        viewport: Viewport::Desktop,
        own_loads: 8,
        pairs: 0,
        seed: 1,
        slow: 1.0,
        further_loads: 0,
        stop_at: Some(1.0),
        phone_loads: LOADS,
        empty_page: None,
    };
    let measured = run(&browser, &request, |_, _| true).await.unwrap();
    let weighed = conclude(url.as_str(), 1, &measured, 1.0).unwrap();
    let phone = weighed.phone.unwrap();
    // The shortest of each: what else the machine does meanwhile only makes loads longer.
    let work = |loads: &[OwnLoad]| {
        let shortest = loads.iter().map(|l| l.wall_ms).fold(f64::MAX, f64::min);
        shortest - f64::from(WIDGET)
    };
    let (here, there) = (work(&measured.own), work(&measured.phone));
    assert!(
        there > 2.0 * here,
        "{here} ms on a desktop, {there} ms on a phone"
    );
    assert_eq!(phone.verdict(1.0), BudgetVerdict::Over);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cancelled_weigh_in_ends_at_the_next_load() {
    let port = serve().await;
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let (url, supplier) = (
        Url::parse(&format!("http://rink.localhost:{port}/quiet")).unwrap(),
        supplier(),
    );
    let request = WeighOrder {
        url: &url,
        supplier: &supplier,
        consent: None,
        viewport: Viewport::Phone,
        own_loads: 2,
        pairs: 5,
        seed: 1,
        slow: 1.0,
        further_loads: 0,
        stop_at: None,
        phone_loads: 0,
        empty_page: None,
    };
    let mut last = 0;
    let ended = run(&browser, &request, |done, of| {
        assert_eq!(of, 2 + 3 * 5);
        last = done;
        done < 1
    })
    .await;
    assert!(matches!(ended, Err(ProbeError::Cancelled)), "{ended:?}");
    assert_eq!(last, 1);
}
