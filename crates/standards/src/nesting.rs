//! How deep a text nests, counted before a reader that calls itself for each level is given it.

/// The most brackets that are open at one place of a text, whatever their kind and whether they
/// match. Brackets in quotes count too: the figure is never too small for a reader that knows
/// quotes.
///
/// ```
/// use newtfern_standards::nesting::depth;
/// assert_eq!(depth("a:not(b[c], d(e))"), 2);
/// assert_eq!(depth(")) (("), 2);
/// ```
pub fn depth(text: &str) -> usize {
    let (mut open, mut deepest) = (0_usize, 0);
    for byte in text.bytes() {
        match byte {
            b'(' | b'[' | b'{' => {
                open += 1;
                deepest = deepest.max(open);
            }
            b')' | b']' | b'}' => open = open.saturating_sub(1),
            _ => {}
        }
    }
    deepest
}
