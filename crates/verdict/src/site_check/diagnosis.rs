//! What is told of a site and of each of its pages.

use crate::chain::Diagnosis;
use crate::report::ComparedValue;
use crate::site_check::consent::ConsentReport;
use newtfern_model::code::Code;
use newtfern_model::pages::{Expect, PageKind};
use serde::{Deserialize, Serialize};
use url::Url;

/// Row of one page in the report on its site.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PageRow {
    /// Address of the page.
    pub url: Url,
    /// Purpose of the page.
    pub kind: PageKind,
    /// Template that the page is made from.
    pub template: String,
    /// Expectation of the page.
    pub expected: Expect,
    /// Content of the page.
    pub seen: PageContent,
    /// Reason why it is not right, where that is known.
    pub root: Option<Code>,
    /// A browser went there.
    pub visited: bool,
}

impl PageRow {
    /// Returns whether it is as it should be.
    pub fn is_right(&self) -> bool {
        self.seen.is_wanted(self.expected) && self.root.is_none()
    }
}

/// Number of pages that are as they should be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Coverage {
    /// Pages that were looked at.
    pub expected: usize,
    /// Number of those that are as they should be.
    pub right: usize,
    /// Number of those of which it is not known.
    pub unknown: usize,
}

/// The verdict on a site's pages and chains, without consent, texts and looks.
#[derive(Debug, Clone)]
pub struct ChainReport {
    /// The diagnosis of the page that decides the verdict.
    pub diagnosis: Diagnosis,
    /// All pages that were looked at.
    pub pages: Vec<PageRow>,
    /// The number of pages that are right.
    pub coverage: Coverage,
}

/// The object that `newtfern check --site --json` prints.
#[derive(Debug, Clone, Serialize)]
pub struct SiteDiagnosis {
    /// The page that the verdict is about, in the form of a check of one page.
    #[serde(flatten)]
    pub diagnosis: Diagnosis,
    /// All pages that were looked at.
    pub pages: Vec<PageRow>,
    /// Number of pages that are right.
    pub coverage: Coverage,
    /// Consent states against signals; nothing of a site that should have no widget.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub consent: Option<ConsentReport>,
    /// Each text that was compared.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub texts: Vec<ComparedValue>,
    /// Each value of the design that was compared.
    #[serde(rename = "design", skip_serializing_if = "Vec::is_empty")]
    pub looks: Vec<ComparedValue>,
}

/// Content of a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PageContent {
    /// The widget, or its snippet where it can run.
    Present,
    /// The page has nothing of the widget.
    Absent,
    /// The page has its snippet in a state that does not run.
    Damaged,
    /// It is not known what the page has.
    Unknown,
}

impl PageContent {
    /// Returns whether it is what should be.
    pub(super) fn is_wanted(self, expected: Expect) -> bool {
        match expected {
            Expect::Present => self == PageContent::Present,
            Expect::Absent => self == PageContent::Absent,
        }
    }
}
