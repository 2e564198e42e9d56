//! What a supplier's template consists of, to compare what stands in a page with it.

use crate::html::{Document, Kind};
use crate::profile::Supplier;
use crate::script_scan::scan;
use regex::Regex;
use url::Url;

/// What the supplier's template consists of.
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
    pub(super) has_key: bool,
}

/// Stands for the key while the template is parsed; letters and digits only, so that no escaping touches it.
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

/// From the template alone: whatever stands where the key belongs, even if it is no key at all.
fn loose_key(template: &str) -> Option<Regex> {
    let at = template.find("{{key}}")?;
    let before = &template[..at];
    let mut start = before.len().saturating_sub(14);
    while !before.is_char_boundary(start) {
        start += 1;
    }
    let lead = &before[start..];
    // Start at a word so that layout before it does not matter.
    let lead = lead
        .rsplit([' ', '\n', '<', ';', ',', '&', '?'])
        .next()
        .unwrap_or(lead);
    let stop = template[at + 7..].chars().next().unwrap_or('"');
    let quote = |text: &str| regex::escape(text).replace(['"', '\''], "[\"']");
    let stops = if stop == '"' || stop == '\'' {
        "\"'".to_string()
    } else {
        format!("\"'{}", regex::escape(&stop.to_string()))
    };
    Regex::new(&format!("{}(?P<key>[^{stops}]*)", quote(lead))).ok()
}
