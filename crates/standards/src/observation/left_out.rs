//! What a visit did not keep because a page brought more than is kept.

use serde::{Deserialize, Serialize};

/// A list of an observation that is not whole.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum LeftOut {
    /// Requests beyond the limit.
    #[serde(alias = "requests beyond the first 3000")]
    Requests,
    /// Headers and bodies of answers.
    Answers,
    /// Lines of the console.
    Lines,
    /// Errors that nobody caught.
    Errors,
    /// Live connections beyond the limit.
    Sockets,
    /// Cookies and storage entries.
    Stored,
    /// Frames, and documents that the page went to.
    Frames,
    /// Resources that a policy forbade.
    Violations,
}

impl LeftOut {
    /// Returns the list in words, to follow "more ... than a visit keeps".
    pub fn words(self) -> &'static str {
        match self {
            LeftOut::Requests => "requests",
            LeftOut::Answers => "headers and bodies of answers",
            LeftOut::Lines => "console lines",
            LeftOut::Errors => "errors",
            LeftOut::Sockets => "live connections",
            LeftOut::Stored => "cookies and storage entries",
            LeftOut::Frames => "frames and documents",
            LeftOut::Violations => "violations of its policy",
        }
    }
}
