//! What a rule answers: the link holds as far as it is concerned, something was found, or it cannot
//! tell because nobody looked.

use crate::finding::Finding;
use crate::observation::Unlooked;
use serde::{Deserialize, Serialize};

/// Something that was not looked at, and why; told beside every verdict.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NotLookedAt {
    /// What, in words.
    pub what: String,
    /// Why, in words.
    pub why: String,
}

/// How far a verdict depends on what was not looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depends {
    /// The link is undecided, and so is the outcome.
    Outcome,
    /// The link is undecided; the outcome stands without it.
    Link,
    /// The link is judged by the rest.
    Nothing,
}

/// The answer of one rule about one visit.
#[derive(Debug, Clone, PartialEq)]
pub enum Answer {
    /// Nothing against the link.
    Holds,
    /// The link does not hold, and why.
    Found(Box<Finding>),
    /// It could not be judged.
    CannotTell {
        /// What was not looked at.
        gap: NotLookedAt,
        /// What depends on it.
        depends: Depends,
    },
}

impl Answer {
    /// Nobody looked at something that the outcome depends on.
    pub fn cannot_tell(what: impl Into<String>, why: Unlooked) -> Answer {
        Answer::gap(what, why, Depends::Outcome)
    }

    /// Nobody looked at something.
    pub fn gap(what: impl Into<String>, why: Unlooked, depends: Depends) -> Answer {
        let gap = NotLookedAt {
            what: what.into(),
            why: why.words().to_string(),
        };
        Answer::CannotTell { gap, depends }
    }
}

impl From<Option<Finding>> for Answer {
    fn from(found: Option<Finding>) -> Answer {
        found.map_or(Answer::Holds, |f| Answer::Found(Box::new(f)))
    }
}

impl From<Finding> for Answer {
    fn from(found: Finding) -> Answer {
        Answer::Found(Box::new(found))
    }
}
