//! Cells that a spreadsheet does not run.

/// Characters that begin a formula, with their full-width forms (Unicode block FF00), which
/// spreadsheets of East Asia read alike.
pub(super) const FORMULA: [char; 10] = [
    '=', '+', '-', '@', '\t', '\r', '\u{ff1d}', '\u{ff0b}', '\u{ff0d}', '\u{ff20}',
];

/// Takes off the apostrophe that `write` puts before what looks like a formula.
pub(super) fn unguarded(cell: &str) -> &str {
    cell.strip_prefix('\'')
        .filter(|rest| rest.starts_with(FORMULA))
        .unwrap_or(cell)
}

/// A cell that a spreadsheet would run as a formula gets a leading apostrophe (common practice
/// against formula injection).
pub fn guarded(cell: String) -> String {
    match cell.starts_with(FORMULA) {
        true => format!("'{cell}"),
        false => cell,
    }
}

/// The column with what is wrong, in the file of refused rows.
pub(super) const REASON: &str = "reason";
