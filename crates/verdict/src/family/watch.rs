//! Watch: is what is known still true? One visit says how a site was, not that it stays so: a site
//! is watched once a later visit has been compared with the last one at which all was in order.

use super::entry::{Elsewhere, Entry, FamilyResult, FamilyStanding};
use super::kind::{Family, Standing};
use crate::inputs::input::Input;
use jiff::Timestamp;
use newtfern_model::code::Code;
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;
use std::collections::BTreeSet;

pub(super) const ENTRY: Entry = Entry {
    family: Family::Watch,
    question: "What changed since all was in order, and which results are old?",
    drawing: "Last visit",
    job: Some(JobKind::Check),
    reads: &[&[
        Input::Site(SiteField::Address),
        Input::Site(SiteField::Supplier),
        Input::Site(SiteField::Key),
        Input::Site(SiteField::SupplierHost),
        Input::Slots,
    ]],
    act,
};

/// An earlier look that this one is compared with: the last one at which all was in order, else the
/// one before.
#[derive(Debug, Clone, PartialEq)]
pub struct EarlierLook {
    /// Time of that look.
    pub at: Timestamp,
    /// Codes of its faults.
    pub codes: BTreeSet<Code>,
    /// Whether the same was expected of the site then.
    pub same_expectation: bool,
}

/// Compares the codes of this look with those of an earlier one. A break stays new until it is
/// mended: the last good look is what the site should be like.
pub fn assess(earlier: Option<&EarlierLook>, now: &BTreeSet<Code>) -> FamilyResult {
    let made = |standing, summary: String, remedy: &str| FamilyResult {
        family: Family::Watch,
        standing,
        summary,
        remedy: remedy.into(),
        findings: Vec::new(),
        detail: None,
    };
    let Some(earlier) = earlier else {
        let first = "Visited once. A second visit shows changes.";
        return made(Standing::NotYet, first.into(), "");
    };
    let at = earlier.at.strftime("%Y-%m-%d %H:%M UTC");
    if !earlier.same_expectation {
        let ours = format!(
            "What is expected of the site was changed since the visit of {at}. A further visit \
            shows changes of the site."
        );
        return made(Standing::NotYet, ours, "");
    }
    let since = match earlier.codes.is_empty() {
        true => format!("since the visit of {at}, when all was in order"),
        false => format!("since the visit of {at}"),
    };
    let names = |codes: Vec<&Code>| {
        let names: Vec<&str> = codes.into_iter().map(|c| c.name()).collect();
        names.join(", ")
    };
    let new = names(now.difference(&earlier.codes).collect());
    let gone = names(earlier.codes.difference(now).collect());
    match (new.as_str(), gone.as_str()) {
        ("", "") => made(Standing::Passing, format!("No changes {since}."), ""),
        ("", gone) => made(Standing::Passing, format!("Gone {since}: {gone}."), ""),
        (new, _) => made(
            Standing::Failing,
            format!("New {since}: {new}."),
            "See what changed on the site since then.",
        ),
    }
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::NotYet => Some("Visit again to see changes.".into()),
        _ => Some("Visit again. The last results are old.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn look(codes: &[Code]) -> EarlierLook {
        EarlierLook {
            at: "2026-11-05T09:00:00Z".parse().unwrap(),
            codes: codes.iter().copied().collect(),
            same_expectation: true,
        }
    }

    #[test]
    fn one_visit_is_no_watch_and_two_are_compared() {
        let (none, silent) = (look(&[]), look(&[Code::StartedSilent]));
        assert_eq!(assess(None, &none.codes).standing, Standing::NotYet);
        assert_eq!(assess(Some(&none), &none.codes).standing, Standing::Passing);
        let new = assess(Some(&none), &silent.codes);
        assert_eq!(new.standing, Standing::Failing);
        let words =
            "New since the visit of 2026-11-05 09:00 UTC, when all was in order: started.silent.";
        assert_eq!(new.summary, words);
        let gone = assess(Some(&silent), &none.codes);
        assert_eq!(gone.standing, Standing::Passing);
        assert!(
            gone.summary.starts_with("Gone since the visit of"),
            "{}",
            gone.summary
        );
        assert!(
            gone.summary.ends_with("UTC: started.silent."),
            "{}",
            gone.summary
        );
    }

    #[test]
    fn a_change_of_ours_is_no_change_of_the_site() {
        let other = EarlierLook {
            same_expectation: false,
            ..look(&[])
        };
        let told = assess(Some(&other), &look(&[Code::StartedSilent]).codes);
        assert_eq!(told.standing, Standing::NotYet);
        assert!(
            told.summary.starts_with("What is expected"),
            "{}",
            told.summary
        );
    }
}
