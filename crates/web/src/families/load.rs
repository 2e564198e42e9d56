//! Loading: the chain, and the page as it was visited.

use super::Cell;
use super::view::{View, drawn};
use crate::draw::chain;
use askama::Template;
use newtfern_verdict::family;
use newtfern_verdict::family::detail::load::{Detail, Shot};

/// View of the family in lists and on the bench.
pub const VIEW: View = View {
    legend: || "delivered, placed, allowed, fetched, ran, started, shown, usable".into(),
    cell: |data| match data.detail {
        Some(family::Detail::Load(d)) => cell(d),
        _ => Cell::default(),
    },
    head: |detail| match detail {
        family::Detail::Load(d) => head(d),
        _ => Ok(String::new()),
    },
    body: |_, drawing| {
        drawn(drawing, |detail| match detail {
            family::Detail::Load(d) => section(d),
            _ => Ok(String::new()),
        })
    },
    ..View::PLAIN
};

fn cell(d: &Detail) -> Cell {
    Cell {
        drawing: chain::svg(d.verdict.chain(), false),
        note: d
            .verdict
            .root()
            .map(|c| c.name().to_string())
            .unwrap_or_default(),
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
        let base = format!("{}, {}", shot.viewport.word(), shot.consent.words());
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
fn head(d: &Detail) -> askama::Result<String> {
    let chain = chain::svg(d.verdict.chain(), true);
    Head { chain }.render()
}

#[derive(Template)]
#[template(path = "family/load.html")]
struct Section {
    shots: Vec<Picture>,
    /// Questions that were not answered, with the reason.
    unanswered: Vec<(String, String)>,
}

fn section(d: &Detail) -> askama::Result<String> {
    let open = d.verdict.not_looked_at().iter();
    Section {
        shots: pictures(&d.shots),
        unanswered: open.map(|n| (n.what.clone(), n.why.clone())).collect(),
    }
    .render()
}
