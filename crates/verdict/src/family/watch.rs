//! Watch: is what is known still true? One visit says how a site was, not that it stays so: a site
//! is watched once a later visit has been compared with an earlier one.

use super::entry::{Elsewhere, Entry, FamilyResult, FamilyStanding};
use super::kind::{Family, Standing};
use crate::inputs::input::Input;
use newtfern_model::code::Code;
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;
use std::collections::BTreeSet;

pub(super) const ENTRY: Entry = Entry {
    family: Family::Watch,
    question: "What changed since the visit before, and which results are old?",
    drawing: "Last visit",
    job: Some(JobKind::Check),
    reads: &[&[
        Input::Site(SiteField::Address),
        Input::Site(SiteField::Supplier),
        Input::Site(SiteField::Key),
        Input::Slots,
    ]],
    act,
};

/// Compares the codes of this visit with those of the one before.
pub fn assess(before: Option<&BTreeSet<Code>>, now: &BTreeSet<Code>) -> FamilyResult {
    let made = |standing, summary: String, remedy: &str| FamilyResult {
        family: Family::Watch,
        standing,
        summary,
        remedy: remedy.into(),
        findings: Vec::new(),
        detail: None,
    };
    let Some(before) = before else {
        let first = "Visited once. A second visit shows changes.";
        return made(Standing::NotYet, first.into(), "");
    };
    let names = |codes: Vec<&Code>| {
        let names: Vec<&str> = codes.into_iter().map(|c| c.name()).collect();
        names.join(", ")
    };
    let new = names(now.difference(before).collect());
    let gone = names(before.difference(now).collect());
    match (new.as_str(), gone.as_str()) {
        ("", "") => made(
            Standing::Passing,
            "No changes since the visit before.".into(),
            "",
        ),
        ("", gone) => made(
            Standing::Passing,
            format!("Gone since the visit before: {gone}."),
            "",
        ),
        (new, _) => made(
            Standing::Failing,
            format!("New since the visit before: {new}."),
            "See what changed on the site since the visit before.",
        ),
    }
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::NotYet => Some("Visit again to see changes.".into()),
        _ => Some("Visit again. The last results are old.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_visit_is_no_watch_and_two_are_compared() {
        let set = |codes: &[Code]| codes.iter().copied().collect::<BTreeSet<Code>>();
        let none = set(&[]);
        let silent = set(&[Code::StartedSilent]);
        assert_eq!(assess(None, &none).standing, Standing::NotYet);
        assert_eq!(assess(Some(&none), &none).standing, Standing::Passing);
        let new = assess(Some(&none), &silent);
        assert_eq!(new.standing, Standing::Failing);
        assert!(new.summary.contains("started.silent"));
        let gone = assess(Some(&silent), &none);
        assert_eq!(gone.standing, Standing::Passing);
        assert!(
            gone.summary
                .contains("Gone since the visit before: started.silent")
        );
    }
}
