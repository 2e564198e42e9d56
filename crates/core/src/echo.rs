//! The echo test: a message sent through the live widget, seen at the supplier's console, answered
//! there, and the answer seen in the widget.

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
    /// Why it stopped, in words, if it did.
    pub stopped: String,
    pub picture: Option<String>,
}

/// Slower than this and visitors wonder whether anybody is there (common practice).
const SLOW_MS: f64 = 5000.0;

pub fn judge(seen: &Seen) -> Vec<Finding> {
    let fault = |code: &str, summary: String, remedy: &str| {
        let mut f = Finding::new(code, Severity::Broken, summary, remedy)
            .with(Evidence::fact(format!("message: {}", seen.text)));
        if !seen.stopped.is_empty() {
            f = f.with(Evidence::fact(seen.stopped.clone()));
        }
        f.with_all(seen.picture.clone().map(|key| Evidence::Picture { key }))
    };
    if !seen.sent {
        return vec![fault(
            "echo.not-sent",
            "The test message could not be sent through the widget.".into(),
            "Look at the chain of this site first, then try by hand.",
        )];
    }
    let Some(arrived) = seen.at_console_ms else {
        return vec![fault(
            "echo.not-arrived",
            "The test message was sent and did not arrive at the console.".into(),
            "Check that the key in the page is that of the client's account.",
        )];
    };
    let Some(answer) = seen.answer_seen_ms else {
        return vec![fault(
            "echo.no-answer",
            "The console's answer did not show in the widget.".into(),
            "Check the widget's live connection, then answer by hand.",
        )];
    };
    let mut out = Vec::new();
    let delivery = answer - seen.answered_ms.unwrap_or(arrived);
    if arrived > SLOW_MS || delivery > SLOW_MS {
        out.push(Finding::new(
            "echo.slow",
            Severity::Warning,
            format!(
                "The message took {:.1} s to the console and its answer {:.1} s back.",
                arrived / 1000.0,
                delivery / 1000.0
            ),
            "Ask the supplier whether its service is slow today.",
        ));
    }
    out
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
        let code = |s: Seen| judge(&s)[0].code.clone();
        assert_eq!(
            code(Seen {
                sent: false,
                ..whole.clone()
            }),
            "echo.not-sent"
        );
        assert_eq!(
            code(Seen {
                at_console_ms: None,
                ..whole.clone()
            }),
            "echo.not-arrived"
        );
        assert_eq!(
            code(Seen {
                answer_seen_ms: None,
                ..whole.clone()
            }),
            "echo.no-answer"
        );
        assert_eq!(
            code(Seen {
                at_console_ms: Some(9000.0),
                ..whole
            }),
            "echo.slow"
        );
    }
}
