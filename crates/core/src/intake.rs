//! Sites from a spreadsheet (CSV, RFC 4180): every row is accepted or comes back with its reason.
//! Columns are found by their heading; order and case do not matter.

use crate::site::{FieldError, Known, MOST_NAME, SiteField, SiteFields};
use crate::typed;
use std::collections::{HashMap, HashSet};

/// Columns that must be there.
pub const NEEDED: [&str; 3] = ["client", "name", "address"];

/// All columns: the client's, then those of the site.
pub fn columns() -> Vec<&'static str> {
    let fields = SiteField::ALL.iter().map(|f| f.heading());
    std::iter::once("client").chain(fields).collect()
}

/// A site with the client it belongs to.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SiteRow {
    /// The client's name.
    pub client: String,
    /// The site.
    pub site: SiteFields,
}

/// Why a spreadsheet is not read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum IntakeError {
    /// It has no rows.
    #[error("the file is empty")]
    Empty,
    /// Columns are missing; which.
    #[error("the first row must name the columns; missing: {0}")]
    Columns(String),
    /// It is not UTF-8.
    #[error("the file is no UTF-8 text: save it as CSV UTF-8")]
    Encoding,
    /// It has more rows than are taken; how many it has.
    #[error("the file has more than {0} rows: split it")]
    TooLong(usize),
}

/// One row of the file: its line, and the site or why not.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// Line in the file, 1-based.
    pub line: u64,
    /// The site, or why it is none.
    pub result: Result<SiteRow, String>,
}

/// Rows of one file.
pub const MOST_ROWS: usize = 10_000;

/// Reads a file: separators and headings are found, quotes and line ends are CSV's (RFC 4180).
///
/// # Errors
/// [`IntakeError`], where the file as a whole cannot be read; a row that cannot is told in its place.
pub fn read(bytes: &[u8], known: Known) -> Result<Vec<Row>, IntakeError> {
    // Spreadsheets write a byte order mark, and semicolons where the comma is the decimal mark.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let text = std::str::from_utf8(bytes).map_err(|_| IntakeError::Encoding)?;
    let first = text.lines().next().filter(|l| !l.trim().is_empty());
    let first = first.ok_or(IntakeError::Empty)?;
    let count = |d: &u8| first.bytes().filter(|b| b == d).count();
    let delimiter = [b';', b'\t', b','].into_iter().max_by_key(count);
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(delimiter.unwrap_or(b','))
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let headings = headings(reader.headers().map_err(|_| IntakeError::Empty)?)?;
    let mut rows: Vec<Row> = Vec::new();
    let mut seen: HashSet<String> = HashSet::new();
    for record in reader.records() {
        if rows.len() >= MOST_ROWS {
            return Err(IntakeError::TooLong(MOST_ROWS));
        }
        let record = match record {
            Ok(record) => record,
            Err(e) => {
                let line = e.position().map_or(0, |p| p.line());
                let result = Err(format!("the row cannot be read: {e}"));
                rows.push(Row { line, result });
                continue;
            }
        };
        let line = record.position().map_or(0, |p| p.line());
        let mut result = row(&record, &headings, known);
        if let Ok(row) = &result
            && !seen.insert(row.site.url.clone())
        {
            result = Err(format!("{} stands in this file twice", row.site.url));
        }
        rows.push(Row { line, result });
    }
    Ok(rows)
}

/// The headings as columns are named; of two alike the first counts.
fn headings(record: &csv::StringRecord) -> Result<csv::StringRecord, IntakeError> {
    let plain = |h: &str| h.to_lowercase().replace([' ', '-'], "_");
    let mut named = HashSet::new();
    let once = |h: String| {
        if named.insert(h.clone()) {
            h
        } else {
            String::new()
        }
    };
    let headings: csv::StringRecord = record.iter().map(plain).map(once).collect();
    let missing = |c: &&str| !headings.iter().any(|h| h == *c);
    let missing: Vec<&str> = NEEDED.into_iter().filter(missing).collect();
    match missing.is_empty() {
        true => Ok(headings),
        false => Err(IntakeError::Columns(missing.join(", "))),
    }
}

fn row(
    record: &csv::StringRecord,
    headings: &csv::StringRecord,
    known: Known,
) -> Result<SiteRow, String> {
    if record.len() > headings.len() {
        return Err(format!(
            "{} cells under {} headings: put quotes around cells that contain the separator",
            record.len(),
            headings.len()
        ));
    }
    let cells: HashMap<&str, &str> = record
        .deserialize(Some(headings))
        .map_err(|e| format!("the row cannot be read: {e}"))?;
    let get = |column: &str| {
        let cell = cells.get(column).copied().unwrap_or_default();
        unguarded(cell).to_string()
    };
    let client = get("client");
    if client.is_empty() {
        return Err("the client is empty".into());
    }
    if typed::text(&client, MOST_NAME).is_err() {
        return Err(format!(
            "the client is longer than {MOST_NAME} characters, or holds a NUL"
        ));
    }
    if get("name").is_empty() {
        return Err("the name is empty".into());
    }
    let (site, errors) = SiteFields::read(&|f: SiteField| get(f.heading()), known);
    if errors.is_empty() {
        return Ok(SiteRow { client, site });
    }
    let told: Vec<String> = errors.iter().map(FieldError::to_string).collect();
    Err(told.join("; "))
}

/// With their full-width forms (Unicode block FF00), which spreadsheets of East Asia read alike.
const FORMULA: [char; 10] = [
    '=', '+', '-', '@', '\t', '\r', '\u{ff1d}', '\u{ff0b}', '\u{ff0d}', '\u{ff20}',
];

/// Takes off the apostrophe that `write` puts before what looks like a formula.
fn unguarded(cell: &str) -> &str {
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

/// Writes rows with headings, each cell guarded.
pub fn write(rows: &[SiteRow]) -> String {
    let mut writer = csv::Writer::from_writer(Vec::new());
    // Writing to memory does not fail.
    let _ = writer.write_record(columns());
    for row in rows {
        let fields = SiteField::ALL.iter().map(|f| row.site.get(*f));
        let cells = std::iter::once(row.client.clone()).chain(fields);
        let _ = writer.write_record(cells.map(guarded));
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::Supplier;
    use crate::profile::tests::{SAMPLE, sample};

    #[test]
    fn every_row_is_accepted_or_comes_back_with_its_reason() {
        let file = "\u{feff}Name;Client;Address;Country\nHome;Tide Mill;tidemill.example;gb\nShop;;x.example;GB\nBad;Mill;ftp://x.example;\nAgain;Mill;https://tidemill.example/;\nLand;Mill;y.example;Britain\n";
        let rows = read(file.as_bytes(), Known::default()).unwrap();
        let lines: Vec<u64> = rows.iter().map(|r| r.line).collect();
        assert_eq!(lines, [2, 3, 4, 5, 6]);
        let first = &rows[0].result.as_ref().unwrap().site;
        assert_eq!(
            (first.url.as_str(), first.country.as_str()),
            ("https://tidemill.example/", "GB")
        );
        let why = |i: usize| rows[i].result.clone().unwrap_err();
        assert!(why(1).contains("client is empty") && why(2).contains("ftp"));
        assert!(
            why(3).contains("twice") && why(4).contains("ISO 3166-1"),
            "{}",
            why(4)
        );
    }

    /// Of two headings alike the first counts, and thousands alike cost no more than thousands.
    #[test]
    fn headings_that_are_there_twice_are_read_once() {
        let many = ",contact".repeat(30_000);
        let cells = ",later".repeat(30_000);
        let file =
            format!("client,name,address,contact{many}\nMill,Shop,mill.example,first{cells}\n");
        let rows = read(file.as_bytes(), Known::default()).unwrap();
        assert_eq!(rows[0].result.as_ref().unwrap().site.contact, "first");
    }

    #[test]
    fn rows_name_what_the_house_knows_and_every_mistake_of_a_row_is_told() {
        let file = "client,name,address,supplier,key,consent,budget_ms\n\
            Mill,A,a.example,,abcd-0001,,\nMill,B,b.example,example,abcd-0002,hedge,12.5\nMill,C,c.example,,,,\n\
            Mill,D,d.example,wattle,abcd-0003,,\nMill,E,e.example,,,fence,lots\n";
        let supplier = sample();
        let known = Known {
            suppliers: &[&supplier],
            consents: &["hedge"],
            ..Known::default()
        };
        let rows = read(file.as_bytes(), known).unwrap();
        let site = |i: usize| rows[i].result.clone().unwrap().site;
        assert_eq!(site(0).supplier_id.as_deref(), Some("example"));
        assert_eq!(site(1).budget_ms, 12.5);
        assert_eq!(site(2).supplier_id, None);
        let why = |i: usize| rows[i].result.clone().unwrap_err();
        assert!(why(3).contains("known are example"), "{}", why(3));
        assert!(
            why(4).contains("known are hedge") && why(4).contains("number of ms"),
            "{}",
            why(4)
        );
        // With two suppliers nobody guesses whose key it is.
        let other = Supplier::from_toml(&SAMPLE.replace("\"example\"", "\"wattle\"")).unwrap();
        let two = Known {
            suppliers: &[&supplier, &other],
            ..known
        };
        let rows = read(file.as_bytes(), two).unwrap();
        assert_eq!(rows[0].result.as_ref().unwrap().site.supplier_id, None);
    }

    #[test]
    fn a_file_without_its_columns_is_refused_whole() {
        let whole = |bytes: &[u8]| read(bytes, Known::default());
        let missing = IntakeError::Columns("client, name, address".into());
        assert_eq!(whole(b"a,b\n1,2\n"), Err(missing));
        assert_eq!(whole(b""), Err(IntakeError::Empty));
        assert_eq!(whole(b"name,\xff\xfe\n"), Err(IntakeError::Encoding));
    }

    fn a_row(client: &str, name: &str) -> SiteRow {
        SiteRow {
            client: client.into(),
            site: SiteFields {
                name: name.into(),
                url: "https://kites.example/".into(),
                ..SiteFields::default()
            },
        }
    }

    #[test]
    fn what_is_written_is_read_back() {
        let plain = a_row("Kite, \"Works\"", "Home");
        let formula = a_row("=1+1", "'quoted'");
        for row in [plain, formula] {
            let text = write(std::slice::from_ref(&row));
            assert_eq!(
                read(text.as_bytes(), Known::default()).unwrap()[0].result,
                Ok(row)
            );
        }
        assert!(write(&[a_row("=1+1", "x")]).contains("'=1+1"));
        assert!(write(&[a_row("\u{ff1d}1+1", "x")]).contains("'\u{ff1d}1+1"));
    }

    proptest::proptest! {
        /// Any bytes: an error or rows, each with its line; never a panic.
        #[test]
        fn any_file_is_answered(bytes in proptest::collection::vec(proptest::num::u8::ANY, 0..300), head in proptest::bool::ANY) {
            let mut file = if head { b"client,name,address,key\n".to_vec() } else { vec![] };
            file.extend(bytes);
            if let Ok(rows) = read(&file, Known { platforms: &["plugin-cms"], ..Known::default() }) {
                proptest::prop_assert!(rows.windows(2).all(|w| w[0].line <= w[1].line), "{rows:?}");
            }
        }

        /// What people write into cells, separators and quotes included, comes back as it was.
        #[test]
        fn cells_survive_writing_and_reading(client in "[ -~\u{e9}]{1,20}", name in "[=+@a-z\",;'-][ -~]{0,20}", contact in "[ -~]{0,20}") {
            let clean = |s: &str| s.trim().to_string();
            let mut row = a_row(&clean(&client), &clean(&name));
            row.site.contact = clean(&contact);
            let apostrophe = |s: &str| s.starts_with('\'');
            proptest::prop_assume!(!row.client.is_empty() && !row.site.name.is_empty());
            proptest::prop_assume!(![&row.client, &row.site.name, &row.site.contact].iter().any(|s| apostrophe(s)));
            let back = read(write(std::slice::from_ref(&row)).as_bytes(), Known::default()).unwrap();
            proptest::prop_assert_eq!(&back[0].result, &Ok(row));
        }
    }
}
