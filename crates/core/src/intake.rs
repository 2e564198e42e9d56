//! Sites from a spreadsheet (CSV, RFC 4180): every row is accepted or comes back with its reason.
//! Columns are found by their heading; order and case do not matter.

use crate::address;
use serde::{Deserialize, Serialize};

/// The first three are needed.
pub const COLUMNS: [&str; 13] = [
    "client",
    "name",
    "address",
    "platform",
    "supplier",
    "key",
    "consent",
    "slot",
    "languages",
    "country",
    "time_zone",
    "contact",
    "budget_ms",
];

/// Characters of a name that still fit a row.
pub const MOST_NAME: usize = 120;

/// Platform, supplier and consent manager by their ids; empty where none is named.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct SiteRow {
    pub client: String,
    pub name: String,
    pub address: String,
    pub platform: String,
    pub supplier: String,
    pub key: String,
    pub consent: String,
    pub slot: String,
    pub languages: String,
    pub country: String,
    pub time_zone: String,
    pub contact: String,
    pub budget_ms: Option<f64>,
}

/// The ids that a row may name.
#[derive(Debug, Clone, Copy, Default)]
pub struct Known<'a> {
    pub platforms: &'a [&'a str],
    pub suppliers: &'a [&'a str],
    pub consents: &'a [&'a str],
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum IntakeError {
    #[error("the file is empty")]
    Empty,
    #[error("the first row must name the columns; missing: {0}")]
    Columns(String),
    #[error("the file is no UTF-8 text: save it as CSV UTF-8")]
    Encoding,
    #[error("the file has more than {0} rows: split it")]
    TooLong(usize),
}

/// One row of the file: its line, and the site or why not.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    pub line: u64,
    pub result: Result<SiteRow, String>,
}

pub const MOST_ROWS: usize = 5000;

pub fn read(bytes: &[u8], known: Known) -> Result<Vec<Row>, IntakeError> {
    // Spreadsheets write a byte order mark, and semicolons where the comma is the decimal mark.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let text = std::str::from_utf8(bytes).map_err(|_| IntakeError::Encoding)?;
    let first = text
        .lines()
        .next()
        .filter(|l| !l.trim().is_empty())
        .ok_or(IntakeError::Empty)?;
    let delimiter = [b';', b'\t', b',']
        .into_iter()
        .max_by_key(|d| first.bytes().filter(|b| b == d).count())
        .unwrap_or(b',');
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(delimiter)
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let headings: Vec<String> = reader
        .headers()
        .map_err(|_| IntakeError::Empty)?
        .iter()
        .map(|h| h.to_lowercase().replace([' ', '-'], "_"))
        .collect();
    let missing: Vec<&str> = ["client", "name", "address"]
        .into_iter()
        .filter(|c| !headings.iter().any(|h| h == c))
        .collect();
    if !missing.is_empty() {
        return Err(IntakeError::Columns(missing.join(", ")));
    }
    let mut rows: Vec<Row> = Vec::new();
    let mut seen: Vec<String> = Vec::new();
    for record in reader.records() {
        if rows.len() >= MOST_ROWS {
            return Err(IntakeError::TooLong(MOST_ROWS));
        }
        let record = match record {
            Ok(record) => record,
            Err(e) => {
                rows.push(Row {
                    line: e.position().map_or(0, |p| p.line()),
                    result: Err(format!("the row cannot be read: {e}")),
                });
                continue;
            }
        };
        let line = record.position().map_or(0, |p| p.line());
        let get = |column: &str| {
            headings
                .iter()
                .position(|h| h == column)
                .and_then(|i| record.get(i))
                .map(unguarded)
                .unwrap_or_default()
                .to_string()
        };
        let mut result = row(&get, record.len(), headings.len(), known);
        if let Ok(site) = &result {
            if seen.contains(&site.address) {
                result = Err(format!("{} stands in this file twice", site.address));
            } else {
                seen.push(site.address.clone());
            }
        }
        rows.push(Row { line, result });
    }
    Ok(rows)
}

fn row(
    get: &dyn Fn(&str) -> String,
    cells: usize,
    headings: usize,
    known: Known,
) -> Result<SiteRow, String> {
    if cells > headings {
        return Err(format!(
            "{cells} cells under {headings} headings: put quotes around cells that contain the separator"
        ));
    }
    let mut site = SiteRow {
        client: get("client"),
        name: get("name"),
        address: get("address"),
        platform: get("platform"),
        supplier: get("supplier"),
        key: get("key"),
        consent: get("consent"),
        slot: get("slot"),
        languages: get("languages"),
        country: get("country"),
        time_zone: get("time_zone"),
        contact: get("contact"),
        budget_ms: None,
    };
    if site.client.is_empty() {
        return Err("the client is empty".into());
    }
    if site.name.is_empty() {
        return Err("the name is empty".into());
    }
    if [&site.client, &site.name]
        .iter()
        .any(|t| t.chars().count() > MOST_NAME)
    {
        return Err(format!(
            "the client or the name is longer than {MOST_NAME} characters"
        ));
    }
    site.address = address::parse(&site.address)
        .map_err(|e| e.to_string())?
        .to_string();
    for (what, id, ids) in [
        ("platform", &site.platform, known.platforms),
        ("supplier", &site.supplier, known.suppliers),
        ("consent manager", &site.consent, known.consents),
    ] {
        if !id.is_empty() && !ids.contains(&id.as_str()) {
            let ids = if ids.is_empty() {
                "none".into()
            } else {
                ids.join(", ")
            };
            return Err(format!(
                "the {what} \u{201c}{id}\u{201d} is unknown; known are {ids}"
            ));
        }
    }
    // A key is a supplier's; where the house has only one, it need not be named.
    if let ([only], true, false) = (
        known.suppliers,
        site.supplier.is_empty(),
        site.key.is_empty(),
    ) {
        site.supplier = only.to_string();
    }
    let typed = get("budget_ms");
    if !typed.is_empty() {
        site.budget_ms = Some(budget(&typed).ok_or_else(|| {
            format!("the budget \u{201c}{typed}\u{201d} is no number of ms from 0 to {MOST_BUDGET}")
        })?);
    }
    if !is_country(&site.country) {
        return Err(format!(
            "the country \u{201c}{}\u{201d} is no two-letter code (ISO 3166-1)",
            site.country
        ));
    }
    site.country = site.country.to_uppercase();
    Ok(site)
}

pub const MOST_BUDGET: f64 = 10_000.0;

/// A budget for a widget's thread time in ms, as typed.
pub fn budget(text: &str) -> Option<f64> {
    text.trim()
        .parse()
        .ok()
        .filter(|ms| (0.0..=MOST_BUDGET).contains(ms))
}

/// Empty, or two letters as in ISO 3166-1.
pub fn is_country(code: &str) -> bool {
    code.is_empty() || (code.len() == 2 && code.bytes().all(|c| c.is_ascii_alphabetic()))
}

const FORMULA: [char; 6] = ['=', '+', '-', '@', '\t', '\r'];

/// Takes off the apostrophe that `write` puts before what looks like a formula.
fn unguarded(cell: &str) -> &str {
    cell.strip_prefix('\'')
        .filter(|rest| rest.starts_with(FORMULA))
        .unwrap_or(cell)
}

/// Writes rows with headings. A cell that a spreadsheet would run as a formula gets a leading
/// apostrophe (common practice against formula injection).
pub fn write(rows: &[SiteRow]) -> String {
    let mut writer = csv::Writer::from_writer(Vec::new());
    let safe = |cell: &str| {
        if cell.starts_with(FORMULA) {
            format!("'{cell}")
        } else {
            cell.to_string()
        }
    };
    let mut record = |cells: [&str; COLUMNS.len()]| writer.write_record(cells.map(safe)).is_ok();
    record(COLUMNS);
    for r in rows {
        let budget = r.budget_ms.map(|b| b.to_string()).unwrap_or_default();
        record([
            &r.client,
            &r.name,
            &r.address,
            &r.platform,
            &r.supplier,
            &r.key,
            &r.consent,
            &r.slot,
            &r.languages,
            &r.country,
            &r.time_zone,
            &r.contact,
            &budget,
        ]);
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_is_accepted_or_comes_back_with_its_reason() {
        let file = "\u{feff}Name;Client;Address;Country\nHome;Tide Mill;tidemill.example;gb\nShop;;x.example;GB\nBad;Mill;ftp://x.example;\nAgain;Mill;https://tidemill.example/;\nLand;Mill;y.example;Britain\n";
        let rows = read(file.as_bytes(), Known::default()).unwrap();
        assert_eq!(
            rows.iter().map(|r| r.line).collect::<Vec<_>>(),
            [2, 3, 4, 5, 6]
        );
        assert_eq!(
            rows[0].result.as_ref().unwrap().address,
            "https://tidemill.example/"
        );
        assert_eq!(rows[0].result.as_ref().unwrap().country, "GB");
        let why: Vec<String> = rows[1..]
            .iter()
            .map(|r| r.result.clone().unwrap_err())
            .collect();
        assert!(
            why[0].contains("client is empty")
                && why[1].contains("ftp")
                && why[2].contains("twice")
                && why[3].contains("two-letter"),
            "{why:?}"
        );
    }

    #[test]
    fn rows_name_what_the_house_knows_and_one_supplier_needs_no_naming() {
        let file = "client,name,address,supplier,key,consent,budget_ms\n\
            Mill,A,a.example,,mill-001,,\nMill,B,b.example,osier,mill-002,hedge,12.5\nMill,C,c.example,,,,\n\
            Mill,D,d.example,wattle,mill-003,,\nMill,E,e.example,,,fence,\nMill,F,f.example,,,,lots\nMill,G,g.example,,,,-1\n";
        let known = Known {
            suppliers: &["osier"],
            consents: &["hedge"],
            ..Known::default()
        };
        let rows = read(file.as_bytes(), known).unwrap();
        let of = |i: usize| rows[i].result.clone();
        assert_eq!(
            (
                of(0).unwrap().supplier.as_str(),
                of(1).unwrap().budget_ms,
                of(2).unwrap().supplier.as_str()
            ),
            ("osier", Some(12.5), "")
        );
        for (i, why) in [
            (3, "known are osier"),
            (4, "known are hedge"),
            (5, "is no number of ms"),
            (6, "is no number of ms"),
        ] {
            assert!(of(i).unwrap_err().contains(why), "{:?}", of(i));
        }
        // With two suppliers nobody guesses whose key it is.
        let two = Known {
            suppliers: &["osier", "wattle"],
            ..known
        };
        assert_eq!(
            read(file.as_bytes(), two).unwrap()[0]
                .result
                .as_ref()
                .unwrap()
                .supplier,
            ""
        );
    }

    #[test]
    fn a_file_without_its_columns_is_refused_whole() {
        assert_eq!(
            read(b"a,b\n1,2\n", Known::default()),
            Err(IntakeError::Columns("client, name, address".into()))
        );
        assert_eq!(read(b"", Known::default()), Err(IntakeError::Empty));
        assert_eq!(
            read(b"name,\xff\xfe\n", Known::default()),
            Err(IntakeError::Encoding)
        );
    }

    #[test]
    fn what_is_written_is_read_back() {
        let row = SiteRow {
            client: "Kite, \"Works\"".into(),
            name: "Home".into(),
            address: "https://kites.example/".into(),
            country: "IE".into(),
            ..SiteRow::default()
        };
        assert_eq!(
            read(
                write(std::slice::from_ref(&row)).as_bytes(),
                Known::default()
            )
            .unwrap()[0]
                .result,
            Ok(row)
        );
        let formula = SiteRow {
            client: "=1+1".into(),
            name: "'quoted'".into(),
            address: "https://kites.example/".into(),
            ..SiteRow::default()
        };
        let text = write(std::slice::from_ref(&formula));
        assert!(text.contains("'=1+1"));
        assert_eq!(
            read(text.as_bytes(), Known::default()).unwrap()[0].result,
            Ok(formula)
        );
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
        fn cells_survive_writing_and_reading(client in "[ -~\u{e9}]{1,20}", name in "[=+@a-z\",;'-][ -~]{0,20}", key in "[ -~]{0,20}") {
            let clean = |s: &str| s.trim().to_string();
            let row = SiteRow { client: clean(&client), name: clean(&name), key: clean(&key), address: "https://kites.example/".into(), ..SiteRow::default() };
            let apostrophe = |s: &str| s.starts_with('\'');
            proptest::prop_assume!(!row.client.is_empty() && !row.name.is_empty() && ![&row.client, &row.name, &row.key].iter().any(|s| apostrophe(s)));
            let back = read(write(std::slice::from_ref(&row)).as_bytes(), Known::default()).unwrap();
            proptest::prop_assert_eq!(&back[0].result, &Ok(row));
        }
    }
}
