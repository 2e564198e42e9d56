//! Pages: which have the widget as they should, as dots by kind, and each that does not, with its reason.

use super::Cell;
use crate::draw::dots;
use askama::Template;
use newtfern_core::chain::{Expect, NotLookedAt};
use newtfern_core::family::pages::{Detail, Page, PageState};
use newtfern_core::pages::PageKind;
use newtfern_core::site_check::Seen;

pub fn cell(d: &Detail) -> Cell {
    Cell {
        drawing: dots::svg(&d.pages),
        note: format!("{} of {}", d.coverage.right, d.coverage.expected),
        ..Cell::default()
    }
}

/// How to read the dots.
pub fn legend() -> String {
    let one = |s: PageState| format!("{} {}", dots::mark(s), s.word());
    let states = PageState::ALL.into_iter().rev();
    states.map(one).collect::<Vec<_>>().join(" &nbsp; ")
}

/// One kind with its pages.
struct Kind {
    kind: PageKind,
    dots: String,
    count: usize,
}

struct Line {
    url: String,
    path: String,
    kind: PageKind,
    template: String,
    mark: String,
    state: &'static str,
    why: String,
}

#[derive(Template)]
#[template(path = "family/pages.html")]
struct Section<'a> {
    kinds: Vec<Kind>,
    legend: String,
    wrong: Vec<Line>,
    right: Vec<Line>,
    gaps: &'a [NotLookedAt],
}

/// Why a page stands as it does, in words.
fn why(page: &Page) -> String {
    let row = &page.row;
    let rule = match (&page.rule, row.expected) {
        (Some(rule), Expect::Present) => format!("{rule} asks for it"),
        (Some(rule), Expect::Absent) => format!("{rule} keeps it off"),
        (None, _) => "no rule names this page, so it should be without it".into(),
    };
    let seen = match (row.seen, row.visited) {
        (Seen::Present, true) => "a browser found it there",
        (Seen::Present, false) => "its snippet is in the document",
        (Seen::Absent, true) => "a browser went there and it is not there",
        (Seen::Absent, false) => {
            "its document has no snippet, where a page made alike would have it"
        }
        (Seen::Damaged, _) => "its snippet is there in a state that does not run",
        (Seen::Unknown, true) => "a browser went there and could not tell",
        (Seen::Unknown, false) => "no browser went there, and the document alone does not tell",
    };
    match row.root {
        Some(root) => format!("{rule}; {seen} ({root})"),
        None => format!("{rule}; {seen}"),
    }
}

fn line(page: &Page) -> Line {
    let state = PageState::of(&page.row);
    let path = url::Url::parse(&page.row.url)
        .ok()
        .map(|u| match u.query() {
            Some(q) => format!("{}?{q}", u.path()),
            None => u.path().to_string(),
        });
    Line {
        path: path.unwrap_or_else(|| page.row.url.clone()),
        url: page.row.url.clone(),
        kind: page.row.kind,
        template: page.row.template.clone(),
        mark: dots::mark(state),
        state: state.word(),
        why: why(page),
    }
}

pub fn section(d: &Detail) -> askama::Result<String> {
    let of = |kind: PageKind| -> Vec<Page> {
        let pages = d.pages.iter().filter(|p| p.row.kind == kind);
        pages.cloned().collect()
    };
    let kinds = PageKind::ALL.into_iter().map(|kind| {
        let pages = of(kind);
        Kind {
            kind,
            count: pages.len(),
            dots: dots::svg(&pages),
        }
    });
    let mut sorted: Vec<&Page> = d.pages.iter().collect();
    sorted.sort_by_key(|p| (PageState::of(&p.row), p.row.kind));
    let is_right = |p: &&&Page| PageState::of(&p.row) == PageState::Right;
    Section {
        kinds: kinds.filter(|k| k.count > 0).collect(),
        legend: legend(),
        wrong: sorted
            .iter()
            .filter(|p| !is_right(p))
            .map(|p| line(p))
            .collect(),
        right: sorted.iter().filter(is_right).map(|p| line(p)).collect(),
        gaps: &d.not_looked_at,
    }
    .render()
}
