//! Load: the whole chain, from page to usable widget.

use super::entry::{A_CHAIN, A_LOOK, Elsewhere, Entry, FamilyResult, FamilyStanding, first_remedy};
use super::kind::{Family, Standing};
use crate::chain::{Diagnosis, Outcome};
use crate::family::detail::load::{Detail, Shot};
use newtfern_model::code::Link;
use newtfern_model::finding::{Finding, Severity};
use newtfern_model::job::JobKind;
use newtfern_standards::observation::{Observation, Viewport};

pub(super) const ENTRY: Entry = Entry {
    family: Family::Load,
    question: "Does the widget come up for a visitor, and which link broke?",
    drawing: "Chain",
    job: Some(JobKind::Check),
    reads: &[A_LOOK, A_CHAIN],
    act,
};

/// The screens that were looked at, in words.
fn screens(visits: &[Observation]) -> &'static str {
    let on = |viewport| visits.iter().any(|v| v.condition.viewport == viewport);
    match (on(Viewport::Desktop), on(Viewport::Phone)) {
        (true, true) => "on desktop and phone",
        (false, true) => "on a phone (no desktop was checked)",
        _ => "on a desktop (no phone was checked)",
    }
}

fn shot(v: &Observation) -> Shot {
    Shot {
        viewport: v.condition.viewport,
        consent: v.condition.consent,
        picture: v.picture.clone(),
        panel: v.panel_picture.clone(),
        up_ms: v.looks.alive.seen_ms(),
        requests: v.requests.len(),
        took_ms: v.stages.last().map_or(0.0, |s| s.ended_ms),
    }
}

/// Judges loading from a diagnosis and the visits it was made from.
pub fn assess(d: &Diagnosis, visits: &[Observation]) -> FamilyResult {
    // What Place shows with its evidence is not told twice.
    let own = |f: &&Finding| f.link != Some(Link::Placed);
    let findings: Vec<Finding> = d.verdict.findings().iter().filter(own).cloned().collect();
    let (standing, summary) = of_chain(d, visits);
    let remedy = match d.verdict.root_finding() {
        Some(root) => root.remedy.clone(),
        None => first_remedy(&findings),
    };
    FamilyResult {
        family: Family::Load,
        standing,
        summary,
        remedy,
        findings,
        detail: Some(super::Detail::Load(Detail {
            verdict: d.verdict.without_findings(),
            shots: visits.iter().map(shot).collect(),
        })),
    }
}

fn of_chain(d: &Diagnosis, visits: &[Observation]) -> (Standing, String) {
    let with = |severity| d.verdict.findings().iter().find(|f| f.severity == severity);
    let words = |f: Option<&Finding>| f.map(|f| f.summary.clone()).unwrap_or_default();
    // Faults of placing fail there.
    let mut faults = d
        .verdict
        .findings()
        .iter()
        .filter(|f| f.severity == Severity::Fault);
    let fault = faults.find(|f| f.link != Some(Link::Placed));
    let mut found = d.verdict.findings().iter();
    let warning = found.find(|f| f.severity == Severity::Warning && f.link != Some(Link::Placed));
    match d.verdict.outcome() {
        Outcome::Broken => (Standing::Failing, words(d.verdict.root_finding())),
        Outcome::Unchecked => (Standing::Undecided, words(with(Severity::Note))),
        _ if fault.is_some() => (Standing::Failing, words(fault)),
        _ if warning.is_some() => (Standing::Remarks, words(warning)),
        Outcome::AsIntended => (Standing::Passing, words(with(Severity::Note))),
        Outcome::Working => (
            Standing::Passing,
            format!("The chain holds {}.", screens(visits)),
        ),
    }
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("See the chain and fix its broken link.".into()),
        _ => Some("Verify in the browser.".into()),
    }
}
