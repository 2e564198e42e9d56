//! The echo test: a message sent through the live widget, seen at the supplier's console, answered
//! there, and the answer seen in the widget.

use crate::code::Code;
use crate::finding::{Evidence, Finding, Severity};
use serde::{Deserialize, Serialize};

/// What the test saw. Times are ms since the message was sent.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Seen {
    /// The page on which the message was sent.
    pub url: String,
    /// The message.
    pub text: String,
    /// The answer that was given at the console.
    pub answer: String,
    /// It left the widget.
    pub sent: bool,
    /// ms from sending to the console.
    pub at_console_ms: Option<f64>,
    /// The page that the console names.
    pub page_at_console: String,
    /// ms from sending until the console took the answer.
    pub answered_ms: Option<f64>,
    /// ms from sending until the answer showed in the widget.
    pub answer_seen_ms: Option<f64>,
    /// What stopped it, if something did.
    pub stopped_by: Option<Stopped>,
    /// The same in words.
    pub stopped: String,
    /// Blob of the picture at the end.
    pub picture: Option<String>,
}

/// What stopped a test.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stopped {
    /// The supplier's profile has no `[echo]`.
    NoSteps,
    /// The page did not arrive.
    NoPage,
    /// The widget did not come up.
    NoWidget,
    /// The panel asks for something before a message can be written.
    Form,
    /// The panel has no field, or no control to send.
    NoField,
    /// The console answered with an error, or not at all.
    Console,
    /// Our own time for the test was over.
    Deadline,
}

/// Slower than this and visitors wonder whether anybody is there (common practice).
const SLOW_MS: f64 = 5000.0;

/// Code, severity, summary, remedy.
type Told = (Code, Severity, &'static str, &'static str);

#[rustfmt::skip]
const NO_STEPS: Told = (Code::EchoNoSteps, Severity::Note,
    "The supplier's profile has no steps for a test message.", "");
#[rustfmt::skip]
const FORM: Told = (Code::EchoForm, Severity::Warning,
    "A form comes before the talk, and the supplier's profile does not say how to fill it in.",
    "Send a message by hand, or add the steps before the talk to the supplier's profile.");
#[rustfmt::skip]
const NOT_SENT: Told = (Code::EchoNotSent, Severity::Broken,
    "The test message could not be sent through the widget.",
    "Look at the chain of this site first, then try by hand.");
#[rustfmt::skip]
const NOT_ARRIVED: Told = (Code::EchoNotArrived, Severity::Broken,
    "The test message was sent and did not arrive at the console.",
    "Check that the key in the page is that of the client's account.");
#[rustfmt::skip]
const NO_ANSWER: Told = (Code::EchoNoAnswer, Severity::Broken,
    "The console's answer did not show in the widget.",
    "Check the widget's live connection, then answer by hand.");

/// What a test found; nothing where the message and its answer came in time.
pub fn judge(seen: &Seen) -> Vec<Finding> {
    let found = match failed(seen) {
        Some((code, severity, summary, remedy)) => {
            Some(Finding::new(code, severity, summary, remedy))
        }
        None => slow(seen),
    };
    let (text, why) = (&seen.text, &seen.stopped);
    let message = (!text.is_empty()).then(|| Evidence::fact(format!("message: {text}")));
    let stopped = (!why.is_empty()).then(|| Evidence::fact(why.clone()));
    let picture = seen.picture.clone().map(|key| Evidence::Picture { key });
    let evidence = message.into_iter().chain(stopped).chain(picture);
    found.map(|f| f.with_all(evidence)).into_iter().collect()
}

/// The first step that failed.
fn failed(seen: &Seen) -> Option<Told> {
    match seen.stopped_by {
        Some(Stopped::NoSteps) => Some(NO_STEPS),
        Some(Stopped::Form) => Some(FORM),
        _ if !seen.sent => Some(NOT_SENT),
        _ if seen.at_console_ms.is_none() => Some(NOT_ARRIVED),
        _ if seen.answer_seen_ms.is_none() => Some(NO_ANSWER),
        _ => None,
    }
}

/// Both ways were gone, one of them slowly.
fn slow(seen: &Seen) -> Option<Finding> {
    let (arrived, answer) = (seen.at_console_ms?, seen.answer_seen_ms?);
    let delivery = answer - seen.answered_ms.unwrap_or(arrived);
    let summary = format!(
        "The message took {:.1} s to the console and its answer {:.1} s back.",
        arrived / 1000.0,
        delivery / 1000.0
    );
    (arrived > SLOW_MS || delivery > SLOW_MS).then(|| {
        Finding::new(
            Code::EchoSlow,
            Severity::Warning,
            summary,
            "Ask the supplier whether its service is slow today.",
        )
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_step_that_failed_is_told() {
        let whole = Seen {
            sent: true,
            at_console_ms: Some(200.0),
            answered_ms: Some(400.0),
            answer_seen_ms: Some(600.0),
            ..Seen::default()
        };
        assert!(judge(&whole).is_empty());
        let code = |s: Seen| judge(&s)[0].code;
        assert_eq!(
            code(Seen {
                sent: false,
                ..whole.clone()
            }),
            Code::EchoNotSent
        );
        assert_eq!(
            code(Seen {
                at_console_ms: None,
                ..whole.clone()
            }),
            Code::EchoNotArrived
        );
        assert_eq!(
            code(Seen {
                answer_seen_ms: None,
                ..whole.clone()
            }),
            Code::EchoNoAnswer
        );
        assert_eq!(
            code(Seen {
                at_console_ms: Some(9000.0),
                ..whole
            }),
            Code::EchoSlow
        );
    }

    #[test]
    fn a_test_that_does_not_apply_or_meets_a_form_is_not_broken() {
        use crate::family::{Standing, echo::assess};
        let stopped = |by| Seen {
            stopped_by: Some(by),
            ..Seen::default()
        };
        let none = assess(&stopped(Stopped::NoSteps));
        assert_eq!(none.standing, Standing::NotApplicable);
        assert_eq!(none.findings[0].code, Code::EchoNoSteps);
        let form = assess(&stopped(Stopped::Form));
        assert_eq!(form.standing, Standing::Undecided);
        assert!(form.summary.contains("form"), "{}", form.summary);
        assert_eq!(
            assess(&stopped(Stopped::Deadline)).standing,
            Standing::Undecided
        );
        assert_eq!(
            assess(&stopped(Stopped::NoWidget)).standing,
            Standing::Failing
        );
    }
}
