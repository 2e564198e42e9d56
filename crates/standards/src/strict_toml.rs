//! Reads TOML in which every field must be known: an error names the line, the field, and the known
//! field most like it.

use crate::nearest::nearest;
use serde::Serialize;
use serde::de::DeserializeOwned;

/// Reason why a text is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {why}")]
pub struct TomlError {
    /// Line in the text, counted from 1.
    pub line: usize,
    /// Reason, as a clause for people.
    pub why: String,
}

/// Reads a type whose tables deny unknown fields.
///
/// # Errors
/// [`TomlError`], with the line.
pub fn read<T: DeserializeOwned>(text: &str) -> Result<T, TomlError> {
    toml::from_str(text).map_err(|error| {
        let at = error.span().map_or(0, |span| span.start.min(text.len()));
        TomlError {
            line: 1 + text.as_bytes()[..at]
                .iter()
                .filter(|b| **b == b'\n')
                .count(),
            why: words(error.message()),
        }
    })
}

/// Reads a type whose own tables may be read leniently where they are kept: as a text that comes
/// in, a field inside one of them that nothing reads is an error. Tables of others may stand beside
/// them.
///
/// # Errors
/// [`TomlError`], with the line.
pub fn read_known<T: DeserializeOwned + Serialize>(text: &str) -> Result<T, TomlError> {
    let value: T = read(text)?;
    let Ok(reader) = toml::Deserializer::parse(text) else {
        return Ok(value);
    };
    let mut unread: Vec<String> = Vec::new();
    let found: Result<T, _> = serde_ignored::deserialize(reader, |path| {
        // A value that may be missing has a step of its own in the path.
        let path = path.to_string().replace(".?", "");
        if path.contains('.') {
            unread.push(path);
        }
    });
    match (found, unread.first()) {
        (Ok(_), Some(path)) => Err(unknown(text, path, &value)),
        _ => Ok(value),
    }
}

/// The error of a field that nothing reads, with the nearest one of its table.
fn unknown<T: Serialize>(text: &str, path: &str, value: &T) -> TomlError {
    let (table, name) = path.rsplit_once('.').unwrap_or(("", path));
    let known = toml::Value::try_from(value).ok();
    let known = table.split('.').try_fold(known, |at, step| {
        let inner = match (at?, step.parse::<usize>()) {
            (toml::Value::Array(mut rows), Ok(row)) if row < rows.len() => rows.swap_remove(row),
            (toml::Value::Table(mut fields), _) => fields.remove(step)?,
            _ => return None,
        };
        Some(Some(inner))
    });
    let known = known.flatten();
    let names = known
        .iter()
        .flat_map(|k| k.as_table())
        .flat_map(|t| t.keys());
    let why = match nearest(name, names.map(String::as_str)) {
        Some(near) => format!(
            "nothing reads \u{201c}{path}\u{201d}; the nearest field is \u{201c}{near}\u{201d}"
        ),
        None => format!("nothing reads \u{201c}{path}\u{201d}"),
    };
    let line = text
        .lines()
        .position(|l| gives(l, name))
        .unwrap_or_default()
        + 1;
    TomlError { line, why }
}

/// Returns whether a line gives a value this name, or opens the table that has it.
fn gives(line: &str, name: &str) -> bool {
    line.match_indices(name).any(|(at, _)| {
        let before = line[..at].trim_end_matches(['"', '\'']).trim_end();
        let after = line[at + name.len()..]
            .trim_start_matches(['"', '\''])
            .trim_start();
        let begins = before.is_empty() || before.ends_with(['{', ',', '.', '[']);
        begins && after.starts_with(['=', '.', ']'])
    })
}

/// The reader's list of all fields is long; a person wants the one that was meant.
fn words(message: &str) -> String {
    let unknown = message.strip_prefix("unknown field `");
    let Some((given, rest)) = unknown.and_then(|m| m.split_once('`')) else {
        return message.trim().to_string();
    };
    let known = rest.split('`').skip(1).step_by(2);
    match nearest(given, known) {
        Some(nearest) => {
            format!(
                "\u{201c}{given}\u{201d} is not a field here; the nearest is \
                \u{201c}{nearest}\u{201d}"
            )
        }
        None => format!("\u{201c}{given}\u{201d} is not a field here"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde::Deserialize;

    #[derive(Debug, Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Sample {
        #[allow(dead_code)]
        address: String,
        #[allow(dead_code)]
        country: Option<String>,
    }

    #[derive(Debug, Deserialize, Serialize)]
    struct Outer {
        marks: Marks,
        rows: Vec<Marks>,
        more: Option<Marks>,
    }

    #[derive(Debug, Default, Deserialize, Serialize)]
    #[serde(default)]
    struct Marks {
        hosts: Vec<String>,
        pattern: String,
    }

    #[test]
    fn a_field_of_a_table_that_nothing_reads_is_an_error_where_a_text_comes_in() {
        let text = "rows = []\n[marks]\nhosts = []\n[prices]\nmonthly = 5\n";
        assert!(
            read_known::<Outer>(text).is_ok(),
            "tables of others may stand beside"
        );
        let misspelt = [
            ("hosts = []", "hsots = []", "marks.hsots", "line 3"),
            (
                "rows = []",
                "rows = [{ patern = 'x' }]",
                "rows.0.patern",
                "line 1",
            ),
            (
                "[prices]",
                "[more]\npattrn = ''\n[prices]",
                "more.pattrn",
                "line 5",
            ),
        ];
        for (from, to, path, line) in misspelt {
            let wrong = text.replacen(from, to, 1);
            assert!(
                read::<Outer>(&wrong).is_ok(),
                "as it is kept it can be read"
            );
            let told = read_known::<Outer>(&wrong).unwrap_err().to_string();
            assert!(told.starts_with(line), "{told}");
            assert!(told.contains(&format!("\u{201c}{path}\u{201d}")), "{told}");
            assert!(told.contains("the nearest field is"), "{told}");
        }
    }

    #[test]
    fn a_mistake_has_its_line_and_the_field_that_was_meant() {
        let told = |text: &str| read::<Sample>(text).unwrap_err().to_string();
        assert_eq!(
            told("country = 'GB'\nadress = 'x'"),
            "line 2: \u{201c}adress\u{201d} is not a field here; the nearest is \
            \u{201c}address\u{201d}"
        );
        assert!(told("address = 7").starts_with("line 1: invalid type"));
        assert!(told("address = 'x\n").starts_with("line 1: "));
        assert!(told("").contains("missing field `address`"));
    }
}
