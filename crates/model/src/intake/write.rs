//! Spreadsheets that go out: all sites, an empty one to fill in, and the rows that were refused.

use super::sheet::plain;
use super::{NOTE, PlannedRow, Sheet, SiteRow, TOKEN, columns};
use crate::expectation::IntendedField;
use crate::intake::cell::{REASON, guarded};
use crate::site::{SiteChoices, SiteField};

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
    write_headings() + &write_rows(rows)
}

/// The headings alone, for a file that is written in parts.
pub fn write_headings() -> String {
    text_of([headings()])
}

/// Rows to follow headings, each cell guarded.
pub fn write_rows(rows: &[SiteRow]) -> String {
    let cells = |row: &SiteRow| {
        let fields = SiteField::ALL.iter().map(|f| row.site.get(*f));
        let widget = row.widget.as_ref();
        let value = |f: &IntendedField| widget.map(|w| f.get(w)).unwrap_or_default();
        let intended = IntendedField::ALL.iter().map(value);
        let client = std::iter::once(row.client.clone());
        client.chain(fields).chain(intended).collect()
    };
    text_of(rows.iter().map(cells))
}

/// An empty spreadsheet with the values that each column takes below its heading, in rows that are
/// read over when it comes back.
pub fn template(known: SiteChoices) -> String {
    let values = |field: SiteField| -> Vec<String> {
        let ids = |ids: &[&str]| ids.iter().map(|i| i.to_string()).collect();
        match field {
            SiteField::Name => vec!["name of the client".into()],
            SiteField::Address => vec!["https://www.site.example/".into()],
            SiteField::Platform | SiteField::TagManager => ids(known.platforms),
            SiteField::TagSet => vec!["short name of a platform profile".into()],
            SiteField::Supplier => known.suppliers.iter().map(|s| s.id.clone()).collect(),
            SiteField::Consent => ids(known.consents),
            SiteField::Key => vec!["from the client's account".into()],
            SiteField::SupplierHost => vec!["chat.tidemill.example, if the client runs it".into()],
            SiteField::Slot => vec!["short name of a slot of the platform".into()],
            SiteField::Languages => vec!["en, cy (BCP 47)".into()],
            SiteField::Country => vec!["GB (ISO 3166-1) or its English name".into()],
            SiteField::TimeZone => vec!["Europe/London (IANA)".into()],
            SiteField::Contact => vec!["e-mail or name of a contact".into()],
            SiteField::Budget => vec![format!("a number; empty: {}", crate::site::USUAL_BUDGET)],
            SiteField::On => vec!["/** or /shop/** kind:item".into()],
            SiteField::NotOn => vec!["/legal/** kind:basket".into()],
        }
    };
    let mut lists: Vec<Vec<String>> = SiteField::ALL.iter().map(|f| values(*f)).collect();
    let examples = IntendedField::ALL.iter().map(|f| vec![f.example().into()]);
    lists.extend(examples);
    lists.push(vec!["stored encrypted".into()]);
    let high = lists.iter().map(Vec::len).max().unwrap_or(0);
    let mut head = headings();
    head.push(TOKEN.into());
    let row = |i: usize| {
        let note = match i {
            0 => format!("{NOTE} allowed values; rows like this are ignored"),
            _ => NOTE.to_string(),
        };
        let cells = lists.iter().map(|l| l.get(i).cloned().unwrap_or_default());
        std::iter::once(note).chain(cells).collect()
    };
    text_of(std::iter::once(head).chain((0..high).map(row)))
}

/// Empties the cells of tokens. In a row of another length they may stand anywhere behind the
/// first.
fn without_tokens(headings: &[String], cells: &mut [String]) {
    let is_token = |heading: &String| plain(heading) == TOKEN;
    let Some(first) = headings.iter().position(is_token) else {
        return;
    };
    let shifted = cells.len() != headings.len();
    for (n, cell) in cells.iter_mut().enumerate().skip(first) {
        if shifted || headings.get(n).is_some_and(is_token) {
            cell.clear();
        }
    }
}

/// The rows of a file that were refused, as they stood there, with the reason beside them: mended,
/// they can be brought in again. Tokens are left out: whoever may look at an import may take this
/// file.
pub fn refused(sheet: &Sheet, rows: &[PlannedRow]) -> String {
    let mut head = match sheet.headings.is_empty() {
        true => vec!["file".to_string()],
        false => sheet.headings.clone(),
    };
    let wide = head.len();
    let head_names = head.clone();
    head.push(REASON.into());
    let lines = sheet.rows.iter().zip(rows).filter_map(|(row, planned)| {
        let why = planned.refused()?;
        let mut cells = match sheet.headings.is_empty() {
            true => vec![row.file.clone()],
            false => row.raw.clone(),
        };
        without_tokens(&head_names, &mut cells);
        cells.resize(wide, String::new());
        cells.push(why.to_string());
        Some(cells)
    });
    text_of(std::iter::once(head).chain(lines))
}
