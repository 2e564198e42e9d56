//! Pages: which have the widget as they should, as dots by kind, and each that does not, with its
//! reason.

use super::Cell;
use super::view::{View, drawn};
use crate::draw::dots;
use askama::Template;
use newtfern_model::finding::NotChecked;
use newtfern_model::pages::{Expect, PageKind};
use newtfern_verdict::family;
use newtfern_verdict::family::detail::pages::{Detail, Page, PageState};
use newtfern_verdict::site_check::PageContent;

/// View of the family in lists and on the bench.
pub const VIEW: View = View {
    legend,
    cell: |data| match data.detail {
        Some(family::Detail::Pages(d)) => cell(d),
        _ => Cell::default(),
    },
    body: |_, drawing| {
        drawn(drawing, |detail| match detail {
            family::Detail::Pages(d) => section(d),
            _ => Ok(String::new()),
        })
    },
    ..View::PLAIN
};

fn cell(d: &Detail) -> Cell {
    Cell {
        drawing: dots::svg(&d.pages),
        note: format!("{} of {}", d.coverage.right, d.coverage.expected),
        ..Cell::default()
    }
}

/// Returns how to read the dots.
fn legend() -> String {
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
    gaps: &'a [NotChecked],
}

/// Returns why a page stands as it does, in words.
fn why(page: &Page) -> String {
    let row = &page.row;
    let rule = match (&page.rule, row.expected) {
        (Some(rule), Expect::Present) => format!("page rule {rule} requires it"),
        (Some(rule), Expect::Absent) => format!("page rule {rule} excludes it"),
        (None, _) => "no page rule includes this page".into(),
    };
    let seen = match (row.seen, row.visited) {
        (PageContent::Present, true) => "a browser found the widget",
        (PageContent::Present, false) => "the document has the snippet",
        (PageContent::Absent, true) => "a browser found no widget",
        (PageContent::Absent, false) => {
            "the document has no snippet, unlike other pages with the same template"
        }
        (PageContent::Damaged, _) => "the snippet is there but cannot run",
        (PageContent::Unknown, true) => "a browser visited the page but could not decide",
        (PageContent::Unknown, false) => {
            "no browser visited the page, and its document alone does not \
            decide"
        }
    };
    match row.root {
        Some(root) => format!("{rule}; {seen} ({root})"),
        None => format!("{rule}; {seen}"),
    }
}

fn line(page: &Page) -> Line {
    let state = PageState::of(&page.row);
    let url = &page.row.url;
    Line {
        path: match url.query() {
            Some(q) => format!("{}?{q}", url.path()),
            None => url.path().to_string(),
        },
        url: url.to_string(),
        kind: page.row.kind,
        template: page.row.template.clone(),
        mark: dots::mark(state),
        state: state.word(),
        why: why(page),
    }
}

fn section(d: &Detail) -> askama::Result<String> {
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
