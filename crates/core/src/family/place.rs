//! Place: the part of the chain that placing is about: delivered and placed hold.

use super::{Assessed, Family, Standing, Stood, Words};
use crate::chain::{Diagnosis, LinkState, Outcome};
use crate::finding::{Finding, Link, Severity};
use crate::job::JobKind;

pub(super) const WORDS: Words = Words {
    key: "place",
    label: "Place",
    question: "Is the snippet in the page, once, with the right key?",
    drawing: "Slot",
    job: Some(JobKind::Check),
};

/// Judges the placing from a diagnosis.
pub fn assess(d: &Diagnosis) -> Assessed {
    let of_placing = |f: &&Finding| f.link == Some(Link::Placed);
    let findings: Vec<Finding> = d.findings.iter().filter(of_placing).cloned().collect();
    let state = |link| {
        let found = d.chain.iter().find(|l| l.link == link);
        found.map_or(LinkState::NotReached, |l| l.state)
    };
    let fault = findings.iter().find(|f| f.severity >= Severity::Fault);
    let (standing, summary) = match (state(Link::Delivered), state(Link::Placed)) {
        (LinkState::Broken | LinkState::Undecided | LinkState::NotReached, _) => (
            Standing::Undecided,
            "The page could not be had, so nothing is known about placing.".to_string(),
        ),
        (_, LinkState::Undecided) => {
            let why = d.not_looked_at.first();
            let why = why.map(|n| format!("{}: {}.", n.what, n.why));
            (Standing::Undecided, why.unwrap_or_default())
        }
        _ if fault.is_some() => {
            let summary = fault.map(|f| f.summary.clone()).unwrap_or_default();
            (Standing::Failing, summary)
        }
        (_, LinkState::NotApplicable) if d.outcome == Outcome::AsIntended => (
            Standing::Passing,
            "The snippet is absent, as the page rules say.".to_string(),
        ),
        _ => (
            Standing::Passing,
            "The snippet is in the page, once, with its key.".to_string(),
        ),
    };
    Assessed {
        family: Family::Place,
        standing,
        summary,
        remedy: fault.map(|f| f.remedy.clone()).unwrap_or_default(),
        findings,
        detail: None,
    }
}

pub(super) fn act(stood: &Stood, loading: Standing) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        // A page that cannot be had says nothing of placing; loading names what to do.
        Standing::Undecided if loading == Standing::Failing => None,
        Standing::NotYet if loading == Standing::NotYet => {
            Some("Place the snippet, then verify.".into())
        }
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("See the chain and mend its broken link.".into()),
        _ => Some("Verify in the browser.".into()),
    }
}
