//! One page and one widget: what should be there, what is, and by which look that is known.

use super::case::{Clock, SiteCase, SitePage, Subject};
use super::widget::verdict;
use crate::chain::{Case, Outcome, Verdict, diagnose};
use crate::site_check::diagnosis::PageContent;
use newtfern_model::code::{Code, Link};
use newtfern_model::finding::Finding;
use newtfern_model::pages::{Expect, PageCopy};
use newtfern_model::placement::{Inspector, Piece, PieceState};
use newtfern_standards::observation::{Aside, AsideLook, Look, Observation, Purpose};
use std::borrow::Cow;
use url::Url;

/// One page and one widget.
#[derive(Debug)]
pub(super) struct Cell {
    /// Expectation of the page.
    pub expected: Expect,
    /// Content of the page.
    pub seen: PageContent,
    /// The verdict, where there is one: of a visit, or of documents that suffice for it.
    pub verdict: Option<Verdict>,
    /// The delivered document has a piece that can run.
    in_html: bool,
    /// The document was read to its end.
    whole: bool,
}

impl Cell {
    /// The outcome, where there is a verdict.
    pub fn outcome(&self) -> Option<Outcome> {
        self.verdict.as_ref().map(Verdict::outcome)
    }

    /// Returns why it is not right, where that is known.
    pub fn root(&self) -> Option<Code> {
        self.verdict.as_ref().and_then(Verdict::root)
    }

    /// The worse comes first.
    pub fn rank(&self) -> u8 {
        match (self.outcome(), self.seen) {
            (Some(Outcome::Broken), _) => 0,
            (Some(Outcome::Unchecked), _) | (_, PageContent::Unknown) => 1,
            _ if !self.is_right() => 2,
            (Some(Outcome::AsIntended), _) => 3,
            _ => 4,
        }
    }

    fn is_right(&self) -> bool {
        self.seen.is_wanted(self.expected) && self.root().is_none()
    }

    /// The widget is on the page, or would come up there.
    fn has_it(&self) -> bool {
        self.in_html || self.seen == PageContent::Present
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
        seen: PageContent::Unknown,
        verdict: None,
        in_html,
        whole,
    };
    // The visits of a site without a widget were made for one of the known ones and tell of all.
    let own = page.visited.iter().find(|v| v.subject == n);
    let shared = page.visited.first();
    let shared = shared.filter(|_| case.expectation.widgets.is_empty());
    let Some(visited) = own.or(shared) else {
        by_document(case, page, subject, &mut cell);
        return cell;
    };
    let mut visits = Cow::Borrowed(visited.visits.chain());
    if own.is_none() {
        visits = visits.iter().map(for_another).collect();
    }
    let visits = &*visits;
    let siblings = siblings(case, subject);
    if expected == Expect::Absent && sibling_is_wanted(case, page, subject) {
        return beside_a_sibling(case, subject, visits, cell);
    }
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
        siblings: &siblings,
    };
    let clock = Clock {
        time_zone: &case.expectation.time_zone,
        at: case.at,
    };
    let mut told = verdict(&chain, case.expectation.widgets.get(n), clock);
    let lost = told
        .root()
        .is_some_and(|r| r.link() == Some(Link::Delivered));
    if lost && !given {
        // Nobody asked for this page: what keeps us out says nothing of the widget.
        return cell;
    }
    name_supplier(case, subject, &mut told);
    if !lost {
        cell.seen = seen(&told, expected);
    }
    cell.verdict = Some(told);
    cell
}

/// The site's other widgets of the same supplier.
fn others_of<'a>(
    case: &'a SiteCase,
    subject: &'a Subject,
) -> impl Iterator<Item = &'a Subject<'a>> {
    let same = |s: &&Subject| s.supplier.id == subject.supplier.id && s.key != subject.key;
    case.subjects.iter().filter(same)
}

fn siblings<'a>(case: &'a SiteCase, subject: &'a Subject) -> Vec<&'a str> {
    others_of(case, subject).filter_map(|s| s.key).collect()
}

/// Returns whether another widget of the same supplier belongs on the page.
fn sibling_is_wanted(case: &SiteCase, page: &SitePage, subject: &Subject) -> bool {
    let here = |s: &Subject| s.rules.expects(&page.copy.at(), page.kind) == Expect::Present;
    others_of(case, subject).any(here)
}

/// A widget that does not belong on a page which has another one of its supplier: only its key
/// tells that it is there too. Where it stands in place of the right one, that one is judged wrong
/// by it.
fn beside_a_sibling(
    case: &SiteCase,
    subject: &Subject,
    visits: &[Observation],
    mut cell: Cell,
) -> Cell {
    let inspector = Inspector::new(subject.supplier, case.consent);
    let siblings = siblings(case, subject);
    let found = visits.iter().find_map(|v| {
        let at = Url::parse(&v.page.final_url).ok()?;
        let pieces = inspector.pieces(&v.page.html, &at);
        let has = |key: &dyn Fn(&str) -> bool| {
            let live = |p: &&Piece| p.state == PieceState::Live && p.key.key().is_some_and(key);
            pieces.iter().find(live).cloned()
        };
        let right = has(&|k| siblings.contains(&k));
        has(&|k| Some(k) == subject.key).filter(|_| right.is_some())
    });
    cell.seen = match found {
        Some(_) => PageContent::Present,
        None => PageContent::Absent,
    };
    cell.verdict = found.map(|piece| {
        let key = subject.key.unwrap_or_default();
        let summary = format!("The widget with the key {key} is here too, where it should not be.");
        let remedy = "Take its code out of what brings it to this page, or let its page rules \
                      leave \
            the page out.";
        let evidence = crate::chain::evidence::lines([&piece]);
        let found = Finding::broken(Code::PlacedUnexpected, summary, remedy).with_all(evidence);
        let mut verdict = Verdict::broken(found);
        name_supplier(case, subject, &mut verdict);
        verdict
    });
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

/// Returns whether the delivered document has a piece that can run, and whether it was read to its
/// end.
fn in_html(case: &SiteCase, copy: &PageCopy, subject: &Subject) -> (bool, bool) {
    let inspector = Inspector::new(subject.supplier, case.consent);
    let found = inspector.inspect(&copy.page.html, &copy.at());
    let right = |p: &Piece| {
        let key = p.key.key();
        p.state.comes() && (subject.key.is_none() || key.is_none() || key == subject.key)
    };
    (
        found.pieces.iter().any(right),
        !found.cut && !copy.page.html_cut,
    )
}

/// Lets each finding say whose widget it is about, where there are several.
fn name_supplier(case: &SiteCase, subject: &Subject, verdict: &mut Verdict) {
    if case.subjects.len() > 1 {
        verdict.name(&subject.supplier.name);
    }
}

/// A visit that was made for one supplier, read for another: its requests and documents tell; its
/// sign of life and its launcher were another's.
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

/// Returns what a visit's verdict says of the page.
fn seen(verdict: &Verdict, expected: Expect) -> PageContent {
    match (verdict.outcome(), expected) {
        (Outcome::Unchecked, _) => PageContent::Unknown,
        (Outcome::Working, _) | (Outcome::AsIntended, Expect::Present) => PageContent::Present,
        (Outcome::AsIntended, Expect::Absent) => PageContent::Absent,
        (Outcome::Broken, _) => verdict.root().map_or(PageContent::Unknown, seen_by_root),
    }
}

/// The contract: damaged where the root is a `placed.*` other than those that say that it is not
/// there, or there too much.
fn seen_by_root(root: Code) -> PageContent {
    use Code::*;
    match root {
        PlacedAbsent | PlacedOtherPage | PlacedStaleCache | PlacedUnpublished
        | PlacedTagMissing | PlacedTagDraft | PlacedTagPaused | PlacedTagRule
        | PlacedTagOtherSet => PageContent::Absent,
        PlacedUnexpected => PageContent::Present,
        code if code.link() == Some(Link::Placed) => PageContent::Damaged,
        _ => PageContent::Present,
    }
}

/// A page to which no browser went: its document alone can tell that the snippet is there, or is
/// damaged.
fn by_document(case: &SiteCase, page: &SitePage, subject: &Subject, cell: &mut Cell) {
    if !page.copy.is_had() {
        return;
    }
    if cell.expected == Expect::Absent {
        cell.seen = if cell.in_html {
            PageContent::Present
        } else {
            PageContent::Unknown
        };
        return;
    }
    let seen_page = page.copy.as_observation();
    let told = diagnose(&Case {
        supplier: subject.supplier,
        rivals: &[],
        key: subject.key,
        expect: cell.expected,
        consent: case.consent,
        visits: std::slice::from_ref(&seen_page),
        asides: &[],
        siblings: &siblings(case, subject),
    });
    let mut verdict = told.verdict;
    let root = verdict.root();
    if root.is_some_and(|r| seen_by_root(r) == PageContent::Damaged) {
        name_supplier(case, subject, &mut verdict);
        cell.seen = PageContent::Damaged;
        cell.verdict = Some(verdict);
    } else if cell.in_html {
        cell.seen = PageContent::Present;
    }
}

/// A document without the snippet tells that the widget is absent only where other pages show that
/// it would stand in the document, or that it is nowhere.
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
                c[n].seen == PageContent::Absent,
            )
        })
        .collect();
    for (page, cell) in case.pages.iter().zip(cells.iter_mut().map(|c| &mut c[n])) {
        let open = page.visited.is_empty() && cell.seen == PageContent::Unknown;
        if !open || !page.copy.is_had() || !cell.whole {
            continue;
        }
        let by_template = alike
            .iter()
            .any(|(template, in_html, absent)| *template == page.template && (*in_html || *absent));
        if anywhere && !by_template {
            continue;
        }
        cell.seen = PageContent::Absent;
        if cell.expected == Expect::Present {
            cell.verdict = Some(Verdict::broken(absent_by_document(match anywhere {
                true => Code::PlacedOtherPage,
                false => Code::PlacedAbsent,
            })));
        }
    }
}

/// The finding of a page that its document alone shows to be without the snippet.
fn absent_by_document(code: Code) -> Finding {
    let (summary, remedy) = match code {
        Code::PlacedOtherPage => (
            "The snippet is missing here and present on another page of the site.",
            "Place the snippet in the template or site-wide code box, not in a single page.",
        ),
        _ => (
            "No trace of the snippet is in the page's document, nor in that of any other page.",
            "Place the snippet in the site's code slot and publish.",
        ),
    };
    Finding::broken(code, summary, remedy)
}
