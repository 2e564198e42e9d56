//! What the drawing and the section of Pages are made from.

use crate::site_check::{Coverage, PageContent, PageRow};
use newtfern_model::finding::NotChecked;
use newtfern_model::pages::Expect;
use serde::{Deserialize, Serialize};

/// Data of the drawing and the section.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// Every page that was looked at, the one given first.
    pub pages: Vec<Page>,
    /// Number of pages that are right.
    pub coverage: Coverage,
    /// Parts that were not looked at, and why.
    pub not_looked_at: Vec<NotChecked>,
}

/// One page with the rule that decides about it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Page {
    /// Row of the page: its expectation, its content, and how that is known.
    #[serde(flatten)]
    pub row: PageRow,
    /// The pattern that decides what should be there; none where no pattern names the page.
    pub rule: Option<String>,
}

/// State of a page, for its dot.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum PageState {
    /// The page should have the widget and does not.
    Missing,
    /// The page has the widget and should not.
    Unwanted,
    /// The page has the widget in a state that does not work.
    Broken,
    /// It is not known what the page has.
    Unknown,
    /// The page is as it should be.
    Right,
}

impl PageState {
    /// Every state, the worst first.
    pub const ALL: [PageState; 5] = [
        PageState::Missing,
        PageState::Unwanted,
        PageState::Broken,
        PageState::Unknown,
        PageState::Right,
    ];

    /// Returns the state as words for people.
    pub fn word(self) -> &'static str {
        match self {
            PageState::Missing => "missing",
            PageState::Unwanted => "unwanted",
            PageState::Broken => "broken",
            PageState::Unknown => "unknown",
            PageState::Right => "right",
        }
    }

    /// Returns the state of a row.
    pub fn of(row: &PageRow) -> PageState {
        match (row.expected, row.seen) {
            _ if row.is_right() => PageState::Right,
            (_, PageContent::Unknown) if row.root.is_none() => PageState::Unknown,
            (Expect::Present, PageContent::Absent) => PageState::Missing,
            (Expect::Absent, PageContent::Present) => PageState::Unwanted,
            _ => PageState::Broken,
        }
    }
}
