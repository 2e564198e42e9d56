//! What the consent interface of the Transparency and Consent Framework tells of the visitor's
//! decision.

use super::tab::Tab;
use crate::ProbeError;
use newtfern_standards::tcf;
use serde_json::Value;

/// A longer string is none.
const MOST_STRING: usize = 20_000;

const ASK: &str = "(() => {
    let told = null;
    try {
        window.__tcfapi('getTCData', 2, (data, ok) => {
            if (ok && data) told = [String(data.tcString || ''), String(data.eventStatus || '')];
        });
    } catch { /* it is none */ }
    return told;
})()";

/// The visitor's decision by the interface's answer, which goes before the banner's look and the
/// profile's script; nothing where there is no interface, or it has no string that can be read. The
/// string is kept.
///
/// # Errors
/// Where the page does not answer.
pub async fn state(tab: &Tab) -> Result<Option<&'static str>, ProbeError> {
    let told = match tab.ask_page(ASK).await {
        Ok(told) => told,
        Err(ProbeError::Command { .. }) => return Ok(None),
        Err(other) => return Err(other),
    };
    let (Some(text), Some(status)) = (told[0].as_str(), told[1].as_str()) else {
        return Ok(None);
    };
    if text.len() > MOST_STRING {
        return Ok(None);
    }
    let class = tab.with(|s| s.class);
    tab.mark(|o| o.consent.tc_string = text.to_string());
    Ok(tcf::state(text, status, class))
}

/// Asks the interface to show its question again. True where it says that it did.
///
/// # Errors
/// Where the page does not answer.
pub async fn show(tab: &Tab) -> Result<bool, ProbeError> {
    let ask = "(() => {
        let shown = false;
        try {
            window.__tcfapi('displayConsentUi', 2, (_, ok) => { shown = ok !== false; });
        } catch { /* it is none */ }
        return shown;
    })()";
    match tab.ask_page(ask).await {
        Ok(Value::Bool(shown)) => Ok(shown),
        Ok(_) | Err(ProbeError::Command { .. }) => Ok(false),
        Err(other) => Err(other),
    }
}
