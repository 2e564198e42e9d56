//! What a supplier's template consists of, to compare what stands in a page with it.

use crate::profile::{Supplier, VALUE_MARK};
use newtfern_standards::html::{Document, Kind};
use newtfern_standards::script_scan::scan;
use regex::Regex;
use url::Url;

/// Parts of the supplier's template.
#[derive(Debug, Clone)]
pub struct Shape {
    /// Script elements with an address.
    pub externals: usize,
    /// Script elements with text.
    pub inlines: usize,
    /// Address of the loader.
    pub loader: Option<Url>,
    pub(super) inline_minimal: Vec<String>,
    pub(super) attributes: Vec<(String, String)>,
    pub(super) asynchronous: bool,
    pub(super) loose_key: Option<Regex>,
    /// Finds `null` or `undefined` where a text with the key belongs.
    pub(super) no_key: Option<Regex>,
    pub(super) has_key: bool,
}

/// Stands for the key while the template is parsed; letters and digits only, so that no escaping
/// touches it.
pub(super) const KEY_MARK: &str = "newtfernkeymark0";

impl Shape {
    /// Reads a supplier's template.
    pub fn of(supplier: &Supplier) -> Shape {
        let filled = supplier.snippet_for(KEY_MARK);
        let document = Document::parse(&filled);
        let mut shape = Shape {
            externals: 0,
            inlines: 0,
            loader: None,
            inline_minimal: Vec::new(),
            attributes: Vec::new(),
            asynchronous: false,
            loose_key: loose_key(&supplier.snippet.template),
            no_key: no_key(&supplier.snippet.template),
            has_key: supplier.snippet.template.contains("{{key}}"),
        };
        for id in document.walk() {
            if document.name(id) != Some("script") {
                continue;
            }
            if let Some(src) = document.attribute(id, "src") {
                shape.externals += 1;
                shape.loader = shape.loader.take().or_else(|| absolute(src));
                shape.asynchronous |= ["async", "defer"]
                    .iter()
                    .any(|a| document.attribute(id, a).is_some());
                if let Kind::Element { attributes, .. } = &document.nodes[id].kind {
                    shape.attributes = attributes.clone();
                }
            } else {
                shape.inlines += 1;
                let text = document.text(id);
                shape.loader = shape.loader.take().or_else(|| address_in(&text, supplier));
                shape.inline_minimal.push(scan(&text).minimal);
            }
        }
        let form = supplier.form_for(KEY_MARK);
        if form.contains(VALUE_MARK) {
            shape.inline_minimal = inline_forms(&form);
        }
        shape
    }

    pub(super) fn same_loader(&self, address: &Url) -> bool {
        match &self.loader {
            Some(loader) => {
                let path = |u: &Url| u.path().replace(KEY_MARK, "*");
                loader.host_str() == address.host_str()
                    && (path(loader) == path(address)
                        || keyed_path_matches(loader.path(), address.path()))
            }
            None => true,
        }
    }

    /// True for a request or script address that is this supplier's loader.
    pub fn is_loader(&self, supplier: &Supplier, address: &str) -> bool {
        Url::parse(address).is_ok_and(|u| {
            u.host_str().is_some_and(|h| supplier.serves_loader(h)) && self.same_loader(&u)
        })
    }
}

/// Script text of the template as the scan leaves it, with marks for the key and for values of the
/// design.
fn inline_forms(form: &str) -> Vec<String> {
    let form = Document::parse(form);
    let scripts = form.walk().into_iter();
    let inline = scripts
        .filter(|id| form.name(*id) == Some("script") && form.attribute(*id, "src").is_none());
    inline.map(|id| scan(&form.text(id)).minimal).collect()
}

/// Finds a form in script text as the scan leaves it, with any values of the design; `None` where
/// there are none.
pub(super) fn with_any_values(form: &str) -> Option<Regex> {
    if !form.contains(VALUE_MARK) {
        return None;
    }
    let form = regex::escape(form).replace(VALUE_MARK, r#"(?:[^"\\]|\\.)*"#);
    regex::RegexBuilder::new(&form)
        .size_limit(1 << 20)
        .build()
        .ok()
}

/// A form with the values of the design that stand in script text, as far as the two go together:
/// what is different after that is no value.
pub(super) fn with_values_of(form: &str, seen: &str) -> String {
    let mut out = String::new();
    let mut rest = Some(seen);
    for (i, part) in form.split(VALUE_MARK).enumerate() {
        if i > 0 {
            // Strings stand in double quotes there.
            let end = rest.map(|r| r.find('"').unwrap_or(r.len()));
            out.push_str(rest.zip(end).map_or("\u{2026}", |(r, e)| &r[..e]));
            rest = rest.zip(end).map(|(r, e)| &r[e..]);
        }
        out.push_str(part);
        rest = rest.and_then(|r| match i {
            // The form may begin anywhere in the text.
            0 => r.split_once(part).map(|(_, after)| after),
            _ => r.strip_prefix(part),
        });
    }
    out
}

fn keyed_path_matches(template: &str, seen: &str) -> bool {
    match template.split_once(KEY_MARK) {
        Some((head, tail)) => {
            seen.len() >= head.len() + tail.len() && seen.starts_with(head) && seen.ends_with(tail)
        }
        None => false,
    }
}

fn absolute(address: &str) -> Option<Url> {
    if address.starts_with("//") {
        Url::parse(&format!("https:{address}")).ok()
    } else {
        Url::parse(address).ok()
    }
}

/// The first address on one of the supplier's loader hosts inside script text.
fn address_in(text: &str, supplier: &Supplier) -> Option<Url> {
    for host in &supplier.recognise.script_hosts {
        let Some(at) = text.find(host.as_str()) else {
            continue;
        };
        let start = text[..at]
            .rfind(['"', '\'', '`', ' ', '('])
            .map_or(0, |i| i + 1);
        let end = text[at..]
            .find(['"', '\'', '`', ' ', ')', '\\'])
            .map_or(text.len(), |i| at + i);
        if let Some(url) = absolute(&text[start..end]) {
            return Some(url);
        }
    }
    None
}

/// Returns the pattern of a call that is given nothing in place of the key's text.
fn no_key(template: &str) -> Option<Regex> {
    let at = template.find("{{key}}")?;
    let lead = lead(template, at);
    let name = lead.strip_suffix(['"', '\''])?;
    let asks = name.ends_with(['(', ',', ':', '=']);
    let pattern = format!("{}\\s*(null|undefined)\\b", regex::escape(name));
    Regex::new(&pattern).ok().filter(|_| asks)
}

/// Returns the pattern of whatever stands where the key belongs, even if it is no key at all.
fn loose_key(template: &str) -> Option<Regex> {
    let at = template.find("{{key}}")?;
    let lead = lead(template, at);
    let stop = template[at + 7..].chars().next().unwrap_or('"');
    let quote = |text: &str| regex::escape(text).replace(['"', '\''], "[\"']");
    let stops = if stop == '"' || stop == '\'' {
        "\"'".to_string()
    } else {
        format!("\"'{}", regex::escape(&stop.to_string()))
    };
    Regex::new(&format!("{}(?P<key>[^{stops}]*)", quote(lead))).ok()
}

/// Returns what stands before the key, from the last word on.
fn lead(template: &str, at: usize) -> &str {
    let before = &template[..at];
    let mut start = before.len().saturating_sub(14);
    while !before.is_char_boundary(start) {
        start += 1;
    }
    let lead = &before[start..];
    // Start at a word so that layout before it does not matter; a quote alone stands before any
    // string.
    let separators = lead.rmatch_indices([' ', '\n', '<', ';', ',', '&', '?']);
    let mut words = separators.map(|(i, _)| &lead[i + 1..]);
    words
        .find(|w| w.contains(char::is_alphanumeric))
        .unwrap_or(lead)
}
