//! The loads of a weigh-in: about ten with a trace, for what the widget's own code costs, and sets of
//! three without one (with the widget, without, without again), for what the page loses and what
//! chance alone does. Every load has a cold cache; nothing else runs in the browser meanwhile.

use crate::ProbeError;
use crate::browser::Browser;
use crate::visit::{Tab, blocking, decide};
use newtfern_core::observation::{ConsentAct, Observation, Viewport};
use newtfern_core::placement::{Form, Inspector, PieceState};
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_core::weigh::attribution::{Ours, attribute};
use newtfern_core::weigh::owners::{self, Shares};
use newtfern_core::weigh::{Measured, OwnLoad, PageLoad, Pair, order};
use serde_json::{Value, json};
use std::collections::HashSet;
use std::time::{Duration, Instant};
use url::Url;

/// What is weighed, and how often.
pub struct WeighOrder<'a> {
    /// The page.
    pub url: &'a Url,
    /// The supplier whose widget is weighed.
    pub supplier: &'a Supplier,
    /// A page that holds the widget back is weighed with consent given, in both arms alike.
    pub consent: Option<&'a ConsentManager>,
    /// The screen.
    pub viewport: Viewport,
    /// Loads in which the widget's own work is measured.
    pub own_loads: usize,
    /// Loads with and without the widget.
    pub pairs: usize,
    /// Of the order of loads and of the resampling.
    pub seed: u64,
    /// The processor runs so many times slower, as a phone's does; 1: as it is.
    pub slow: f64,
}

const LOAD_MS: u64 = 20_000;
/// After the load event, how long the page is left alone before its figures are read.
const SETTLE_MS: u64 = 1200;

/// Tells how many loads of how many are done.
struct Progress<F> {
    done: usize,
    of: usize,
    tell: F,
}

impl<F: FnMut(usize, usize) -> bool> Progress<F> {
    fn step(&mut self) -> Result<(), ProbeError> {
        self.done += 1;
        match (self.tell)(self.done, self.of) {
            true => Ok(()),
            false => Err(ProbeError::Cancelled),
        }
    }
}

/// A load that did not come about is counted; a browser that has gone ends the weigh-in.
fn came<T>(load: Result<T, ProbeError>, failed: &mut u32) -> Result<Option<T>, ProbeError> {
    match load {
        Ok(load) => Ok(Some(load)),
        Err(gone @ ProbeError::BrowserGone { .. }) => Err(gone),
        Err(_) => {
            *failed += 1;
            Ok(None)
        }
    }
}

/// Makes all loads of a weigh-in. `progress` is told how many loads of how many are done; it answers
/// false to cancel.
///
/// # Errors
/// Where the browser has gone, and [`ProbeError::Cancelled`].
pub async fn run(
    browser: &Browser,
    request: &WeighOrder<'_>,
    progress: impl FnMut(usize, usize) -> bool,
) -> Result<Measured, ProbeError> {
    let mut measured = Measured::default();
    let mut progress = Progress {
        done: 0,
        of: request.own_loads + 3 * request.pairs,
        tell: progress,
    };
    let mut alive_after: Vec<f64> = Vec::new();
    for _ in 0..request.own_loads {
        let load = own_load(browser, request).await;
        if let Some((load, alive_ms)) = came(load, &mut measured.failed_loads)? {
            measured.own.push(load);
            alive_after.extend(alive_ms);
        }
        progress.step()?;
    }
    // Both arms of a pair are left alone equally long: as long as the widget needs to be up, and some.
    let settle = SETTLE_MS
        + newtfern_core::weigh::statistics::median(&alive_after).clamp(0.0, 6000.0) as u64;
    let withheld: Vec<String> = request.supplier.hosts().map(str::to_string).collect();
    for first_with in order(request.seed, request.pairs) {
        let mut loads = Vec::new();
        for with in [first_with, !first_with, false] {
            let hosts: &[String] = if with { &[] } else { &withheld };
            let load = page_load(browser, request, hosts, settle).await;
            let load = came(load, &mut measured.failed_loads)?;
            loads.extend(load.map(|l| (with, l)));
            progress.step()?;
        }
        keep_pair(&mut measured, &loads, first_with);
    }
    Ok(measured)
}

/// A pair with and without the widget, and one of the two without it: what chance alone does.
fn keep_pair(measured: &mut Measured, loads: &[(bool, PageLoad)], first_with: bool) {
    let with = loads.iter().find(|(w, _)| *w).map(|(_, l)| *l);
    let without: Vec<PageLoad> = loads.iter().filter(|(w, _)| !*w).map(|(_, l)| *l).collect();
    if let (Some(with), Some(a)) = (with, without.first()) {
        measured.pairs.push(Pair {
            with,
            without: *a,
            first_with,
        });
    }
    if let [a, b] = without.as_slice() {
        // The order of two like loads is drawn too, or drift would look like an effect.
        let (a, b) = if first_with { (*a, *b) } else { (*b, *a) };
        measured.floor.push(Pair {
            with: a,
            without: b,
            first_with,
        });
    }
}

async fn load(tab: &Tab, request: &WeighOrder<'_>) -> Result<(), ProbeError> {
    if request.slow > 1.0 {
        let rate = json!({"rate": request.slow});
        tab.call("Emulation.setCPUThrottlingRate", rate).await?;
    }
    if !tab.goto(request.url, LOAD_MS).await?
        || !tab
            .wait_until(Duration::from_millis(LOAD_MS), |s| s.loaded || s.over)
            .await
        || tab.is_over()
    {
        return Err(ProbeError::Silent {
            method: format!("loading {}", request.url),
            ms: LOAD_MS,
        });
    }
    if let Some(consent) = request.consent {
        decide(tab, consent, ConsentAct::Granted).await?;
    }
    Ok(())
}

/// One traced load. Gives the widget's cost, and when it was up after the load event, if it was.
async fn own_load(
    browser: &Browser,
    request: &WeighOrder<'_>,
) -> Result<(OwnLoad, Option<f64>), ProbeError> {
    let tab = Tab::open(browser, request.viewport, None).await?;
    let mut events = browser.cdp.listen("");
    let how = json!({
        "transferMode": "ReturnAsStream",
        "traceConfig": {
            "includedCategories": TRACED, "excludedCategories": ["*"], "recordMode": "recordUntilFull",
        },
    });
    browser.cdp.call("", "Tracing.start", how, 5000).await?;
    let outcome = watched_load(&tab, request).await;
    browser
        .cdp
        .call("", "Tracing.end", json!({}), 10_000)
        .await?;
    let trace = read_trace(browser, &mut events).await;
    browser.cdp.forget("");
    let seen = tab.observation();
    tab.close().await;
    let (alive, trace) = (outcome?, trace?);
    let widget = Widget::of(request.supplier, &seen);
    let cost = attribute(&trace, &widget.ours);
    Ok((
        OwnLoad {
            thread_ms: cost.thread_ms,
            wall_ms: cost.wall_ms,
            bytes: widget.bytes,
            requests: widget.requests,
            shares: widget.shares,
            sockets: widget.sockets,
            up: alive.is_some(),
        },
        alive,
    ))
}

/// What of the browser's trace a weigh-in reads.
const TRACED: [&str; 4] = [
    "devtools.timeline",
    "v8",
    "disabled-by-default-v8.compile",
    "__metadata",
];

/// Loads the page and waits for the widget; ms after the load event at which it was up, if it was.
async fn watched_load(tab: &Tab, request: &WeighOrder<'_>) -> Result<Option<f64>, ProbeError> {
    load(tab, request).await?;
    tab.fetch_document().await;
    let loaded = Instant::now();
    let mut alive = None;
    let allowed = request.supplier.alive.start_within_ms.clamp(1000, 15_000);
    while loaded.elapsed() < Duration::from_millis(allowed) {
        tab.look(request.supplier).await?;
        if tab.is_up() {
            alive = Some(loaded.elapsed().as_secs_f64() * 1000.0);
            break;
        }
        // Seldom, so that looking costs the page little.
        tokio::time::sleep(Duration::from_millis(250)).await;
    }
    tokio::time::sleep(Duration::from_millis(SETTLE_MS)).await;
    Ok(alive)
}

async fn read_trace(
    browser: &Browser,
    events: &mut tokio::sync::mpsc::UnboundedReceiver<crate::cdp::Event>,
) -> Result<Vec<Value>, ProbeError> {
    let silent = || ProbeError::Silent {
        method: "Tracing.end".into(),
        ms: 20_000,
    };
    let complete = tokio::time::timeout(Duration::from_secs(20), async {
        while let Some(event) = events.recv().await {
            if event.method == "Tracing.tracingComplete" {
                return Some(event.params);
            }
        }
        None
    })
    .await
    .map_err(|_| silent())?
    .ok_or_else(silent)?;
    let stream = complete["stream"].clone();
    let mut text = String::new();
    loop {
        let part = browser
            .cdp
            .call(
                "",
                "IO.read",
                json!({"handle": stream, "size": 4_000_000}),
                20_000,
            )
            .await?;
        text.push_str(part["data"].as_str().unwrap_or_default());
        if part["eof"].as_bool().unwrap_or(true) {
            break;
        }
    }
    browser.cdp.send("", "IO.close", json!({"handle": stream}));
    let mut root: Value = serde_json::from_str(&text).map_err(|e| ProbeError::Command {
        method: "Tracing".into(),
        message: e.to_string(),
    })?;
    match root["traceEvents"].take() {
        Value::Array(events) => Ok(events),
        _ => Ok(Vec::new()),
    }
}

/// One plain load: the page's own figures.
async fn page_load(
    browser: &Browser,
    request: &WeighOrder<'_>,
    withheld: &[String],
    settle_ms: u64,
) -> Result<PageLoad, ProbeError> {
    let tab = Tab::open(browser, request.viewport, None).await?;
    tab.withhold(withheld).await?;
    let outcome = async {
        load(&tab, request).await?;
        tokio::time::sleep(Duration::from_millis(settle_ms)).await;
        tab.evaluate("({seen: nfSeen, load: (performance.getEntriesByType('navigation')[0] || {}).loadEventEnd})").await
    }
    .await;
    tab.close().await;
    let read = outcome?;
    let seen = &read["seen"];
    let fcp = seen["fcp"].as_f64();
    Ok(PageLoad {
        tbt_ms: fcp.map(|fcp| blocking(&seen["long"], fcp)),
        lcp_ms: seen["lcp"].as_f64(),
        load_ms: read["load"].as_f64().filter(|v| *v > 0.0),
    })
}

/// What of a load belongs to the widget: by host, by frame, and by who asked for it.
struct Widget {
    ours: Ours,
    bytes: u64,
    requests: u32,
    shares: Shares,
    sockets: u32,
}

impl Widget {
    fn of(supplier: &Supplier, seen: &Observation) -> Widget {
        let owned = |address: &str| supplier.owns(address);
        let mut addresses: HashSet<String> = HashSet::new();
        let (mut bytes, mut requests, mut shares) = (0, 0, Shares::default());
        // Requests are in order, so whatever pulled one in has been seen before it.
        for r in &seen.requests {
            let pulled = r
                .initiator
                .stack
                .iter()
                .chain([&r.initiator.url])
                .any(|u| owned(u) || addresses.contains(u));
            if owned(&r.url) || owned(&r.document) || pulled {
                bytes += r.bytes;
                requests += 1;
                owners::add(&mut shares, &r.kind, r.bytes);
                if !owned(&r.url) && r.url != seen.page.final_url {
                    addresses.insert(r.url.clone());
                }
            }
        }
        let inline_lines = Url::parse(&seen.page.final_url)
            .map(|page| {
                Inspector::new(supplier, None)
                    .pieces(&seen.page.html, &page)
                    .into_iter()
                    .filter(|p| {
                        p.form == Form::Inline
                            && matches!(p.state, PieceState::Live | PieceState::Mentioned)
                    })
                    .map(|p| (p.line, p.last_line))
                    .collect()
            })
            .unwrap_or_default();
        Widget {
            ours: Ours {
                hosts: supplier.hosts().map(str::to_string).collect(),
                addresses,
                page: seen.page.final_url.clone(),
                inline_lines,
            },
            bytes,
            requests,
            shares,
            sockets: seen.sockets.iter().filter(|s| owned(&s.url)).count() as u32,
        }
    }
}
