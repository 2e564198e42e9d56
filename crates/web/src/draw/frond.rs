//! The frond: a stem with one leaflet a family. Full leaf passing, with a light rib where there are
//! remarks, notched failing, half undecided,
//! outline not yet, dashed stale, a dot not applicable.

use super::drawn;
use askama::Template;
use newtfern_verdict::family::{Family, Standing};

/// Draws one leaflet pointing up from the stem at the origin, 9 wide and 13 high.
fn leaflet(state: Standing) -> &'static str {
    match state {
        Standing::Passing => {
            r#"<path class="leaf ok" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/>"#
        }
        Standing::Remarks => {
            concat!(
                r#"<path class="leaf ok" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/>"#,
                r#"<path class="leaf rib" d="M0-2.5V-10.5"/>"#,
            )
        }
        Standing::Failing => {
            concat!(
                r#"<path class="leaf bad" d="M0 0C-5.5-3-5.5-9.5 0-13L1.6-9.4L-1.4-7.2"#,
                r#"L2.6-5.6L-.4-3.2L3.4-2.6Q1.8-.9 0 0Z"/>"#,
            )
        }
        Standing::Undecided => {
            concat!(
                r#"<path class="leaf line" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/>"#,
                r#"<path class="leaf half" d="M0 0C-5.5-3-5.5-9.5 0-13Z"/>"#,
            )
        }
        Standing::NotYet => {
            r#"<path class="leaf line" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/>"#
        }
        Standing::Stale => {
            r#"<path class="leaf dash" d="M0 0C-5.5-3-5.5-9.5 0-13C5.5-9.5 5.5-3 0 0Z"/>"#
        }
        Standing::NotApplicable => r#"<circle class="leaf dot" cx="0" cy="-4" r="1.6"/>"#,
    }
}

struct Leaf {
    x: String,
    y: String,
    turn: u32,
    /// Our own constant markup.
    leaf: &'static str,
}

#[derive(Template)]
#[template(path = "draw/frond.html")]
struct Picture {
    words: String,
    leaves: Vec<Leaf>,
}

#[derive(Template)]
#[template(
    source = r##"<svg class="leafmark" viewBox="-7 -15 14 17" width="14" height="17"
  aria-hidden="true">{{ leaf|safe }}</svg>"##,
    ext = "html"
)]
struct Mark {
    leaf: &'static str,
}

/// Draws a site's frond.
pub fn svg(standings: &[(Family, Standing)]) -> String {
    let at = |family| {
        let found = standings.iter().find(|(f, _)| *f == family);
        found.map_or(Standing::NotYet, |(_, s)| *s)
    };
    let said = |f: &Family| format!("{}: {}", f.label(), at(*f).words());
    let words: Vec<String> = Family::ALL.iter().map(said).collect();
    let leaf = |(i, family): (usize, Family)| {
        let x = 8.0 + 10.4 * i as f64;
        let t = x / 112.0;
        let y = 20.0 - 7.0 * t + 3.0 * t * t;
        Leaf {
            x: format!("{x:.1}"),
            y: format!("{y:.1}"),
            turn: if i % 2 == 0 { 24 } else { 156 },
            leaf: leaflet(at(family)),
        }
    };
    drawn(&Picture {
        words: words.join(", "),
        leaves: Family::ALL.into_iter().enumerate().map(leaf).collect(),
    })
}

/// A single leaflet beside a word.
pub fn mark(state: Standing) -> String {
    drawn(&Mark {
        leaf: leaflet(state),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn states_differ_in_shape_and_are_told_in_words() {
        let all = [
            Standing::Passing,
            Standing::Remarks,
            Standing::Failing,
            Standing::Undecided,
            Standing::NotYet,
            Standing::Stale,
            Standing::NotApplicable,
        ];
        let shapes: std::collections::HashSet<String> = all
            .iter()
            .map(|s| leaflet(*s).replace("class=", ""))
            .collect();
        assert_eq!(shapes.len(), all.len());
        assert!(
            svg(&[(Family::Load, Standing::Failing)]).contains("Load: failing, Pages: not yet")
        );
    }
}
