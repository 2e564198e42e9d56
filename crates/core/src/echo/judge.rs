//! What a test found.

use super::{Mail, Seen, Stopped, TEST_FILE, Tidied};
use crate::code::Code;
use crate::finding::{Evidence, Finding, Severity};
use url::Url;

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
const STEP: Told = (Code::EchoForm, Severity::Warning,
    "A step before the talk could not be made as the supplier's profile tells it.",
    "Look at the form in the widget, and correct the steps before the talk in the supplier's profile.");
#[rustfmt::skip]
const QUIET: Told = (Code::EchoQuiet, Severity::Note,
    "Nobody is there by the site\u{2019}s hours, and the widget shows a live talk: no message was sent, since it would ring at home.",
    "Compare the hours here with those at the supplier, then test within them.");
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
    let found = found.map(|f| f.with_all(evidence));
    let others = [
        strange_page(seen),
        strange_language(seen),
        answers(seen),
        file(seen),
        mail(seen),
        left(seen),
    ];
    found
        .into_iter()
        .chain(others.into_iter().flatten())
        .collect()
}

fn sides(sent: &str, console: &str) -> [Evidence; 2] {
    [
        Evidence::fact(format!("in the widget: {sent}")),
        Evidence::fact(format!("at the console: {console}")),
    ]
}

/// Those who answer are told of another page than the one that the visitor wrote from.
fn strange_page(seen: &Seen) -> Option<Finding> {
    let page = |text: &str| {
        let mut url = Url::parse(text).ok()?;
        url.set_fragment(None);
        Some(url)
    };
    let (here, there) = (page(&seen.url)?, page(&seen.page_at_console)?);
    // A query that a test or a campaign adds is no other page.
    let same = here.origin() == there.origin() && here.path() == there.path();
    (!same).then(|| {
        Finding::new(
            Code::EchoPage,
            Severity::Warning,
            "The console names another page than the one the message came from.",
            "Look whether the widget's code passes an address of its own, and whether the key is this site's.",
        )
        .with_all(sides(&seen.url, &seen.page_at_console))
    })
}

/// Those who answer are told of another language.
fn strange_language(seen: &Seen) -> Option<Finding> {
    let first = |tag: &str| tag.split('-').next().unwrap_or_default().to_lowercase();
    let (here, there) = (first(&seen.language), first(&seen.language_at_console));
    (!here.is_empty() && !there.is_empty() && here != there).then(|| {
        Finding::new(
            Code::EchoLanguage,
            Severity::Warning,
            "The console names another language than the visitor's.",
            "Let the language follow the visitor's browser in the widget's settings.",
        )
        .with_all(sides(&seen.language, &seen.language_at_console))
    })
}

/// More than one answer was given, and not all of them showed, or not in their order.
fn answers(seen: &Seen) -> Option<Finding> {
    let answers = seen.answers.filter(|a| a.seen > 0)?;
    let summary = match (answers.seen < answers.given, answers.in_order) {
        (true, _) => format!(
            "{} of {} answers showed in the widget.",
            answers.seen, answers.given
        ),
        (false, false) => "The answers showed in another order than they were given.".into(),
        (false, true) => return None,
    };
    Some(Finding::new(
        Code::EchoAnswers,
        Severity::Warning,
        summary,
        "Show the picture to the supplier: a visitor misses part of what was answered.",
    ))
}

/// A file was sent along, and the console has none.
fn file(seen: &Seen) -> Option<Finding> {
    (seen.file == Some(false)).then(|| {
        Finding::new(
            Code::EchoFile,
            Severity::Warning,
            "A file was sent through the widget, and the console does not show it.",
            "Look in the account's settings whether files are allowed, and of which kinds.",
        )
        .with(Evidence::fact(format!("file: {TEST_FILE}")))
    })
}

/// The supplier acknowledges by mail, and none came.
fn mail(seen: &Seen) -> Option<Finding> {
    let Some(Mail::Waited { ms }) = seen.mail else {
        return None;
    };
    Some(
        Finding::new(
            Code::EchoNoMail,
            Severity::Warning,
            "No mail about the message came to the test mailbox.",
            "Look in the account's settings whether mails are sent and from which address, and whether that domain lets the supplier send (SPF, DKIM, DMARC).",
        )
        .with(Evidence::fact(format!("waited {:.0} s after sending", ms / 1000.0))),
    )
}

fn left(seen: &Seen) -> Option<Finding> {
    (seen.tidied == Some(Tidied::Left)).then(|| {
        Finding::new(
            Code::EchoLeft,
            Severity::Warning,
            "The test talk or its contact is still at the console.",
            "Close the conversation and remove the contact by hand at the console; the message's number tells which.",
        )
        .with(Evidence::fact(format!("message: {}", seen.text)))
    })
}

/// The first step that failed.
fn failed(seen: &Seen) -> Option<Told> {
    match seen.stopped_by {
        Some(Stopped::NoSteps) => Some(NO_STEPS),
        Some(Stopped::Form) => Some(FORM),
        Some(Stopped::Step) => Some(STEP),
        Some(Stopped::Quiet) => Some(QUIET),
        _ if !seen.sent => Some(NOT_SENT),
        _ if !seen.arrived() => Some(NOT_ARRIVED),
        // What was left waits for its answer.
        _ if !seen.left_a_message && !seen.was_answered() => Some(NO_ANSWER),
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
    fn what_the_console_names_is_compared_and_what_is_left_behind_is_told() {
        let whole = Seen {
            url: "https://kites.example/a".into(),
            page_at_console: "https://kites.example/a?from=mail#top".into(),
            language: "en-GB".into(),
            language_at_console: "en".into(),
            sent: true,
            at_console_ms: Some(200.0),
            answered_ms: Some(400.0),
            answer_seen_ms: Some(600.0),
            tidied: Some(Tidied::Proven),
            ..Seen::default()
        };
        assert!(judge(&whole).is_empty());
        let other = Seen {
            page_at_console: "https://mill.example/".into(),
            language_at_console: "cy".into(),
            tidied: Some(Tidied::Left),
            ..whole
        };
        let told = judge(&other);
        let codes: Vec<&str> = told.iter().map(|f| f.code.name()).collect();
        assert_eq!(codes, ["echo.page", "echo.language", "echo.left"]);
        let lines: Vec<String> = told[0].evidence.iter().map(|e| e.line()).collect();
        assert_eq!(
            lines,
            [
                "in the widget: https://kites.example/a",
                "at the console: https://mill.example/"
            ]
        );
        assert!(told[2].remedy.contains("remove the contact by hand"));
    }

    #[test]
    fn a_test_that_does_not_apply_or_meets_a_form_is_not_broken() {
        use crate::design::Design;
        use crate::family::{Standing, echo::assess};
        let assess = |seen: &Seen| assess(seen, &Design { values: Vec::new() });
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
