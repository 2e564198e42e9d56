//! What a test message told.

use crate::brand::talk::TalkLooks;
use serde::{Deserialize, Serialize};

/// Fate of a chat once the test was over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum CleanUp {
    /// Closed, its contact removed, and both seen at the console.
    Proven,
    /// Asked for, and the console shows no more.
    Asked,
    /// The console refused, or still shows the talk or its contact.
    Left,
}

/// Observations of a test. Times are ms since the message was sent.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct EchoResult {
    /// The page on which the message was sent.
    pub url: String,
    /// Text of the test message.
    pub text: String,
    /// The answer that was given at the console.
    pub answer: String,
    /// Whether it left the widget.
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
    /// Fate of the chat; none where the profile does not say how one is closed.
    pub tidied: Option<CleanUp>,
    /// ms from sending until the console took the answer.
    pub answered_ms: Option<f64>,
    /// ms from sending until the answer showed in the widget.
    pub answer_seen_ms: Option<f64>,
    /// Number of answers given at the console, and of those that showed.
    pub answers: Option<Answers>,
    /// The looks of the talk; none where no talk was begun.
    pub looks: Option<TalkLooks>,
    /// A file was sent along: the console shows it. None where files are not looked at.
    pub file: Option<bool>,
    /// Nobody was there, and the message was left in the form for that.
    pub left_a_message: bool,
    /// Words of the widget after sending, where the profile says where.
    pub after_sending: String,
    /// The mail by which the supplier acknowledges; none where it does not, by the profile.
    pub mail: Option<Mail>,
    /// A person made the test, and told what they saw.
    pub by_hand: Option<ByHand>,
    /// Reason why it stopped, if it did.
    pub stopped_by: Option<StopReason>,
    /// The same in words.
    pub stopped: String,
    /// Blob of the picture at the end.
    pub picture: Option<String>,
}

impl EchoResult {
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

/// Answers that were given at the console.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Answers {
    /// Taken by the console.
    pub given: usize,
    /// Seen in the widget.
    pub seen: usize,
    /// Whether they showed in the order in which they were given.
    pub in_order: bool,
}

/// Fate of the mail that the supplier sends.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Mail {
    /// The mail arrived.
    Came {
        /// ms since the message was sent.
        after_ms: f64,
        /// Sender's address of the mail.
        from: String,
        /// Subject of the mail.
        subject: String,
    },
    /// The mail was waited for, and did not come.
    Waited {
        /// ms since the message was sent.
        ms: f64,
    },
    /// Nobody looked, and why.
    NotLooked {
        /// Reason why the mailbox was not looked at.
        why: String,
    },
}

/// Reason why a test stopped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum StopReason {
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

/// Report of a person who made a test.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct ByHand {
    /// Name of who made the test.
    pub by: String,
    /// The message was at the console.
    pub arrived: bool,
    /// The answer was in the widget.
    pub answer_seen: bool,
    /// Note in their own words.
    pub note: String,
}
