//! Sending the test message through the widget: into a talk, or into the form that stays while
//! nobody is there.

use super::steps::{EchoOrder, SentMessage, poll, stop};
use crate::ProbeError;
use crate::visit::{Tab, decide, opener};
use newtfern_model::profile::{AwaySteps, EchoStep, EchoSteps, Supplier};
use newtfern_standards::observation::ConsentAct;
use newtfern_verdict::echo::{EchoResult, StopReason, TEST_FILE};
use serde_json::{Value, json};
use std::time::Duration;

/// Opens the panel and sends the message. Nothing where it could not be sent, with the reason.
pub(super) async fn send(
    tab: &Tab,
    request: &EchoOrder<'_>,
    steps: &EchoSteps,
    seen: &mut EchoResult,
) -> Result<Option<SentMessage>, ProbeError> {
    if !opened(tab, request, seen).await? {
        return Ok(None);
    }
    let language = tab.ask_page("navigator.language").await?;
    seen.language = language.as_str().unwrap_or_default().to_string();
    if let Some(away) = &steps.away
        && away_form(tab, steps, away, request.only_left).await?
    {
        return leave(tab, request, away, seen).await;
    }
    if request.only_left {
        stop(
            seen,
            StopReason::Quiet,
            "the form for messages did not show, though nobody is there by the hours",
        );
        return Ok(None);
    }
    if !all_made(tab, request, &steps.before, seen).await? {
        return Ok(None);
    }
    if !poll(|| is_shown(tab, &steps.input)).await? {
        let (by, why) = match asks_first(tab, request.supplier).await {
            true => (
                StopReason::Form,
                "the panel shows a form, and no field for a message",
            ),
            false => (StopReason::NoField, "the panel shows no field to write in"),
        };
        stop(seen, by, why);
        return Ok(None);
    }
    click_in(tab, &steps.input).await?;
    let typed = json!({"text": request.message});
    tab.call("Input.insertText", typed).await?;
    if !steps.file.is_empty() && attach(tab, &steps.file).await? {
        // Whether it arrived is told by the console.
        seen.file = Some(false);
    }
    let sent = click_in(tab, &steps.send).await?;
    if !sent {
        stop(
            seen,
            StopReason::NoField,
            "the panel shows no control to send",
        );
    }
    Ok(sent.then_some(SentMessage::Live))
}

/// Loads the page and opens the panel. False where the widget did not come up, with the reason.
async fn opened(
    tab: &Tab,
    request: &EchoOrder<'_>,
    seen: &mut EchoResult,
) -> Result<bool, ProbeError> {
    if !tab.goto(request.url, 20_000).await? {
        stop(seen, StopReason::NoPage, "the page did not arrive");
        return Ok(false);
    }
    tab.wait_until(Duration::from_secs(10), |s| s.loaded || s.over)
        .await;
    if let Some(consent) = request.consent {
        decide(tab, consent, ConsentAct::Granted).await?;
    }
    if !poll(|| async { tab.look(request.supplier).await }).await? {
        stop(seen, StopReason::NoWidget, "the widget did not come up");
        return Ok(false);
    }
    tab.click_on(opener(request.supplier)).await?;
    Ok(true)
}

async fn is_shown(tab: &Tab, selector: &str) -> Result<bool, ProbeError> {
    Ok(tab.find(selector).await?.is_some_and(|f| f.shown))
}

/// Nobody is there: the form for messages shows. Where the live talk shows first, somebody is,
/// unless only a message may be left: then the form is waited for.
async fn away_form(
    tab: &Tab,
    steps: &EchoSteps,
    away: &AwaySteps,
    only_left: bool,
) -> Result<bool, ProbeError> {
    let live = steps.before.first().map(EchoStep::selector);
    let live = live.unwrap_or(&steps.input);
    poll(|| async {
        Ok(is_shown(tab, &away.input).await? || (!only_left && is_shown(tab, live).await?))
    })
    .await?;
    is_shown(tab, &away.input).await
}

/// Leaves the message in the form that stays while nobody is there.
async fn leave(
    tab: &Tab,
    request: &EchoOrder<'_>,
    away: &AwaySteps,
    seen: &mut EchoResult,
) -> Result<Option<SentMessage>, ProbeError> {
    if !all_made(tab, request, &away.before, seen).await? {
        return Ok(None);
    }
    click_in(tab, &away.input).await?;
    let typed = json!({"text": request.message});
    tab.call("Input.insertText", typed).await?;
    if !click_in(tab, &away.send).await? {
        let why = "the form for messages shows no control to send";
        stop(seen, StopReason::NoField, why);
        return Ok(None);
    }
    if !away.sent.is_empty() && poll(|| is_shown(tab, &away.sent)).await? {
        let told = tab.find(&away.sent).await?.map(|f| f.text);
        seen.after_sending = told.unwrap_or_default().trim().chars().take(500).collect();
    }
    Ok(Some(SentMessage::Left))
}

/// Makes all steps in their order. False where one could not be made, with the reason.
async fn all_made(
    tab: &Tab,
    request: &EchoOrder<'_>,
    steps: &[EchoStep],
    seen: &mut EchoResult,
) -> Result<bool, ProbeError> {
    for (i, step) in steps.iter().enumerate() {
        if !make(tab, request, step).await? {
            let why = format!(
                "step {} of {} before the chat: nothing that can be seen fits {}",
                i + 1,
                steps.len(),
                step.selector()
            );
            stop(seen, StopReason::Step, &why);
            return Ok(false);
        }
        seen.steps = i + 1;
    }
    Ok(true)
}

/// Puts a small file into the field for one. False where there is no such field.
async fn attach(tab: &Tab, selector: &str) -> Result<bool, ProbeError> {
    // Finding it opens closed shadow roots on the way.
    if tab.find(selector).await?.is_none() {
        return Ok(false);
    }
    let put = format!(
        "(() => {{
            const el = nf.pick({});
            if (!el || el.type !== 'file') return false;
            const parts = new DataTransfer();
            parts.items.add(new File(['A test file by Newtfern.'], {}, {{ type: 'text/plain' }}));
            el.files = parts.files;
            el.dispatchEvent(new Event('change', {{ bubbles: true }}));
            return true;
        }})()",
        Value::from(selector),
        Value::from(TEST_FILE)
    );
    anywhere(tab, &put).await
}

/// Brings what lies below in a panel that scrolls to where it can be clicked.
async fn bring_up(tab: &Tab, selector: &str) -> Result<(), ProbeError> {
    let up = format!(
        "(() => {{ const el = nf.pick({}); if (!el) return false; el.scrollIntoView({{ block: \
        'nearest' }}); return true; }})()",
        Value::from(selector)
    );
    anywhere(tab, &up).await?;
    Ok(())
}

/// True where the page or one of the widget's frames answers so.
async fn anywhere(tab: &Tab, ask: &str) -> Result<bool, ProbeError> {
    let yes = |v: Value| v.as_bool().filter(|yes| *yes);
    Ok(tab.first_answer(ask, yes).await?.is_some())
}

/// Clicks what may lie below in a panel.
async fn click_in(tab: &Tab, selector: &str) -> Result<bool, ProbeError> {
    bring_up(tab, selector).await?;
    tab.click_on(selector).await
}

/// Makes one step before the talk. False where nothing is there to make it with.
async fn make(tab: &Tab, request: &EchoOrder<'_>, step: &EchoStep) -> Result<bool, ProbeError> {
    let selector = step.selector();
    if !poll(|| is_shown(tab, selector)).await? || !click_in(tab, selector).await? {
        return Ok(false);
    }
    if let EchoStep::Fill { with, .. } = step {
        let typed = json!({"text": request.visitor.words(with)});
        tab.call("Input.insertText", typed).await?;
    }
    Ok(true)
}

/// Fields other than the message's are in the panel, or in a frame of it.
async fn asks_first(tab: &Tab, supplier: &Supplier) -> bool {
    let fields = "'input:not([type=hidden]),select,textarea'";
    let here = format!(
        "(() => {{ const p = nf.pick({}); return !!p && \
        [...p.querySelectorAll({fields})].some(nf.visible); }})()",
        Value::from(supplier.open.panel.clone())
    );
    let yes = |v: Result<Value, ProbeError>| v.ok().and_then(|v| v.as_bool()).unwrap_or(false);
    if yes(tab.evaluate(&here).await) {
        return true;
    }
    let inside = format!("[...document.querySelectorAll({fields})].some(nf.visible)");
    for session in tab.child_sessions() {
        if yes(tab.evaluate_in(&session, &inside).await) {
            return true;
        }
    }
    false
}
