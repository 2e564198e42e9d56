//! Reads the visits of one check together: desktop with phone, consent untouched with granted.

use super::answer::Answer;
use super::facts::Facts;
use super::registry::{Ask, RULES};
use super::{Case, Diagnosis};
use crate::busy;
use crate::chain::judged::{JudgedVisit, JudgedVisits};
use crate::chain::verdict::Verdict;
use newtfern_model::finding::Finding;
use newtfern_standards::observation::{ConsentAct, Observation};

/// Judges one visit alone, by the rules in their order.
fn alone<'a>(case: &'a Case<'a>, seen: &'a Observation) -> JudgedVisit<'a> {
    let facts = Facts::new(case, seen);
    let mut judged = JudgedVisit {
        root: None,
        remarks: Vec::new(),
        gaps: Vec::new(),
        facts,
    };
    for rule in RULES {
        match &rule.ask {
            Ask::Breaks(link, ask) if judged.root.is_none() => {
                judged.take(*link, ask(&judged.facts))
            }
            Ask::Remarks(ask) if judged.delivered() => {
                let found = ask(&judged.facts).into_iter();
                let counts = |f: &Finding| !busy::rests(f.code, seen);
                judged.remarks.extend(found.filter(counts));
            }
            _ => {}
        }
    }
    judged
}

/// The verdict over all visits of one check.
///
/// The first rule of the registry that reads visits together and answers decides; remarks and gaps
/// of all visits stand beside it.
pub fn diagnose(case: &Case) -> Diagnosis {
    let mut judged: Vec<JudgedVisit> = case.visits.iter().map(|v| alone(case, v)).collect();
    judged.sort_by_key(|j| {
        (
            j.on_phone(),
            j.seen().condition.consent != ConsentAct::Untouched,
        )
    });
    let together = JudgedVisits { case, judged };
    let verdict = RULES
        .iter()
        .find_map(|rule| match &rule.ask {
            Ask::Together(ask) => ask(&together),
            _ => None,
        })
        .unwrap_or_else(Verdict::working);
    told(&together, verdict)
}

fn told(together: &JudgedVisits, mut verdict: Verdict) -> Diagnosis {
    let remarks = together.judged.iter().flat_map(|j| &j.remarks);
    verdict.remark(remarks.cloned());
    for (link, gap) in together.deciding().iter().flat_map(|j| &j.gaps) {
        match link {
            Some(link) => verdict.undecide(*link, gap.clone()),
            None => verdict.leave_open(gap.clone()),
        }
    }
    // A visit that was starved is told, also where others decide.
    let starved = together.judged.iter();
    for j in starved.filter(|j| j.seen().withheld.starved()) {
        if let Some((_, Answer::CannotTell { gap, .. })) = &j.root {
            verdict.leave_open(gap.clone());
        }
    }
    let seen = together.judged.first().map(JudgedVisit::seen);
    let url = seen.map(|s| s.url.clone()).unwrap_or_default();
    let landed = seen.map(|s| s.page.final_url.clone());
    Diagnosis {
        final_url: landed
            .filter(|u| !u.is_empty())
            .unwrap_or_else(|| url.clone()),
        url,
        verdict,
        error: None,
    }
}
