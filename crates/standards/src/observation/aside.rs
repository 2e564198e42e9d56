//! Documents fetched beside the visits, without a browser.

use super::NotCheckedReason;
use serde::{Deserialize, Serialize};

/// Was a copy had?
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "look", rename_all = "snake_case")]
pub enum AsideLook {
    /// The copy was had, whatever its status.
    #[default]
    Had,
    /// The copy was not had, and why.
    Missed {
        /// Reason why the copy could not be had.
        why: NotCheckedReason,
    },
}

/// A document fetched beside the visits, without a browser.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Aside {
    /// Purpose of the copy.
    pub purpose: Purpose,
    /// Address of the copy.
    pub url: String,
    /// HTTP status of the copy; 0 where none came.
    pub status: u16,
    /// Document of the copy, cut to a bound.
    pub html: String,
    /// State of the copy.
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

/// Purpose of a copy beside the visits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Purpose {
    /// The same page with a random query, to get past a cache.
    Uncached,
    /// A page of the same site that this one links to.
    Linked,
    /// The page as its platform would show it if what is drafted were published.
    Draft,
    /// A tag manager's set, as `tags::TagLook` writes it.
    TagSet,
    /// The privacy page that the widget's notice leads to.
    Notice,
}
