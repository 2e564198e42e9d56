//! The frond: a stem with one leaflet a family. Full leaf passing, notched failing, half undecided,
//! outline not yet, dashed stale, a dot not applicable.

use super::escape;
use newtfern_core::standing::{Family, State};

/// One leaflet pointing up from the stem at the origin, 9 wide and 13 high.
fn leaflet(state: State) -> &'static str {
    match state {
        State::Passing => {
            r#"<path class="leaf ok" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/>"#
        }
        State::Failing => {
            r#"<path class="leaf bad" d="M0 0C-5.5-3-5.5-9.5 0-13L1.6-9.4L-1.4-7.2L2.6-5.6L-.4-3.2L3.4-2.6Q1.8-.9 0 0Z"/>"#
        }
        State::Undecided => {
            r#"<path class="leaf line" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/><path class="leaf half" d="M0 0C-5.5-3-5.5-9.5 0-13Z"/>"#
        }
        State::NotYet => {
            r#"<path class="leaf line" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/>"#
        }
        State::Stale => {
            r#"<path class="leaf dash" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/>"#
        }
        State::NotApplicable => r#"<circle class="leaf dot" cx="0" cy="-4" r="1.6"/>"#,
    }
}

pub fn svg(standings: &[(Family, State)]) -> String {
    let at = |family| {
        standings
            .iter()
            .find(|(f, _)| *f == family)
            .map_or(State::NotYet, |(_, s)| *s)
    };
    let words: Vec<String> = Family::ALL
        .iter()
        .map(|f| format!("{}: {}", f.label(), at(*f).words()))
        .collect();
    let words = escape(&words.join(", "));
    let mut out = format!(
        r#"<svg class="frond" viewBox="0 0 112 34" width="112" height="34" role="img" aria-label="{words}"><title>{words}</title><path class="stem" d="M2 20Q56 14 110 16"/>"#
    );
    for (i, family) in Family::ALL.into_iter().enumerate() {
        let x = 9.0 + 11.6 * i as f64;
        let t = x / 112.0;
        let y = 20.0 - 7.0 * t + 3.0 * t * t;
        let turn = if i % 2 == 0 { 24 } else { 156 };
        out.push_str(&format!(
            r#"<g transform="translate({x:.1} {y:.1}) rotate({turn})">{}</g>"#,
            leaflet(at(family))
        ));
    }
    out.push_str("</svg>");
    out
}

/// A single leaflet beside a word.
pub fn mark(state: State) -> String {
    format!(
        r#"<svg class="leafmark" viewBox="-7 -15 14 17" width="14" height="17" aria-hidden="true">{}</svg>"#,
        leaflet(state)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn states_differ_in_shape_and_are_told_in_words() {
        let all = [
            State::Passing,
            State::Failing,
            State::Undecided,
            State::NotYet,
            State::Stale,
            State::NotApplicable,
        ];
        let shapes: std::collections::HashSet<String> = all
            .iter()
            .map(|s| leaflet(*s).replace("class=", ""))
            .collect();
        assert_eq!(shapes.len(), all.len());
        assert!(svg(&[(Family::Load, State::Failing)]).contains("Load: failing, Echo: not yet"));
    }
}
