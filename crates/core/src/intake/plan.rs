//! What a file would change, worked out against the sites that are there; nothing is written here.

use super::near::{near, plain};
use super::sheet::{Cells, Row, Sheet};
use crate::address;
use crate::private_hosts::PrivateHosts;
use crate::site::{FieldError, Known, MOST_NAME, SiteField, SiteFields};
use crate::typed;
use std::collections::{BTreeMap, HashMap, HashSet};

/// A site that is there.
#[derive(Debug, Clone)]
pub struct Kept {
    /// Its number.
    pub id: i64,
    /// Its client's name.
    pub client: String,
    /// Its fields.
    pub fields: SiteFields,
    /// The file it came from.
    pub beyond: String,
}

/// What a file is read against.
pub struct Estate<'a> {
    /// What a site may name.
    pub known: Known<'a>,
    /// Sites with addresses of the file, by address.
    pub sites: &'a HashMap<String, Kept>,
    /// Names of all clients.
    pub clients: &'a [String],
    /// The network rule.
    pub private: &'a PrivateHosts,
    /// The client of new sites of files that name none.
    pub client: Option<&'a str>,
    /// What new sites have where the file has no column.
    pub usual: &'a SiteFields,
    /// What people said of clients that nearly equal a known one: the name given, the one that is meant.
    pub answers: &'a BTreeMap<String, String>,
}

/// One value that changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// What, for people.
    pub label: &'static str,
    /// As it is.
    pub before: String,
    /// As it would be.
    pub after: String,
}

/// What becomes of a row.
#[derive(Debug, Clone, PartialEq)]
pub enum Planned {
    /// A new site.
    Add,
    /// A site that is there changes.
    Change {
        /// Which.
        id: i64,
        /// What.
        changes: Vec<Change>,
    },
    /// The site is as the row says.
    Same {
        /// Which.
        id: i64,
    },
    /// It cannot be taken.
    Refused(String),
}

/// One row with what becomes of it.
#[derive(Debug, Clone, PartialEq)]
pub struct PlannedRow {
    /// Line in the file.
    pub line: u64,
    /// Name of the file, where each is a site.
    pub file: String,
    /// The client.
    pub client: String,
    /// The fields as they would be.
    pub fields: SiteFields,
    /// A token for the platform's interface.
    pub token: Option<String>,
    /// The expectation file that it was read from.
    pub beyond: Option<String>,
    /// What becomes of it.
    pub what: Planned,
}

impl PlannedRow {
    /// Why it is refused, if it is.
    pub fn refused(&self) -> Option<&str> {
        match &self.what {
            Planned::Refused(why) => Some(why),
            _ => None,
        }
    }
}

/// A client that a file names and nobody knows, although one is called nearly so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Question {
    /// As the file has it.
    pub given: String,
    /// The client that may be meant.
    pub near: String,
    /// Rows that name it.
    pub rows: usize,
}

/// Works out what becomes of each row, and what has to be asked first.
pub fn plan(sheet: &Sheet, estate: &Estate) -> (Vec<PlannedRow>, Vec<Question>) {
    let by_name: HashMap<String, &String> = estate
        .clients
        .iter()
        .map(|c| (c.to_lowercase(), c))
        .collect();
    let compared: Vec<(String, String)> = estate
        .clients
        .iter()
        .map(|c| (plain(c), c.clone()))
        .collect();
    let mut asked: BTreeMap<String, Option<Question>> = BTreeMap::new();
    let mut seen: HashSet<String> = HashSet::new();
    let mut out = Vec::with_capacity(sheet.rows.len());
    for row in &sheet.rows {
        let mut planned = row_planned(row, estate);
        if planned.refused().is_none() && !seen.insert(planned.fields.url.clone()) {
            let why = format!("address: {} stands in this file twice", planned.fields.url);
            planned.what = Planned::Refused(why);
        }
        if planned.refused().is_none() {
            let lower = planned.client.to_lowercase();
            if let Some(known) = by_name.get(&lower) {
                planned.client = (*known).clone();
            } else if let Some(meant) = estate.answers.get(&planned.client) {
                planned.client.clone_from(meant);
            } else {
                let question = asked.entry(planned.client.clone()).or_insert_with(|| {
                    let near = near(&planned.client, &compared)?.to_string();
                    Some(Question {
                        given: planned.client.clone(),
                        near,
                        rows: 0,
                    })
                });
                if let Some(question) = question {
                    question.rows += 1;
                }
            }
            settle(&mut planned, estate);
        }
        out.push(planned);
    }
    (out, asked.into_values().flatten().collect())
}

fn row_planned(row: &Row, estate: &Estate) -> PlannedRow {
    let mut out = PlannedRow {
        line: row.line,
        file: row.file.clone(),
        client: String::new(),
        fields: SiteFields::default(),
        token: None,
        beyond: None,
        what: Planned::Add,
    };
    let cells = match &row.cells {
        Ok(cells) => cells,
        Err(why) => {
            out.what = Planned::Refused(why.clone());
            return out;
        }
    };
    out.token.clone_from(&cells.token);
    out.beyond.clone_from(&cells.beyond);
    if let Err(why) = fill(&mut out, cells, estate) {
        out.what = Planned::Refused(why);
    }
    out
}

fn fill(out: &mut PlannedRow, cells: &Cells, estate: &Estate) -> Result<(), String> {
    let given = cells.fields.get(&SiteField::Address);
    let url = given.and_then(|a| address::parse(a).ok());
    let kept = url.as_ref().and_then(|u| estate.sites.get(u.as_str()));
    let named = match (cells.client.is_empty(), kept) {
        (false, _) => Some(cells.client.clone()),
        // A spreadsheet has the column: an empty cell is a slip. A file of one site never names a client.
        (true, Some(kept)) if cells.beyond.is_some() => Some(kept.client.clone()),
        (true, _) if cells.beyond.is_some() => estate.client.map(str::to_string),
        _ => None,
    };
    let mut told = Vec::new();
    match &named {
        None if cells.beyond.is_some() => told.push("client: choose the one of new sites".into()),
        None => told.push("client: it is empty".to_string()),
        Some(name) if typed::text(name, MOST_NAME).is_err() => told.push(format!(
            "client: it is longer than {MOST_NAME} characters, or holds a NUL"
        )),
        Some(name) => out.client.clone_from(name),
    }
    let host = || url.as_ref().and_then(|u| u.host_str()).unwrap_or_default();
    let typed = |field: SiteField| match (cells.fields.get(&field), kept) {
        (Some(cell), _) => cell.clone(),
        (None, Some(kept)) => kept.fields.get(field),
        (None, None) if field == SiteField::Name => host().to_string(),
        (None, None) => estate.usual.get(field),
    };
    let (fields, errors) = SiteFields::read(&typed, estate.known);
    if fields.name.is_empty() {
        told.push("name: it is empty".into());
    }
    told.extend(
        errors
            .iter()
            .map(|e: &FieldError| format!("{}: {}", e.field.heading(), e.why)),
    );
    if let Some(Err(error)) = url.as_ref().map(|u| estate.private.refuse(u)) {
        told.push(format!(
            "address: {error}, which only an administrator can allow"
        ));
    }
    if let Some(Err(why)) = cells.token.as_deref().map(typed::token) {
        told.push(format!("{}: it {why}", super::TOKEN));
    }
    out.fields = fields;
    match told.is_empty() {
        true => Ok(()),
        false => Err(told.join("; ")),
    }
}

/// New, changed or as it is.
fn settle(planned: &mut PlannedRow, estate: &Estate) {
    let Some(kept) = estate.sites.get(&planned.fields.url) else {
        return;
    };
    let mut changes = Vec::new();
    let mut change = |label, before: &str, after: &str| {
        if before != after {
            changes.push(Change {
                label,
                before: before.to_string(),
                after: after.to_string(),
            });
        }
    };
    change("Client", &kept.client, &planned.client);
    for field in SiteField::ALL {
        let (before, after) = (kept.fields.get(*field), planned.fields.get(*field));
        change(field.label(), &before, &after);
    }
    if let Some(file) = &planned.beyond {
        let print = |text: &str| crate::expectation::beyond_fields(text);
        change(
            "Hours, texts, design and more",
            &print(&kept.beyond),
            &print(file),
        );
    }
    if planned.token.is_some() {
        change("Token of the platform's interface", "", "a new one, sealed");
    }
    planned.what = match changes.is_empty() {
        true => Planned::Same { id: kept.id },
        false => Planned::Change {
            id: kept.id,
            changes,
        },
    };
}
