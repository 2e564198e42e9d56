//! The panel, and what opens it.

use crate::ProbeError;
use crate::pace::Timer;
use crate::visit::Tab;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Look, Looks, Operation};
use std::time::Duration;

/// The first control inside a frame that is a launcher.
pub(super) const CONTROL: &str = "'button,[role=button],a[href],[tabindex]'";

/// Waits until the panel is shown, or gone.
///
/// # Errors
/// Where the page does not answer.
pub async fn panel(tab: &Tab, selector: &str, wanted: bool, ms: u64) -> Result<bool, ProbeError> {
    let timer = Timer::ms(ms);
    loop {
        let shown = tab.find(selector).await?.is_some_and(|f| f.shown);
        if shown == wanted {
            return Ok(true);
        }
        if timer.is_over() {
            return Ok(false);
        }
        tokio::time::sleep(Duration::from_millis(40)).await;
    }
}

pub(super) fn look(tab: &Tab, seen: bool) -> Look {
    let now = tab.now_ms();
    match seen {
        true => Look::Seen { at_ms: now },
        false => Look::NotThere { until_ms: now },
    }
}

pub(super) fn set(tab: &Tab, change: impl FnOnce(&mut Looks, &mut Operation)) {
    tab.mark(|o| {
        change(
            &mut o.looks,
            o.operation.get_or_insert_with(Operation::default),
        )
    });
}

/// Returns the selector of what is clicked to open the panel.
pub fn opener(supplier: &Supplier) -> &str {
    match supplier.open.click.trim() {
        "" => &supplier.alive.launcher,
        click => click,
    }
}
