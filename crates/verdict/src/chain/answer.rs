//! What a rule answers: the link holds as far as it is concerned, something was found, or it cannot
//! tell because nobody looked.

use newtfern_model::finding::{Finding, NotChecked};
use newtfern_standards::observation::NotCheckedReason;

/// Part of a verdict that depends on what was not looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dependence {
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
    /// Nothing speaks against the link.
    Holds,
    /// The link does not hold, and why.
    Found(Box<Finding>),
    /// The link could not be judged.
    CannotTell {
        /// Subject that was not looked at.
        gap: NotChecked,
        /// Part of the verdict that depends on it.
        depends: Dependence,
    },
}

impl Answer {
    /// Nobody looked at something that the outcome depends on.
    pub fn cannot_tell(what: impl Into<String>, why: NotCheckedReason) -> Answer {
        Answer::gap(what, why, Dependence::Outcome)
    }

    /// Nobody looked at something.
    pub fn gap(what: impl Into<String>, why: NotCheckedReason, depends: Dependence) -> Answer {
        let gap = NotChecked {
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
