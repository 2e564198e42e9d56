//! The key that a piece carries: a real one, a sample that was left in, or none.

use super::Inspector;
use super::shape::KEY_MARK;
use crate::placement::piece::KeySeen;
use newtfern_standards::script_scan::scan;

/// Empty, blank, or a sample that was left in.
pub(crate) fn is_placeholder(key: &str) -> bool {
    let plain = key.trim().to_ascii_lowercase();
    if plain.is_empty() {
        return true;
    }
    let words = [
        "your",
        "placeholder",
        "insert",
        "replace",
        "changeme",
        "change-me",
        "key-here",
        "key_here",
        "keyhere",
        "todo",
        "undefined",
        "null",
    ];
    let bare: String = plain.chars().filter(|c| c.is_alphanumeric()).collect();
    plain.contains("{{")
        || plain.contains("<")
        || plain.contains("${")
        || plain.starts_with('{')
        || plain.starts_with('$')
        || (plain.starts_with("__") && plain.ends_with("__"))
        || plain.starts_with('[')
        || plain.starts_with('%')
        || words.iter().any(|w| plain.contains(w))
        || matches!(
            bare.as_str(),
            "" | "key" | "id" | "apikey" | "siteid" | "accountid" | "widgetid"
        )
        || (bare.len() > 1 && bare.chars().all(|c| c == 'x'))
        || (bare.len() > 1 && bare.chars().all(|c| c == '0'))
}

impl Inspector<'_> {
    pub(super) fn key_seen(&self, text: &str) -> KeySeen {
        // Script text in the other quotes is the same script.
        let in_double_quotes = || self.supplier.key_in(&scan(text).minimal);
        let known = self
            .supplier
            .key_in(text)
            .or_else(|| self.supplier.key_in(&text.replace("=\"\"", "")))
            .or_else(in_double_quotes);
        let loose = || {
            let m = self.shape.loose_key.as_ref()?.captures(text)?;
            Some(m.name("key")?.as_str().to_string())
        };
        // The name of nothing where a text belongs.
        let nothing = || {
            let found = self.shape.no_key.as_ref()?.captures(text)?;
            Some(found.get(1)?.as_str().to_string())
        };
        match known.or_else(loose).or_else(nothing) {
            Some(key) if is_placeholder(&key) => KeySeen::Placeholder(key),
            Some(key) => KeySeen::Key(key),
            None => KeySeen::Nothing,
        }
    }

    /// The template carries a key.
    pub fn expects_key(&self) -> bool {
        self.shape.has_key
    }

    /// The template's script element itself carries the key, in its address or an attribute.
    pub fn expects_key_on_element(&self) -> bool {
        self.shape
            .attributes
            .iter()
            .any(|(_, value)| value.contains(KEY_MARK))
    }
}
