//! How long the page's own script text waits before it brings the widget.

use super::Inspector;
use newtfern_standards::html::Document;
use newtfern_standards::script_scan::scan;

impl Inspector<'_> {
    /// Delays, in ms, that the page's own script text sets before it brings the widget.
    pub fn delays(&self, source: &str) -> Vec<u64> {
        if !self.mentions(source) {
            return Vec::new();
        }
        let document = Document::parse(source);
        document
            .walk()
            .into_iter()
            .filter(|id| {
                document.name(*id) == Some("script") && document.attribute(*id, "src").is_none()
            })
            .map(|id| scan(&document.text(id)).minimal)
            .filter(|text| self.mentions(text))
            .flat_map(|text| timeout_delays(&text))
            .collect()
    }
}

/// The second argument of every `setTimeout` call with a plain number.
fn timeout_delays(minimal: &str) -> Vec<u64> {
    let mut out = Vec::new();
    // Bounded both ways: calls that never close would each be followed to the end of the page.
    for (at, _) in minimal.match_indices("setTimeout(").take(50) {
        let mut depth = 1;
        let mut comma = None;
        for (i, c) in minimal[at + 11..].char_indices().take(20_000) {
            match c {
                '(' | '{' | '[' => depth += 1,
                ')' | '}' | ']' => depth -= 1,
                ',' if depth == 1 => comma = Some(at + 11 + i + 1),
                _ => {}
            }
            if depth == 0 {
                let argument = comma
                    .map(|from| &minimal[from..at + 11 + i])
                    .unwrap_or_default();
                out.extend(argument.trim().parse::<f64>().ok().map(|ms| ms as u64));
                break;
            }
        }
    }
    out
}
