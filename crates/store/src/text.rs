//! One filter for all text on its way into the database: PostgreSQL keeps no NUL, and a page or a
//! form can hold one.

use serde::Serialize;
use serde_json::Value;

/// The text with NULs replaced.
pub fn clean(text: &str) -> String {
    text.replace('\0', "\u{fffd}")
}

/// The value with NULs replaced, in names as well.
pub fn clean_json(value: Value) -> Value {
    match value {
        Value::String(s) if s.contains('\0') => Value::String(clean(&s)),
        Value::Array(items) => items.into_iter().map(clean_json).collect(),
        Value::Object(map) => map
            .into_iter()
            .map(|(k, v)| (clean(&k), clean_json(v)))
            .collect(),
        other => other,
    }
}

/// Anything as JSON that the database can keep.
pub fn json_of(value: &impl Serialize) -> Value {
    clean_json(serde_json::to_value(value).unwrap_or(Value::Null))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_nul_anywhere_is_replaced_and_its_escape_in_a_text_is_not() {
        let value = serde_json::json!({"a\0b": ["x\0", {"c": "\\u0000"}], "n": 1});
        let clean = json_of(&value);
        assert_eq!(clean["a\u{fffd}b"][0], "x\u{fffd}");
        assert_eq!(clean["a\u{fffd}b"][1]["c"], "\\u0000");
        // An escape that the page wrote as text stays text; no NUL is left to be escaped.
        assert_eq!(clean.to_string().matches("u0000").count(), 1);
    }
}
