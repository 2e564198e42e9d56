//! A profile as a form beside its text: the values of its fields, a field changed in the text
//! without touching anything else of it, and all that is wrong or odd, told while a person types.

mod fields;
mod look;

pub use fields::{FieldSpec, Shape, fields};
pub use look::{ProfileReport, look};

use crate::profiles::ProfileKind;
use newtfern_standards::strict_toml::{self, TomlError};
use toml_edit::{Array, DocumentMut, Item, Table, TableLike, Value, value};

/// Reason why a field cannot be put into a text.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FormError {
    /// The text is no TOML.
    #[error(transparent)]
    Syntax(#[from] TomlError),
    /// No field of the form.
    #[error("\u{201c}{0}\u{201d} is not a field of this form")]
    NoField(String),
    /// Something else stands in its place.
    #[error(
        "\u{201c}{0}\u{201d} holds something that the form cannot change: change it in the text"
    )]
    Other(String),
    /// A number is wanted.
    #[error("\u{201c}{0}\u{201d} must be a whole number")]
    Number(String),
}

fn document(text: &str) -> Result<DocumentMut, FormError> {
    // The other reader's errors are those that a person sees elsewhere too.
    strict_toml::read::<toml::Table>(text)?;
    text.parse()
        .map_err(|_| FormError::Other("the text".into()))
}

/// The value of each field of the form, in its order; lists with an entry a line. Empty where the
/// text is no TOML.
pub fn values(kind: ProfileKind, text: &str) -> Vec<String> {
    let table: toml::Table = strict_toml::read(text).unwrap_or_default();
    fields(kind)
        .iter()
        .map(|f| in_words(at(&table, f.path)))
        .collect()
}

fn at<'t>(table: &'t toml::Table, path: &str) -> Option<&'t toml::Value> {
    let mut names = path.split('.');
    let mut found = table.get(names.next()?)?;
    for name in names {
        found = found.get(name)?;
    }
    Some(found)
}

fn in_words(value: Option<&toml::Value>) -> String {
    match value {
        Some(toml::Value::String(text)) => text.clone(),
        Some(toml::Value::Integer(n)) => n.to_string(),
        Some(toml::Value::Array(items)) => {
            let lines = items.iter().filter_map(toml::Value::as_str);
            lines.collect::<Vec<_>>().join("\n")
        }
        _ => String::new(),
    }
}

/// The text with one field changed; an empty value takes the field out. Comments, order and
/// everything else stay as they are.
///
/// # Errors
/// [`FormError`], in words.
///
/// ```
/// use newtfern_model::profile_form::set;
/// use newtfern_model::profiles::ProfileKind;
/// let text = "# ours\nid = \"osier\" # short\n[alive]\nlauncher = \"#a\"\n";
/// let changed = set(ProfileKind::Supplier, text, "alive.launcher", "#b").unwrap();
/// assert_eq!(changed, text.replace("#a", "#b"));
/// ```
pub fn set(kind: ProfileKind, text: &str, path: &str, typed: &str) -> Result<String, FormError> {
    let spec = fields(kind).iter().find(|f| f.path == path);
    let spec = spec.ok_or_else(|| FormError::NoField(path.to_string()))?;
    let mut document = document(text)?;
    let other = || FormError::Other(path.to_string());
    let (tables, name) = path.rsplit_once('.').unwrap_or(("", path));
    let mut table: &mut dyn TableLike = document.as_table_mut();
    for part in tables.split('.').filter(|p| !p.is_empty()) {
        if table.get(part).is_none() {
            if typed.trim().is_empty() {
                return Ok(text.to_string());
            }
            table.insert(part, Item::Table(Table::new()));
        }
        let inner = table.get_mut(part).and_then(Item::as_table_like_mut);
        table = inner.ok_or_else(other)?;
    }
    if table.get(name).is_some_and(|i| !i.is_value()) {
        return Err(other());
    }
    match item(spec, typed)? {
        None => {
            table.remove(name);
        }
        Some(item) => {
            // A list keeps what stands beside it in its line.
            let before = table
                .get(name)
                .and_then(Item::as_value)
                .map(|v| v.decor().clone());
            table.insert(name, item);
            if let (Some(decor), Some(now)) =
                (before, table.get_mut(name).and_then(Item::as_value_mut))
            {
                *now.decor_mut() = decor;
            }
        }
    }
    Ok(document.to_string())
}

fn item(spec: &FieldSpec, typed: &str) -> Result<Option<Item>, FormError> {
    let plain = typed.trim();
    if plain.is_empty() {
        return Ok(None);
    }
    Ok(Some(match spec.shape {
        Shape::Line | Shape::Selector | Shape::Choice(_) => value(plain),
        Shape::Code => value(typed.trim_matches(['\n', '\r']).replace("\r\n", "\n")),
        Shape::Number => {
            let number: i64 = plain
                .parse()
                .map_err(|_| FormError::Number(spec.path.into()))?;
            value(number)
        }
        Shape::Lines | Shape::Selectors => {
            let lines = plain.lines().map(str::trim).filter(|l| !l.is_empty());
            Item::Value(Value::Array(lines.collect::<Array>()))
        }
    }))
}

#[cfg(test)]
mod tests;
