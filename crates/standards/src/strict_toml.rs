//! Reads TOML in which every field must be known: an error names the line, the field, and the known
//! field most like it.

use crate::nearest::nearest;
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
