//! The verdict of the whole site, from its pages.

use super::case::SiteCase;
use super::cell::Cell;
use super::diagnosis::{ChainReport, Coverage, PageRow};
use super::{intended, languages};
use crate::chain::{Diagnosis, Outcome, Verdict};
use crate::manners;
use crate::site_check::diagnosis::PageContent;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding, NotChecked, Severity};
use newtfern_model::pages::{Expect, PageKind};
use std::collections::BTreeMap;

/// Pages that are told by name of one finding; more are told by number.
const MOST_NAMED: usize = 20;

pub(super) fn told(case: &SiteCase, cells: &[Vec<Cell>]) -> ChainReport {
    let worst: Vec<Option<&Cell>> = cells
        .iter()
        .map(|c| c.iter().min_by_key(|c| c.rank()))
        .collect();
    let rows: Vec<PageRow> = case
        .pages
        .iter()
        .zip(&worst)
        .map(|(page, cell)| PageRow {
            url: page.copy.url.clone(),
            kind: page.kind,
            template: page.template.clone(),
            expected: cell.map_or(Expect::Absent, |c| c.expected),
            seen: cell.map_or(PageContent::Unknown, |c| c.seen),
            root: cell.and_then(|c| c.root()),
            visited: !page.visited.is_empty(),
        })
        .collect();
    let outcomes = || worst.iter().flatten().filter_map(|c| c.outcome());
    let outcome = [
        Outcome::Broken,
        Outcome::Unchecked,
        Outcome::Working,
        Outcome::AsIntended,
    ]
    .into_iter()
    .find(|wanted| outcomes().any(|o| o == *wanted))
    .unwrap_or(Outcome::Unchecked);
    let chosen = match outcome {
        Outcome::Broken => broken_page(&rows, &worst),
        _ => 0,
    };
    let mut diagnosis = base(case, chosen, &worst);
    let mut all = findings(&rows, cells, chosen, diagnosis.verdict.findings().to_vec());
    all.extend(not_reached(case));
    let gaps = not_looked_at(case, &rows, cells);
    diagnosis.verdict = diagnosis.verdict.over_site(outcome, all, gaps);
    // What is broken for everybody needs no word about some.
    for seen in case.widgets().filter(|_| outcome != Outcome::Broken) {
        manners::judge(seen.widget, seen.in_other_manners()).beside(&mut diagnosis.verdict);
    }
    if outcome != Outcome::Broken {
        languages::beside(case, &mut diagnosis.verdict);
    }
    ChainReport {
        coverage: Coverage {
            expected: rows.len(),
            right: rows.iter().filter(|r| r.is_right()).count(),
            unknown: rows
                .iter()
                .filter(|r| r.seen == PageContent::Unknown)
                .count(),
        },
        pages: rows,
        diagnosis,
    }
}

/// The page whose root is the site's: the one given, if it is broken, else the first of the kind
/// with most broken pages.
fn broken_page(rows: &[PageRow], worst: &[Option<&Cell>]) -> usize {
    let broken: Vec<usize> = worst
        .iter()
        .enumerate()
        .filter(|(_, c)| c.is_some_and(|c| c.outcome() == Some(Outcome::Broken)))
        .map(|(i, _)| i)
        .collect();
    if broken.first() == Some(&0) {
        return 0;
    }
    let mut by_kind: BTreeMap<PageKind, usize> = BTreeMap::new();
    for i in &broken {
        *by_kind.entry(rows[*i].kind).or_default() += 1;
    }
    let most = by_kind.values().max().copied().unwrap_or_default();
    let of_most = |i: &&usize| by_kind.get(&rows[**i].kind) == Some(&most);
    // A page that was visited tells more than one that was not.
    let visited = broken.iter().filter(of_most).find(|i| rows[**i].visited);
    visited
        .or_else(|| broken.iter().find(of_most))
        .copied()
        .unwrap_or_default()
}

/// Returns the diagnosis of the chosen page; of one that only its document speaks for, with a chain
/// of its own.
fn base(case: &SiteCase, chosen: usize, worst: &[Option<&Cell>]) -> Diagnosis {
    let given = case.pages.first();
    let url = given.map_or(case.expectation.address.clone(), |p| p.copy.url.to_string());
    let cell = worst.get(chosen).copied().flatten();
    let told = cell.and_then(|c| c.verdict.clone());
    let landed = given
        .map(|p| p.copy.page.final_url.clone())
        .filter(|u| !u.is_empty());
    Diagnosis {
        final_url: landed.unwrap_or_else(|| url.clone()),
        url,
        verdict: told.unwrap_or_else(|| Verdict::unseen("no browser visited it")),
        error: None,
    }
}

/// Findings of the chosen page, then of the others, each once with its pages, then what is told of
/// the site as a whole.
fn findings(
    rows: &[PageRow],
    cells: &[Vec<Cell>],
    chosen: usize,
    first: Vec<Finding>,
) -> Vec<Finding> {
    let mut out = first;
    let mut where_found: Vec<Vec<String>> = vec![Vec::new(); out.len()];
    for (i, (row, of_page)) in rows.iter().zip(cells).enumerate() {
        for (n, cell) in of_page.iter().enumerate() {
            let told = cell.verdict.as_ref().map(Verdict::findings);
            for finding in told.unwrap_or_default() {
                // A note of a page of ours says that it is in order.
                if finding.severity == Severity::Note
                    && (i > 0 || n > 0)
                    && finding.code != Code::PagesNotReached
                {
                    continue;
                }
                let same = out
                    .iter()
                    .position(|f| f.code == finding.code && f.summary == finding.summary);
                match same {
                    Some(at) => where_found[at].push(row.url.to_string()),
                    None => {
                        out.push(finding.clone());
                        where_found.push(vec![row.url.to_string()]);
                    }
                }
            }
        }
    }
    let given = rows.first().map(|r| r.url.to_string());
    for (finding, mut pages) in out.iter_mut().zip(where_found) {
        pages.dedup();
        if pages.len() > 1 || pages.first() != given.as_ref() || chosen != 0 {
            finding.evidence.extend(named(&pages));
        }
    }
    out.extend(missing(rows));
    out
}

/// Pages by name, so many at most.
fn named(pages: &[String]) -> Vec<Evidence> {
    let mut out: Vec<Evidence> = pages
        .iter()
        .take(MOST_NAMED)
        .map(|p| Evidence::fact(format!("on {p}")))
        .collect();
    if let Some(more) = pages.len().checked_sub(MOST_NAMED).filter(|n| *n > 0) {
        out.push(Evidence::fact(format!("and on {more} further pages")));
    }
    out
}

/// `pages.missing`: expected on these pages and absent, although others have it.
fn missing(rows: &[PageRow]) -> Option<Finding> {
    let absent = |r: &&PageRow| r.expected == Expect::Present && r.seen == PageContent::Absent;
    let lacking: Vec<&PageRow> = rows.iter().filter(absent).collect();
    let elsewhere = rows.iter().any(|r| r.seen == PageContent::Present);
    if lacking.is_empty() || !elsewhere {
        return None;
    }
    let mut templates: Vec<&str> = lacking.iter().map(|r| r.template.as_str()).collect();
    templates.sort_unstable();
    templates.dedup();
    let pages: Vec<String> = lacking.iter().map(|r| r.url.to_string()).collect();
    let summary = format!(
        "{} of {} pages that should have the widget are without it; they are of {}.",
        lacking.len(),
        rows.iter()
            .filter(|r| r.expected == Expect::Present)
            .count(),
        templates.join(", ")
    );
    let remedy = "Place the snippet in a slot that reaches these templates too, such as the \
        site-wide code box.";
    Some(Finding::new(Code::PagesMissing, Severity::Fault, summary, remedy).with_all(named(&pages)))
}

/// `pages.not-reached`: pages that we found and could not have.
fn not_reached(case: &SiteCase) -> Option<Finding> {
    let lost: Vec<Evidence> = case
        .pages
        .iter()
        .skip(1)
        .filter(|p| !p.copy.is_had())
        .map(|p| Evidence::Request {
            url: p.copy.url.to_string(),
            outcome: p.copy.why_not(),
        })
        .collect();
    let closed = case.closed.iter().map(|url| Evidence::Request {
        url: url.to_string(),
        outcome: "robots.txt asks programs to stay away".into(),
    });
    let summary = match (lost.len(), case.closed.len()) {
        (0, 0) => return None,
        (lost, 0) => format!("{lost} pages that the site lists could not be loaded."),
        (0, closed) => format!("{closed} pages are closed to programs by robots.txt."),
        (lost, closed) => format!(
            "{lost} pages that the site lists could not be loaded, and {closed} are closed to \
            programs by robots.txt."
        ),
    };
    let kept = lost.into_iter().chain(closed).take(MOST_NAMED);
    Some(Finding::note(Code::PagesNotReached, summary).with_all(kept))
}

/// Returns what was not looked at on the other pages, and on the site as a whole.
fn not_looked_at(case: &SiteCase, rows: &[PageRow], cells: &[Vec<Cell>]) -> Vec<NotChecked> {
    let mut out = Vec::new();
    for (row, of_page) in rows.iter().zip(cells).skip(1) {
        let told = of_page.iter().filter_map(|c| c.verdict.as_ref());
        for gap in told.flat_map(Verdict::not_looked_at) {
            out.push(NotChecked {
                what: format!("{} on {}", gap.what, row.url),
                why: gap.why.clone(),
            });
        }
    }
    out.extend(case.gaps.iter().cloned());
    out.extend(intended::without_zone(case.expectation));
    if case.subjects.is_empty() {
        out.push(NotChecked {
            what: "whether a widget is on the site".into(),
            why: "no supplier profile is given by which one would be known".into(),
        });
    }
    out
}
