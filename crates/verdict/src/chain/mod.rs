//! Does the widget work for a visitor, and if not, which link of the chain broke and why?
//!
//! [`registry::RULES`] is the list of all rules in their order, each in a file of its own under its
//! link. [`facts`] is what they ask; a rule may answer that it cannot tell, because nobody looked
//! ([`answer`]). [`together`] reads desktop with phone and consent untouched with granted.

pub mod allowed;
pub mod answer;
pub mod delivered;
pub mod diagnosis;
pub(crate) mod evidence;
pub mod facts;
pub mod fetched;
pub mod judged;
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
pub mod verdict;

pub use diagnosis::Diagnosis;
pub use together::diagnose;
pub use verdict::{ChainLink, LinkState, Outcome, Verdict};

use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_standards::observation::{Aside, Observation};

/// Case to judge: the expectation, and what was seen.
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
    /// Visits of a browser.
    pub visits: &'a [Observation],
    /// Copies had without a browser.
    pub asides: &'a [Aside],
    /// Keys of other widgets of the same supplier that the site has: beside the right key they are
    /// another widget's, and in its place they are wrong.
    pub siblings: &'a [&'a str],
}
