//! Echo: a test message through the live widget and its answer.

use super::{Assessed, Detail, Family, Standing, Stood, Words, by_findings, first_remedy};
use crate::brand::talk;
use crate::design::Design;
use crate::echo::{self, Seen, Stopped, judge};
use crate::job::JobKind;

pub(super) const WORDS: Words = Words {
    key: "echo",
    label: "Echo",
    question: "Does a message get through, and its answer back?",
    drawing: "Times",
    job: Some(JobKind::Echo),
};

/// Judges one test. A supplier without steps for it is not applicable; a form before the talk and a
/// page that could not be had leave it undecided.
pub fn assess(seen: &Seen, design: &Design) -> Assessed {
    let mut findings = judge(seen);
    let words = findings.first().map(|f| f.summary.clone());
    findings.extend(seen.looks.iter().flat_map(|l| talk::judge(design, l)));
    let (standing, summary) = match seen.stopped_by {
        Some(Stopped::NoSteps) => (Standing::NotApplicable, words.unwrap_or_default()),
        Some(
            Stopped::Form | Stopped::Step | Stopped::NoPage | Stopped::Quiet | Stopped::Deadline,
        ) => {
            let words = words.unwrap_or_else(|| match seen.stopped.as_str() {
                "" => String::new(),
                why => format!("Undecided: {why}."),
            });
            (Standing::Undecided, words)
        }
        _ => by_findings(&findings, &times(seen)),
    };
    Assessed {
        family: Family::Echo,
        standing,
        summary,
        remedy: first_remedy(&findings),
        findings,
        detail: Some(Detail::Echo(Box::new(seen.clone()))),
    }
}

fn times(seen: &Seen) -> String {
    if let Some(told) = &seen.by_hand {
        return format!("There and back, by hand ({}).", told.by);
    }
    if let (true, Some(there)) = (seen.left_a_message, seen.at_console_ms) {
        let mail = match seen.mail {
            Some(echo::Mail::Came { after_ms, .. }) => {
                format!(", its mail after {:.1} s", after_ms / 1000.0)
            }
            _ => String::new(),
        };
        return format!(
            "Nobody there: a left message was at the console after {:.2} s{mail}.",
            there / 1000.0
        );
    }
    match (seen.at_console_ms, seen.answer_seen_ms) {
        (Some(there), Some(back)) => format!(
            "There after {:.2} s, the answer back after {:.2} s.",
            there / 1000.0,
            back / 1000.0
        ),
        _ => String::new(),
    }
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing | Standing::Undecided if !stood.remedy.is_empty() => {
            Some(stood.remedy.into())
        }
        Standing::Failing => Some("See where the test message stopped.".into()),
        _ => Some("Send a test message.".into()),
    }
}
