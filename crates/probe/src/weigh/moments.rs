//! A load that goes on as a visitor does: the widget opened, left open, and the page visited again.

use super::order::{LOAD_MS, SETTLE_MS, WeighOrder};
use super::widget::Widget;
use crate::ProbeError;
use crate::visit::{Tab, opener, panel};
use newtfern_verdict::weigh::attribution::attribute_within;
use newtfern_verdict::weigh::moments::{Moment, Moments, OPEN_MS};
use serde_json::{Value, json};
use std::ops::Range;
use std::time::Duration;

/// The panel has this long to come after the click.
const PANEL_MS: u64 = 4_000;
/// Time that an opened panel stands before it counts as open, ms.
const STANDS_MS: u64 = 1_000;

/// A point of time: by the trace's clock, and how many requests there were.
#[derive(Debug, Clone, Copy)]
struct Mark {
    us: f64,
    requests: usize,
}

/// Beginning and end of each stretch of a load.
#[derive(Debug, Default)]
pub struct Marks {
    /// The load itself was over.
    load: Option<Mark>,
    opening: Option<(Mark, Mark)>,
    open: Option<(Mark, Mark)>,
    again: Option<(Mark, Mark)>,
}

impl Marks {
    pub fn load_us(&self) -> Range<f64> {
        f64::NEG_INFINITY..self.load.map_or(f64::INFINITY, |m| m.us)
    }

    pub fn load_requests(&self) -> Range<usize> {
        0..self.load.map_or(usize::MAX, |m| m.requests)
    }

    /// Returns the cost of each stretch.
    pub fn moments(&self, trace: &[Value], widget: &Widget) -> Moments {
        let cost = |between: Option<(Mark, Mark)>| {
            let (from, to) = between?;
            let bill = widget.bill(from.requests..to.requests);
            Some(Moment {
                thread_ms: attribute_within(trace, &widget.ours, &(from.us..to.us)).thread_ms,
                interval_ms: None,
                bytes: bill.bytes,
                requests: bill.requests,
            })
        };
        Moments {
            opening: cost(self.opening),
            open: cost(self.open),
            again: cost(self.again),
        }
    }
}

/// The browser's monotonic clock is the trace's: seconds there, microseconds here.
async fn mark(tab: &Tab) -> Result<Mark, ProbeError> {
    let metrics = tab.call("Performance.getMetrics", json!({})).await?;
    let metrics = metrics["metrics"].as_array().cloned().unwrap_or_default();
    let clock = metrics.iter().find(|m| m["name"] == "Timestamp");
    let seconds = clock.and_then(|m| m["value"].as_f64());
    let seconds = seconds.ok_or_else(|| ProbeError::Command {
        method: "Performance.getMetrics".into(),
        message: "it names no time".into(),
    })?;
    Ok(Mark {
        us: seconds * 1e6,
        requests: tab.requests_so_far(),
    })
}

/// Goes on after a load in which the widget was up `after_ms` after the load event.
pub async fn live(tab: &Tab, request: &WeighOrder<'_>, after_ms: f64) -> Result<Marks, ProbeError> {
    tab.call("Performance.enable", json!({})).await?;
    let loaded = mark(tab).await?;
    let mut marks = Marks {
        load: Some(loaded),
        ..Marks::default()
    };
    let shown = request.supplier.open.panel.trim();
    if !shown.is_empty() && !panel(tab, shown, true, 0).await? {
        tab.click_on(opener(request.supplier)).await?;
        if panel(tab, shown, true, PANEL_MS).await? {
            tokio::time::sleep(Duration::from_millis(STANDS_MS)).await;
            let stands = mark(tab).await?;
            marks.opening = Some((loaded, stands));
            tokio::time::sleep(Duration::from_millis(OPEN_MS)).await;
            marks.open = Some((stands, mark(tab).await?));
        }
    }
    let leaves = mark(tab).await?;
    if tab.go_on(request.url, LOAD_MS).await? {
        let settle = SETTLE_MS + after_ms.clamp(0.0, 6_000.0) as u64;
        tokio::time::sleep(Duration::from_millis(settle)).await;
        marks.again = Some((leaves, mark(tab).await?));
    }
    Ok(marks)
}
