//! A visitor who comes again: the same page with what the browser has kept, then along a link of
//! the page.

use super::{Tab, opening};
use crate::ProbeError;
use crate::pace::Timer;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Look, RouteSeen, SecondVisit};
use newtfern_verdict::visits::{VisitPlan, WaitTimes};
use std::time::Duration;

/// The second load has this long.
const SECOND_MS: u64 = 10_000;
/// A link's new route shows within this.
const ROUTE_MS: u64 = 1_500;
/// The launcher is looked for this long after a change of route: the page may draw it anew.
const DRAWN_MS: u64 = 2_000;

/// Comes again. Where the launcher did not come at the first time there is nothing to come back to.
///
/// # Errors
/// Where the page does not answer.
pub async fn come(tab: &Tab, plan: &VisitPlan<'_>, waits: WaitTimes) -> Result<(), ProbeError> {
    if !tab.was_shown() || plan.supplier.alive.launcher.is_empty() {
        return Ok(());
    }
    // What the widget keeps it may write a moment later.
    tab.watch_on(waits.stay_ms).await;
    if !tab.go_on(plan.url, SECOND_MS).await? {
        return Ok(());
    }
    let mut second = SecondVisit {
        launcher: shown(tab, plan.supplier, waits.start_ms).await?,
        ..SecondVisit::default()
    };
    if second.launcher.seen_ms().is_some() {
        let panel = plan.supplier.open.panel.trim();
        if !panel.is_empty() {
            second.open = Some(opening::panel(tab, panel, true, 0).await?);
        }
        second.route = route(tab, plan.supplier).await?;
    }
    tab.mark(|o| o.second = Some(second));
    Ok(())
}

/// Looks for the launcher until it shows.
async fn shown(tab: &Tab, supplier: &Supplier, ms: u64) -> Result<Look, ProbeError> {
    let timer = Timer::ms(ms);
    tab.forget_shown();
    loop {
        tab.look(supplier).await?;
        let at_ms = tab.now_ms();
        if tab.is_shown_now() {
            return Ok(Look::Seen { at_ms });
        }
        if tab.is_over() || timer.is_over() {
            return Ok(Look::NotThere { until_ms: at_ms });
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
}

/// The first link that can be seen, leads to another page of the site and asks for nothing.
const LINK: &str = "(() => {
    for (const a of document.querySelectorAll('a[href]')) {
        let to;
        try { to = new URL(a.href, location.href); } catch { continue; }
        const elsewhere = to.pathname !== location.pathname || to.hash.startsWith('#/');
        if (to.origin !== location.origin || to.search || !elsewhere) continue;
        if ((a.target && a.target !== '_self') || a.hasAttribute('download') || \
        !nf.visible(a)) continue;
        a.scrollIntoView({block: 'center'});
        const r = a.getBoundingClientRect();
        if (document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2) !== a
            && !a.contains(document.elementFromPoint(r.x + r.width / 2, r.y + r.height \
            / 2))) continue;
        return {to: to.href.slice(0, 2000), x: r.x + r.width / 2, y: r.y + r.height / 2};
    }
    return null;
})()";

/// Follows a link. Nothing where the page has none, or leaves its document for it: then the next
/// page loads the widget anew, as this one did.
async fn route(tab: &Tab, supplier: &Supplier) -> Result<Option<RouteSeen>, ProbeError> {
    let link = tab.evaluate(LINK).await?;
    let (Some(to), Some(x), Some(y)) = (
        link["to"].as_str().map(str::to_string),
        link["x"].as_f64(),
        link["y"].as_f64(),
    ) else {
        return Ok(None);
    };
    let before = tab.observation().navigations.len();
    tab.click(x, y).await?;
    let moved = |s: &super::collector::Collector| s.seen.navigations.len() > before;
    tab.wait_until(Duration::from_millis(ROUTE_MS), moved).await;
    let routed = tab.observation().navigations;
    let routed = &routed[before.min(routed.len())..];
    if routed.is_empty() || routed.iter().any(|n| !n.same_document) {
        return Ok(None);
    }
    // It is drawn anew by some pages: only what is gone after that is gone.
    tokio::time::sleep(Duration::from_millis(DRAWN_MS)).await;
    let launcher = shown(tab, supplier, 0).await?;
    Ok(Some(RouteSeen { to, launcher }))
}
