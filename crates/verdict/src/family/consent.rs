//! Consent: does anything happen before the visitor agreed?

use super::detail::Detail;
use super::entry::{
    A_LOOK, Elsewhere, Entry, FamilyResult, FamilyStanding, by_findings, first_remedy,
};
use super::kind::{Family, Standing};
use crate::consent::Grid;
use crate::consent::notice::PrivacyPage;
use crate::inputs::input::Input;
use crate::report::Report;
use crate::site_check::WidgetCase;
use newtfern_model::code::Code;
use newtfern_model::finding::Severity;
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;
use newtfern_standards::observation::{LeftOut, Observation};

pub(super) const ENTRY: Entry = Entry {
    family: Family::Consent,
    question: "Does the widget wait for consent?",
    drawing: "Signals",
    job: Some(JobKind::Check),
    reads: &[
        A_LOOK,
        &[
            Input::Site(SiteField::Country),
            Input::Region,
            Input::Exception,
        ],
    ],
    act,
};

/// Judges the visits of a check by the rules of the visitors' region.
pub fn assess(case: &WidgetCase, privacy_page: &PrivacyPage) -> FamilyResult {
    let desktop: Vec<&Observation> = case.on_desktop().collect();
    let Report {
        what: grid,
        findings,
        undecided: busy,
        ..
    } = case.consent(privacy_page);
    let never_starts = findings.iter().any(|f| f.code == Code::ConsentNeverStarts);
    let open = busy.or_else(|| undecided(&grid, never_starts, &desktop));
    let (standing, summary) = match open {
        // That it never starts is the chain's fault, and fails there.
        Some(why)
            if findings
                .iter()
                .all(|f| f.severity < Severity::Fault || f.code == Code::ConsentNeverStarts) =>
        {
            (Standing::Undecided, why)
        }
        _ => by_findings(
            &findings,
            "Before consent, the widget did nothing that the region forbids.",
        ),
    };
    FamilyResult {
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

/// Returns why nothing can be said, if so.
fn undecided(grid: &Grid, never_starts: bool, visits: &[&Observation]) -> Option<String> {
    if visits.is_empty() {
        return Some("The page could not be loaded, so nothing is known about consent.".into());
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
            "The page made more {words} than a visit keeps; what the rest tell of consent is not \
            known."
        ));
    }
    if never_starts {
        return Some(
            "The widget does not start in any consent state, so what it does once it runs is not \
            known."
                .into(),
        );
    }
    if grid.cells.iter().all(|c| c.count == 0) {
        return Some(
            "The widget sent no signal in any state, so nothing is known about consent.".into(),
        );
    }
    None
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("Hold the widget back until consent.".into()),
        _ => Some("Verify in the browser.".into()),
    }
}
