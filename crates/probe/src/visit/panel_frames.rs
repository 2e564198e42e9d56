//! What the frames of an open panel show: a panel that opens around an empty frame is of no use to
//! anybody.

use super::Tab;
use crate::ProbeError;
use crate::pace::Timer;
use crate::visit::opening::set;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::PanelFrame;
use serde_json::Value;
use std::time::Duration;
use url::Url;

/// Time that a frame of the panel has to lay out its document.
const LAYOUT_MS: u64 = 2_500;

/// Reads the panel's frames, until each shows something or had its time.
///
/// # Errors
/// Where the page does not answer.
pub async fn read(tab: &Tab, supplier: &Supplier) -> Result<(), ProbeError> {
    let asked = format!(
        "nf.panelFrames({})",
        Value::from(supplier.open.panel.as_str())
    );
    let timer = Timer::ms(LAYOUT_MS);
    loop {
        let read = tab.evaluate(&asked).await?;
        let mut frames: Vec<PanelFrame> = serde_json::from_value(read).unwrap_or_default();
        for frame in frames.iter_mut().filter(|f| f.content.is_none()) {
            frame.content = of_another_site(tab, &frame.url).await;
        }
        let empty = frames.iter().any(|f| f.content == Some(0));
        if !empty || timer.is_over() {
            set(tab, |_, o| o.panel_frames = frames);
            return Ok(());
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
}

/// Asks the frames of other sites, which have a session of their own; nothing where none of them is
/// of this host.
async fn of_another_site(tab: &Tab, url: &str) -> Option<u32> {
    let host = |text: &str| Some(Url::parse(text).ok()?.host_str()?.to_string());
    let wanted = host(url)?;
    let asked = "({url: location.href, content: nf.content(document)})";
    for session in tab.child_sessions() {
        let Ok(told) = tab.evaluate_in(&session, asked).await else {
            continue;
        };
        if told["url"].as_str().and_then(host).as_ref() == Some(&wanted) {
            return told["content"].as_u64().and_then(|n| u32::try_from(n).ok());
        }
    }
    None
}
