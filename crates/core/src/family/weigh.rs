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
    let lost = lost + &on_a_phone(w) + &idle;
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

/// Told where it is over the budget there: half of the visitors may come so, and the verdict is of desktops.
fn on_a_phone(w: &WeighIn) -> String {
    let over = w
        .phone
        .filter(|p| p.verdict(w.budget_ms) == BudgetVerdict::Over);
    over.map_or(String::new(), |p| {
        let ms = p.own.thread_ms.median;
        format!(
            " On a phone, with a processor {} times slower, it is over: {ms:.0} ms.",
            p.slow
        )
    })
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::weigh::{Measured, OwnLoad, conclude};

    /// Eight like loads on a desktop, and some on a phone.
    fn weighed(phone: &[f64]) -> WeighIn {
        let load = |thread_ms| OwnLoad {
            thread_ms,
            up: true,
            ..OwnLoad::default()
        };
        let measured = Measured {
            own: vec![load(20.0); 8],
            phone: phone.iter().map(|ms| load(*ms)).collect(),
            ..Measured::default()
        };
        conclude("https://kites.example/", 1, &measured, 50.0).unwrap()
    }

    #[test]
    fn a_phone_that_loses_more_than_the_budget_is_told_beside_the_verdict() {
        let heavy = assess(&weighed(&[78.0, 79.0, 80.0, 81.0, 82.0, 83.0]));
        assert_eq!(heavy.standing, Standing::Passing);
        let words = "On a phone, with a processor 4 times slower, it is over: 80 ms.";
        assert!(heavy.summary.contains(words), "{}", heavy.summary);
        let light = [40.0, 41.0, 42.0, 43.0, 44.0, 45.0];
        for quiet in [&light[..], &[], &[900.0], &[78.0, 79.0, 80.0, 81.0, 82.0]] {
            let told = assess(&weighed(quiet));
            assert!(
                !told.summary.contains("phone"),
                "{quiet:?}: {}",
                told.summary
            );
        }
        // An interval across the budget decides nothing, and neither do too few loads.
        let across = weighed(&[45.0, 48.0, 49.0, 51.0, 52.0, 60.0])
            .phone
            .unwrap();
        assert_eq!(across.verdict(50.0), BudgetVerdict::Undecided);
        assert_eq!(across.verdict(60.0), BudgetVerdict::Under);
        let few = weighed(&[78.0, 79.0, 80.0]).phone.unwrap();
        assert_eq!(few.verdict(50.0), BudgetVerdict::Undecided);
    }
}
