//! Consent: states against signals, and what was seen in each.

use super::Cell;
use super::view::{View, drawn};
use crate::draw::grid;
use askama::Template;
use newtfern_verdict::consent::Grid;
use newtfern_verdict::family;

/// View of the family in lists and on the bench.
pub const VIEW: View = View {
    legend: || {
        "hollow dot: no signal \u{b7} square: an allowed signal \u{b7} triangle: a forbidden signal"
            .into()
    },
    cell: |data| match data.detail {
        Some(family::Detail::Consent(d)) => cell(d),
        _ => Cell::default(),
    },
    body: |known, drawing| {
        drawn(drawing, |detail| match detail {
            family::Detail::Consent(d) => section(d, known.site.id),
            _ => Ok(String::new()),
        })
    },
    ..View::PLAIN
};

fn cell(g: &Grid) -> Cell {
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

fn section(g: &Grid, site: i64) -> askama::Result<String> {
    let seen = g
        .cells
        .iter()
        .flat_map(|c| c.examples.iter().map(move |e| (c, e)));
    let line = |(c, e): (
        &newtfern_verdict::consent::Cell,
        &newtfern_verdict::consent::Example,
    )| {
        let when = if e.before {
            "before the decision, "
        } else {
            ""
        };
        format!(
            "{}: {}, {when}after {:.0} ms",
            c.state.words(),
            e.what,
            e.at_ms
        )
    };
    let not_made = g.not_made.iter();
    Section {
        g,
        drawing: grid::svg(g),
        not_made: not_made.map(|(s, why)| (s.words(), why.as_str())).collect(),
        signals: seen.map(line).collect(),
        strings: g
            .strings
            .iter()
            .map(|(s, w)| (s.words(), w.as_str()))
            .collect(),
        site,
    }
    .render()
}
