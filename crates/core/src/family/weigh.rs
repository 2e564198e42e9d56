//! Weigh: what the widget costs the page, against a budget.

use super::{Assessed, Family, Standing, Stood, Words};
use crate::job::JobKind;
use crate::weigh::{BudgetVerdict, WeighError, WeighIn};
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
    let idle = match w.not_started {
        0 => String::new(),
        n => format!(
            " The widget did not start in {n} of {} loads.",
            w.loads + n as usize
        ),
    };
    let lost = lost + &idle;
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
        detail: Some(super::Detail::Weigh(Box::new(Detail { weigh: w.clone() }))),
    }
}

/// Nothing was weighed: not a weight of nothing, and nothing that an earlier weigh-in could stand in for.
pub fn unweighed(why: &WeighError) -> Assessed {
    Assessed {
        family: Family::Weigh,
        standing: Standing::Undecided,
        summary: format!("Undecided: {why}."),
        remedy: match why {
            WeighError::NeverStarted { .. } => {
                "Verify in the browser why the widget does not start."
            }
            WeighError::TooFewLoads { .. } => "",
        }
        .into(),
        findings: Vec::new(),
        detail: None,
    }
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing => {
            Some("Over budget: talk to the client or choose a lighter widget.".into())
        }
        Standing::Undecided if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Undecided => Some("Weigh again with more loads.".into()),
        _ => Some("Weigh the widget.".into()),
    }
}
