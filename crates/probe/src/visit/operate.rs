//! Working the page as a visitor does: consent, moving and scrolling, the launcher and its panel.

use super::{Pictures, Tab};
use crate::{ProbeError, pixels};
use newtfern_core::observation::{ConsentAct, Operation};
use newtfern_core::profile::{ConsentManager, Supplier};
use serde_json::{Value, json};
use std::time::{Duration, Instant};

const OPEN_MS: u64 = 4000;
const CLOSE_MS: u64 = 2000;
const BANNER_MS: u64 = 6000;

async fn state(tab: &Tab, consent: Option<&ConsentManager>) -> String {
    let Some(script) = consent
        .map(|c| c.state.script.as_str())
        .filter(|s| !s.trim().is_empty())
    else {
        return String::new();
    };
    match tab
        .evaluate(&format!(
            "(() => {{ try {{ return String({script}); }} catch {{ return ''; }} }})()"
        ))
        .await
    {
        Ok(Value::String(s)) => s,
        _ => String::new(),
    }
}

/// Is a consent interface on the page, and in which state?
pub async fn note_consent(tab: &Tab, consent: Option<&ConsentManager>) -> Result<(), ProbeError> {
    let (globals, selectors) = consent
        .map(|c| (c.recognise.globals.clone(), c.recognise.selectors.clone()))
        .unwrap_or_default();
    let read = tab
        .evaluate(&format!(
            "({{tcf: typeof window.__tcfapi === 'function' || !!document.querySelector('iframe[name=__tcfapiLocator]'), manager: {}.some((g) => {{ try {{ return g.split('.').reduce((o, k) => o?.[k], window) !== undefined; }} catch {{ return false; }} }}) || {}.some((s) => !!nf.pick(s))}})",
            json!(globals),
            json!(selectors)
        ))
        .await?;
    let before = state(tab, consent).await;
    let hosts = consent
        .map(|c| c.recognise.hosts.clone())
        .unwrap_or_default();
    tab.mark(|o| {
        o.consent.tcf = read["tcf"].as_bool().unwrap_or(false);
        let by_host = o.requests.iter().any(|r| {
            r.host()
                .is_some_and(|h| hosts.iter().any(|x| x.eq_ignore_ascii_case(&h)))
        });
        o.consent.manager = read["manager"].as_bool().unwrap_or(false) || by_host;
        o.consent.state_before = before;
    });
    Ok(())
}

/// Decides as asked: by the profile's selector, else by the texts of buttons.
pub async fn decide(
    tab: &Tab,
    consent: &ConsentManager,
    act: ConsentAct,
) -> Result<(), ProbeError> {
    note_consent(tab, Some(consent)).await?;
    let (selectors, texts) = match act {
        ConsentAct::Refused => (&consent.banner.refuse, &consent.banner.refuse_text),
        _ => (&consent.banner.accept, &consent.banner.accept_text),
    };
    let texts: Vec<&String> = texts.values().flat_map(|t| &t.0).collect();
    let began = Instant::now();
    while began.elapsed() < Duration::from_millis(BANNER_MS) {
        let mut target = None;
        for selector in &selectors.0 {
            target = tab
                .find(selector)
                .await?
                .filter(|f| f.shown)
                .map(|f| f.rect);
            if target.is_some() {
                break;
            }
        }
        if target.is_none() && !texts.is_empty() {
            let value = tab
                .evaluate(&format!("nf.byText({})", json!(texts)))
                .await?;
            target = serde_json::from_value(value["rect"].clone()).ok();
        }
        if let Some(r) = target {
            tab.read_storage().await;
            let now = tab.now_ms();
            tab.mark(|o| o.consent.acted_ms = Some(now));
            tab.click(r.x + r.width / 2.0, r.y + r.height / 2.0).await?;
            // The manager takes a moment; its own state tells when.
            let settled = Instant::now();
            let wanted = act.word();
            let mut after = state(tab, Some(consent)).await;
            while after != wanted
                && !after.is_empty()
                && settled.elapsed() < Duration::from_millis(2000)
            {
                tokio::time::sleep(Duration::from_millis(50)).await;
                after = state(tab, Some(consent)).await;
            }
            tab.mark(|o| o.consent.state_after = after);
            return Ok(());
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    let after = state(tab, Some(consent)).await;
    tab.mark(|o| {
        o.consent.state_after = after;
        o.consent.error = format!(
            "no control to give the decision \u{201c}{}\u{201d} was found in {} s",
            act.word(),
            BANNER_MS / 1000
        );
    });
    Ok(())
}

/// What delaying optimisers wait for: the mouse, a scroll, a touch, a key.
pub async fn nudge(tab: &Tab) -> Result<(), ProbeError> {
    for (x, y) in [(200.0, 200.0), (240.0, 260.0)] {
        tab.call(
            "Input.dispatchMouseEvent",
            json!({"type": "mouseMoved", "x": x, "y": y}),
        )
        .await?;
    }
    tab.call(
        "Input.dispatchMouseEvent",
        json!({"type": "mouseWheel", "x": 200, "y": 300, "deltaX": 0, "deltaY": 120}),
    )
    .await?;
    tab.call("Input.dispatchKeyEvent", json!({"type": "keyDown", "key": "Shift", "code": "ShiftLeft", "windowsVirtualKeyCode": 16})).await?;
    tab.call(
        "Input.dispatchKeyEvent",
        json!({"type": "keyUp", "key": "Shift", "code": "ShiftLeft", "windowsVirtualKeyCode": 16}),
    )
    .await?;
    tab.evaluate("(() => { window.dispatchEvent(new Event('touchstart')); document.dispatchEvent(new Event('touchstart', {bubbles: true})); return true; })()")
        .await?;
    Ok(())
}

async fn panel_shown(tab: &Tab, selector: &str, wanted: bool, ms: u64) -> Result<bool, ProbeError> {
    let began = Instant::now();
    loop {
        let shown = tab.find(selector).await?.is_some_and(|f| f.shown);
        if shown == wanted {
            return Ok(true);
        }
        if began.elapsed() > Duration::from_millis(ms) {
            return Ok(false);
        }
        tokio::time::sleep(Duration::from_millis(80)).await;
    }
}

/// Clicks the middle of what a selector finds. False where nothing is there.
pub async fn click_on(tab: &Tab, selector: &str) -> Result<bool, ProbeError> {
    match tab.find(selector).await? {
        Some(f) if f.shown => {
            tab.click(
                f.rect.x + f.rect.width / 2.0,
                f.rect.y + f.rect.height / 2.0,
            )
            .await?;
            Ok(true)
        }
        _ => Ok(false),
    }
}

/// Opens by click, closes, opens again by keyboard.
pub async fn work(
    tab: &Tab,
    supplier: &Supplier,
    pictures: &mut Pictures,
    picture: bool,
) -> Result<(), ProbeError> {
    let open = &supplier.open;
    let click = if open.click.is_empty() {
        supplier.alive.launcher.as_str()
    } else {
        open.click.as_str()
    };
    tab.mark(|o| o.operation = Some(Operation::default()));
    let began = Instant::now();
    if !panel_shown(tab, &open.panel, true, 0).await? {
        click_on(tab, click).await?;
        if !panel_shown(tab, &open.panel, true, OPEN_MS).await? {
            if let Some(popup) = tab.popup() {
                tab.mark(|o| set(o, |op| op.new_window = Some(popup)));
            }
            return Ok(());
        }
    }
    let panel = tab.find(&open.panel).await?;
    let took = began.elapsed().as_secs_f64() * 1000.0;
    let mut words = panel.as_ref().map(|f| f.text.clone()).unwrap_or_default();
    for session in tab.child_sessions() {
        if let Ok(Value::String(inner)) = tab
            .evaluate_in(
                &session,
                "(document.body ? document.body.innerText : '').slice(0, 4000)",
            )
            .await
        {
            words.push('\n');
            words.push_str(&inner);
        }
    }
    let rect = panel.map(|f| f.rect);
    tab.mark(|o| {
        o.panel_text = words.trim().to_string();
        set(o, |op| {
            op.opened_ms = Some(took);
            op.panel = rect;
        });
    });
    if picture && let Some(rect) = rect {
        // The panel may still be moving in; its header is read once it stands still.
        tokio::time::sleep(Duration::from_millis(250)).await;
        let png = tab.picture().await?;
        let scale = super::pixel_scale(&tab.observation());
        if let Ok(colour) = pixels::header_colour(&png, &rect, scale) {
            tab.mark(|o| o.header_colour = Some(colour.hex()));
        }
        pictures.panel = pixels::crop(&png, &rect, scale, 4.0).ok();
    }
    let closed = close(tab, supplier, click).await?;
    if !open.close.is_empty() {
        tab.mark(|o| set(o, |op| op.closed = Some(closed)));
    }
    if closed {
        keyboard(tab, supplier, click).await?;
    }
    Ok(())
}

fn set(o: &mut newtfern_core::observation::Observation, change: impl FnOnce(&mut Operation)) {
    change(o.operation.get_or_insert_with(Operation::default));
}

async fn close(tab: &Tab, supplier: &Supplier, click: &str) -> Result<bool, ProbeError> {
    let open = &supplier.open;
    let control = if open.close.is_empty() {
        click
    } else {
        &open.close
    };
    click_on(tab, control).await?;
    panel_shown(tab, &open.panel, false, CLOSE_MS).await
}

/// Puts the focus on the first control inside a launcher that is a frame, of this site or another.
async fn focus_inside(tab: &Tab, click: &str) -> Result<(), ProbeError> {
    const CONTROL: &str = "'button,[role=button],a[href],[tabindex]'";
    let same = format!(
        "(() => {{ const el = nf.pick({}); const f = el && nf.focusTarget(el); const inner = f && f.contentDocument && f.contentDocument.querySelector({CONTROL}); if (!inner) return false; inner.focus(); return true; }})()",
        Value::from(click)
    );
    if tab.evaluate(&same).await?.as_bool().unwrap_or(false) {
        return Ok(());
    }
    for session in tab.child_sessions() {
        let there = format!(
            "(() => {{ const el = document.querySelector({CONTROL}); if (!el) return false; window.focus(); el.focus(); return true; }})()"
        );
        if tab
            .evaluate_in(&session, &there)
            .await
            .is_ok_and(|v| v.as_bool().unwrap_or(false))
        {
            break;
        }
    }
    Ok(())
}

async fn keyboard(tab: &Tab, supplier: &Supplier, click: &str) -> Result<(), ProbeError> {
    let focus = format!(
        "(() => {{ const el = nf.pick({}); const t = el && nf.focusTarget(el); if (!t) return false; t.focus(); let at = document.activeElement; while (at && at.shadowRoot && at.shadowRoot.activeElement) at = at.shadowRoot.activeElement; return at === t; }})()",
        Value::from(click)
    );
    let focused = tab.evaluate(&focus).await?.as_bool().unwrap_or(false);
    if !focused {
        tab.mark(|o| {
            if let Some(l) = o.launcher.as_mut() {
                l.focusable = false;
            }
        });
        return Ok(());
    }
    // A launcher that is a frame: the control is inside it.
    let frame = tab
        .evaluate(&format!("(() => {{ const el = nf.pick({}); const t = el && nf.focusTarget(el); return !!t && t.tagName === 'IFRAME'; }})()", Value::from(click)))
        .await?;
    let frame = frame.as_bool().unwrap_or(false);
    let mut opened = false;
    for key in ["Enter", " "] {
        if frame {
            focus_inside(tab, click).await?;
        }
        tab.press(key).await?;
        opened = panel_shown(tab, &supplier.open.panel, true, CLOSE_MS).await?;
        if opened {
            break;
        }
        tab.evaluate(&focus).await?;
    }
    tab.mark(|o| set(o, |op| op.keyboard_opened = Some(opened)));
    Ok(())
}
