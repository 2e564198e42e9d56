//! Place: the part of the chain that placing is about: delivered and placed hold.

use super::entry::{A_LOOK, Elsewhere, Entry, FamilyResult, FamilyStanding};
use super::kind::{Family, Standing};
use crate::chain::{Diagnosis, LinkState, Outcome};
use crate::inputs::input::Input;
use newtfern_model::code::Link;
use newtfern_model::finding::{Finding, Severity};
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;

pub(super) const ENTRY: Entry = Entry {
    family: Family::Place,
    question: "Is the snippet in the page, once, with the right key?",
    drawing: "Slot",
    job: Some(JobKind::Check),
    reads: &[
        A_LOOK,
        &[
            Input::Site(SiteField::Platform),
            Input::Site(SiteField::Slot),
            Input::Site(SiteField::TagManager),
            Input::Site(SiteField::TagSet),
            Input::Rivals,
            Input::Platform,
            Input::TagManager,
        ],
    ],
    act,
};

/// Judges the placing from a diagnosis.
pub fn assess(d: &Diagnosis) -> FamilyResult {
    let of_placing = |f: &&Finding| f.link == Some(Link::Placed);
    let findings: Vec<Finding> = d
        .verdict
        .findings()
        .iter()
        .filter(of_placing)
        .cloned()
        .collect();
    let state = |link| {
        let found = d.verdict.chain().iter().find(|l| l.link == link);
        found.map_or(LinkState::NotReached, |l| l.state)
    };
    let fault = findings.iter().find(|f| f.severity >= Severity::Fault);
    let warning = findings.iter().find(|f| f.severity == Severity::Warning);
    let (standing, summary) = match (state(Link::Delivered), state(Link::Placed)) {
        (LinkState::Broken | LinkState::Undecided | LinkState::NotReached, _) => (
            Standing::Undecided,
            "The page could not be loaded, so nothing is known about placing.".to_string(),
        ),
        (_, LinkState::Undecided) => {
            let why = d.verdict.not_looked_at().first();
            let why = why.map(|n| format!("{}: {}.", n.what, n.why));
            (Standing::Undecided, why.unwrap_or_default())
        }
        _ if fault.is_some() => {
            let summary = fault.map(|f| f.summary.clone()).unwrap_or_default();
            (Standing::Failing, summary)
        }
        (_, LinkState::NotApplicable) if d.verdict.outcome() == Outcome::AsIntended => (
            Standing::Passing,
            "The snippet is absent, as the page rules say.".to_string(),
        ),
        _ => match warning {
            Some(warning) => (Standing::Remarks, warning.summary.clone()),
            None => (
                Standing::Passing,
                "The snippet is in the page, once, with its key.".to_string(),
            ),
        },
    };
    FamilyResult {
        family: Family::Place,
        standing,
        summary,
        remedy: fault
            .or(warning)
            .map(|f| f.remedy.clone())
            .unwrap_or_default(),
        findings,
        detail: None,
    }
}

/// What a check found, in words for whoever placed the code: what is theirs to mend, and what is
/// not. True where all is well.
pub fn told_outside(place: &FamilyStanding, load: &FamilyStanding) -> (bool, String) {
    let well = |s: &FamilyStanding| {
        let fine = [
            Standing::Passing,
            Standing::Remarks,
            Standing::NotApplicable,
        ];
        fine.contains(&s.standing)
    };
    let told = match (place.standing, load.standing) {
        _ if well(place) && well(load) => {
            return (
                true,
                "The code is in place and the chat works. Thank you!".into(),
            );
        }
        (Standing::Failing, _) => {
            format!(
                "The code is not right yet. {} {}",
                place.summary, place.remedy
            )
        }
        _ if well(place) && load.standing == Standing::Failing => {
            "The code is in place. The chat does not work yet for another reason, which is not \
             yours to mend."
                .into()
        }
        _ => "The page could not be judged yet, so it is looked at again.".into(),
    };
    (false, told.trim().to_string())
}

fn act(stood: &FamilyStanding, elsewhere: Elsewhere) -> Option<String> {
    let loading = elsewhere(Family::Load);
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        // A page that cannot be had says nothing of placing; loading names what to do.
        Standing::Undecided if loading == Standing::Failing => None,
        // The snippet of a site that was taken on need not be placed again.
        Standing::NotYet if loading == Standing::NotYet && !stood.seen => {
            Some("Place the snippet, then verify.".into())
        }
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("See the chain and fix its broken link.".into()),
        _ => Some("Verify in the browser.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_placed_the_code_is_told_what_is_theirs_to_mend() {
        let stood = |family, standing| FamilyStanding {
            standing,
            summary: "The key is another client's.",
            remedy: "Replace the line by the code above.",
            ..FamilyStanding::not_yet(family)
        };
        let told =
            |place, load| told_outside(&stood(Family::Place, place), &stood(Family::Load, load));
        assert!(told(Standing::Passing, Standing::Remarks).0);
        let (well, words) = told(Standing::Failing, Standing::Failing);
        assert!(
            !well && words.contains("another client's. Replace the line"),
            "{words}"
        );
        let (well, words) = told(Standing::Passing, Standing::Failing);
        assert!(!well && words.contains("not yours to mend"), "{words}");
        assert!(
            !words.contains("another client's"),
            "the cause is not theirs: {words}"
        );
        for open in [Standing::Undecided, Standing::Stale, Standing::NotYet] {
            let (well, words) = told(open, Standing::NotYet);
            assert!(!well && words.contains("looked at again"), "{words}");
        }
    }
}
