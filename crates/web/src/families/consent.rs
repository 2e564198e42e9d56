//! Consent: states against signals, and what was seen in each.

use super::Cell;
use crate::draw::grid;
use askama::Template;
use newtfern_core::consent::Grid;

pub fn cell(g: &Grid) -> Cell {
    Cell {
        drawing: grid::svg(g),
        note: g.region.clone(),
        ..Cell::default()
    }
}

#[derive(Template)]
#[template(path = "family/consent.html")]
struct Section<'a> {
    g: &'a Grid,
    drawing: String,
    not_made: Vec<(&'static str, &'a str)>,
    signals: Vec<String>,
    strings: Vec<(&'static str, &'a str)>,
    site: i64,
}

pub fn section(g: &Grid, site: i64) -> askama::Result<String> {
    let seen = g
        .cells
        .iter()
        .flat_map(|c| c.examples.iter().map(move |e| (c, e)));
    let line = |(c, e): (
        &newtfern_core::consent::Cell,
        &newtfern_core::consent::Example,
    )| {
        let when = if e.before {
            "before the decision, "
        } else {
            ""
        };
        format!(
            "{}: {}, {when}after {:.0} ms",
            c.state.word(),
            e.what,
            e.at_ms
        )
    };
    let not_made = g.not_made.iter();
    Section {
        g,
        drawing: grid::svg(g),
        not_made: not_made.map(|(s, why)| (s.word(), why.as_str())).collect(),
        signals: seen.map(line).collect(),
        strings: g
            .strings
            .iter()
            .map(|(s, w)| (s.word(), w.as_str()))
            .collect(),
        site,
    }
    .render()
}
