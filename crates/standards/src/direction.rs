//! Which way a text runs, by its first letter that has a direction (Unicode Bidirectional
//! Algorithm, rules P2 and P3; isolates are passed over).

use unicode_bidi::{Direction, get_base_direction};

/// Returns whether a text runs from right to left. A text without such a letter runs from left to
/// right.
///
/// ```
/// use newtfern_standards::direction::is_right_to_left;
/// assert!(is_right_to_left("1. \u{645}\u{631}\u{62d}\u{628}\u{627}"));
/// assert!(!is_right_to_left("Hello \u{5e9}\u{5dc}\u{5d5}\u{5dd}"));
/// ```
pub fn is_right_to_left(text: &str) -> bool {
    get_base_direction(text) == Direction::Rtl
}
