//! What a file would change, worked out against the sites that are there; nothing is written here.

use super::near::{near, plain};
use super::sheet::{Cells, Row, Sheet};
use crate::expectation::{IntendedField, Widget, first_widget, with_intended};
use crate::site::{FieldError, SiteChoices, SiteField, SiteFields};
use newtfern_standards::address;
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_standards::typed::{self, MOST_NAME};
use std::collections::{BTreeMap, HashMap, HashSet};

/// A site that is there.
#[derive(Debug, Clone)]
pub struct ExistingSite {
    /// Number of the site.
    pub id: i64,
    /// Name of the site's client.
    pub client: String,
    /// Fields of the site today.
    pub fields: SiteFields,
    /// The file it came from.
    pub beyond: String,
}

/// Sites and profiles that a file is read against.
pub struct Estate<'a> {
    /// Choices that a site may name.
    pub known: SiteChoices<'a>,
    /// Sites with addresses of the file, by address.
    pub sites: &'a HashMap<String, ExistingSite>,
    /// Names of all clients.
    pub clients: &'a [String],
    /// Network rule that addresses must obey.
    pub private: &'a PrivateHosts,
    /// The client of new sites of files that name none.
    pub client: Option<&'a str>,
    /// Fields of new sites where the file has no column.
    pub usual: &'a SiteFields,
    /// Answers about clients that nearly equal a known one: the name given, the one that is meant.
    pub answers: &'a BTreeMap<String, String>,
}

/// One value that changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Name of the changed value, for people.
    pub label: &'static str,
    /// Value before the change.
    pub before: String,
    /// Value after the change.
    pub after: String,
}

/// Plan for one row.
#[derive(Debug, Clone, PartialEq)]
pub enum RowPlan {
    /// Adds a new site.
    Add,
    /// A site that is there changes.
    Change {
        /// Number of the changed site.
        id: i64,
        /// Values that change.
        changes: Vec<Change>,
    },
    /// The site is as the row says.
    Same {
        /// Number of the unchanged site.
        id: i64,
    },
    /// The row cannot be taken.
    Refused(String),
}

/// What a row says beyond a site's fields, as an expectation file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Beyond {
    /// The row is such a file, with its design and all texts.
    File(String),
    /// Cells with what the widget is meant to do, put into the file that is kept. Its design stays.
    Cells(String),
}

impl Beyond {
    /// Returns the text of the file.
    pub fn text(&self) -> &str {
        match self {
            Beyond::File(text) | Beyond::Cells(text) => text,
        }
    }

    /// Returns the file that the row is, if it is one.
    pub fn file(&self) -> Option<&str> {
        match self {
            Beyond::File(text) => Some(text),
            Beyond::Cells(_) => None,
        }
    }
}

/// Row with the plan for it.
#[derive(Debug, Clone, PartialEq)]
pub struct PlannedRow {
    /// Line in the file.
    pub line: u64,
    /// Name of the file, where each is a site.
    pub file: String,
    /// Name of the row's client.
    pub client: String,
    /// The fields as they would be.
    pub fields: SiteFields,
    /// A token for the platform's interface.
    pub token: Option<String>,
    /// What it says beyond the site's fields.
    pub beyond: Option<Beyond>,
    /// Plan for the row.
    pub what: RowPlan,
}

impl PlannedRow {
    /// Returns why the row is refused, if it is.
    pub fn refused(&self) -> Option<&str> {
        match &self.what {
            RowPlan::Refused(why) => Some(why),
            _ => None,
        }
    }
}

/// A client that a file names and nobody knows, although one is called nearly so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Question {
    /// Name as the file has it.
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
            let why = format!("address: {} is in this file twice", planned.fields.url);
            planned.what = RowPlan::Refused(why);
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
        what: RowPlan::Add,
    };
    let cells = match &row.cells {
        Ok(cells) => cells,
        Err(why) => {
            out.what = RowPlan::Refused(why.clone());
            return out;
        }
    };
    out.token.clone_from(&cells.token);
    out.beyond = cells.beyond.clone().map(Beyond::File);
    if let Err(why) = fill(&mut out, cells, estate) {
        out.what = RowPlan::Refused(why);
    }
    out
}

fn fill(out: &mut PlannedRow, cells: &Cells, estate: &Estate) -> Result<(), String> {
    let given = cells.fields.get(&SiteField::Address);
    let url = given.and_then(|a| address::parse(a).ok());
    let kept = url.as_ref().and_then(|u| estate.sites.get(u.as_str()));
    let named = match (cells.client.is_empty(), kept) {
        (false, _) => Some(cells.client.clone()),
        // A spreadsheet has the column: an empty cell is a slip. A file of one site never names a
        // client.
        (true, Some(kept)) if cells.beyond.is_some() => Some(kept.client.clone()),
        (true, _) if cells.beyond.is_some() => estate.client.map(str::to_string),
        _ => None,
    };
    let mut told: Vec<String> = client_error(named.as_deref(), cells).into_iter().collect();
    out.client = named.filter(|_| told.is_empty()).unwrap_or_default();
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
    if out.beyond.is_none() && !cells.intended.is_empty() {
        match intended(&out.fields, cells, kept, estate) {
            Ok(file) => out.beyond = file.map(Beyond::Cells),
            Err(why) => told.push(why),
        }
    }
    match told.is_empty() {
        true => Ok(()),
        false => Err(told.join("; ")),
    }
}

/// Reason why the client that a row names cannot be taken.
fn client_error(named: Option<&str>, cells: &Cells) -> Option<String> {
    match named {
        None if cells.beyond.is_some() => {
            Some("client: choose the client for new sites".to_string())
        }
        None => Some("client: it is empty".to_string()),
        Some(name) if typed::text(name, MOST_NAME).is_err() => Some(format!(
            "client: it is longer than {MOST_NAME} characters or contains a NUL"
        )),
        Some(_) => None,
    }
}

/// The site's file with what the cells say of its widget; none where they say nothing new.
fn intended(
    fields: &SiteFields,
    cells: &Cells,
    kept: Option<&ExistingSite>,
    estate: &Estate,
) -> Result<Option<String>, String> {
    let beyond = kept.map(|k| k.beyond.as_str()).unwrap_or_default();
    let supplier = estate.known.supplier_of(fields);
    let values = cells.intended.iter().map(|(f, text)| (*f, text.as_str()));
    with_intended(fields, beyond, values, supplier).map_err(|e| e.to_string())
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
    match &planned.beyond {
        Some(Beyond::File(file)) => {
            let print = |text: &str| crate::expectation::beyond_fields(text);
            change(
                "Hours, texts, design and more",
                &print(&kept.beyond),
                &print(file),
            );
        }
        Some(Beyond::Cells(file)) => {
            let before = first_widget(&planned.fields, &kept.beyond);
            let after = first_widget(&planned.fields, file);
            for field in IntendedField::ALL {
                let value = |w: &Option<Widget>| w.as_ref().map(|w| field.get(w));
                let [before, after] = [&before, &after].map(|w| value(w).unwrap_or_default());
                change(field.label(), &before, &after);
            }
        }
        None => {}
    }
    if planned.token.is_some() {
        change("Platform token", "", "new token, stored encrypted");
    }
    planned.what = match changes.is_empty() {
        true => RowPlan::Same { id: kept.id },
        false => RowPlan::Change {
            id: kept.id,
            changes,
        },
    };
}
