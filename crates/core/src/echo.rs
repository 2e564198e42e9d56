//! The echo test: a message sent through the live widget, seen at the supplier's console, answered
//! there, and the answer seen in the widget.

use crate::code::Code;
use crate::finding::{Evidence, Finding, Severity};
use serde::{Deserialize, Serialize};

/// What the test saw. Times are ms since the message was sent.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Seen {
    pub url: String,
    pub text: String,
    pub answer: String,
    pub sent: bool,
    pub at_console_ms: Option<f64>,
    /// The page that the console names.
    pub page_at_console: String,
    pub answered_ms: Option<f64>,
    pub answer_seen_ms: Option<f64>,
    /// What stopped it, if something did.
    pub stopped_by: Option<Stopped>,
    /// The same in words.
    pub stopped: String,
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

/// What a test found; nothing where the message and its answer came in time.
pub fn judge(seen: &Seen) -> Vec<Finding> {
    let told = |code: Code, severity, summary: &str, remedy: &str| {
        let mut f = Finding::new(code, severity, summary, remedy);
        if !seen.text.is_empty() {
            f = f.with(Evidence::fact(format!("message: {}", seen.text)));
        }
        if !seen.stopped.is_empty() {
            f = f.with(Evidence::fact(seen.stopped.clone()));
        }
        let picture = seen.picture.clone();
        vec![f.with_all(picture.map(|key| Evidence::Picture { key }))]
    };
    match seen.stopped_by {
        Some(Stopped::NoSteps) => {
            return told(
                Code::EchoNoSteps,
                Severity::Note,
                "The supplier's profile has no steps for a test message.",
                "",
            );
        }
        Some(Stopped::Form) => {
            return told(
                Code::EchoForm,
                Severity::Warning,
                "A form comes before the talk, and the supplier's profile does not say how to fill it in.",
                "Send a message by hand, or add the steps before the talk to the supplier's profile.",
            );
        }
        _ => {}
    }
    if !seen.sent {
        return told(
            Code::EchoNotSent,
            Severity::Broken,
            "The test message could not be sent through the widget.",
            "Look at the chain of this site first, then try by hand.",
        );
    }
    let Some(arrived) = seen.at_console_ms else {
        return told(
            Code::EchoNotArrived,
            Severity::Broken,
            "The test message was sent and did not arrive at the console.",
            "Check that the key in the page is that of the client's account.",
        );
    };
    let Some(answer) = seen.answer_seen_ms else {
        return told(
            Code::EchoNoAnswer,
            Severity::Broken,
            "The console's answer did not show in the widget.",
            "Check the widget's live connection, then answer by hand.",
        );
    };
    let delivery = answer - seen.answered_ms.unwrap_or(arrived);
    if arrived <= SLOW_MS && delivery <= SLOW_MS {
        return Vec::new();
    }
    let summary = format!(
        "The message took {:.1} s to the console and its answer {:.1} s back.",
        arrived / 1000.0,
        delivery / 1000.0
    );
    told(
        Code::EchoSlow,
        Severity::Warning,
        &summary,
        "Ask the supplier whether its service is slow today.",
    )
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
