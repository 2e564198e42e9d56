//! One visit: one load of one page under one condition, in a context of its own that is thrown away
//! afterwards, with one deadline over everything.

mod collector;
mod failure;
mod operate;
pub mod tab;
#[cfg(test)]
mod tests;

use crate::ProbeError;
use crate::browser::Browser;
use crate::pixels;
use newtfern_core::observation::{Condition, ConsentAct, Ended, Observation, VERSION, Viewport};
use newtfern_core::placement::Inspector;
use newtfern_core::profile::{ConsentManager, Supplier};
pub use operate::{click_on as work_click, decide};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
pub use tab::Tab;
use url::Url;

/// What to visit and how.
pub struct Plan<'a> {
    pub url: &'a Url,
    pub condition: Condition,
    pub supplier: &'a Supplier,
    pub consent: Option<&'a ConsentManager>,
    /// The page must arrive within this.
    pub page_ms: u64,
    /// The whole visit ends by then.
    pub total_ms: u64,
    pub pictures: bool,
}

/// Pictures of a visit, PNG.
#[derive(Default)]
pub struct Pictures {
    pub page: Option<Vec<u8>>,
    pub launcher: Option<Vec<u8>>,
    pub panel: Option<Vec<u8>>,
}

const PHONE_AGENT: &str = "Mozilla/5.0 (Linux; Android 14; K) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Mobile Safari/537.36";

/// How long the launcher is watched after it appeared, since a page may route itself.
const WATCH_AFTER_MS: u64 = 2000;
/// How long the widget gets after the visit has moved, scrolled and pressed a key.
const NUDGE_MS: u64 = 3000;
/// How long a visit looks where the snippet is held back until consent.
const HELD_MS: u64 = 2500;

/// Makes the visit. Only a browser that cannot be had is an error; all else is observation.
pub async fn visit(
    browser: &Browser,
    plan: &Plan<'_>,
) -> Result<(Observation, Pictures), ProbeError> {
    let tab = Tab::open(browser, plan.condition.viewport).await?;
    tab.mark(|o| o.condition = plan.condition);
    let mut pictures = Pictures::default();
    let total = Duration::from_millis(plan.total_ms);
    tab.keep_bodies(plan.supplier.hosts().map(str::to_string).collect());
    let outcome = tokio::time::timeout(total, run(&tab, plan, &mut pictures)).await;
    let mut seen = tab.observation();
    seen.version = VERSION;
    seen.url = plan.url.to_string();
    seen.condition = plan.condition;
    seen.browser = browser.version.clone();
    match outcome {
        Ok(Ok(())) => {}
        Ok(Err(ProbeError::BrowserGone { doing })) => {
            return Err(ProbeError::BrowserGone { doing });
        }
        Ok(Err(_)) if seen.ended == Ended::Complete => seen.ended = Ended::Hung,
        Ok(Err(_)) => {}
        Err(_) => {
            seen.ended = if seen.ended == Ended::Complete {
                Ended::Deadline
            } else {
                seen.ended
            }
        }
    }
    // A page whose document never came in full has not been delivered.
    if seen.page.status.is_none() && seen.page.failure.is_none() {
        seen.page.failure = Some(failure::timeout("the page did not arrive in its time"));
    }
    tab.close().await;
    Ok((seen, pictures))
}

async fn run(tab: &Tab, plan: &Plan<'_>, pictures: &mut Pictures) -> Result<(), ProbeError> {
    let started = Instant::now();
    let left = |ms: u64| Duration::from_millis(ms).saturating_sub(started.elapsed());
    if !tab.goto(plan.url, plan.page_ms).await? {
        return Ok(());
    }
    tab.wait_until(left(plan.page_ms.min(12_000)), |s| s.loaded || s.over)
        .await;
    if tab.is_over() {
        return Ok(());
    }
    if !tab.document_arrived() {
        tab.wait_until(left(plan.page_ms), |s| s.document_done || s.over)
            .await;
        if !tab.document_arrived() {
            tab.mark(|o| {
                o.page.failure = Some(failure::timeout("the page did not arrive in its time"));
                o.ended = Ended::Deadline;
            });
            return Ok(());
        }
    }
    tab.fetch_document().await;
    if plan.condition.consent != ConsentAct::Untouched
        && let Some(consent) = plan.consent
    {
        operate::decide(tab, consent, plan.condition.consent).await?;
    } else {
        operate::note_consent(tab, plan.consent).await?;
    }
    let held = held_back(tab, plan);
    // A script that waits for consent does not start before it; a short look tells whether something does.
    let patience = if held {
        HELD_MS
    } else {
        patience_ms(tab, plan)
    };
    let reserve = if plan.supplier.open.panel.is_empty() {
        1500
    } else {
        7000
    };
    let until = left(plan.total_ms.saturating_sub(reserve)).min(Duration::from_millis(patience));
    watch(tab, plan, until).await?;
    if !tab.is_alive() && !held {
        operate::nudge(tab).await?;
        tab.note_nudge();
        watch(
            tab,
            plan,
            left(plan.total_ms.saturating_sub(reserve)).min(Duration::from_millis(NUDGE_MS)),
        )
        .await?;
    }
    settle(tab, plan, pictures).await?;
    if tab.is_up() && !plan.supplier.open.panel.is_empty() {
        operate::work(tab, plan.supplier, pictures, plan.pictures).await?;
    }
    Ok(())
}

/// The delivered page holds the snippet back for consent, and consent has not been given.
fn held_back(tab: &Tab, plan: &Plan<'_>) -> bool {
    let seen = tab.observation();
    let Some(consent) = plan
        .consent
        .filter(|_| plan.condition.consent == ConsentAct::Untouched)
    else {
        return false;
    };
    let pieces = Inspector::new(plan.supplier, Some(consent)).pieces(&seen.page.html, plan.url);
    !pieces.is_empty()
        && pieces
            .iter()
            .all(|p| matches!(p.state, newtfern_core::placement::State::ConsentHeld(_)))
}

/// How long to look for the widget after the page is there: what the profile allows it, and the
/// delay that the page's own code shows.
fn patience_ms(tab: &Tab, plan: &Plan<'_>) -> u64 {
    let html = tab.observation().page.html;
    let delay = Inspector::new(plan.supplier, plan.consent)
        .delays(&html)
        .into_iter()
        .max()
        .unwrap_or(0);
    plan.supplier.alive.start_within_ms.clamp(1000, 20_000) + delay.min(20_000) + 500
}

/// Looks for the sign of life and the launcher until both have been there for a while.
async fn watch(tab: &Tab, plan: &Plan<'_>, longest: Duration) -> Result<(), ProbeError> {
    let began = Instant::now();
    let mut up_since: Option<Instant> = None;
    loop {
        let up = tab.look(plan.supplier).await?;
        tab.note_watched();
        if up && up_since.is_none() {
            up_since = Some(Instant::now());
        }
        let enough = up_since.is_some_and(|t| t.elapsed() >= Duration::from_millis(WATCH_AFTER_MS));
        if enough || tab.is_over() || (up_since.is_none() && began.elapsed() >= longest) {
            return Ok(());
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
}

/// Everything that is read once, at the end of the watch.
async fn settle(tab: &Tab, plan: &Plan<'_>, pictures: &mut Pictures) -> Result<(), ProbeError> {
    tab.read_storage().await;
    let selector = Value::from(plan.supplier.alive.launcher.clone());
    let read = tab
        .evaluate(&format!(
            "({{view: [innerWidth, innerHeight], html: document.documentElement.outerHTML.slice(0, 1500000), seen: window.__nfSeen, fixed: nf.fixed({selector}), launcher: nf.launcher({selector}), load: (() => {{ const n = performance.getEntriesByType('navigation')[0]; return n ? [n.loadEventEnd, n.domContentLoadedEventEnd] : [0, 0]; }})(), background: getComputedStyle(document.body || document.documentElement).backgroundColor}})"
        ))
        .await?;
    let name = match read["launcher"]["present"].as_bool() {
        Some(true) => tab.accessible(&plan.supplier.alive.launcher).await,
        _ => (String::new(), String::new()),
    };
    tab.settle(&read, &plan.supplier.alive.launcher, name);
    if plan.pictures {
        let png = tab.picture().await?;
        let scale = pixel_scale(&tab.observation());
        // Under something else, the pixels are not the launcher's.
        let rect = tab
            .observation()
            .launcher
            .filter(|l| l.present && l.hidden_by.is_none() && l.reachable >= 0.5)
            .map(|l| l.rect);
        if let Some(rect) = rect {
            let crop = pixels::crop(&png, &rect, scale, 10.0);
            let colours = pixels::launcher_colours(&png, &rect, scale);
            tab.mark(|o| {
                if let Ok((launcher, behind)) = &colours {
                    o.launcher_colour = Some(launcher.hex());
                    o.behind_colour = Some(behind.hex());
                }
            });
            pictures.launcher = crop.ok();
        }
        pictures.page = Some(png);
    }
    Ok(())
}

/// Picture pixels for one CSS px of the layout.
pub(crate) fn pixel_scale(seen: &Observation) -> f64 {
    let (width, _) = seen.condition.viewport.size();
    let density = if seen.condition.viewport == Viewport::Phone {
        2.0
    } else {
        1.0
    };
    density * f64::from(width) / seen.view().width.max(1.0)
}

/// Emulation for a viewport, as commands.
pub(crate) fn emulation(viewport: Viewport, agent: &str) -> Vec<(&'static str, Value)> {
    let (width, height) = viewport.size();
    let phone = viewport == Viewport::Phone;
    let mut commands = vec![
        (
            "Emulation.setDeviceMetricsOverride",
            json!({"width": width, "height": height, "deviceScaleFactor": if phone { 2 } else { 1 }, "mobile": phone, "screenWidth": width, "screenHeight": height}),
        ),
        (
            "Emulation.setUserAgentOverride",
            json!({"userAgent": if phone { PHONE_AGENT } else { agent }, "acceptLanguage": "en-GB,en"}),
        ),
        (
            "Emulation.setFocusEmulationEnabled",
            json!({"enabled": true}),
        ),
    ];
    if phone {
        commands.push((
            "Emulation.setTouchEmulationEnabled",
            json!({"enabled": true, "maxTouchPoints": 5}),
        ));
    }
    commands
}
