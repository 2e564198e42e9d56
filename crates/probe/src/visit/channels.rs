//! A widget's links to other channels, where its profile says that they are.

use super::Tab;
use crate::ProbeError;
use crate::pace::Timer;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::ChannelSeen;
use serde_json::Value;
use std::time::Duration;
use tokio::time::sleep;

/// A list that is just opening has this long to show its links.
const LIST_MS: u64 = 2_000;

/// Reads the list, in the page and in its frames. A list behind the launcher must be open by then;
/// where there is no panel that is known, the launcher itself may be what opens it.
///
/// # Errors
/// Where the page does not answer.
pub async fn read(tab: &Tab, supplier: &Supplier) -> Result<(), ProbeError> {
    let items = supplier.channels.items.trim();
    if items.is_empty() {
        return Ok(());
    }
    let mut seen = listed(tab, items).await?;
    if seen.is_empty() && supplier.open.panel.trim().is_empty() {
        tab.click_on(crate::visit::opening::opener(supplier))
            .await?;
    }
    let timer = Timer::ms(LIST_MS);
    while seen.is_empty() && !timer.is_over() {
        sleep(Duration::from_millis(100)).await;
        seen = listed(tab, items).await?;
    }
    tab.mark(|o| o.channels = Some(seen));
    Ok(())
}

async fn listed(tab: &Tab, items: &str) -> Result<Vec<ChannelSeen>, ProbeError> {
    let links = format!("nf.links({})", Value::from(items));
    let here = tab.evaluate(&links).await?;
    let mut seen: Vec<ChannelSeen> = serde_json::from_value(here).unwrap_or_default();
    for session in tab.child_sessions() {
        if let Ok(there) = tab.evaluate_in(&session, &links).await {
            seen.extend(serde_json::from_value::<Vec<_>>(there).unwrap_or_default());
        }
    }
    Ok(seen)
}
