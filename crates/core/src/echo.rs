//! The echo test: a message sent through the live widget, seen at the supplier's console, answered
//! there, and the answer seen in the widget.

use crate::code::Code;
use crate::expectation::Hours;
use crate::finding::{Evidence, Finding, Severity};
use serde::{Deserialize, Serialize};
use url::Url;

/// Who a test says that it is: what goes into the fields before a talk, so that the client's people see at
/// once that nobody waits for them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TestVisitor {
    /// Into a field for a name.
    pub name: String,
    /// Into a field for a mail address: the agency's own.
    pub mail: String,
    /// Into a field for a number.
    pub phone: String,
}

impl TestVisitor {
    /// The agency as a visitor. The number is of the range that is kept free for drama (Ofcom, 01632 960).
    pub fn of(agency: &str, mail: &str) -> TestVisitor {
        TestVisitor {
            name: format!("Test by {agency}"),
            mail: mail.to_string(),
            phone: "+441632960000".into(),
        }
    }

    /// What a step writes: a field of the visitor, or words as they stand.
    pub fn words<'a>(&'a self, with: &'a str) -> &'a str {
        match with {
            "name" => &self.name,
            "mail" => &self.mail,
            "phone" => &self.phone,
            words => words,
        }
    }
}

/// Why no test talk is had now: each costs the client a talk and rings the phones of those who answer.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NoTest {
    /// The month's are used up.
    #[error(
        "the {budget} test talks a month that the house allows for one account are used up: {made} were had this month at {client}\u{2019}s account with {supplier}"
    )]
    Budget {
        /// Had this month.
        made: i64,
        /// Allowed.
        budget: u32,
        /// Whose account.
        client: String,
        /// With whom.
        supplier: String,
    },
    /// Nobody is there to answer.
    #[error(
        "nobody is there now by the site\u{2019}s hours ({hours}): a test would ring at home; send it within the hours"
    )]
    Quiet {
        /// The hours, in words.
        hours: String,
    },
}

/// May a test talk be had now? `staffed` is nothing where the site has no hours.
///
/// # Errors
/// [`NoTest`], with the reason.
pub fn may_test(
    (client, supplier): (&str, &str),
    (made, budget): (i64, u32),
    staffed: Option<bool>,
    hours: &[Hours],
) -> Result<(), NoTest> {
    if staffed == Some(false) {
        let hours: Vec<String> = hours.iter().map(Hours::to_string).collect();
        return Err(NoTest::Quiet {
            hours: hours.join("; "),
        });
    }
    if made >= i64::from(budget) {
        return Err(NoTest::Budget {
            made,
            budget,
            client: client.into(),
            supplier: supplier.into(),
        });
    }
    Ok(())
}

/// What became of a talk once the test was over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Tidied {
    /// Closed, its contact removed, and both seen at the console.
    Proven,
    /// Asked for, and the console shows no more.
    Asked,
    /// The console refused, or still shows the talk or its contact.
    Left,
}

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
    /// The visitor's language that the console names.
    pub language_at_console: String,
    /// The language that the visitor's browser had.
    pub language: String,
    /// Steps before the message that were made.
    pub steps: usize,
    /// What became of the talk; none where the profile does not say how one is closed.
    pub tidied: Option<Tidied>,
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
    /// A step that the profile tells before the message could not be made.
    Step,
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
const STEP: Told = (Code::EchoForm, Severity::Warning,
    "A step before the talk could not be made as the supplier's profile tells it.",
    "Look at the form in the widget, and correct the steps before the talk in the supplier's profile.");
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
    let others = [strange_page(seen), strange_language(seen), left(seen)];
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
    fn a_test_waits_for_hours_and_for_the_next_month() {
        let may = |made, staffed| may_test(("Kites", "Brindle"), (made, 10), staffed, &[]);
        assert_eq!(may(9, None), Ok(()));
        assert_eq!(may(9, Some(true)), Ok(()));
        let used = may(10, Some(true)).unwrap_err().to_string();
        assert!(used.contains("10 were had this month at Kites"), "{used}");
        let quiet = may(0, Some(false)).unwrap_err().to_string();
        assert!(quiet.contains("nobody is there now"), "{quiet}");
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
