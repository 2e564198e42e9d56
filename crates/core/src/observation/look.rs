//! How far a visit looked: seen, not there, or not looked at and why; and its stages with their times.

use serde::{Deserialize, Serialize};

/// Why something was not looked at.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Unlooked {
    /// An earlier version of Newtfern made the visit, and did not say.
    #[default]
    NotRecorded,
    /// What comes before it had not come.
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
    /// It could not be had.
    NotHad,
    /// The network rule keeps visits away from there.
    Guarded,
    /// The page had so many requests open that the browser may not have sent it.
    Crowded,
    /// It was looked at by HTTP alone.
    NoBrowser,
}

impl Unlooked {
    /// In words, to follow "because".
    pub fn words(self) -> &'static str {
        match self {
            Unlooked::NotRecorded => "an earlier version made the visit and did not record it",
            Unlooked::EarlierStage => "what comes before it had not come",
            Unlooked::NoEntry => "the profile has no entry for it",
            Unlooked::Deadline => "the time of the visit was over",
            Unlooked::NoAnswer => "the page answered no question any more",
            Unlooked::Crashed => "the page crashed the browser's renderer",
            Unlooked::TooMuch => "it is more than a visit reads",
            Unlooked::NotHad => "it could not be had",
            Unlooked::Guarded => "the network rule keeps visits away from it",
            Unlooked::NoBrowser => "no browser went there",
            Unlooked::Crowded => {
                "the page had more requests open than the browser may send at once"
            }
        }
    }
}

/// How far a look went.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "look", rename_all = "snake_case")]
pub enum Look {
    /// It was there; when it came, by the page's own clock where it has one.
    Seen {
        /// ms since the navigation began.
        at_ms: f64,
    },
    /// It was watched for until then and was not there.
    NotThere {
        /// ms since the navigation began.
        until_ms: f64,
    },
    /// Nobody looked, or the look was cut off.
    NotLooked {
        /// What kept us.
        why: Unlooked,
    },
}

impl Default for Look {
    fn default() -> Self {
        Look::NotLooked {
            why: Unlooked::NotRecorded,
        }
    }
}

impl Look {
    /// When it was seen, if it was.
    pub fn seen_ms(self) -> Option<f64> {
        match self {
            Look::Seen { at_ms } => Some(at_ms),
            _ => None,
        }
    }

    /// Why nobody looked, if nobody did.
    pub fn unlooked(self) -> Option<Unlooked> {
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

/// How far each look of a visit went.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Looks {
    /// The main document, whole.
    pub document: Look,
    /// The load event.
    pub load: Look,
    /// The supplier's own sign.
    pub alive: Look,
    /// The launcher, visible.
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
    /// Cookies and storage.
    pub storage: Look,
    /// The document as it stood at the end.
    pub final_document: Look,
}

/// A stage of a visit with its time, ms since the navigation began.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Stage {
    /// What was done.
    pub name: String,
    /// When it began.
    pub began_ms: f64,
    /// When it ended.
    pub ended_ms: f64,
}
