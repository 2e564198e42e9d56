//! Does the widget work for a visitor, and if not, which link of the chain broke and why?
//!
//! [`registry::RULES`] is the list of all rules in their order, each in a file of its own under its
//! link. [`facts`] is what they ask; a rule may answer that it cannot tell, because nobody looked
//! ([`answer`]). [`together`] reads desktop with phone and consent untouched with granted.

pub mod allowed;
pub mod answer;
pub mod delivered;
mod evidence;
pub mod facts;
pub mod fetched;
pub mod placed;
pub mod ran;
pub mod registry;
pub mod shown;
pub mod started;
#[cfg(test)]
pub(crate) mod testing;
#[cfg(test)]
mod tests;
pub mod together;
pub mod usable;

pub use answer::NotLookedAt;
pub use together::diagnose;

use crate::code::Code;
use crate::finding::{Finding, Link};
use crate::observation::{Observation, Unlooked};
use crate::profile::{ConsentManager, Supplier};
use serde::{Deserialize, Serialize};

/// Should the widget be on the page?
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Expect {
    /// It should.
    #[default]
    Present,
    /// It should not.
    Absent,
}

/// What should be, and what was seen.
pub struct Case<'a> {
    pub supplier: &'a Supplier,
    pub rivals: &'a [Supplier],
    pub key: Option<&'a str>,
    pub expect: Expect,
    pub consent: Option<&'a ConsentManager>,
    pub visits: &'a [Observation],
    pub asides: &'a [Aside],
}

/// Was a copy had?
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "look", rename_all = "snake_case")]
pub enum AsideLook {
    /// It was, whatever its status.
    #[default]
    Had,
    /// It was not, and why.
    Missed {
        /// What kept us.
        why: Unlooked,
    },
}

/// A document fetched beside the visits, without a browser.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Aside {
    /// What it is to tell.
    pub purpose: Purpose,
    /// Its address.
    pub url: String,
    /// Its HTTP status; 0 where none came.
    pub status: u16,
    /// Its document, cut to a bound.
    pub html: String,
    /// Whether it was had.
    #[serde(default)]
    pub look: AsideLook,
}

impl Aside {
    /// A page that was had.
    pub fn is_page(&self) -> bool {
        self.look == AsideLook::Had && self.status < 300
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Purpose {
    /// The same page with a random query, to get past a cache.
    Uncached,
    /// A page of the same site that this one links to.
    Linked,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum LinkState {
    Holds,
    Broken,
    Undecided,
    NotReached,
    NotApplicable,
}

impl LinkState {
    pub fn word(self) -> &'static str {
        match self {
            LinkState::Holds => "holds",
            LinkState::Broken => "broken",
            LinkState::Undecided => "undecided",
            LinkState::NotReached => "not reached",
            LinkState::NotApplicable => "not applicable",
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    Working,
    Broken,
    AsIntended,
    Unchecked,
}

impl Outcome {
    pub fn words(self) -> &'static str {
        match self {
            Outcome::Working => "working",
            Outcome::Broken => "broken",
            Outcome::AsIntended => "as intended",
            Outcome::Unchecked => "unchecked",
        }
    }
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct ChainLink {
    pub link: Link,
    pub state: LinkState,
}

/// The object that `newtfern check --json` prints.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Diagnosis {
    pub url: String,
    pub final_url: String,
    pub outcome: Outcome,
    pub root: Option<Code>,
    pub chain: Vec<ChainLink>,
    pub findings: Vec<Finding>,
    /// What a time limit, a missing profile entry or a refusal kept from being looked at.
    #[serde(default)]
    pub not_looked_at: Vec<NotLookedAt>,
}

impl Diagnosis {
    pub fn root_finding(&self) -> Option<&Finding> {
        let root = self.root?;
        self.findings.iter().find(|f| f.code == root)
    }

    /// Nothing was seen at all.
    pub fn unchecked(url: &str, why: &str) -> Diagnosis {
        let link = |link| ChainLink {
            link,
            state: LinkState::NotReached,
        };
        Diagnosis {
            url: url.to_string(),
            final_url: url.to_string(),
            outcome: Outcome::Unchecked,
            root: None,
            chain: Link::ALL.into_iter().map(link).collect(),
            findings: vec![Finding::note(Code::Unchecked, why)],
            not_looked_at: vec![NotLookedAt {
                what: "the page".into(),
                why: why.to_string(),
            }],
        }
    }
}
