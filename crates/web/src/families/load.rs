//! Loading: the chain, and the page as it was visited.

use super::Cell;
use crate::draw::chain;
use askama::Template;
use newtfern_core::family::load::{Detail, Shot};

pub fn cell(d: &Detail) -> Cell {
    Cell {
        drawing: chain::svg(&d.chain, false),
        note: d.root.map(|c| c.name().to_string()).unwrap_or_default(),
        ..Cell::default()
    }
}

/// A picture with its words.
pub struct Picture {
    pub key: String,
    pub words: String,
}

/// Pictures of the visits: the page, and the opened panel.
pub fn pictures(shots: &[Shot]) -> Vec<Picture> {
    let mut out = Vec::new();
    for shot in shots {
        let base = format!("{}, consent {}", shot.viewport.word(), shot.consent.word());
        let up = shot
            .up_ms
            .map(|ms| format!(", up after {:.1} s", ms / 1000.0));
        if let Some(key) = &shot.picture {
            let words = format!("{base}{}", up.unwrap_or_default());
            out.push(Picture {
                key: key.clone(),
                words,
            });
        }
        if let Some(key) = &shot.panel {
            let words = format!("{base}, panel open");
            out.push(Picture {
                key: key.clone(),
                words,
            });
        }
    }
    out
}

#[derive(Template)]
#[template(path = "family/load_head.html")]
struct Head {
    chain: String,
}

/// The chain, above what was found.
pub fn head(d: &Detail) -> askama::Result<String> {
    let chain = chain::svg(&d.chain, true);
    Head { chain }.render()
}

#[derive(Template)]
#[template(path = "family/load.html")]
struct Section {
    shots: Vec<Picture>,
    /// Questions that were not answered, with the reason.
    unanswered: Vec<(String, String)>,
}

pub fn section(d: &Detail) -> askama::Result<String> {
    let open = d.not_looked_at.iter();
    Section {
        shots: pictures(&d.shots),
        unanswered: open.map(|n| (n.what.clone(), n.why.clone())).collect(),
    }
    .render()
}
