//! How a platform, and a tag manager's published set, are recognised in a page.

use newtfern_standards::html::Document;
use regex::{Regex, RegexBuilder};
use serde::{Deserialize, Serialize};
use std::sync::OnceLock;

/// Marks of a platform in a page.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct PlatformMarks {
    /// Beginnings of the `generator` meta element's content.
    pub generators: Vec<String>,
    /// Substrings of the document's source.
    pub markers: Vec<String>,
    /// Response headers, `name: beginning of value`.
    pub headers: Vec<String>,
}

/// Marks of a tag manager's published set in a page.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SetMarks {
    /// Hosts that serve the sets.
    #[serde(default)]
    pub hosts: Vec<String>,
    /// Regular expressions with a group `set`, tried on addresses of scripts and on inline script
    /// text.
    pub patterns: Vec<String>,
    /// Address that gives a set; `{{set}}` is filled in.
    #[serde(default)]
    pub read: Option<String>,
    /// Address that takes the draft of a set (`PUT` with `version` and `tags`).
    #[serde(default)]
    pub write: Option<String>,
    /// Address that publishes a set (`POST` with `note`, and with `version` an earlier one again).
    #[serde(default)]
    pub publish: Option<String>,
    /// The patterns, built at their first use.
    #[serde(skip)]
    pub(super) built: OnceLock<Vec<Regex>>,
}

impl SetMarks {
    /// Ids of the sets that a document loads, each with the script that tells it: addresses of
    /// scripts and texts of inline ones. What stands in a comment or in the text of the page loads
    /// nothing.
    pub fn in_page(&self, document: &Document) -> Vec<(String, String)> {
        let patterns = self.built.get_or_init(|| {
            // Patterns were looked at when the profile was read; one that is none finds nothing.
            let built = |p: &String| RegexBuilder::new(p).size_limit(1 << 20).build().ok();
            self.patterns.iter().filter_map(built).collect()
        });
        let mut out: Vec<(String, String)> = Vec::new();
        for text in script_texts(document) {
            for pattern in patterns {
                let sets = pattern.captures_iter(&text).filter_map(|c| c.name("set"));
                for set in sets.map(|m| m.as_str()) {
                    if out.len() < MOST_SETS && !out.iter().any(|(known, _)| known == set) {
                        out.push((set.to_string(), text.clone()));
                    }
                }
            }
        }
        out
    }
}

/// Addresses of scripts, and texts of inline scripts.
fn script_texts(document: &Document) -> Vec<String> {
    let scripts = document.walk().into_iter();
    let scripts = scripts.filter(|id| document.name(*id) == Some("script"));
    let text = |id| match document.attribute(id, "src") {
        Some(src) => src.to_string(),
        None => document.text(id),
    };
    scripts.map(text).filter(|t| !t.trim().is_empty()).collect()
}

/// Sets that are told of one page.
const MOST_SETS: usize = 20;

/// A mark of a platform that a page has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MarkSeen {
    /// Weight of the mark.
    pub weight: usize,
    /// Evidence in words.
    pub what: String,
}
