//! The echo test: a message sent through the live widget, seen at the supplier's console, answered
//! there, and the answer seen in the widget.

mod by_hand;
mod judge;
mod permission;

use crate::brand::talk::TalkLooks;
pub use by_hand::{ByHand, Ticks};
pub use judge::judge;
pub use permission::{NoTest, may_test};
use serde::{Deserialize, Serialize};

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
    /// How many answers were given at the console, and how many of them showed.
    pub answers: Option<Answers>,
    /// The looks of the talk; none where no talk was begun.
    pub looks: Option<TalkLooks>,
    /// A file was sent along: the console shows it. None where files are not looked at.
    pub file: Option<bool>,
    /// Nobody was there, and the message was left in the form for that.
    pub left_a_message: bool,
    /// What the widget said after sending, where the profile says where.
    pub after_sending: String,
    /// The mail by which the supplier acknowledges; none where it does not, by the profile.
    pub mail: Option<Mail>,
    /// A person made the test, and told what they saw.
    pub by_hand: Option<ByHand>,
    /// What stopped it, if something did.
    pub stopped_by: Option<Stopped>,
    /// The same in words.
    pub stopped: String,
    /// Blob of the picture at the end.
    pub picture: Option<String>,
}

impl Seen {
    /// The message was seen at the console, by us or by a person.
    pub fn arrived(&self) -> bool {
        let told = self.by_hand.as_ref().is_some_and(|b| b.arrived);
        self.at_console_ms.is_some() || told
    }

    /// The answer was seen in the widget, by us or by a person.
    pub fn was_answered(&self) -> bool {
        let told = self.by_hand.as_ref().is_some_and(|b| b.answer_seen);
        self.answer_seen_ms.is_some() || told
    }
}

/// Name of the file that a test sends along.
pub const TEST_FILE: &str = "newtfern-test.txt";

/// Answers that were given at the console.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Answers {
    /// Taken by the console.
    pub given: usize,
    /// Seen in the widget.
    pub seen: usize,
    /// In the order in which they were given.
    pub in_order: bool,
}

/// What became of the mail that the supplier sends.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Mail {
    /// It came.
    Came {
        /// ms since the message was sent.
        after_ms: f64,
        /// From which address.
        from: String,
        /// Its subject.
        subject: String,
    },
    /// It was waited for, and did not come.
    Waited {
        /// ms since the message was sent.
        ms: f64,
    },
    /// Nobody looked, and why.
    NotLooked {
        /// What kept us.
        why: String,
    },
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
    /// Nobody is there by the hours, and the widget shows a live talk all the same.
    Quiet,
    /// A step that the profile tells before the message could not be made.
    Step,
    /// The panel has no field, or no control to send.
    NoField,
    /// The console answered with an error, or not at all.
    Console,
    /// Our own time for the test was over.
    Deadline,
}
