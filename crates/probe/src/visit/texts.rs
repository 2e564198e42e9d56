//! A widget's texts, where its profile says that they are seen.

use super::Tab;
use crate::ProbeError;
use newtfern_core::observation::TextSeen;
use newtfern_core::profile::Supplier;
use serde_json::Value;
use std::time::Duration;
use tokio::time::sleep;

/// Of one text this much is kept, in bytes.
const MOST_TEXT: usize = 2_000;
/// A frame of the panel has this long to show its texts.
const PANEL_MS: f64 = 2_500.0;

pub(super) fn keep(tab: &Tab, name: &str, text: String) {
    let at_ms = tab.now_ms();
    let text = super::collector::cut(text.trim().to_string(), MOST_TEXT);
    tab.mark(|o| {
        if o.texts.iter().all(|t| t.name != name) {
            o.texts.push(TextSeen {
                name: name.to_string(),
                text,
                at_ms,
            });
        }
    });
}

/// Reads the texts of the open panel, in the page and in its frames.
///
/// # Errors
/// Where the page does not answer.
pub async fn panel(tab: &Tab, supplier: &Supplier) -> Result<(), ProbeError> {
    let places = supplier.texts.all().into_iter();
    let mut open: Vec<(&str, &str)> = places
        .filter(|(name, selector)| *name != "prompt" && !selector.trim().is_empty())
        .collect();
    let until = tab.now_ms() + PANEL_MS;
    loop {
        let mut left = Vec::new();
        for (name, selector) in open {
            match read(tab, name, selector).await? {
                Some(text) => keep(tab, name, text),
                None => left.push((name, selector)),
            }
        }
        open = left;
        // What is shown only while nobody is there is not waited for.
        if open.iter().all(|(name, _)| *name == "away") || tab.now_ms() >= until {
            return Ok(());
        }
        sleep(Duration::from_millis(100)).await;
    }
}

async fn read(tab: &Tab, name: &str, selector: &str) -> Result<Option<String>, ProbeError> {
    if name != "notice_link" {
        let found = tab.find(selector).await?.filter(|f| f.shown);
        return Ok(found.map(|f| f.text));
    }
    let link = format!(
        "(() => {{ const el = nf.pick({}); const a = el && (el.closest('a') || el.querySelector('a')); \
         return a ? a.href : null; }})()",
        Value::from(selector)
    );
    let href = |v: Value| v.as_str().map(str::to_string);
    tab.first_answer(&link, href).await
}
