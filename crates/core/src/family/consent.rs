//! Consent: does anything happen before the visitor agreed?

use super::{Assessed, Detail, Family, Standing, Stood, Words, by_findings, first_remedy};
use crate::code::Code;
use crate::consent::{Grid, Region, grid, judge, notice};
use crate::job::JobKind;
use crate::observation::{LeftOut, Observation, Viewport};
use crate::profile::Supplier;

pub(super) const WORDS: Words = Words {
    key: "consent",
    label: "Consent",
    question: "Does anything happen before consent?",
    drawing: "Signals",
    job: Some(JobKind::Check),
};

/// Judges the visits of a check by the rules of a region.
pub fn assess(
    supplier: &Supplier,
    region: &Region,
    visits: &[Observation],
    privacy_page: &notice::Followed,
) -> Assessed {
    let desktop = |v: &&Observation| v.condition.viewport == Viewport::Desktop;
    let desktop: Vec<&Observation> = visits.iter().filter(desktop).collect();
    let had = |v: &&Observation| v.page.status.is_some_and(|s| s < 400);
    let reached = desktop.iter().any(had);
    let grid = grid(supplier, region, &desktop);
    let mut findings = judge(&grid);
    findings.extend(privacy_page.silent(supplier, &grid.declared));
    let never_starts = findings.iter().any(|f| f.code == Code::ConsentNeverStarts);
    let (standing, summary) = match undecided(&grid, reached, never_starts, &desktop) {
        Some(why)
            if findings
                .iter()
                .all(|f| f.severity < crate::finding::Severity::Fault) =>
        {
            (Standing::Undecided, why)
        }
        _ => by_findings(
            &findings,
            "Nothing of the widget before consent that the region forbids.",
        ),
    };
    Assessed {
        family: Family::Consent,
        standing,
        summary,
        remedy: first_remedy(&findings),
        findings,
        detail: Some(Detail::Consent(grid)),
    }
}

/// Lists that carry signals.
const SIGNALS: &[LeftOut] = &[
    LeftOut::Requests,
    LeftOut::Sockets,
    LeftOut::Stored,
    LeftOut::Frames,
];

/// Why nothing can be said, if so.
fn undecided(
    grid: &Grid,
    reached: bool,
    never_starts: bool,
    visits: &[&Observation],
) -> Option<String> {
    if !reached {
        return Some("The page could not be had, so nothing is known about consent.".into());
    }
    if let Some((state, why)) = grid.not_made.first() {
        let state = state.word();
        return Some(format!(
            "The decision \u{201c}{state}\u{201d} could not be made: {why}."
        ));
    }
    let mut left_out = visits.iter().flat_map(|v| &v.left_out);
    if let Some(list) = left_out.find(|l| SIGNALS.contains(l)) {
        let words = list.words();
        return Some(format!(
            "The page made more {words} than a visit keeps; what the rest tell of consent is not known."
        ));
    }
    if never_starts {
        return Some(
            "The widget does not start in any consent state, so what it does once it runs is not known.".into(),
        );
    }
    if grid.cells.iter().all(|c| c.count == 0) {
        return Some(
            "The widget sent no signal in any state, so nothing is known about consent.".into(),
        );
    }
    None
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("Hold the widget back until consent.".into()),
        _ => Some("Verify in the browser.".into()),
    }
}
