//! What a push changes in a slot, line by line.

use newtfern_standards::slot_text::{self, Mark};

/// A line of a difference: its class, its sign, its text.
pub(crate) type Line = (&'static str, &'static str, String);

/// A line of a difference with its class and its sign.
pub(crate) fn marked((mark, line): (Mark, String)) -> Line {
    match mark {
        Mark::Same => ("same", " ", line),
        Mark::Added => ("added", "+", line),
        Mark::Removed => ("removed", "\u{2212}", line),
    }
}

pub(crate) fn difference(before: &str, after: &str) -> Vec<Line> {
    let lines = slot_text::difference(before, after);
    lines.into_iter().map(marked).collect()
}
