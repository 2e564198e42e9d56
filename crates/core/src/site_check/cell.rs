//! One page and one widget: what should be there, what is, and by which look that is known.

use super::{Clock, SiteCase, SitePage, Subject, verdict};
use crate::chain::{Aside, AsideLook, Case, Diagnosis, Expect, Outcome, Purpose, diagnose};
use crate::code::Code;
use crate::finding::Link;
use crate::observation::{Look, Observation};
use crate::pages::PageCopy;
use crate::placement::Inspector;
use crate::visits::of_the_chain;
use serde::{Deserialize, Serialize};

/// What is on a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Seen {
    /// The widget, or its snippet where it can run.
    Present,
    /// Nothing of it.
    Absent,
    /// Its snippet in a state that does not run.
    Damaged,
    /// Nobody knows.
    Unknown,
}

impl Seen {
    /// It is what should be.
    pub(super) fn is_wanted(self, expected: Expect) -> bool {
        match expected {
            Expect::Present => self == Seen::Present,
            Expect::Absent => self == Seen::Absent,
        }
    }
}

/// One page and one widget.
#[derive(Debug)]
pub(super) struct Cell {
    /// What should be.
    pub expected: Expect,
    /// What is.
    pub seen: Seen,
    /// Why it is not right, where that is known.
    pub root: Option<Code>,
    /// The verdict, where there is one: of a visit, or of a document that suffices for it.
    pub outcome: Option<Outcome>,
    /// All that the visit told.
    pub diagnosis: Option<Diagnosis>,
    /// The delivered document has a piece that can run.
    in_html: bool,
    /// The document was read to its end.
    whole: bool,
}

impl Cell {
    /// The worse comes first.
    pub fn rank(&self) -> u8 {
        match (self.outcome, self.seen) {
            (Some(Outcome::Broken), _) => 0,
            (Some(Outcome::Unchecked), _) | (_, Seen::Unknown) => 1,
            _ if !self.is_right() => 2,
            (Some(Outcome::AsIntended), _) => 3,
            _ => 4,
        }
    }

    fn is_right(&self) -> bool {
        self.seen.is_wanted(self.expected) && self.root.is_none()
    }

    /// The widget is on the page, or would come up there.
    fn has_it(&self) -> bool {
        self.in_html || self.seen == Seen::Present
    }
}

/// Cells of each page, a widget each.
pub(super) fn all(case: &SiteCase) -> Vec<Vec<Cell>> {
    let first = |(i, page)| {
        let of = |(n, subject)| cell(case, page, i == 0, n, subject);
        case.subjects.iter().enumerate().map(of).collect()
    };
    let mut cells: Vec<Vec<Cell>> = case.pages.iter().enumerate().map(first).collect();
    for n in 0..case.subjects.len() {
        by_comparison(case, &mut cells, n);
    }
    cells
}

fn cell(case: &SiteCase, page: &SitePage, given: bool, n: usize, subject: &Subject) -> Cell {
    let expected = subject.rules.expects(&page.copy.at(), page.kind);
    let (in_html, whole) = in_html(case, &page.copy, subject);
    let mut cell = Cell {
        expected,
        seen: Seen::Unknown,
        root: None,
        outcome: None,
        diagnosis: None,
        in_html,
        whole,
    };
    // The visits of a site without a widget were made for one of the known ones and tell of all.
    let own = page.visited.iter().find(|v| v.subject == n);
    let shared = page
        .visited
        .first()
        .filter(|_| case.expectation.widgets.is_empty());
    let Some(visited) = own.or(shared) else {
        by_document(case, page, subject, &mut cell);
        return cell;
    };
    let others: Vec<Observation>;
    let visits = match own.is_some() {
        true => of_the_chain(&visited.visits),
        false => {
            let chain = of_the_chain(&visited.visits);
            others = chain.iter().map(for_another).collect();
            &others
        }
    };
    let widget = case.expectation.widgets.get(n);
    let mut asides = visited.asides.clone();
    if !cell.in_html && !given {
        asides.extend(elsewhere(case, page, subject));
    }
    let chain = Case {
        supplier: subject.supplier,
        rivals: case.rivals,
        key: subject.key,
        expect: expected,
        consent: case.consent,
        visits,
        asides: &asides,
    };
    let clock = Clock {
        time_zone: &case.expectation.time_zone,
        at: case.at,
    };
    let mut diagnosis = verdict(&chain, widget, clock);
    let lost = diagnosis
        .root
        .is_some_and(|r| r.link() == Some(Link::Delivered));
    if lost && !given {
        // Nobody asked for this page: what keeps us out says nothing of the widget.
        return cell;
    }
    name_supplier(case, subject, &mut diagnosis);
    cell.seen = match lost {
        true => Seen::Unknown,
        false => seen(&diagnosis, expected),
    };
    cell.root = diagnosis.root;
    cell.outcome = Some(diagnosis.outcome);
    cell.diagnosis = Some(diagnosis);
    cell
}

/// Another page of the site whose document has the snippet: by HTTP they are known already.
fn elsewhere(case: &SiteCase, page: &SitePage, subject: &Subject) -> Option<Aside> {
    let others = case
        .pages
        .iter()
        .filter(|p| p.copy.url != page.copy.url && p.copy.is_had());
    let mut others = others.filter(|p| in_html(case, &p.copy, subject).0);
    others.next().map(|p| Aside {
        purpose: Purpose::Linked,
        url: p.copy.url.to_string(),
        status: p.copy.page.status.unwrap_or_default(),
        html: p.copy.page.html.clone(),
        look: AsideLook::Had,
        blob: None,
    })
}

/// Does the delivered document have a piece that can run, and was it read to its end?
fn in_html(case: &SiteCase, copy: &PageCopy, subject: &Subject) -> (bool, bool) {
    let inspector = Inspector::new(subject.supplier, case.consent);
    let found = inspector.inspect(&copy.page.html, &copy.at());
    let right = |p: &crate::placement::Piece| {
        let key = p.key.key();
        p.state.comes() && (subject.key.is_none() || key.is_none() || key == subject.key)
    };
    (
        found.pieces.iter().any(right),
        !found.cut && !copy.page.html_cut,
    )
}

/// Where there are several, each finding says whose widget it is about.
fn name_supplier(case: &SiteCase, subject: &Subject, diagnosis: &mut Diagnosis) {
    if case.subjects.len() < 2 {
        return;
    }
    for finding in &mut diagnosis.findings {
        finding.summary = format!("{}: {}", subject.supplier.name, finding.summary);
    }
    for gap in &mut diagnosis.not_looked_at {
        gap.what = format!("{}: {}", subject.supplier.name, gap.what);
    }
}

/// A visit that was made for one supplier, read for another: its requests and documents tell; its sign of
/// life and its launcher were another's.
fn for_another(seen: &Observation) -> Observation {
    let until_ms = seen.stages.last().map_or(0.0, |s| s.ended_ms);
    let mut out = seen.clone();
    if out.looks.alive.unlooked().is_none() {
        out.looks.alive = Look::NotThere { until_ms };
    }
    if out.looks.launcher.unlooked().is_none() {
        out.looks.launcher = Look::NotThere { until_ms };
    }
    (out.launcher, out.operation) = (None, None);
    out
}

/// What a visit's verdict says of the page.
fn seen(diagnosis: &Diagnosis, expected: Expect) -> Seen {
    match (diagnosis.outcome, expected) {
        (Outcome::Unchecked, _) => Seen::Unknown,
        (Outcome::Working, _) | (Outcome::AsIntended, Expect::Present) => Seen::Present,
        (Outcome::AsIntended, Expect::Absent) => Seen::Absent,
        (Outcome::Broken, _) => diagnosis.root.map_or(Seen::Unknown, seen_by_root),
    }
}

/// The contract: damaged where the root is a `placed.*` other than those that say that it is not there, or
/// there too much.
fn seen_by_root(root: Code) -> Seen {
    use Code::*;
    match root {
        PlacedAbsent | PlacedOtherPage | PlacedStaleCache | PlacedUnpublished
        | PlacedTagMissing | PlacedTagDraft | PlacedTagPaused | PlacedTagRule
        | PlacedTagOtherSet => Seen::Absent,
        PlacedUnexpected => Seen::Present,
        code if code.link() == Some(Link::Placed) => Seen::Damaged,
        _ => Seen::Present,
    }
}

/// A page to which no browser went: its document alone can tell that the snippet is there, or is damaged.
fn by_document(case: &SiteCase, page: &SitePage, subject: &Subject, cell: &mut Cell) {
    if !page.copy.is_had() {
        return;
    }
    if cell.expected == Expect::Absent {
        cell.seen = if cell.in_html {
            Seen::Present
        } else {
            Seen::Unknown
        };
        return;
    }
    let seen_page = page.copy.as_observation();
    let mut diagnosis = diagnose(&Case {
        supplier: subject.supplier,
        rivals: &[],
        key: subject.key,
        expect: cell.expected,
        consent: case.consent,
        visits: std::slice::from_ref(&seen_page),
        asides: &[],
    });
    let damaged = diagnosis.root.filter(|r| seen_by_root(*r) == Seen::Damaged);
    if let Some(root) = damaged {
        name_supplier(case, subject, &mut diagnosis);
        (cell.seen, cell.root) = (Seen::Damaged, Some(root));
        cell.outcome = Some(Outcome::Broken);
        cell.diagnosis = Some(diagnosis);
    } else if cell.in_html {
        cell.seen = Seen::Present;
    }
}

/// A document without the snippet tells that the widget is absent only where other pages show that it
/// would stand in the document, or that it is nowhere.
fn by_comparison(case: &SiteCase, cells: &mut [Vec<Cell>], n: usize) {
    let anywhere = cells.iter().any(|c| c[n].has_it());
    let alike: Vec<(&str, bool, bool)> = case
        .pages
        .iter()
        .zip(cells.iter())
        .filter(|(page, _)| !page.visited.is_empty())
        .map(|(page, c)| {
            (
                page.template.as_str(),
                c[n].in_html,
                c[n].seen == Seen::Absent,
            )
        })
        .collect();
    for (page, cell) in case.pages.iter().zip(cells.iter_mut().map(|c| &mut c[n])) {
        let open = page.visited.is_empty() && cell.seen == Seen::Unknown;
        if !open || !page.copy.is_had() || !cell.whole {
            continue;
        }
        let by_template = alike
            .iter()
            .any(|(template, in_html, absent)| *template == page.template && (*in_html || *absent));
        if anywhere && !by_template {
            continue;
        }
        cell.seen = Seen::Absent;
        if cell.expected == Expect::Present {
            cell.outcome = Some(Outcome::Broken);
            cell.root = Some(match anywhere {
                true => Code::PlacedOtherPage,
                false => Code::PlacedAbsent,
            });
        }
    }
}
