//! The prompt beside the launcher, watched for after what brings it: its second, the page scrolled,
//! the mouse on its way out.

use super::{Tab, texts};
use crate::ProbeError;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{TextName, Viewport};
use newtfern_verdict::visits::{PromptBy, PromptWatch};
use serde_json::json;
use std::time::Duration;
use tokio::time::sleep;

/// Time between two looks at the prompt.
const EVERY: Duration = Duration::from_millis(100);

/// Watches for it. Where what brings it cannot be done, nobody watched.
///
/// # Errors
/// Where the page does not answer.
pub async fn watch(tab: &Tab, supplier: &Supplier, how: PromptWatch) -> Result<(), ProbeError> {
    let Some(selector) = supplier.texts.of(TextName::Prompt) else {
        return Ok(());
    };
    let from = match how.by {
        PromptBy::Time => {
            let came = tab.observation().looks.launcher.seen_ms();
            came.unwrap_or_else(|| tab.now_ms())
        }
        PromptBy::Scroll(percent) => {
            if !scroll(tab, percent).await? {
                return Ok(());
            }
            tab.now_ms()
        }
        PromptBy::Leaving => {
            if tab.observation().condition.viewport == Viewport::Phone {
                return Ok(());
            }
            leave(tab).await?;
            tab.now_ms()
        }
    };
    loop {
        let found = tab.find(selector).await?.filter(|f| f.shown);
        if let Some(found) = found {
            texts::keep(tab, TextName::Prompt, found.text);
        }
        let now = tab.now_ms();
        let seen = tab
            .observation()
            .texts
            .iter()
            .any(|t| t.name == TextName::Prompt);
        if seen || tab.spent_ms(from) >= how.ms as f64 {
            tab.mark(|o| o.prompt_until_ms = Some(now));
            break;
        }
        sleep(EVERY).await;
    }
    if let PromptBy::Scroll(_) = how.by {
        // What comes after is looked at where the visit began.
        let up = "(() => { scrollTo({top: 0, behavior: 'instant'}); return true; })()";
        tab.evaluate(up).await?;
    }
    Ok(())
}

/// Scrolls to a share of the page's way. False where there is no way to go.
async fn scroll(tab: &Tab, percent: f64) -> Result<bool, ProbeError> {
    let down = format!(
        "(() => {{
            const way = document.documentElement.scrollHeight - innerHeight;
            if (way < 40) return false;
            scrollTo({{top: Math.ceil(way * {percent} / 100), behavior: 'instant'}});
            return true;
        }})()"
    );
    Ok(tab.evaluate(&down).await?.as_bool().unwrap_or(false))
}

/// The mouse goes up and out, as towards the bar of addresses.
async fn leave(tab: &Tab) -> Result<(), ProbeError> {
    for y in [300.0, 120.0, 8.0, 1.0] {
        let moved = json!({"type": "mouseMoved", "x": 500.0, "y": y});
        tab.call("Input.dispatchMouseEvent", moved).await?;
    }
    // The browser has no window that a mouse could leave: what it would tell the page is told.
    let out = "(() => {
        const out = {bubbles: true, clientX: 500, clientY: -2, relatedTarget: null};
        document.documentElement.dispatchEvent(new MouseEvent('mouseout', out));
        document.documentElement.dispatchEvent(new MouseEvent('mouseleave', \
        {...out, bubbles: false}));
        document.dispatchEvent(new MouseEvent('mouseleave', {...out, bubbles: false}));
        return true;
    })()";
    tab.evaluate(out).await?;
    Ok(())
}
