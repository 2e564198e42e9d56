//! What of the launcher moves on and on.

use super::Tab;
use crate::ProbeError;
use serde_json::Value;

/// Reads running animations that never end or last longer than five seconds (WCAG 2.2, 2.2.2), of
/// the launcher and of a frame that it is.
///
/// # Errors
/// Where the page does not answer.
pub async fn read(tab: &Tab, selector: &str) -> Result<(), ProbeError> {
    let of_launcher = format!(
        "(() => {{
            const el = nf.pick({});
            if (!el) return null;
            const inner = el.contentDocument;
            const all = [...el.getAnimations({{subtree: true}}), ...(inner ? \
            inner.getAnimations() : [])];
            const long = a => a.playState === 'running' && \
            !(a.effect.getComputedTiming().endTime <= 5000);
            return all.filter(long).slice(0, 5).map(a => {{
                const on = a.effect.target;
                const cls = on && typeof on.className === 'string' && on.className ? '.' + \
                on.className.split(' ')[0] : '';
                const what = String(a.animationName || a.transitionProperty || 'by \
                script').slice(0, 60);
                const end = a.effect.getComputedTiming().endTime;
                const lasts = end === Infinity ? 'without end' : 'for ' + Math.round(end \
                / 1000) + ' s';
                return 'animation ' + what + ' on ' + (on ? on.localName : '') + cls.slice(0, 60) \
                + ', ' + lasts;
            }});
        }})()",
        Value::from(selector)
    );
    let told = tab.evaluate(&of_launcher).await?;
    let moving = serde_json::from_value(told).unwrap_or_default();
    tab.mark(|o| o.moving = moving);
    Ok(())
}
