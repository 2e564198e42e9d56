//! How far a visit looked: seen, not there, or not looked at and why; and its stages with their
//! times.

use serde::{Deserialize, Serialize};

/// Reason why something was not looked at.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum NotCheckedReason {
    /// An earlier version of Newtfern made the visit, and did not say.
    #[default]
    NotRecorded,
    /// The step before it had not come.
    EarlierStage,
    /// The profile has no entry for it.
    NoEntry,
    /// Our own time for the visit was over.
    Deadline,
    /// The page answered no question any more.
    NoAnswer,
    /// The browser's renderer crashed.
    Crashed,
    /// More than a visit keeps or reads.
    TooMuch,
    /// The document could not be had.
    NotHad,
    /// The network rule keeps visits away from there.
    Guarded,
    /// The page had so many requests open that the browser may not have sent it.
    Crowded,
    /// The page was looked at by HTTP alone.
    NoBrowser,
    /// The widget opens in a window of its own, as it is meant to.
    OwnWindow,
}

impl NotCheckedReason {
    /// Returns the reason in words, to follow "because".
    pub fn words(self) -> &'static str {
        match self {
            NotCheckedReason::NotRecorded => {
                "an earlier version made the visit and did not record it"
            }
            NotCheckedReason::EarlierStage => "an earlier step was not reached",
            NotCheckedReason::NoEntry => "the profile has no entry for it",
            NotCheckedReason::Deadline => "the visit ran out of time",
            NotCheckedReason::NoAnswer => "the page stopped answering",
            NotCheckedReason::Crashed => "the page crashed the browser's renderer",
            NotCheckedReason::TooMuch => "it exceeds the limit of a visit",
            NotCheckedReason::NotHad => "it could not be loaded",
            NotCheckedReason::Guarded => "the network rules forbid it",
            NotCheckedReason::OwnWindow => "it opens in a window of its own, as it is meant to",
            NotCheckedReason::NoBrowser => "no browser visited it",
            NotCheckedReason::Crowded => {
                "the page had more requests open than the browser may send at once"
            }
        }
    }
}

/// Result of one look of a visit.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "look", rename_all = "snake_case")]
pub enum Look {
    /// The thing was there; when it came, by the page's own clock where it has one.
    Seen {
        /// ms since the navigation began.
        at_ms: f64,
    },
    /// The thing was watched for until then and was not there.
    NotThere {
        /// ms since the navigation began.
        until_ms: f64,
    },
    /// Nobody looked, or the look was cut off.
    NotLooked {
        /// Reason why it was not looked at.
        why: NotCheckedReason,
    },
}

impl Default for Look {
    fn default() -> Self {
        Look::NotLooked {
            why: NotCheckedReason::NotRecorded,
        }
    }
}

impl Look {
    /// Returns when it was seen, if it was.
    pub fn seen_ms(self) -> Option<f64> {
        match self {
            Look::Seen { at_ms } => Some(at_ms),
            _ => None,
        }
    }

    /// Returns why nobody looked, if nobody did.
    pub fn unlooked(self) -> Option<NotCheckedReason> {
        match self {
            Look::NotLooked { why } => Some(why),
            _ => None,
        }
    }

    /// Watched for to the end, and not there.
    pub fn not_there(self) -> bool {
        matches!(self, Look::NotThere { .. })
    }
}

/// Result of each look of a visit.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Looks {
    /// The main document, whole.
    pub document: Look,
    /// Load event of the page.
    pub load: Look,
    /// The supplier's own sign.
    pub alive: Look,
    /// Visible launcher of the widget.
    pub launcher: Look,
    /// Two seconds after the launcher came: is it still there?
    pub stays: Look,
    /// The panel after a click.
    pub opening: Look,
    /// The panel gone after its closing control was used.
    pub closing: Look,
    /// The panel after Enter or Space.
    pub keyboard: Look,
    /// The decision in the consent banner took.
    pub consent_act: Look,
    /// Cookies and other storage.
    pub storage: Look,
    /// The document as it stood at the end.
    pub final_document: Look,
}

/// A stage of a visit with its time, ms since the navigation began.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Stage {
    /// Name of the step.
    pub name: String,
    /// Start of the step, ms since the navigation began.
    pub began_ms: f64,
    /// End of the step, ms since the navigation began.
    pub ended_ms: f64,
}
