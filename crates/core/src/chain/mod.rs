//! Does the widget work for a visitor, and if not, which link of the chain broke and why?
//!
//! [`rules::BREAKING`] is the ordered set of rules over one visit: the first that fires is the root
//! cause. [`rules::REMARKS`] are findings that break nothing. [`diagnose`] judges every visit and
//! then reads them together: desktop with phone, consent untouched with granted.

mod combine;
mod context;
mod rules;
mod rules_late;
mod rules_placed;
#[cfg(test)]
mod tests;

pub use combine::diagnose;

use crate::finding::{Finding, Link};
use crate::observation::Observation;
use crate::profile::{ConsentManager, Supplier};
use serde::{Deserialize, Serialize};

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Expect {
    #[default]
    Present,
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

/// A document fetched beside the visits, without a browser.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Aside {
    pub purpose: Purpose,
    pub url: String,
    pub status: u16,
    pub html: String,
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
    NotReached,
    NotApplicable,
}

impl LinkState {
    pub fn word(self) -> &'static str {
        match self {
            LinkState::Holds => "holds",
            LinkState::Broken => "broken",
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
    pub root: Option<String>,
    pub chain: Vec<ChainLink>,
    pub findings: Vec<Finding>,
}

impl Diagnosis {
    pub fn root_finding(&self) -> Option<&Finding> {
        let root = self.root.as_deref()?;
        self.findings.iter().find(|f| f.code == root)
    }

    pub fn unchecked(url: &str, why: Finding) -> Diagnosis {
        Diagnosis {
            url: url.to_string(),
            final_url: url.to_string(),
            outcome: Outcome::Unchecked,
            root: None,
            chain: chain_until(None),
            findings: vec![why],
        }
    }
}

/// All links hold, or those before the broken one do and those after are not reached.
fn chain_until(broken: Option<Link>) -> Vec<ChainLink> {
    Link::ALL
        .into_iter()
        .map(|link| {
            let state = match broken {
                None => LinkState::NotReached,
                Some(b) if link < b => LinkState::Holds,
                Some(b) if link == b => LinkState::Broken,
                Some(_) => LinkState::NotReached,
            };
            ChainLink { link, state }
        })
        .collect()
}

fn chain_all(state: LinkState) -> Vec<ChainLink> {
    Link::ALL
        .into_iter()
        .map(|link| ChainLink { link, state })
        .collect()
}
