//! Load: the whole chain, from page to usable widget.

use super::{Assessed, Family, Standing, Stood, Words, first_remedy};
use crate::chain::{ChainLink, Diagnosis, NotLookedAt, Outcome};
use crate::code::Code;
use crate::finding::{Finding, Link, Severity};
use crate::job::JobKind;
use crate::observation::{ConsentAct, Observation, Viewport};
use serde::{Deserialize, Serialize};

pub(super) const WORDS: Words = Words {
    key: "load",
    label: "Load",
    question: "Does the widget come up for a visitor, and which link broke?",
    drawing: "Chain",
    job: Some(JobKind::Check),
};

/// One visit, as the section shows it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Shot {
    /// On which screen.
    pub viewport: Viewport,
    /// After which decision.
    pub consent: ConsentAct,
    /// Blob keys of the page and of the opened panel.
    pub picture: Option<String>,
    /// Blob of the open panel's picture.
    pub panel: Option<String>,
    /// When the sign of life came, ms since the navigation began.
    pub up_ms: Option<f64>,
    /// Requests that the page made.
    pub requests: usize,
    /// How long the visit took, ms.
    pub took_ms: f64,
}

/// What the drawing and the section are made from.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// The verdict.
    pub outcome: Outcome,
    /// The root cause.
    pub root: Option<Code>,
    /// All links in their order.
    pub chain: Vec<ChainLink>,
    /// Pictures, one for each visit.
    pub shots: Vec<Shot>,
    /// What could not be looked at, and why.
    pub not_looked_at: Vec<NotLookedAt>,
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
pub fn assess(d: &Diagnosis, visits: &[Observation]) -> Assessed {
    // What Place shows with its evidence is not told twice.
    let own = |f: &&Finding| f.link != Some(Link::Placed);
    let findings: Vec<Finding> = d.findings.iter().filter(own).cloned().collect();
    let (standing, summary) = of_chain(d);
    let remedy = match d.root_finding() {
        Some(root) => root.remedy.clone(),
        None => first_remedy(&findings),
    };
    Assessed {
        family: Family::Load,
        standing,
        summary,
        remedy,
        findings,
        detail: Some(super::Detail::Load(Detail {
            outcome: d.outcome,
            root: d.root,
            chain: d.chain.clone(),
            shots: visits.iter().map(shot).collect(),
            not_looked_at: d.not_looked_at.clone(),
        })),
    }
}

fn of_chain(d: &Diagnosis) -> (Standing, String) {
    let with = |severity| d.findings.iter().find(|f| f.severity == severity);
    let words = |f: Option<&Finding>| f.map(|f| f.summary.clone()).unwrap_or_default();
    // Faults of placing fail there.
    let mut faults = d.findings.iter().filter(|f| f.severity == Severity::Fault);
    let fault = faults.find(|f| f.link != Some(Link::Placed));
    match d.outcome {
        Outcome::Broken => (Standing::Failing, words(d.root_finding())),
        Outcome::Unchecked => (Standing::Undecided, words(with(Severity::Note))),
        _ if fault.is_some() => (Standing::Failing, words(fault)),
        Outcome::AsIntended => (Standing::Passing, words(with(Severity::Note))),
        Outcome::Working => (
            Standing::Passing,
            "The chain holds on desktop and phone.".into(),
        ),
    }
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("See the chain and mend its broken link.".into()),
        _ => Some("Verify in the browser.".into()),
    }
}
