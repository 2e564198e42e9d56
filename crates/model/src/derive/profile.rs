//! What was derived, as a file for a person to go on with.

use super::derived::DerivedProfile;
use super::key::KeyPlace;
use serde::Serialize;

#[derive(Serialize)]
struct File<'a> {
    id: &'a str,
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    key: Option<&'a str>,
    recognise: Recognise<'a>,
    snippet: Snippet<'a>,
}

#[derive(Serialize)]
struct Recognise<'a> {
    script_hosts: &'a [String],
    #[serde(skip_serializing_if = "<[String]>::is_empty")]
    inline_markers: &'a [String],
    #[serde(skip_serializing_if = "<[String]>::is_empty")]
    key_patterns: &'a [String],
}

#[derive(Serialize)]
struct Snippet<'a> {
    template: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    position: Option<&'a str>,
}

/// The file. `key` is the one that the snippet held; checks do not read it.
pub(super) fn write(d: &DerivedProfile) -> String {
    let mut name = d.id.clone();
    if let Some(first) = name.get_mut(..1) {
        first.make_ascii_uppercase();
    }
    let file = File {
        id: &d.id,
        name,
        key: d.key.as_deref(),
        recognise: Recognise {
            script_hosts: &d.script_hosts,
            inline_markers: &d.inline_markers,
            key_patterns: &d.key_patterns,
        },
        snippet: Snippet {
            template: &d.template,
            position: d.in_head.then_some("head"),
        },
    };
    let mut out =
        String::from("# Derived from a pasted snippet. Look it through before you use it.\n");
    for mended in &d.mended {
        out += &format!("# Mended: {}.\n", mended.words());
    }
    for unknown in &d.unknown {
        out += &format!("# Not known from the snippet: {unknown}\n");
    }
    out + &toml::to_string(&file).unwrap_or_default()
}

/// Returns the facts that a person must still give.
pub(super) fn unknown(d: &DerivedProfile, place: Option<&KeyPlace>) -> Vec<String> {
    let mut out = Vec::new();
    if place.is_none() {
        out.push(
            "where its key goes: put {{key}} into the template, and give recognise.key_patterns"
                .to_string(),
        );
    } else if d.key.is_none() {
        out.push("the key: the snippet holds a sample instead".into());
    }
    if !d.in_head {
        out.push("snippet.position (head or body-end; body-end is assumed)".into());
    }
    for entry in [
        "[alive] script, launcher, frame_hosts, socket_hosts, api_hosts: how its widget \
        shows that it is up",
        "[open] click, panel, close: how its panel opens",
        "[consent] class, storage: what it is for, and what it stores",
    ] {
        out.push(entry.into());
    }
    out
}
