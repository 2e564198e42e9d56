//! What pressing an element brings, where nobody knows yet what a supplier's panel is.

use super::{Tab, document};
use crate::ProbeError;
use crate::browser::Browser;
use crate::pace::{self, Timer};
use newtfern_standards::observation::FixedElement;
use newtfern_verdict::visits::VisitPlan;
use std::time::Duration;

/// Time that an element has to come and that a panel has to open, ms.
const COMES_MS: u64 = 8_000;
/// Between two looks.
const EVERY: Duration = Duration::from_millis(150);
/// An opened panel covers at least this, square CSS px: a list of three links does.
const LEAST_PX: f64 = 12_000.0;

/// Loads a page, presses the element and returns what stays in place then and was not there before,
/// or was much smaller; nothing where it does not come, or opens nothing.
///
/// # Errors
/// Where the browser is gone, or the page does not answer.
pub async fn press(
    browser: &Browser,
    plan: &VisitPlan<'_>,
    selector: &str,
) -> Result<Vec<FixedElement>, ProbeError> {
    let tab = Tab::open_as(browser, &plan.condition, Some(plan.supplier)).await?;
    let total = Duration::from_millis(plan.total_ms);
    let opened = pace::within(total, opened(&tab, plan, selector)).await;
    tab.close().await;
    opened.unwrap_or_else(|_| Ok(Vec::new()))
}

async fn opened(
    tab: &Tab,
    plan: &VisitPlan<'_>,
    selector: &str,
) -> Result<Vec<FixedElement>, ProbeError> {
    if !document(tab, plan).await? {
        return Ok(Vec::new());
    }
    let timer = Timer::ms(COMES_MS);
    while !tab.find(selector).await?.is_some_and(|f| f.shown) {
        if timer.is_over() {
            return Ok(Vec::new());
        }
        tokio::time::sleep(EVERY).await;
    }
    let before = fixed(tab).await?;
    tab.click_on(selector).await?;
    let timer = Timer::ms(COMES_MS);
    let boxes = |all: &[FixedElement]| all.iter().map(|f| f.rect).collect::<Vec<_>>();
    let mut last = Vec::new();
    loop {
        tokio::time::sleep(EVERY).await;
        let new = newly(&before, fixed(tab).await?);
        // It may still be moving in: what two looks agree on stands.
        if !new.is_empty() && boxes(&new) == last || timer.is_over() {
            return Ok(new);
        }
        last = boxes(&new);
    }
}

async fn fixed(tab: &Tab) -> Result<Vec<FixedElement>, ProbeError> {
    let read = tab.evaluate("nf.fixed('')").await?;
    Ok(serde_json::from_value(read).unwrap_or_default())
}

/// Large elements that were not there, or were a quarter of what they are.
fn newly(before: &[FixedElement], now: Vec<FixedElement>) -> Vec<FixedElement> {
    let was = |element: &str| {
        let found = before.iter().find(|b| b.element == element);
        found.map_or(0.0, |b| b.rect.area())
    };
    let new = |f: &FixedElement| f.rect.area() >= LEAST_PX.max(4.0 * was(&f.element));
    now.into_iter().filter(new).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_standards::observation::Rect;

    fn element(name: &str, width: f64, height: f64) -> FixedElement {
        FixedElement {
            element: name.into(),
            rect: Rect {
                x: 0.0,
                y: 0.0,
                width,
                height,
            },
            ..FixedElement::default()
        }
    }

    #[test]
    fn what_came_or_grew_is_told_and_what_was_there_is_not() {
        let before = [
            element("header.top", 1280.0, 80.0),
            element("div#chat", 64.0, 64.0),
        ];
        let now = vec![
            element("header.top", 1280.0, 90.0),
            element("div#chat", 340.0, 520.0),
            element("div#panel", 320.0, 400.0),
            element("span.badge", 20.0, 20.0),
        ];
        let new = newly(&before, now);
        let names: Vec<&str> = new.iter().map(|f| f.element.as_str()).collect();
        assert_eq!(names, ["div#chat", "div#panel"]);
    }
}
