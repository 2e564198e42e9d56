//! Spreadsheets that go out: all sites, an empty one to fill in, and the rows that were refused.

use super::{NOTE, PlannedRow, Sheet, SiteRow, TOKEN, columns};
use crate::site::{Known, SiteField};

/// The column with what is wrong, in the file of refused rows.
pub(super) const REASON: &str = "reason";

/// With their full-width forms (Unicode block FF00), which spreadsheets of East Asia read alike.
const FORMULA: [char; 10] = [
    '=', '+', '-', '@', '\t', '\r', '\u{ff1d}', '\u{ff0b}', '\u{ff0d}', '\u{ff20}',
];

/// Takes off the apostrophe that `write` puts before what looks like a formula.
pub(super) fn unguarded(cell: &str) -> &str {
    cell.strip_prefix('\'')
        .filter(|rest| rest.starts_with(FORMULA))
        .unwrap_or(cell)
}

/// A cell that a spreadsheet would run as a formula gets a leading apostrophe (common practice against
/// formula injection).
pub fn guarded(cell: String) -> String {
    match cell.starts_with(FORMULA) {
        true => format!("'{cell}"),
        false => cell,
    }
}

fn text_of(rows: impl IntoIterator<Item = Vec<String>>) -> String {
    let mut writer = csv::WriterBuilder::new()
        .flexible(true)
        .from_writer(Vec::new());
    for row in rows {
        // Writing to memory does not fail.
        let _ = writer.write_record(row.into_iter().map(guarded));
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

fn headings() -> Vec<String> {
    columns().into_iter().map(str::to_string).collect()
}

/// Writes rows with headings, each cell guarded.
pub fn write(rows: &[SiteRow]) -> String {
    let cells = |row: &SiteRow| {
        let fields = SiteField::ALL.iter().map(|f| row.site.get(*f));
        std::iter::once(row.client.clone()).chain(fields).collect()
    };
    text_of(std::iter::once(headings()).chain(rows.iter().map(cells)))
}

/// An empty spreadsheet with the values that each column takes below its heading, in rows that are read
/// over when it comes back.
pub fn template(known: Known) -> String {
    let values = |field: SiteField| -> Vec<String> {
        let ids = |ids: &[&str]| ids.iter().map(|i| i.to_string()).collect();
        match field {
            SiteField::Name => vec!["what people call it".into()],
            SiteField::Address => vec!["https://www.site.example/".into()],
            SiteField::Platform | SiteField::TagManager => ids(known.platforms),
            SiteField::TagSet => vec!["as the pages name it".into()],
            SiteField::Supplier => known.suppliers.iter().map(|s| s.id.clone()).collect(),
            SiteField::Consent => ids(known.consents),
            SiteField::Key => vec!["from the client's account".into()],
            SiteField::Slot => vec!["short name of a slot of the platform".into()],
            SiteField::Languages => vec!["en, cy (BCP 47)".into()],
            SiteField::Country => vec!["GB (ISO 3166-1) or its English name".into()],
            SiteField::TimeZone => vec!["Europe/London (IANA)".into()],
            SiteField::Contact => vec!["whom to write to".into()],
            SiteField::Budget => vec![format!("a number; empty for {}", crate::site::USUAL_BUDGET)],
            SiteField::On => vec!["/** or /shop/** kind:item".into()],
            SiteField::NotOn => vec!["/legal/** kind:basket".into()],
        }
    };
    let mut lists: Vec<Vec<String>> = SiteField::ALL.iter().map(|f| values(*f)).collect();
    lists.push(vec!["sealed when it is read".into()]);
    let high = lists.iter().map(Vec::len).max().unwrap_or(0);
    let mut head = headings();
    head.push(TOKEN.into());
    let row = |i: usize| {
        let note = match i {
            0 => format!("{NOTE} allowed values; rows like this are read over"),
            _ => NOTE.to_string(),
        };
        let cells = lists.iter().map(|l| l.get(i).cloned().unwrap_or_default());
        std::iter::once(note).chain(cells).collect()
    };
    text_of(std::iter::once(head).chain((0..high).map(row)))
}

/// The rows of a file that were refused, as they stood there, with the reason beside them: mended, they
/// can be brought in again.
pub fn refused(sheet: &Sheet, rows: &[PlannedRow]) -> String {
    let mut head = match sheet.headings.is_empty() {
        true => vec!["file".to_string()],
        false => sheet.headings.clone(),
    };
    let wide = head.len();
    head.push(REASON.into());
    let lines = sheet.rows.iter().zip(rows).filter_map(|(row, planned)| {
        let why = planned.refused()?;
        let mut cells = match sheet.headings.is_empty() {
            true => vec![row.file.clone()],
            false => row.raw.clone(),
        };
        cells.resize(wide, String::new());
        cells.push(why.to_string());
        Some(cells)
    });
    text_of(std::iter::once(head).chain(lines))
}
