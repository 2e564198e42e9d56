//! Weigh: what the widget costs the page, against a budget.

use super::{Assessed, Family, Standing, Stood, Words};
use crate::job::JobKind;
use crate::weigh::{BudgetVerdict, WeighIn};
use serde::{Deserialize, Serialize};

pub(super) const WORDS: Words = Words {
    key: "weigh",
    label: "Weigh",
    question: "What does the widget cost the page?",
    drawing: "Own thread time, 0 to 200 ms",
    job: Some(JobKind::Weigh),
};

/// What the drawing and the section are made from.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// The weigh-in.
    pub weigh: WeighIn,
}

/// Judges a weigh-in.
pub fn assess(w: &WeighIn) -> Assessed {
    let t = w.own.thread_ms;
    let figures = format!(
        "{:.0} ms of thread time ({:.0} to {:.0}) against {:.0} ms",
        t.median, t.low, t.high, w.budget_ms
    );
    let lost = match w.failed_loads {
        0 => String::new(),
        1 => " One load failed.".into(),
        n => format!(" {n} loads failed."),
    };
    let (standing, summary) = match w.verdict {
        BudgetVerdict::Under => (Standing::Passing, format!("Under budget: {figures}.{lost}")),
        BudgetVerdict::Over => (Standing::Failing, format!("Over budget: {figures}.{lost}")),
        BudgetVerdict::Undecided => (
            Standing::Undecided,
            format!("Undecided: {figures}; {}.{lost}", w.undecided_because()),
        ),
    };
    let remedy = match standing {
        Standing::Failing => "Talk to the client about the budget, or choose a lighter widget.",
        _ => "",
    };
    Assessed {
        family: Family::Weigh,
        standing,
        summary,
        remedy: remedy.into(),
        findings: Vec::new(),
        detail: Some(super::Detail::Weigh(Detail { weigh: w.clone() })),
    }
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing => {
            Some("Over budget: talk to the client or choose a lighter widget.".into())
        }
        Standing::Undecided => Some("Weigh again with more loads.".into()),
        _ => Some("Weigh the widget.".into()),
    }
}
