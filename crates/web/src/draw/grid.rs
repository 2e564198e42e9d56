//! The consent grid: states down, signals across. A hollow dot is silence, a square a signal that may
//! be, a triangle one that may not.

use super::escape;
use newtfern_core::consent::{Grid, Signal};
use newtfern_core::observation::ConsentAct;

pub fn svg(grid: &Grid) -> String {
    let states: Vec<ConsentAct> = [
        ConsentAct::Untouched,
        ConsentAct::Refused,
        ConsentAct::Granted,
    ]
    .into_iter()
    .filter(|s| grid.cells.iter().any(|c| c.state == *s))
    .collect();
    let words: Vec<String> = grid
        .cells
        .iter()
        .map(|c| {
            format!(
                "{} {}: {}{}",
                c.state.word(),
                c.signal.words(),
                c.count,
                if c.allowed || c.count == 0 {
                    ""
                } else {
                    ", not allowed"
                }
            )
        })
        .collect();
    let words = escape(&words.join("; "));
    let height = 16 + 17 * states.len();
    let mut out = format!(
        r#"<svg class="consentgrid" viewBox="0 0 240 {height}" width="240" height="{height}" role="img" aria-label="{words}"><title>{words}</title>"#
    );
    for (i, signal) in Signal::ALL.into_iter().enumerate() {
        out.push_str(&format!(
            r#"<text class="small" x="{}" y="11" text-anchor="middle">{}</text>"#,
            98 + 56 * i,
            signal.words()
        ));
    }
    for (row, state) in states.iter().enumerate() {
        let y = 25 + 17 * row;
        out.push_str(&format!(
            r#"<text class="small" x="0" y="{}">{}</text>"#,
            y + 4,
            state.word()
        ));
        for (i, signal) in Signal::ALL.into_iter().enumerate() {
            let x = 98 + 56 * i as i32;
            let y = y as i32;
            match grid
                .cells
                .iter()
                .find(|c| c.state == *state && c.signal == signal)
            {
                Some(c) if c.count > 0 && c.allowed => out.push_str(&format!(
                    r#"<rect class="cell ok" x="{}" y="{}" width="9" height="9"/>"#,
                    x - 5,
                    y - 5
                )),
                Some(c) if c.count > 0 => out.push_str(&format!(
                    r#"<path class="cell bad" d="M{x} {}l6 11h-12z"/>"#,
                    y - 6
                )),
                Some(_) => out.push_str(&format!(
                    r#"<circle class="cell none" cx="{x}" cy="{y}" r="3"/>"#
                )),
                None => out.push_str(&format!(
                    r#"<path class="cell none" d="M{} {y}h6"/>"#,
                    x - 3
                )),
            }
        }
    }
    out.push_str("</svg>");
    out
}
