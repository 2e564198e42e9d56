//! Hand over: has the client the proof, and did they say yes?

use super::entry::{A_LOOK, Elsewhere, Entry, FamilyResult, FamilyStanding};
use super::kind::{Family, Standing};
use crate::family::detail::hand_over::Detail;
use crate::inputs::input::Input;
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;

pub(super) const ENTRY: Entry = Entry {
    family: Family::HandOver,
    question: "Does the client have the proof, and did they confirm?",
    drawing: "Sheet",
    job: Some(JobKind::Sheet),
    // All that the results rest on which it tells: what is old there is no proof any more.
    reads: &[
        A_LOOK,
        &[
            Input::Site(SiteField::Name),
            Input::Site(SiteField::Platform),
            Input::Site(SiteField::Slot),
            Input::Site(SiteField::Country),
            Input::Site(SiteField::TimeZone),
            Input::Site(SiteField::Budget),
            Input::Site(SiteField::TagManager),
            Input::Site(SiteField::TagSet),
            Input::Rivals,
            Input::Platform,
            Input::TagManager,
            Input::Region,
            Input::Design,
            Input::Texts,
            Input::SampleWords,
            Input::Start,
            Input::Form,
            Input::Delay,
            Input::Hours,
            Input::Exception,
            Input::Client,
            Input::Agency,
            Input::Console,
            Input::Result(Family::Design),
            Input::Result(Family::Place),
            Input::Result(Family::Load),
            Input::Result(Family::Pages),
            Input::Result(Family::Echo),
            Input::Result(Family::Weigh),
            Input::Result(Family::Consent),
            Input::Result(Family::Brand),
        ],
    ],
    act,
};

/// A sheet was made and waits for the client's yes.
pub fn made(proven: bool, detail: Detail) -> FamilyResult {
    let summary = match proven {
        true => "The sheet is ready. The client has not confirmed yet.",
        false => "The sheet is ready, but the site's chain is not proven.",
    };
    FamilyResult {
        family: Family::HandOver,
        standing: Standing::Undecided,
        summary: summary.into(),
        remedy: "Send the link to the client.".into(),
        findings: Vec::new(),
        detail: Some(super::Detail::HandOver(detail)),
    }
}

/// The client said yes.
pub fn confirmed(by: &str, sheet: i64) -> FamilyResult {
    FamilyResult {
        family: Family::HandOver,
        standing: Standing::Passing,
        summary: format!("Confirmed by {by}."),
        remedy: String::new(),
        findings: Vec::new(),
        detail: Some(super::Detail::HandOver(Detail {
            pdf: None,
            sheet: Some(sheet),
        })),
    }
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        // The sheet is there; what is missing is the client's yes.
        Standing::Undecided if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        _ => Some("Make the handover sheet.".into()),
    }
}
