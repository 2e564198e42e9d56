//! A file as rows of cells: what is there, not yet what it means.

use super::{IntakeError, MOST_ROWS, NEEDED, NOTE, TOKEN};
use crate::expectation::{Expectation, IntendedField};
use crate::intake::cell::unguarded;
use crate::site::{SiteField, SiteFields};
use std::collections::{BTreeMap, HashMap, HashSet};

/// Values of one row.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Cells {
    /// The client's name; empty where the file names none.
    pub client: String,
    /// The fields that the file has a column for.
    pub fields: BTreeMap<SiteField, String>,
    /// What the widget is meant to do, where the file has a column for it.
    pub intended: BTreeMap<IntendedField, String>,
    /// The token for the platform's interface, if one is given.
    pub token: Option<String>,
    /// The expectation file that the row was read from.
    pub beyond: Option<String>,
}

/// Row of a file, or one file of several.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// Line in the file, 1-based; place among the files, where each is a site.
    pub line: u64,
    /// Name of the file, where each is a site.
    pub file: String,
    /// Cells as the file has them, for giving them back.
    pub raw: Vec<String>,
    /// Values of the row, or why there are none.
    pub cells: Result<Cells, String>,
}

/// A file that was read.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Sheet {
    /// Headings as the file has them.
    pub headings: Vec<String>,
    /// Every row below the headings.
    pub rows: Vec<Row>,
    /// Remarks on how the file was read.
    pub remarks: Vec<String>,
}

/// Spreadsheets write UTF-8, with or without a mark, or UTF-16 with one; old ones write
/// Windows-1252.
fn decoded(bytes: &[u8]) -> Result<(String, Option<String>), IntakeError> {
    if let Some((encoding, mark)) = encoding_rs::Encoding::for_bom(bytes) {
        let (text, damaged) = encoding.decode_without_bom_handling(&bytes[mark..]);
        let told = (encoding != encoding_rs::UTF_8).then(|| format!("read as {}", encoding.name()));
        return match damaged {
            true => Err(IntakeError::NoText),
            false => Ok((text.into_owned(), told)),
        };
    }
    if let Ok(text) = std::str::from_utf8(bytes) {
        return Ok((text.to_string(), None));
    }
    let (text, _) = encoding_rs::WINDOWS_1252.decode_without_bom_handling(bytes);
    let control = |c: char| c.is_control() && !matches!(c, '\r' | '\n' | '\t');
    if text.contains(control) {
        return Err(IntakeError::NoText);
    }
    let told = "the file is not UTF-8, so it was read as Windows-1252: check names with accents";
    Ok((text.into_owned(), Some(told.into())))
}

/// Returns the rows and their separator: the one that the file names, else the likeliest.
fn separated(text: &str) -> Result<(&str, u8), IntakeError> {
    let (text, given) = match text.strip_prefix("sep=") {
        // A habit of spreadsheet programs: the separator in a line of its own.
        Some(rest) => (
            rest.split_once('\n').map_or("", |(_, rest)| rest),
            rest.bytes().next(),
        ),
        None => (text, None),
    };
    let first = text.lines().next().filter(|l| !l.trim().is_empty());
    let first = first.ok_or(IntakeError::Empty)?;
    let count = |d: &u8| first.bytes().filter(|b| b == d).count();
    let likely = [b';', b'\t', b','].into_iter().max_by_key(count);
    Ok((text, given.or(likely).unwrap_or(b',')))
}

/// Reads a spreadsheet: separators and headings are found, quotes and line ends are CSV's (RFC
/// 4180).
///
/// # Errors
/// [`IntakeError`], where the file as a whole cannot be read; a row that cannot is told in its
/// place.
pub fn read(bytes: &[u8]) -> Result<Sheet, IntakeError> {
    let (text, told) = decoded(bytes)?;
    let (text, separator) = separated(&text)?;
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(separator)
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let head = reader.headers().map_err(|_| IntakeError::Empty)?.clone();
    let columns = columns(&head)?;
    let mut sheet = Sheet {
        headings: head.iter().map(str::to_string).collect(),
        rows: Vec::new(),
        remarks: told.into_iter().collect(),
    };
    let unknown: Vec<&str> = columns.unknown.iter().map(String::as_str).collect();
    if !unknown.is_empty() {
        let told = format!("unknown columns were ignored: {}", unknown.join(", "));
        sheet.remarks.push(told);
    }
    let mut notes = 0;
    for (i, record) in reader.records().enumerate() {
        if sheet.rows.len() >= MOST_ROWS {
            return Err(IntakeError::TooLong(MOST_ROWS));
        }
        let record = match record {
            Ok(record) => record,
            Err(e) => {
                sheet.rows.push(Row {
                    line: e.position().map_or(i as u64 + 2, |p| p.line()),
                    file: String::new(),
                    raw: Vec::new(),
                    cells: Err(format!("the row cannot be read: {e}")),
                });
                continue;
            }
        };
        let row = row(&record, &head, &columns);
        if row.cells.as_ref().is_ok_and(|c| c.client.starts_with(NOTE)) {
            notes += 1;
            continue;
        }
        sheet.rows.push(row);
    }
    if notes > 0 {
        let told = format!("{notes} rows that begin with {NOTE} are notes and were ignored");
        sheet.remarks.push(told);
    }
    Ok(sheet)
}

/// Columns by the field they hold.
struct Columns {
    client: usize,
    token: Option<usize>,
    fields: Vec<(SiteField, usize)>,
    intended: Vec<(IntendedField, usize)>,
    unknown: Vec<String>,
}

/// A heading as it is compared.
pub(super) fn plain(heading: &str) -> String {
    heading.to_lowercase().replace([' ', '-'], "_")
}

/// Headings as they are named, whatever their order and case; of two alike the first counts.
fn columns(head: &csv::StringRecord) -> Result<Columns, IntakeError> {
    let mut at: HashMap<String, usize> = HashMap::new();
    let mut unknown = Vec::new();
    let known: HashSet<&str> = super::columns().into_iter().chain([TOKEN]).collect();
    for (i, heading) in head.iter().enumerate() {
        let name = plain(heading);
        // What refused rows come back with is read over when they are mended.
        let ours = name.is_empty() || name == crate::intake::cell::REASON;
        if !known.contains(name.as_str()) && !ours && unknown.len() < 20 {
            unknown.push(heading.chars().take(60).collect());
        }
        at.entry(name).or_insert(i);
    }
    let missing: Vec<&str> = NEEDED
        .into_iter()
        .filter(|c| !at.contains_key(*c))
        .collect();
    if !missing.is_empty() {
        return Err(IntakeError::Columns(missing.join(", ")));
    }
    let (fields, intended) = (SiteField::ALL.iter(), IntendedField::ALL.iter());
    Ok(Columns {
        client: at["client"],
        token: at.get(TOKEN).copied(),
        fields: fields
            .filter_map(|f| Some((*f, *at.get(f.heading())?)))
            .collect(),
        intended: intended
            .filter_map(|f| Some((*f, *at.get(f.heading())?)))
            .collect(),
        unknown,
    })
}

fn row(record: &csv::StringRecord, head: &csv::StringRecord, columns: &Columns) -> Row {
    let mut out = Row {
        line: record.position().map_or(0, |p| p.line()),
        file: String::new(),
        raw: record.iter().map(str::to_string).collect(),
        cells: Ok(Cells::default()),
    };
    if record.len() > head.len() {
        out.cells = Err(format!(
            "{} cells under {} headings: put quotes around cells that contain the separator",
            record.len(),
            head.len()
        ));
        return out;
    }
    let cell = |i: usize| unguarded(record.get(i).unwrap_or_default()).to_string();
    out.cells = Ok(Cells {
        client: cell(columns.client),
        fields: columns.fields.iter().map(|(f, i)| (*f, cell(*i))).collect(),
        intended: columns
            .intended
            .iter()
            .map(|(f, i)| (*f, cell(*i)))
            .collect(),
        token: columns.token.map(cell).filter(|t| !t.is_empty()),
        beyond: None,
    });
    out
}

/// Reads expectation files, each a site; `files` are names and texts.
///
/// # Errors
/// [`IntakeError::TooLong`]; a file that cannot be read is told in its place.
pub fn files(files: &[(String, String)]) -> Result<Sheet, IntakeError> {
    if files.len() > MOST_ROWS {
        return Err(IntakeError::TooLong(MOST_ROWS));
    }
    let row = |(i, (name, text)): (usize, &(String, String))| Row {
        line: i as u64 + 1,
        file: name.clone(),
        raw: Vec::new(),
        cells: match Expectation::read(text) {
            Ok(read) => Ok(cells_of(&read, text)),
            Err(why) => Err(why.to_string()),
        },
    };
    Ok(Sheet {
        headings: Vec::new(),
        rows: files.iter().enumerate().map(row).collect(),
        remarks: Vec::new(),
    })
}

/// Fields that an expectation file speaks of.
const OF_FILE: [SiteField; 9] = [
    SiteField::Address,
    SiteField::Platform,
    SiteField::Supplier,
    SiteField::Key,
    SiteField::Consent,
    SiteField::Languages,
    SiteField::Country,
    SiteField::TimeZone,
    SiteField::On,
];

fn cells_of(read: &Expectation, text: &str) -> Cells {
    let mut fields = SiteFields::default();
    read.fill(&mut fields);
    let known = OF_FILE.into_iter().chain([SiteField::NotOn]);
    Cells {
        client: String::new(),
        fields: known.map(|f| (f, fields.get(f))).collect(),
        intended: BTreeMap::new(),
        token: None,
        beyond: Some(text.to_string()),
    }
}
