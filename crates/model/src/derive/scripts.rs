//! The scripts of a pasted snippet, and the elements of the supplier's own that stand beside them.

use newtfern_standards::html::{Document, Kind};
use url::Url;

/// One script of a snippet, or an element of the supplier's own (a custom element of HTML, whose
/// name has a hyphen), which its script looks for.
pub(crate) struct Script {
    /// Whether it is an element of the supplier's own.
    pub custom: bool,
    /// Address of the script, if it has one.
    pub src: Option<String>,
    /// Names and values, as written.
    pub attributes: Vec<(String, String)>,
    /// Text of the script.
    pub text: String,
}

pub(super) fn scripts_of(code: &str) -> Vec<Script> {
    let document = Document::parse(code);
    let custom = |id: usize| document.name(id).is_some_and(|n| n.contains('-'));
    let ids = document
        .walk()
        .into_iter()
        .filter(|id| document.name(*id) == Some("script") || custom(*id));
    let script = |id: usize| {
        let Kind::Element { attributes, .. } = &document.nodes[id].kind else {
            return None;
        };
        Some(Script {
            custom: custom(id),
            src: document
                .attribute(id, "src")
                .map(str::trim)
                .filter(|s| !s.is_empty())
                .map(str::to_string),
            attributes: attributes.clone(),
            text: match custom(id) {
                true => String::new(),
                false => document.text(id),
            },
        })
    };
    ids.filter_map(script).collect()
}

/// An address as snippets write it: whole, or without its scheme.
pub(crate) fn absolute(text: &str) -> Option<Url> {
    let text = text.trim();
    let whole = match text.strip_prefix("//") {
        Some(rest) => format!("https://{rest}"),
        None => text.to_string(),
    };
    let url = Url::parse(&whole).ok()?;
    let named = url
        .host_str()
        .is_some_and(|h| h.contains('.') || h.ends_with("localhost"));
    (matches!(url.scheme(), "http" | "https") && named).then_some(url)
}
