//! The loads of a weigh-in: those with a trace, for what the widget's own code costs, and sets of
//! three without one (with the widget, without, without again), for what the page loses and what
//! chance alone does. Every load has a cold cache; nothing else runs in the browser meanwhile.

mod moments;
mod order;
mod trace;
mod widget;

pub use order::WeighOrder;

use crate::ProbeError;
use crate::browser::Browser;
use crate::pace::Timer;
use crate::visit::{Tab, blocking, decide};
use moments::Marks;
use newtfern_standards::observation::{ConsentAct, Viewport};
use newtfern_verdict::weigh::attribution::attribute_within;
use newtfern_verdict::weigh::early::decided;
use newtfern_verdict::weigh::moments::{LOADS, PHONE_SLOW};
use newtfern_verdict::weigh::{Measured, OwnLoad, PageLoad, Pair, order};
use order::{LOAD_MS, SETTLE_MS};
use serde_json::json;
use std::time::{Duration, Instant};
use widget::Widget;

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

/// Makes all loads of a weigh-in. `progress` is told how many loads of how many are done; it
/// answers false to cancel.
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
        of: request.own_loads
            + 3 * request.pairs
            + request.empty_page.map_or(0, |_| LOADS)
            + request.phone_loads,
        tell: progress,
    };
    let mut alive_after: Vec<f64> = Vec::new();
    for i in 0..request.own_loads {
        let how = Load {
            further: i < request.further_loads,
            instead: None,
        };
        let load = own_load(browser, request, how).await;
        if let Some((load, alive_ms)) = came(load, &mut measured.failed_loads)? {
            measured.own.push(load);
            alive_after.extend(alive_ms);
        }
        progress.step()?;
        if (request.stop_at).is_some_and(|budget_ms| decided(&measured.own, budget_ms)) {
            // The loads that are not needed any more are done with.
            progress.of -= request.own_loads - i - 1;
            break;
        }
    }
    let failed = &mut measured.failed_loads;
    if let Some(html) = request.empty_page {
        // The supplier's own cost: its snippet and nothing else, at the address that its account
        // knows. Nothing there asks for consent.
        let bare = WeighOrder {
            consent: None,
            ..*request
        };
        let loads = (LOADS, Some(html));
        measured.empty = own_loads(browser, &bare, loads, failed, &mut progress).await?;
    }
    let phone = WeighOrder {
        viewport: Viewport::Phone,
        slow: PHONE_SLOW,
        further_loads: 0,
        ..*request
    };
    let loads = (request.phone_loads, None);
    measured.phone = own_loads(browser, &phone, loads, failed, &mut progress).await?;
    // Both arms of a pair are left alone equally long: as long as the widget needs to be up, and
    // some.
    let settle =
        SETTLE_MS + newtfern_standards::statistics::median(&alive_after).clamp(0.0, 6000.0) as u64;
    pairs(browser, request, settle, &mut measured, &mut progress).await?;
    Ok(measured)
}

/// Loads the page with the widget and without it, in pairs, each left alone for `settle` ms.
async fn pairs<F: FnMut(usize, usize) -> bool>(
    browser: &Browser,
    request: &WeighOrder<'_>,
    settle: u64,
    measured: &mut Measured,
    progress: &mut Progress<F>,
) -> Result<(), ProbeError> {
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
        keep_pair(measured, &loads, first_with);
    }
    Ok(())
}

/// So many traced loads, of the page or of a document in its place.
async fn own_loads<F: FnMut(usize, usize) -> bool>(
    browser: &Browser,
    request: &WeighOrder<'_>,
    (times, instead): (usize, Option<&str>),
    failed: &mut u32,
    progress: &mut Progress<F>,
) -> Result<Vec<OwnLoad>, ProbeError> {
    let mut out = Vec::new();
    for i in 0..times {
        let how = Load {
            further: i < request.further_loads,
            instead,
        };
        let load = came(own_load(browser, request, how).await, failed)?;
        out.extend(load.map(|(load, _)| load));
        progress.step()?;
    }
    Ok(out)
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

/// Makes one traced load; returns the widget's cost, and when it was up after the load event, if it
/// was.
async fn own_load(
    browser: &Browser,
    request: &WeighOrder<'_>,
    how: Load<'_>,
) -> Result<(OwnLoad, Option<f64>), ProbeError> {
    let tab = Tab::open(browser, request.viewport, None).await?;
    let visitor = async {
        if let Some(html) = how.instead {
            tab.put_in_place(request.url, html).await?;
        }
        let alive = watched_load(&tab, request).await?;
        let marks = match (how.further, alive) {
            (true, Some(after_ms)) => moments::live(&tab, request, after_ms).await?,
            _ => Marks::default(),
        };
        Ok::<_, ProbeError>((alive, marks))
    };
    let traced = trace::during(browser, visitor).await;
    let seen = tab.observation();
    tab.close().await;
    let (outcome, trace) = traced?;
    let (alive, marks) = outcome?;
    let widget = Widget::of(request.supplier, &seen);
    let (cost, bill) = (
        attribute_within(&trace, &widget.ours, &marks.load_us()),
        widget.bill(marks.load_requests()),
    );
    Ok((
        OwnLoad {
            thread_ms: cost.thread_ms,
            wall_ms: cost.wall_ms,
            bytes: bill.bytes,
            requests: bill.requests,
            shares: bill.shares,
            sockets: widget.sockets,
            up: alive.is_some(),
            moments: marks.moments(&trace, &widget),
        },
        alive,
    ))
}

/// Order of a traced load.
#[derive(Clone, Copy, Default)]
struct Load<'a> {
    /// The widget is opened, left open, and the page visited again.
    further: bool,
    /// Served in place of the page.
    instead: Option<&'a str>,
}

/// Loads the page and waits for the widget; ms after the load event at which it was up, if it was.
async fn watched_load(tab: &Tab, request: &WeighOrder<'_>) -> Result<Option<f64>, ProbeError> {
    load(tab, request).await?;
    tab.fetch_document().await;
    let loaded = Instant::now();
    let mut alive = None;
    let timer = Timer::ms(request.supplier.alive.start_within_ms.clamp(1000, 15_000));
    while !timer.is_over() {
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

/// Makes one plain load; returns the page's own figures.
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
        tab.evaluate(
            "({seen: nfSeen, load: (performance.getEntriesByType('navigation')[0] || \
                      {}).loadEventEnd})",
        )
        .await
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
