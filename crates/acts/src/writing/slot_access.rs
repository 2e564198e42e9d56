//! What the pages need of the outside. The binary gives the real thing; tests may give another.

use async_trait::async_trait;
use newtfern_model::pages::PageCopy;
use newtfern_model::pages::beside::PageRuleReport;
use newtfern_model::platform::Platform;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{FixedElement, Observation};
use url::Url;

/// The result of looking at an address.
#[derive(Debug, Clone, Default)]
pub struct AddressReport {
    pub url: String,
    pub final_url: String,
    pub title: String,
    pub platform: Option<String>,
    pub problem: Option<String>,
    pub remarks: Vec<String>,
}

/// Content of a slot, with the version to give back when writing.
#[derive(Debug, Clone)]
pub struct SlotText {
    pub text: String,
    pub version: Option<u64>,
    /// Whether visitors get this content; none where the platform does not say.
    pub published: Option<bool>,
    /// Page rules of the extension that the slot belongs to.
    pub rules: PageRuleReport,
}

#[derive(Debug, Clone, thiserror::Error)]
pub enum SlotError {
    #[error("the platform's interface cannot be reached: {0}")]
    Unreachable(String),
    #[error("the platform refuses the token: enter this site's platform token again")]
    Token,
    #[error("someone else changed the slot in the meantime: load the page again")]
    Conflict,
    #[error("the platform answered with status {0}")]
    Status(u16),
}

/// Visit of a page for a supplier of which not everything is known.
#[derive(Debug, Clone, Default)]
pub struct ProposingVisit {
    pub seen: Observation,
    /// What came, or grew, when the launcher was pressed.
    pub opened: Vec<FixedElement>,
    /// The page as a PNG.
    pub picture: Option<Vec<u8>>,
}

#[async_trait]
pub trait Outside: Send + Sync {
    async fn look(&self, typed: &str, platforms: &[Platform]) -> AddressReport;
    /// Fetches one page by HTTP; a failure is part of the copy.
    async fn page(&self, address: &Url) -> PageCopy;
    /// The bytes of a picture; why there are none, in words to follow "because".
    async fn picture(&self, address: &Url) -> Result<Vec<u8>, String>;
    /// Makes one visit in a browser, and presses what is, or may be, the launcher.
    async fn visit(&self, address: &Url, supplier: &Supplier) -> Result<ProposingVisit, String>;
    async fn read_slot(&self, address: &Url, token: &str) -> Result<SlotText, SlotError>;
    async fn write_slot(
        &self,
        address: &Url,
        token: &str,
        text: &SlotText,
    ) -> Result<(), SlotError>;
    /// A call of an interface that speaks JSON.
    async fn call(
        &self,
        method: &str,
        address: &Url,
        token: &str,
        body: Option<&serde_json::Value>,
    ) -> Result<serde_json::Value, SlotError>;
    /// Makes what the slots hold what visitors get.
    async fn publish(&self, address: &Url, token: &str) -> Result<(), SlotError>;
}
