//! Where a supplier's snippet stands in a document and in what state: live, or damaged in one of
//! the ways that pasting, filtering and editing produce. Works on the parsed tree; the source text
//! is used for lines only and for what the parser had to drop.

mod delays;
mod inspector;
mod key;
mod piece;
mod script;
mod shape;

pub use inspector::Inspector;
pub(crate) use key::is_placeholder;
pub use piece::{Form, Inspection, KeySeen, Piece, PieceState};
pub use shape::Shape;

use newtfern_standards::script_scan::{is_typographic_quote, reread_quotes};

/// Typographic quotes and their look-alikes as plain ones.
pub(crate) fn plain_quotes(text: &str) -> String {
    reread_quotes(text)
        .chars()
        .map(|c| match c {
            '\u{0091}' | '\u{0092}' => '\'',
            '\u{2018}' | '\u{2019}' | '\u{201A}' | '\u{201B}' | '\u{2032}' | '\u{FF07}' => '\'',
            c if is_typographic_quote(c) => '"',
            c => c,
        })
        .collect()
}

/// Returns one line of at most 240 characters.
pub fn excerpt(text: &str) -> String {
    let flat = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if flat.chars().count() > 240 {
        flat.chars().take(239).chain(['\u{2026}']).collect()
    } else {
        flat
    }
}

#[cfg(test)]
mod tests;
