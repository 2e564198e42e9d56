//! Does the widget work for a visitor, and if not, which link of the chain broke and why?
//!
//! [`registry::RULES`] is the list of all rules in their order, each in a file of its own under its
//! link. [`facts`] is what they ask; a rule may answer that it cannot tell, because nobody looked
//! ([`answer`]). [`together`] reads desktop with phone and consent untouched with granted.

pub mod allowed;
pub mod answer;
pub mod delivered;
pub(crate) mod evidence;
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
    /// The supplier whose widget is looked for.
    pub supplier: &'a Supplier,
    /// Suppliers whose widget should not be there.
    pub rivals: &'a [Supplier],
    /// The key of the client's account; `None` where it is not known.
    pub key: Option<&'a str>,
    /// Whether the widget should be on the page.
    pub expect: Expect,
    /// The consent manager of the site, if one is named.
    pub consent: Option<&'a ConsentManager>,
    /// What the browser saw.
    pub visits: &'a [Observation],
    /// Copies had without a browser.
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
    /// Blob key of its document, where that is kept apart.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub blob: Option<String>,
}

impl Aside {
    /// A page that was had.
    pub fn is_page(&self) -> bool {
        self.look == AsideLook::Had && self.status < 300
    }
}

/// What a copy beside the visits is to tell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Purpose {
    /// The same page with a random query, to get past a cache.
    Uncached,
    /// A page of the same site that this one links to.
    Linked,
    /// The page as its platform would show it if what is drafted were published.
    Draft,
    /// A tag manager's set, as [`TagLook`](crate::tags::TagLook) writes it.
    TagSet,
    /// The privacy page that the widget's notice leads to.
    Notice,
}

/// How a link of the chain stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum LinkState {
    /// It was looked at and is in order.
    Holds,
    /// It does not hold; the root cause is here or before it.
    Broken,
    /// It could not be looked at to the end.
    Undecided,
    /// A link before it is broken.
    NotReached,
    /// The page has nothing of the kind.
    NotApplicable,
}

impl LinkState {
    /// The word of the public contract.
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

/// What a check says of a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    /// The widget is there, up, shown and usable.
    Working,
    /// A visitor who should have the widget does not.
    Broken,
    /// Absent or waiting, as it should be.
    AsIntended,
    /// Nothing definite can be said; why is in `not_looked_at`.
    Unchecked,
}

impl Outcome {
    /// In words, for reports.
    pub fn words(self) -> &'static str {
        match self {
            Outcome::Working => "working",
            Outcome::Broken => "broken",
            Outcome::AsIntended => "as intended",
            Outcome::Unchecked => "unchecked",
        }
    }
}

/// One link, and how it stands.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct ChainLink {
    /// Which.
    pub link: Link,
    /// How.
    pub state: LinkState,
}

/// The object that `newtfern check --json` prints.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Diagnosis {
    /// The address that was asked for.
    pub url: String,
    /// Where the visit ended.
    pub final_url: String,
    /// The verdict.
    pub outcome: Outcome,
    /// The code of the first finding that breaks a link.
    pub root: Option<Code>,
    /// All links in their order.
    pub chain: Vec<ChainLink>,
    /// The root cause first, then remarks.
    pub findings: Vec<Finding>,
    /// What a time limit, a missing profile entry or a refusal kept from being looked at.
    #[serde(default)]
    pub not_looked_at: Vec<NotLookedAt>,
    /// Why there was no check at all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub error: Option<String>,
}

impl Diagnosis {
    /// The finding that the root cause names.
    pub fn root_finding(&self) -> Option<&Finding> {
        let root = self.root?;
        self.findings.iter().find(|f| f.code == root)
    }

    /// There was no check at all, because it could not be begun or ended.
    pub fn failed(url: &str, error: &str) -> Diagnosis {
        Diagnosis {
            error: Some(error.to_string()),
            ..Diagnosis::unchecked(url, error)
        }
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
            error: None,
        }
    }
}
