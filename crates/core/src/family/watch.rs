//! Watch: is what is known still true? One visit says how a site was, not that it stays so: a site is
//! watched once a later visit has been compared with an earlier one.

use super::{Assessed, Family, Standing, Stood, Words};
use crate::code::Code;
use crate::job::JobKind;
use std::collections::BTreeSet;

pub(super) const WORDS: Words = Words {
    key: "watch",
    label: "Watch",
    question: "What has changed since the last visit, and whose results are old?",
    drawing: "Last visit",
    job: Some(JobKind::Check),
};

/// Compares the codes of this visit with those of the one before.
pub fn assess(before: Option<&BTreeSet<Code>>, now: &BTreeSet<Code>) -> Assessed {
    let made = |standing, summary: String, remedy: &str| Assessed {
        family: Family::Watch,
        standing,
        summary,
        remedy: remedy.into(),
        findings: Vec::new(),
        detail: None,
    };
    let Some(before) = before else {
        let first = "Visited once: a second visit tells whether it stays so.";
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
            "Nothing has changed since the visit before.".into(),
            "",
        ),
        ("", gone) => made(
            Standing::Passing,
            format!("Since the visit before, gone: {gone}."),
            "",
        ),
        (new, _) => made(
            Standing::Failing,
            format!("New since the visit before: {new}."),
            "See what changed on the site since the visit before.",
        ),
    }
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::NotYet => Some("Visit again, to see whether it stays so.".into()),
        _ => Some("Visit again: the last results are old.".into()),
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
        assert!(gone.summary.contains("gone: started.silent"));
    }
}
