//! Widgets that pages have: those of known suppliers by their snippet in any state, others by what
//! widgets have in common.

use super::marks::source_host;
use crate::finding::Evidence;
use crate::pages::ReadPage;
use crate::placement::{Inspector, PieceState};
use crate::profile::{ConsentManager, Supplier};
use newtfern_standards::html::Kind;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// One widget of a site.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct WidgetSeen {
    /// Short name of its supplier's profile; none where nobody knows it.
    pub supplier: Option<String>,
    /// The supplier's name, or whence it comes.
    pub name: String,
    /// Key of the widget, where the code has one.
    pub key: Option<String>,
    /// Pages on which it stands, in whatever state.
    pub pages: usize,
    /// Pages on which it stands in a state that runs.
    pub runs: usize,
    /// States that keep it from running elsewhere, in words.
    pub states: Vec<String>,
    /// Page on which it was seen first.
    pub first: String,
    /// Evidence that a person can check there.
    pub evidence: Evidence,
}

/// Widgets that are told of one site.
const MOST_WIDGETS: usize = 50;

pub(super) fn all(
    pages: &[&ReadPage],
    suppliers: &[Supplier],
    consent: Option<&ConsentManager>,
    known_hosts: &[String],
) -> Vec<WidgetSeen> {
    let mut out = Vec::new();
    for supplier in suppliers {
        known(pages, supplier, consent, &mut out);
    }
    unknown(pages, known_hosts, &mut out);
    out.truncate(MOST_WIDGETS);
    out
}

fn state_words(state: &PieceState) -> Option<&'static str> {
    Some(match state {
        PieceState::Live => return None,
        PieceState::ConsentHeld(_) => "held back until consent",
        PieceState::Mentioned => "named in another script",
        PieceState::Commented => "in a comment",
        PieceState::AsText => "shown as text",
        PieceState::Inert(_) => "inside an element whose content does not run",
        PieceState::DoubleWrapped => "script tags inside a script",
        PieceState::BadQuotes => "typographic quotes",
        PieceState::Truncated => "cut off",
        PieceState::WrongType(_) => "a type that keeps it from running",
        PieceState::Delayed(_) => "held back by an optimiser",
    })
}

fn known(
    pages: &[&ReadPage],
    supplier: &Supplier,
    consent: Option<&ConsentManager>,
    out: &mut Vec<WidgetSeen>,
) {
    let inspector = Inspector::new(supplier, consent);
    for page in pages {
        let html = &page.copy.page.html;
        let found = inspector.inspect_in(html, &page.at, || Cow::Borrowed(&page.document));
        let mut on_page: Vec<(Option<String>, bool)> = Vec::new();
        for piece in &found.pieces {
            let key = piece.key.key().map(str::to_string);
            let same =
                |w: &&mut WidgetSeen| w.supplier.as_ref() == Some(&supplier.id) && w.key == key;
            let widget = match out.iter_mut().find(same) {
                Some(widget) => widget,
                None => {
                    out.push(WidgetSeen {
                        supplier: Some(supplier.id.clone()),
                        name: supplier.name.clone(),
                        key: key.clone(),
                        pages: 0,
                        runs: 0,
                        states: Vec::new(),
                        first: page.copy.url.to_string(),
                        evidence: Evidence::Html {
                            line: piece.line,
                            text: piece.excerpt.clone(),
                        },
                    });
                    let last = out.len() - 1;
                    &mut out[last]
                }
            };
            let before = on_page.iter().position(|(k, _)| *k == key);
            let ran = before.is_some_and(|i| on_page[i].1);
            widget.pages += usize::from(before.is_none());
            widget.runs += usize::from(piece.state.comes() && !ran);
            if let Some(words) = state_words(&piece.state).map(str::to_string)
                && !widget.states.contains(&words)
            {
                widget.states.push(words);
            }
            match before {
                Some(i) => on_page[i].1 |= piece.state.comes(),
                None => on_page.push((key, piece.state.comes())),
            }
        }
    }
}

/// Words in addresses and names of widgets (common practice).
const WORDS: &[&str] = &[
    "chat",
    "messenger",
    "livesupport",
    "helpdesk",
    "conversation",
    "talkto",
    "callback",
    "widget",
];

/// Scripts of other hosts whose address, or whose inline loader, speaks of a talk. A host on which
/// a profile's own scripts stand is no unknown one.
fn unknown(pages: &[&ReadPage], known_hosts: &[String], out: &mut Vec<WidgetSeen>) {
    for page in pages {
        let mut on_page: Vec<String> = Vec::new();
        let d = &page.document;
        for id in d.walk() {
            let Kind::Element { name, .. } = &d.nodes[id].kind else {
                continue;
            };
            if name != "script" {
                continue;
            }
            let text = d.text(id);
            let host = match source_host(d, id, &page.at) {
                Some(host) => Some(host).filter(|_| speaks(&d.start_tag(id, true))),
                None => inline_host(&text),
            };
            let own = page.at.host_str().unwrap_or_default();
            let is_known = |h: &String| known_hosts.iter().any(|k| k.eq_ignore_ascii_case(h));
            let Some(host) = host.filter(|h| h != own && !is_known(h) && !on_page.contains(h))
            else {
                continue;
            };
            on_page.push(host.clone());
            let title = format!("a widget of unknown origin from {host}");
            match out.iter_mut().find(|w| w.name == title) {
                Some(seen) => (seen.pages, seen.runs) = (seen.pages + 1, seen.runs + 1),
                None => out.push(WidgetSeen {
                    supplier: None,
                    name: title,
                    key: None,
                    pages: 1,
                    runs: 1,
                    states: Vec::new(),
                    first: page.copy.url.to_string(),
                    evidence: Evidence::Html {
                        line: d.nodes[id].line,
                        text: crate::placement::excerpt(&format!(
                            "{}{text}",
                            d.start_tag(id, true)
                        )),
                    },
                }),
            }
        }
    }
}

fn speaks(text: &str) -> bool {
    let text = text.to_ascii_lowercase();
    WORDS.iter().any(|w| text.contains(w))
}

/// The host of an address in inline code that makes a script element and speaks of a talk.
fn inline_host(text: &str) -> Option<String> {
    if !text.contains("createElement") || !speaks(text) {
        return None;
    }
    let address = |s: &String| crate::derive::absolute(s).filter(|u| u.path().len() > 1);
    let found = newtfern_standards::script_scan::strings(text);
    let found = found.iter().find_map(address)?;
    found.host_str().map(str::to_string)
}
