//! All that is wrong or odd in a profile's text.

use super::fields::{Shape, beside, fields};
use super::in_words;
use crate::code::nearest;
use crate::consent::Region;
use crate::platform::Platform;
use crate::profile::{ConsentManager, Supplier};
use crate::profiles::{ProfileKind, ProfilesError};
use crate::strict_toml;
use lol_html::Selector;
use lol_html::errors::SelectorError;
use std::str::FromStr;

/// What a look at a profile's text tells.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Looked {
    /// Its short name, as far as it can be read.
    pub id: String,
    /// Its name for people.
    pub name: String,
    /// What keeps it from being kept.
    pub problems: Vec<String>,
    /// What is odd, and can be kept all the same.
    pub remarks: Vec<String>,
}

/// Looks a text through.
pub fn look(kind: ProfileKind, text: &str) -> Looked {
    let mut out = Looked::default();
    let table: toml::Table = match strict_toml::read(text) {
        Ok(table) => table,
        Err(error) => {
            out.problems.push(error.to_string());
            return out;
        }
    };
    out.id = in_words(table.get("id"));
    out.name = in_words(table.get("name"));
    if out.id.trim().is_empty() {
        out.problems
            .push("it has no id: a short name by which sites name it".into());
    } else if let Err(why) = short_name(&out.id) {
        out.problems.push(why);
    }
    match ProfileKind::of("it", text) {
        Ok(found) if found != kind => out.problems.push(format!(
            "its tables are those of a {} and not of a {}",
            found.words(),
            kind.words()
        )),
        Err(ProfilesError::NoKind { .. }) => out.problems.push(format!(
            "it has no table of a {} yet, such as {}",
            kind.words(),
            kind.own_table()
        )),
        _ => {}
    }
    if let Err(why) = read(kind, text)
        && !out.problems.contains(&why)
    {
        out.problems.push(why);
    }
    out.problems.extend(selectors(kind, &table));
    out.remarks.extend(unknown(kind, &table));
    out
}

fn short_name(id: &str) -> Result<(), String> {
    let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_');
    match id.len() <= 60 && id.chars().all(plain) {
        true => Ok(()),
        false => Err(format!(
            "its id \u{201c}{id}\u{201d} is no short name: letters, digits, - and _, 60 at most"
        )),
    }
}

/// Read as it will be read when it is used.
fn read(kind: ProfileKind, text: &str) -> Result<(), String> {
    match kind {
        ProfileKind::Supplier => Supplier::given(text).map(|_| ()).map_err(|e| e.to_string()),
        ProfileKind::ConsentManager => ConsentManager::from_toml(text)
            .map(|_| ())
            .map_err(|e| e.to_string()),
        ProfileKind::Platform => Platform::given(text).map(|_| ()).map_err(|e| e.to_string()),
        ProfileKind::Region => Region::from_toml(text)
            .map(|_| ())
            .map_err(|e| e.to_string()),
        ProfileKind::SampleWords => Ok(()),
    }
}

/// Selectors that no browser reads.
fn selectors(kind: ProfileKind, table: &toml::Table) -> Vec<String> {
    let selected = fields(kind)
        .iter()
        .filter(|f| matches!(f.shape, Shape::Selector | Shape::Selectors));
    let mut out = Vec::new();
    for field in selected {
        for selector in in_words(super::at(table, field.path)).lines() {
            if let Some(why) = unreadable(selector) {
                out.push(format!(
                    "{} has \u{201c}{selector}\u{201d}, which is no selector: {why}",
                    field.path
                ));
            }
        }
    }
    out
}

/// Why a selector cannot be read; `>>>` steps into a shadow root and parts it in two. What this reader
/// does not support, browsers may.
fn unreadable(selector: &str) -> Option<String> {
    selector.split(">>>").find_map(|part| {
        use SelectorError::*;
        match Selector::from_str(part.trim()) {
            Ok(_) => None,
            Err(
                UnsupportedPseudoClassOrElement
                | NestedNegation
                | NamespacedSelector
                | UnsupportedCombinator(_)
                | UnsupportedSyntax,
            ) => None,
            Err(error) => Some(
                error
                    .to_string()
                    .to_lowercase()
                    .trim_end_matches('.')
                    .to_string(),
            ),
        }
    })
}

/// Fields in tables of ours that nothing reads: a typing error, most of the time.
fn unknown(kind: ProfileKind, table: &toml::Table) -> Vec<String> {
    let known: Vec<&str> = fields(kind)
        .iter()
        .map(|f| f.path)
        .chain(beside(kind).iter().copied())
        .collect();
    let mut out = Vec::new();
    for (name, value) in table {
        let is_table = known
            .iter()
            .any(|k| k.split_once('.').is_some_and(|(t, _)| t == name));
        if !is_table {
            // Tables of other parts of the job may stand beside ours.
            if !value.is_table() && !known.contains(&name.as_str()) && !value.is_array() {
                out.push(remark(name, &known));
            }
            continue;
        }
        for inner in value.as_table().into_iter().flat_map(|t| t.keys()) {
            let path = format!("{name}.{inner}");
            if !known.contains(&path.as_str()) && !known.contains(&name.as_str()) {
                out.push(remark(&path, &known));
            }
        }
    }
    out
}

fn remark(path: &str, known: &[&str]) -> String {
    let near = nearest(path, known.iter().copied()).unwrap_or("id");
    format!("nothing reads \u{201c}{path}\u{201d}; the nearest field is \u{201c}{near}\u{201d}")
}
