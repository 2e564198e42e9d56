//! Echo: a test message through the live widget and its answer.

use super::detail::Detail;
use super::entry::{Elsewhere, Entry, FamilyResult, FamilyStanding, by_findings, first_remedy};
use super::kind::{Family, Standing};
use crate::brand::talk;
use crate::echo::{self, EchoResult, StopReason, judge};
use crate::inputs::input::Input;
use newtfern_model::design::Design;
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;

pub(super) const ENTRY: Entry = Entry {
    family: Family::Echo,
    question: "Does a message arrive, and does its answer come back?",
    drawing: "Times",
    job: Some(JobKind::Echo),
    reads: &[&[
        Input::Site(SiteField::Address),
        Input::Site(SiteField::Supplier),
        Input::Site(SiteField::Key),
        Input::Site(SiteField::SupplierHost),
        Input::Site(SiteField::Consent),
        Input::Site(SiteField::TimeZone),
        Input::Supplier,
        Input::ConsentManager,
        Input::Design,
        Input::Hours,
        Input::Slots,
        Input::Result(Family::Load),
    ]],
    act,
};

/// Returns what became of the message alone, without the looks that a talk shows.
pub fn of_the_message(seen: &EchoResult) -> String {
    let found = judge(seen);
    let first = found.first().map(|f| f.summary.clone());
    first.unwrap_or_else(|| times(seen))
}

/// Judges one test. A supplier without steps for it is left to a person; a form before the talk and
/// a page that could not be had leave it undecided.
pub fn assess(seen: &EchoResult, design: &Design) -> FamilyResult {
    let mut findings = judge(seen);
    let words = findings.first().map(|f| f.summary.clone());
    findings.extend(seen.looks.iter().flat_map(|l| talk::judge(design, l)));
    let (standing, summary) = match seen.stopped_by {
        // A person can still make it.
        Some(StopReason::NoSteps) => (Standing::NotYet, words.unwrap_or_default()),
        Some(
            StopReason::Form
            | StopReason::Step
            | StopReason::NoPage
            | StopReason::Quiet
            | StopReason::Deadline,
        ) => {
            let words = words.unwrap_or_else(|| match seen.stopped.as_str() {
                "" => String::new(),
                why => format!("Undecided: {why}."),
            });
            (Standing::Undecided, words)
        }
        _ => by_findings(&findings, &times(seen)),
    };
    FamilyResult {
        family: Family::Echo,
        standing,
        summary,
        remedy: first_remedy(&findings),
        findings,
        detail: Some(Detail::Echo(Box::new(seen.clone()))),
    }
}

fn times(seen: &EchoResult) -> String {
    if let Some(told) = &seen.by_hand {
        return format!("Message and answer arrived in a manual test ({}).", told.by);
    }
    if let (true, Some(there)) = (seen.left_a_message, seen.at_console_ms) {
        let mail = match seen.mail {
            Some(echo::Mail::Came { after_ms, .. }) => {
                format!(", its e-mail after {:.1} s", after_ms / 1000.0)
            }
            _ => String::new(),
        };
        return format!(
            "Outside hours: the message arrived in the console after {:.2} s{mail}.",
            there / 1000.0
        );
    }
    match (seen.at_console_ms, seen.answer_seen_ms) {
        (Some(there), Some(back)) => format!(
            "The message arrived after {:.2} s, the answer after {:.2} s.",
            there / 1000.0,
            back / 1000.0
        ),
        _ => String::new(),
    }
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        Standing::Failing | Standing::Undecided | Standing::NotYet if !stood.remedy.is_empty() => {
            Some(stood.remedy.into())
        }
        Standing::Failing => Some("See where the test message stopped.".into()),
        _ => Some("Send a test message.".into()),
    }
}
