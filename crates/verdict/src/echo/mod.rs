//! The echo test: a message sent through the live widget, seen at the supplier's console, answered
//! there, and the answer seen in the widget.

mod by_hand;
mod judge;
mod permission;
mod seen;

pub use by_hand::Ticks;
pub use judge::judge;
pub use permission::{AccountTests, NoTest, may_test};
pub use seen::{Answers, ByHand, CleanUp, EchoResult, Mail, StopReason};

/// The words of a test message, to which its number is added: the client's people see at once who
/// wrote it, and that nobody waits.
pub fn test_message(person: &str, agency: &str) -> String {
    match agency.is_empty() {
        true => format!("Hello, this is a test by {person}"),
        false => format!("Hello, this is a test by {person} of {agency}"),
    }
}

/// Visitor that a test plays: what goes into the fields before a chat, so that the client's people
/// see at once that nobody waits for them.
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
    /// The agency as a visitor. The number is of the range that is kept free for drama (Ofcom,
    /// 01632 960).
    pub fn of(agency: &str, mail: &str) -> TestVisitor {
        TestVisitor {
            name: format!("Test by {agency}"),
            mail: mail.to_string(),
            phone: "+441632960000".into(),
        }
    }

    /// Returns the words of a step: a field of the visitor, or words as they stand.
    pub fn words<'a>(&'a self, with: &'a str) -> &'a str {
        match with {
            "name" => &self.name,
            "mail" => &self.mail,
            "phone" => &self.phone,
            words => words,
        }
    }
}

/// Name of the file that a test sends along.
pub const TEST_FILE: &str = "newtfern-test.txt";
