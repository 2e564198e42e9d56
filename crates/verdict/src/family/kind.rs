//! The families of checks, and how a site stands in one.

use newtfern_standards::typed::UnknownName;
use serde::{Deserialize, Serialize};

macro_rules! families {
    ($($variant:ident $key:literal $label:literal $what:literal;)*) => {
        /// A family; each is a leaflet of the frond and a lens.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(rename_all = "snake_case")]
        pub enum Family { $(#[doc = $what] $variant,)* }

        impl Family {
            /// Every family, in the order of the job.
            pub const ALL: [Family; [$($key),*].len()] = [$(Family::$variant),*];

            /// Returns the key that is stored and addressed.
            pub fn key(self) -> &'static str {
                match self { $(Family::$variant => $key,)* }
            }

            /// Returns the family's name on the Trail.
            pub fn label(self) -> &'static str {
                match self { $(Family::$variant => $label,)* }
            }
        }
    };
}

families! {
    Design "design" "Design" "Supplier, key and the widget's values.";
    Place "place" "Place" "The snippet in the page.";
    Load "load" "Load" "The chain, from page to usable widget.";
    Pages "pages" "Pages" "The widget on every page where it should be, and on no other.";
    Echo "echo" "Echo" "The test message.";
    Weigh "weigh" "Weigh" "What the widget costs.";
    Consent "consent" "Consent" "Consent states against signals.";
    Brand "brand" "Brand" "Looks against the design.";
    HandOver "hand_over" "Hand over" "The sheet for the client.";
    Watch "watch" "Watch" "Is what is known still true?";
}

impl Family {
    /// Returns the family that a key names.
    pub fn from_key(key: &str) -> Option<Family> {
        Family::ALL.into_iter().find(|f| f.key() == key)
    }
}

impl TryFrom<String> for Family {
    type Error = UnknownName;

    fn try_from(key: String) -> Result<Family, UnknownName> {
        Family::from_key(&key).ok_or(UnknownName(key))
    }
}

/// Standing of a site in a family.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize,
)]
#[serde(rename_all = "snake_case")]
pub enum Standing {
    /// Something is wrong and can be mended.
    Failing,
    /// Looked at, and not to be told.
    Undecided,
    /// An input of the result has changed, or the result is old.
    Stale,
    /// Not looked at yet.
    #[default]
    NotYet,
    /// In order, with something that is worth mending.
    Remarks,
    /// Everything is in order.
    Passing,
    /// The family does not apply to this site.
    NotApplicable,
}

impl Standing {
    /// Every standing, the worst first.
    pub const ALL: [Standing; 7] = [
        Standing::Failing,
        Standing::Undecided,
        Standing::Stale,
        Standing::NotYet,
        Standing::Remarks,
        Standing::Passing,
        Standing::NotApplicable,
    ];

    /// Returns the key that is stored.
    pub fn key(self) -> &'static str {
        match self {
            Standing::Failing => "failing",
            Standing::Undecided => "undecided",
            Standing::Stale => "stale",
            Standing::NotYet => "not_yet",
            Standing::Remarks => "remarks",
            Standing::Passing => "passing",
            Standing::NotApplicable => "not_applicable",
        }
    }

    /// Returns the words that are shown.
    pub fn words(self) -> &'static str {
        match self {
            Standing::NotYet => "not yet",
            Standing::Remarks => "passing with remarks",
            Standing::NotApplicable => "not applicable",
            other => other.key(),
        }
    }

    /// Returns whether nothing is wrong.
    pub fn is_good(self) -> bool {
        matches!(self, Standing::Passing | Standing::Remarks)
    }

    /// Returns the standing that a key names.
    pub fn from_key(key: &str) -> Option<Standing> {
        Standing::ALL.into_iter().find(|s| s.key() == key)
    }
}

impl TryFrom<String> for Standing {
    type Error = UnknownName;

    fn try_from(key: String) -> Result<Standing, UnknownName> {
        Standing::from_key(&key).ok_or(UnknownName(key))
    }
}

/// Older than this, a result no longer speaks for today (common practice: a week), in seconds.
pub const STALE_AFTER_S: i64 = 7 * 24 * 3600;
