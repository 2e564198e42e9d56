//! A widget's texts, where its profile says that they are seen.

use super::Tab;
use crate::ProbeError;
use crate::pace::Timer;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{TextName, TextSeen};
use serde_json::Value;
use std::time::Duration;
use tokio::time::sleep;

/// Bytes of one text that are kept.
const MOST_TEXT: usize = 2_000;
/// A frame of the panel has this long to show its texts.
const PANEL_MS: u64 = 2_500;

pub(super) fn keep(tab: &Tab, name: TextName, text: String) {
    keep_with(tab, name, text, None);
}

fn keep_with(tab: &Tab, name: TextName, text: String, besides: Option<String>) {
    let at_ms = tab.now_ms();
    let text = super::collector::cut(text.trim().to_string(), MOST_TEXT);
    tab.mark(|o| {
        if o.texts.iter().all(|t| t.name != name) {
            let besides_links = besides.map(|t| super::collector::cut(t, MOST_TEXT));
            o.texts.push(TextSeen {
                name,
                text,
                besides_links,
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
    let mut open: Vec<(TextName, &str)> = places
        .filter(|(name, selector)| *name != TextName::Prompt && !selector.trim().is_empty())
        .collect();
    let timer = Timer::ms(PANEL_MS);
    loop {
        let mut left = Vec::new();
        for (name, selector) in open {
            match read(tab, name, selector).await? {
                Some(text) => {
                    let besides = besides_links(tab, name, selector).await?;
                    keep_with(tab, name, text, besides);
                }
                None => left.push((name, selector)),
            }
        }
        open = left;
        // What is shown only while nobody is there is not waited for.
        if open.iter().all(|(name, _)| *name == TextName::Away) || timer.is_over() {
            return Ok(());
        }
        sleep(Duration::from_millis(100)).await;
    }
}

/// The text of a notice without the words of its links.
async fn besides_links(
    tab: &Tab,
    name: TextName,
    selector: &str,
) -> Result<Option<String>, ProbeError> {
    if name != TextName::Notice {
        return Ok(None);
    }
    let words = format!("nf.besidesLinks({})", Value::from(selector));
    let text = |v: Value| v.as_str().map(str::to_string);
    tab.first_answer(&words, text).await
}

async fn read(tab: &Tab, name: TextName, selector: &str) -> Result<Option<String>, ProbeError> {
    if name != TextName::NoticeLink {
        let found = tab.find(selector).await?.filter(|f| f.shown);
        return Ok(found.map(|f| f.text));
    }
    let link = format!(
        "(() => {{ const el = nf.pick({}); const a = el && (el.closest('a') || \
        el.querySelector('a')); \
         return a ? a.href : null; }})()",
        Value::from(selector)
    );
    let href = |v: Value| v.as_str().map(str::to_string);
    tab.first_answer(&link, href).await
}
