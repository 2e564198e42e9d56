//! Weigh: what the widget costs the page, against a budget.

use super::entry::{Elsewhere, Entry, FamilyResult, FamilyStanding};
use super::kind::{Family, Standing};
use crate::family::detail::weigh::Detail;
use crate::inputs::input::Input;
use crate::weigh::{BudgetVerdict, WeighError, WeighIn};
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;

pub(super) const ENTRY: Entry = Entry {
    family: Family::Weigh,
    question: "What does the widget cost the page?",
    drawing: "Main-thread time, 0 to 200 ms",
    job: Some(JobKind::Weigh),
    reads: &[&[
        Input::Site(SiteField::Address),
        Input::Site(SiteField::Supplier),
        Input::Site(SiteField::Key),
        Input::Site(SiteField::SupplierHost),
        Input::Site(SiteField::Consent),
        Input::Site(SiteField::Budget),
        Input::Supplier,
        Input::ConsentManager,
        Input::Screens,
        Input::Slots,
        Input::Result(Family::Load),
    ]],
    act,
};

/// Judges the result of a weigh-in.
pub fn assess(w: &WeighIn) -> FamilyResult {
    let t = w.own.thread_ms;
    let figures = format!(
        "{:.0} ms of main-thread time ({:.0} to {:.0}), budget {:.0} ms",
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
    FamilyResult {
        family: Family::Weigh,
        standing,
        summary,
        remedy: remedy.into(),
        findings: Vec::new(),
        detail: Some(super::Detail::Weigh(Box::new(Detail { weigh: w.clone() }))),
    }
}

/// Told where it is over the budget there: half of the visitors may come so, and the verdict is of
/// desktops.
fn on_a_phone(w: &WeighIn) -> String {
    let over = w
        .phone
        .filter(|p| p.verdict(w.budget_ms) == BudgetVerdict::Over);
    over.map_or(String::new(), |p| {
        let ms = p.own.thread_ms.median;
        format!(
            " On a phone with a processor {} times slower, it is over budget: {ms:.0} ms.",
            p.slow
        )
    })
}

/// Returns the result where nothing was weighed: not a weight of nothing, and nothing that an
/// earlier weigh-in could stand in for.
pub fn unweighed(why: &WeighError) -> FamilyResult {
    FamilyResult {
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

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        Standing::Failing => {
            Some("Over budget. Talk to the client or choose a lighter widget.".into())
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
        let words = "On a phone with a processor 4 times slower, it is over budget: 80 ms.";
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
