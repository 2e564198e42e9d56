//! What is kept of the protocol's values: texts, addresses, headers and stacks, each cut to a
//! bound, so that a hostile page does not fill the memory.

use serde_json::Value;

/// Bounds on what one visit keeps; a hostile page does not fill the memory.
pub const MOST_REQUESTS: usize = 3000;
pub const MOST_LINES: usize = 300;
pub const MOST_REDIRECTING: usize = 12;
/// Length of an address that is kept, in bytes: longer ones are data, not places.
pub const MOST_ADDRESS: usize = 2_000;
pub const MOST_TEXT: usize = 1_000;
pub const MOST_NAME: usize = 300;
/// Headers of the document, and bytes of one value; a long policy is still a policy.
pub const MOST_HEADERS: usize = 100;
pub const MOST_HEADER: usize = 16_000;

/// Response headers that say something about widgets.
pub const KEPT: &[&str] = &[
    "content-type",
    "content-security-policy",
    "x-frame-options",
    "access-control-allow-origin",
    "cross-origin-resource-policy",
    "x-content-type-options",
    "cache-control",
    "location",
    "set-cookie",
    "server",
    "age",
];

pub fn text(value: &Value, name: &str) -> String {
    value[name].as_str().unwrap_or_default().to_string()
}

/// The protocol counts lines from 0.
pub fn line_of(value: &Value, name: &str) -> Option<u32> {
    value[name].as_u64().map(|l| l as u32 + 1)
}

pub fn stack_of(trace: &Value) -> Vec<String> {
    let mut stack: Vec<String> = trace["callFrames"]
        .as_array()
        .into_iter()
        .flatten()
        .map(|f| short(f, "url"))
        .filter(|u| !u.is_empty())
        .take(20)
        .collect();
    stack.dedup();
    stack
}

pub fn argument(value: &Value) -> String {
    match &value["value"] {
        Value::String(s) => s.clone(),
        Value::Null => text(value, "description"),
        other => other.to_string(),
    }
}

/// A text cut to a bound, in bytes. A NUL is replaced: no database keeps it.
pub fn cut(mut words: String, most: usize) -> String {
    words.truncate(words.floor_char_boundary(most));
    if words.contains('\0') {
        words = words.replace('\0', "\u{fffd}");
    }
    words
}

/// An address, cut to a bound.
pub fn short(value: &Value, name: &str) -> String {
    cut(text(value, name), MOST_ADDRESS)
}

/// A name or a word of the browser's about something the page named, cut to a bound.
pub fn named(value: &Value, name: &str) -> String {
    cut(text(value, name), MOST_NAME)
}

/// Header values repeated in one answer come joined by line feeds.
pub fn headers_of(response: &Value) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for (name, value) in response["headers"].as_object().into_iter().flatten() {
        for part in value.as_str().unwrap_or_default().split('\n') {
            if out.len() < MOST_HEADERS {
                let name = cut(name.to_lowercase(), MOST_NAME);
                out.push((name, cut(part.to_string(), MOST_HEADER)));
            }
        }
    }
    out
}
