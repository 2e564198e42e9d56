//! What a test found.

use super::{CleanUp, EchoResult, Mail, StopReason, TEST_FILE};
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding, Severity};
use url::Url;

/// Slower than this and visitors wonder whether anybody is there (common practice).
const SLOW_MS: f64 = 5000.0;

/// Code, severity, summary, remedy.
type Told = (Code, Severity, &'static str, &'static str);

#[rustfmt::skip]
const NO_STEPS: Told = (Code::EchoNoSteps, Severity::Note,
    "The supplier's profile has no steps for a test message.",
    "Make a test by hand: the message is written for you, and you tick what you saw.");
#[rustfmt::skip]
const FORM: Told = (Code::EchoForm, Severity::Warning,
    "A form comes before the chat, and the supplier's profile does not say how to fill it in.",
    "Send a message by hand, or add the steps before the chat to the supplier's profile.");
#[rustfmt::skip]
const STEP: Told = (Code::EchoForm, Severity::Warning,
    "A step before the chat failed: the page does not match the supplier's profile.",
    "Look at the form in the widget, and correct the steps before the chat in the \
    supplier's profile.");
#[rustfmt::skip]
const QUIET: Told = (Code::EchoQuiet, Severity::Note,
    "The site is outside its hours, but the widget offers live chat. No message was sent, because \
    it would disturb people.",
    "Compare these hours with those in the supplier's account, then test within them.");
#[rustfmt::skip]
const NOT_SENT: Told = (Code::EchoNotSent, Severity::Broken,
    "The test message could not be sent through the widget.",
    "Check the chain of this site first, then try by hand.");
#[rustfmt::skip]
const NOT_ARRIVED: Told = (Code::EchoNotArrived, Severity::Broken,
    "The test message was sent but did not arrive in the console.",
    "Check that the key in the page is that of the client's account.");
#[rustfmt::skip]
const NO_ANSWER: Told = (Code::EchoNoAnswer, Severity::Broken,
    "The answer from the console did not appear in the widget.",
    "Check the widget's live connection, then answer by hand.");

/// Returns the findings of a test; none where the message and its answer came in time.
pub fn judge(seen: &EchoResult) -> Vec<Finding> {
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

/// Returns the finding that those who answer are told of another page than the one the visitor
/// wrote from.
fn strange_page(seen: &EchoResult) -> Option<Finding> {
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
            "The console shows a different page from the one that sent the message.",
            "Check whether the widget's code sets its own address, and whether the key belongs to \
            this site.",
        )
        .with_all(sides(&seen.url, &seen.page_at_console))
    })
}

/// Returns the finding that those who answer are told of another language.
fn strange_language(seen: &EchoResult) -> Option<Finding> {
    let first = |tag: &str| tag.split('-').next().unwrap_or_default().to_lowercase();
    let (here, there) = (first(&seen.language), first(&seen.language_at_console));
    (!here.is_empty() && !there.is_empty() && here != there).then(|| {
        Finding::new(
            Code::EchoLanguage,
            Severity::Warning,
            "The console shows a different language from the visitor's.",
            "Let the language follow the visitor's browser in the widget's settings.",
        )
        .with_all(sides(&seen.language, &seen.language_at_console))
    })
}

/// More than one answer was given, and not all of them showed, or not in their order.
fn answers(seen: &EchoResult) -> Option<Finding> {
    let answers = seen.answers.filter(|a| a.seen > 0)?;
    let summary = match (answers.seen < answers.given, answers.in_order) {
        (true, _) => format!(
            "{} of {} answers appeared in the widget.",
            answers.seen, answers.given
        ),
        (false, false) => "The answers appeared in the wrong order.".into(),
        (false, true) => return None,
    };
    Some(Finding::new(
        Code::EchoAnswers,
        Severity::Warning,
        summary,
        "Send the screenshot to the supplier: a visitor misses part of the answer.",
    ))
}

/// A file was sent along, and the console has none.
fn file(seen: &EchoResult) -> Option<Finding> {
    (seen.file == Some(false)).then(|| {
        Finding::new(
            Code::EchoFile,
            Severity::Warning,
            "A file was sent through the widget, but the console does not show it.",
            "Check in the account's settings which kinds of files are allowed.",
        )
        .with(Evidence::fact(format!("file: {TEST_FILE}")))
    })
}

/// The supplier acknowledges by mail, and none came.
fn mail(seen: &EchoResult) -> Option<Finding> {
    let Some(Mail::Waited { ms }) = seen.mail else {
        return None;
    };
    Some(
        Finding::new(
            Code::EchoNoMail,
            Severity::Warning,
            "No e-mail about the message arrived in the test mailbox.",
            "Check in the account's settings that e-mails are on and which address sends them. \
            Then check that this domain allows the supplier to send (SPF, DKIM, DMARC).",
        )
        .with(Evidence::fact(format!(
            "waited {:.0} s after sending",
            ms / 1000.0
        ))),
    )
}

fn left(seen: &EchoResult) -> Option<Finding> {
    (seen.tidied == Some(CleanUp::Left)).then(|| {
        Finding::new(
            Code::EchoLeft,
            Severity::Warning,
            "The test chat or its contact is still in the console.",
            "Close the chat and remove its contact in the console. The number in the message \
            identifies it.",
        )
        .with(Evidence::fact(format!("message: {}", seen.text)))
    })
}

/// The first step that failed.
fn failed(seen: &EchoResult) -> Option<Told> {
    match seen.stopped_by {
        Some(StopReason::NoSteps) => Some(NO_STEPS),
        Some(StopReason::Form) => Some(FORM),
        Some(StopReason::Step) => Some(STEP),
        Some(StopReason::Quiet) => Some(QUIET),
        _ if !seen.sent => Some(NOT_SENT),
        _ if !seen.arrived() => Some(NOT_ARRIVED),
        // What was left waits for its answer.
        _ if !seen.left_a_message && !seen.was_answered() => Some(NO_ANSWER),
        _ => None,
    }
}

/// Both ways were gone, one of them slowly.
fn slow(seen: &EchoResult) -> Option<Finding> {
    let (arrived, answer) = (seen.at_console_ms?, seen.answer_seen_ms?);
    let delivery = answer - seen.answered_ms.unwrap_or(arrived);
    let summary = format!(
        "The message took {:.1} s to reach the console, and the answer took {:.1} s.",
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
        let whole = EchoResult {
            sent: true,
            at_console_ms: Some(200.0),
            answered_ms: Some(400.0),
            answer_seen_ms: Some(600.0),
            ..EchoResult::default()
        };
        assert!(judge(&whole).is_empty());
        let code = |s: EchoResult| judge(&s)[0].code;
        assert_eq!(
            code(EchoResult {
                sent: false,
                ..whole.clone()
            }),
            Code::EchoNotSent
        );
        assert_eq!(
            code(EchoResult {
                at_console_ms: None,
                ..whole.clone()
            }),
            Code::EchoNotArrived
        );
        assert_eq!(
            code(EchoResult {
                answer_seen_ms: None,
                ..whole.clone()
            }),
            Code::EchoNoAnswer
        );
        assert_eq!(
            code(EchoResult {
                at_console_ms: Some(9000.0),
                ..whole
            }),
            Code::EchoSlow
        );
    }

    #[test]
    fn what_the_console_names_is_compared_and_what_is_left_behind_is_told() {
        let whole = EchoResult {
            url: "https://kites.example/a".into(),
            page_at_console: "https://kites.example/a?from=mail#top".into(),
            language: "en-GB".into(),
            language_at_console: "en".into(),
            sent: true,
            at_console_ms: Some(200.0),
            answered_ms: Some(400.0),
            answer_seen_ms: Some(600.0),
            tidied: Some(CleanUp::Proven),
            ..EchoResult::default()
        };
        assert!(judge(&whole).is_empty());
        let other = EchoResult {
            page_at_console: "https://mill.example/".into(),
            language_at_console: "cy".into(),
            tidied: Some(CleanUp::Left),
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
        assert!(told[2].remedy.contains("remove its contact"));
    }

    #[test]
    fn a_test_that_does_not_apply_or_meets_a_form_is_not_broken() {
        use crate::family::{Standing, echo::assess};
        use newtfern_model::design::Design;
        let assess = |seen: &EchoResult| assess(seen, &Design { values: Vec::new() });
        let stopped = |by| EchoResult {
            stopped_by: Some(by),
            ..EchoResult::default()
        };
        let none = assess(&stopped(StopReason::NoSteps));
        assert_eq!(none.standing, Standing::NotYet);
        assert_eq!(none.findings[0].code, Code::EchoNoSteps);
        assert!(none.remedy.contains("by hand"), "{}", none.remedy);
        let form = assess(&stopped(StopReason::Form));
        assert_eq!(form.standing, Standing::Undecided);
        assert!(form.summary.contains("form"), "{}", form.summary);
        assert_eq!(
            assess(&stopped(StopReason::Deadline)).standing,
            Standing::Undecided
        );
        assert_eq!(
            assess(&stopped(StopReason::NoWidget)).standing,
            Standing::Failing
        );
    }
}
