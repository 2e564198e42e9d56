//! Working the launcher as a visitor does: opened by a click, closed, opened again by keyboard.

use super::{Tab, channels, details, panel_frames, texts};
use crate::visit::opening::{CONTROL, look, opener, panel, set};
use crate::{ProbeError, pixels};
use newtfern_heavy::heavy;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Look, NotCheckedReason, Observation, Viewport};
use serde_json::{Value, json};
use std::time::{Duration, Instant};

const OPEN_MS: u64 = 4_000;
const CLOSE_MS: u64 = 2_000;

/// Does what delaying optimisers wait for: the mouse, a scroll, a touch, a key.
///
/// # Errors
/// Where the page does not answer.
pub async fn nudge(tab: &Tab) -> Result<(), ProbeError> {
    for (x, y) in [(200.0, 200.0), (240.0, 260.0)] {
        let moved = json!({"type": "mouseMoved", "x": x, "y": y});
        tab.call("Input.dispatchMouseEvent", moved).await?;
    }
    let wheel = json!({"type": "mouseWheel", "x": 200, "y": 300, "deltaX": 0, "deltaY": 120});
    tab.call("Input.dispatchMouseEvent", wheel).await?;
    tab.press("Shift").await?;
    tab.evaluate(TOUCH).await?;
    Ok(())
}

/// Opens by click, closes, opens again by keyboard. Each look says how far it went.
///
/// # Errors
/// Where the page does not answer.
pub async fn work(
    tab: &Tab,
    supplier: &Supplier,
    pictures: &mut Pictures,
    wanted: bool,
) -> Result<(), ProbeError> {
    let open = &supplier.open;
    let began = Instant::now();
    let at_start = panel(tab, &open.panel, true, 0).await?;
    set(tab, |_, o| o.open_at_start = Some(at_start));
    if !at_start {
        // What is kept by now was kept before anybody asked for a talk.
        tab.read_storage().await;
        let now = tab.now_ms();
        set(tab, |_, o| o.clicked_ms = Some(now));
        tab.click_on(opener(supplier)).await?;
        let opened = panel(tab, &open.panel, true, OPEN_MS).await?;
        if !opened {
            let seen = look(tab, false);
            let why = NotCheckedReason::EarlierStage;
            set(tab, |l, _| {
                l.opening = seen;
                l.closing = Look::NotLooked { why };
                l.keyboard = Look::NotLooked { why };
            });
            return Ok(());
        }
    }
    let took = began.elapsed().as_secs_f64() * 1000.0;
    let seen = look(tab, true);
    set(tab, |l, o| {
        l.opening = seen;
        o.opened_ms = Some(took);
    });
    read_panel(tab, supplier, pictures, wanted).await?;
    panel_frames::read(tab, supplier).await?;
    texts::panel(tab, supplier).await?;
    details::read(tab, supplier).await?;
    channels::read(tab, supplier).await?;
    if close(tab, supplier).await? {
        keyboard(tab, supplier).await?;
    }
    Ok(())
}

/// The panel's text, box and picture.
async fn read_panel(
    tab: &Tab,
    supplier: &Supplier,
    pictures: &mut Pictures,
    wanted: bool,
) -> Result<(), ProbeError> {
    // It may still be moving in; it is read once it stands still.
    let mut at = tab.find(&supplier.open.panel).await?;
    for _ in 0..15 {
        tokio::time::sleep(Duration::from_millis(60)).await;
        let now = tab.find(&supplier.open.panel).await?;
        let still = at.as_ref().map(|f| f.rect) == now.as_ref().map(|f| f.rect);
        at = now;
        if still {
            break;
        }
    }
    let mut words = at.as_ref().map(|f| f.text.clone()).unwrap_or_default();
    for session in tab.child_sessions() {
        let text = "(document.body ? document.body.innerText : '').slice(0, 4000)";
        if let Ok(Value::String(inner)) = tab.evaluate_in(&session, text).await {
            words.push('\n');
            words.push_str(&inner);
        }
    }
    let rect = at.map(|f| f.rect);
    let words = super::collector::cut(words.trim().to_string(), 8_000);
    tab.mark(|o| o.panel_text = words);
    set(tab, |_, o| o.panel = rect);
    let Some(rect) = rect.filter(|_| wanted) else {
        return Ok(());
    };
    let png = tab.picture().await?;
    let scale = pixel_scale(&tab.observation());
    let cut = heavy(|| {
        let colour = pixels::header_colour(&png, &rect, scale);
        (colour, pixels::crop(&png, &rect, scale, 4.0))
    })
    .await;
    if let Ok(colour) = cut.0 {
        tab.mark(|o| o.header_colour = Some(colour.hex()));
    }
    pictures.panel = cut.1.ok();
    Ok(())
}

/// Closes by the profile's control, or by the opener where it names none; then whether it closes is
/// nothing that the profile lets us judge.
async fn close(tab: &Tab, supplier: &Supplier) -> Result<bool, ProbeError> {
    let open = &supplier.open;
    let named = !open.close.trim().is_empty();
    let control = if named { &open.close } else { opener(supplier) };
    tab.click_on(control).await?;
    let closed = panel(tab, &open.panel, false, CLOSE_MS).await?;
    let seen = match named {
        true => look(tab, closed),
        false => Look::NotLooked {
            why: NotCheckedReason::NoEntry,
        },
    };
    set(tab, |l, _| {
        l.closing = seen;
        if !closed {
            // An open panel cannot be seen to open.
            l.keyboard = Look::NotLooked {
                why: NotCheckedReason::NoEntry,
            };
        }
    });
    Ok(closed)
}

const TOUCH: &str = "(() => {
    window.dispatchEvent(new Event('touchstart'));
    document.dispatchEvent(new Event('touchstart', {bubbles: true}));
    return true;
})()";

/// Puts the focus on the first control inside a launcher that is a frame, of this site or another.
async fn focus_inside(tab: &Tab, click: &str) -> Result<(), ProbeError> {
    let same = format!(
        "(() => {{
            const el = nf.pick({});
            const f = el && nf.focusTarget(el);
            const inner = f && f.contentDocument && f.contentDocument.querySelector({CONTROL});
            if (!inner) return false;
            inner.focus();
            return true;
        }})()",
        Value::from(click)
    );
    if tab.evaluate(&same).await?.as_bool().unwrap_or(false) {
        return Ok(());
    }
    let there = format!(
        "(() => {{
            const el = document.querySelector({CONTROL});
            if (!el) return false;
            window.focus();
            el.focus();
            return true;
        }})()"
    );
    for session in tab.child_sessions() {
        let focused = tab.evaluate_in(&session, &there).await;
        if focused.is_ok_and(|v| v.as_bool().unwrap_or(false)) {
            break;
        }
    }
    Ok(())
}

async fn keyboard(tab: &Tab, supplier: &Supplier) -> Result<(), ProbeError> {
    let click = opener(supplier);
    let selector = Value::from(click);
    let focus = format!(
        "(() => {{
            const el = nf.pick({selector});
            const t = el && nf.focusTarget(el);
            if (!t) return false;
            t.focus();
            let at = document.activeElement;
            while (at && nf.shadow(at)?.activeElement) at = nf.shadow(at).activeElement;
            return at === t;
        }})()"
    );
    let focused = tab.evaluate(&focus).await?.as_bool().unwrap_or(false);
    if !focused {
        let seen = look(tab, false);
        tab.mark(|o| {
            o.looks.keyboard = seen;
            if let Some(l) = o.launcher.as_mut() {
                l.focusable = false;
            }
        });
        return Ok(());
    }
    // A launcher that is a frame: the control is inside it.
    let frame = format!(
        "(() => {{ const el = nf.pick({selector}); const t = el && nf.focusTarget(el); return !!t \
        && t.tagName === 'IFRAME'; }})()"
    );
    let frame = tab.evaluate(&frame).await?.as_bool().unwrap_or(false);
    let mut opened = false;
    for key in ["Enter", " "] {
        if frame {
            focus_inside(tab, click).await?;
        }
        tab.press(key).await?;
        opened = panel(tab, &supplier.open.panel, true, CLOSE_MS).await?;
        if opened {
            break;
        }
        tab.evaluate(&focus).await?;
    }
    let seen = look(tab, opened);
    set(tab, |l, _| l.keyboard = seen);
    Ok(())
}

/// Pictures of a visit, PNG.
#[derive(Default)]
pub struct Pictures {
    /// The page as PNG.
    pub page: Option<Vec<u8>>,
    /// The launcher as PNG.
    pub launcher: Option<Vec<u8>>,
    /// The page with the open panel as PNG.
    pub panel: Option<Vec<u8>>,
}

/// Picture pixels for one CSS px of the layout.
pub(crate) fn pixel_scale(seen: &Observation) -> f64 {
    let (width, _) = seen.condition.viewport.size();
    let density = match seen.condition.viewport {
        Viewport::Phone => 2.0,
        Viewport::Desktop => 1.0,
    };
    density * f64::from(width) / seen.view().width.max(1.0)
}
