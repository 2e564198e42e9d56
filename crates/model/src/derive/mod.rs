//! A supplier profile from a pasted snippet: what the code itself tells (hosts, markers, key,
//! template). The paste may be damaged in the ways in which pasting damages; what it cannot tell is
//! left out and listed, not guessed.

mod derived;
mod key;
mod mend;
mod profile;
mod scripts;
mod seen;
mod whose;

pub use derived::{DeriveError, DerivedProfile, MOST_PASTE, Repair};
pub(crate) use scripts::{Script, absolute};
pub use seen::{
    Candidate, Proposal, candidates, filled, not_found, pressed, propose, propose_panel,
};
pub use whose::{CodeOwner, owner_of};

use crate::placement::{Inspector, PieceState};
use crate::profile::Supplier;
use key::{KeyPlace, Place};
use newtfern_standards::script_scan::strings;
use scripts::scripts_of;
use url::Url;

/// Reads a snippet in any state of damage.
///
/// # Errors
/// [`DeriveError`], where it tells nothing.
///
/// ```
/// let pasted = "<script async src=\"https://cdn.osier.test/l.js\" \
///     data-key=\"ab12-cd34\"></script>";
/// let derived = newtfern_model::derive::derive(pasted).unwrap();
/// assert_eq!(derived.key.as_deref(), Some("ab12-cd34"));
/// assert_eq!(derived.script_hosts, ["cdn.osier.test"]);
/// assert!(derived.template.contains("data-key=\"{{key}}\""));
/// ```
pub fn derive(pasted: &str) -> Result<DerivedProfile, DeriveError> {
    if pasted.len() > MOST_PASTE {
        return Err(DeriveError::TooLong);
    }
    let (code, mended) = mend::mend(pasted)?;
    let scripts = scripts_of(&code);
    let hosts = hosts_of(&scripts);
    if hosts.is_empty() {
        return Err(DeriveError::NoHost);
    }
    let place = key::find(&scripts, &hosts);
    let template = place
        .as_ref()
        .map_or_else(|| code.clone(), |p| p.opened(&code));
    let place = place.filter(|_| template.contains("{{key}}"));
    let mut derived = DerivedProfile {
        id: id_of(&hosts[0]),
        inline_markers: markers(&scripts, place.as_ref()),
        key_patterns: place.iter().map(KeyPlace::pattern).collect(),
        key: place.as_ref().and_then(|p| p.key()),
        script_hosts: hosts,
        in_head: mended.contains(&Repair::Head),
        template: template.trim().to_string(),
        mended,
        unknown: Vec::new(),
    };
    derived.unknown = profile::unknown(&derived, place.as_ref());
    derived.prove()?;
    Ok(derived)
}

impl DerivedProfile {
    /// Checks that the profile finds itself: the template with its key, live, in a page.
    fn prove(&self) -> Result<(), DeriveError> {
        let damaged = |why: &str| DeriveError::Damaged(why.to_string());
        let supplier = Supplier::given(&self.toml()).map_err(|e| damaged(&e.to_string()))?;
        let key = self.key.as_deref().unwrap_or("ab12cd34");
        let snippet = supplier.snippet_for(key);
        let html = format!("<!doctype html><title>x</title><body>{snippet}</body>");
        let page = Url::parse("https://page.invalid/").map_err(|_| damaged("page"))?;
        let pieces = Inspector::new(&supplier, None).pieces(&html, &page);
        let live = pieces.iter().filter(|p| p.state == PieceState::Live);
        match live.count() {
            0 => Err(damaged("no browser would run it")),
            _ => Ok(()),
        }
    }

    /// The profile as a file, what is not known in a comment.
    pub fn toml(&self) -> String {
        profile::write(self)
    }
}

/// Hosts that serve a loader: those of script elements, then those of addresses in inline code that
/// lead to a script, then any other address in inline code.
fn hosts_of(scripts: &[Script]) -> Vec<String> {
    let external = scripts.iter().filter_map(|s| absolute(s.src.as_deref()?));
    let external: Vec<Url> = external.collect();
    let inline: Vec<Url> = scripts
        .iter()
        .filter(|s| s.src.is_none())
        .flat_map(|s| strings(&s.text))
        .filter_map(|s| absolute(&s))
        .collect();
    let is_script = |u: &&Url| u.path().ends_with(".js") || u.path().ends_with(".mjs");
    let mut found: Vec<&Url> = external.iter().collect();
    found.extend(inline.iter().filter(is_script));
    if found.is_empty() {
        found.extend(inline.first());
    }
    let mut hosts = Vec::new();
    for host in found.into_iter().filter_map(|u| u.host_str()) {
        if !hosts.iter().any(|h| h == host) {
            hosts.push(host.to_string());
        }
    }
    hosts
}

/// The part of a host's name that its owner chose: before the ending and after what names a
/// machine.
fn id_of(host: &str) -> String {
    let labels: Vec<&str> = host.split('.').collect();
    // Endings of two labels, such as co.uk.
    let second = labels.len().checked_sub(2).map(|i| labels[i]);
    let double = labels.len() > 2 && second.is_some_and(|s| SECOND_LEVEL.contains(&s));
    let ending = if double { 2 } else { 1 };
    let chosen = labels
        .len()
        .checked_sub(ending + 1)
        .and_then(|i| labels.get(i));
    let plain = |c: &char| c.is_ascii_alphanumeric() || *c == '-';
    let id: String = chosen
        .unwrap_or(&labels[0])
        .chars()
        .filter(plain)
        .take(40)
        .collect();
    if id.is_empty() { "supplier".into() } else { id }
}

/// Labels under which names are given out below a country's (common practice).
const SECOND_LEVEL: &[&str] = &["co", "com", "net", "org", "gov", "edu", "ac", "ne", "or"];

/// Texts by which inline code is known again: the call that carries the key, or the name on
/// `window` that it sets.
fn markers(scripts: &[Script], place: Option<&KeyPlace>) -> Vec<String> {
    if let Some(Place::Call(call)) = place.map(|p| &p.place) {
        return vec![call.clone()];
    }
    let inline = scripts.iter().filter(|s| s.src.is_none());
    inline.filter_map(|s| global_in(&s.text)).take(1).collect()
}

/// `window.name` in code that sets it.
fn global_in(text: &str) -> Option<String> {
    let word = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
    for (at, _) in text.match_indices("window.") {
        let rest = &text[at + 7..];
        let end = rest.find(|c| !word(c)).unwrap_or(rest.len());
        let (name, after) = rest.split_at(end);
        let after = after.trim_start();
        let sets = after.starts_with('=') && !after.starts_with("==");
        if name.len() > 2 && sets && !OF_THE_BROWSER.contains(&name) {
            return Some(format!("window.{name}"));
        }
    }
    None
}

/// Names that every page has.
const OF_THE_BROWSER: &[&str] = &["onload", "location", "name", "status", "onerror", "console"];

#[cfg(test)]
mod tests;
