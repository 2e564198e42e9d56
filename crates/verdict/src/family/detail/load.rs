//! What the drawing and the section of Load are made from.

use crate::chain::{ChainLink, LinkState, Outcome, Verdict};
use newtfern_standards::observation::{ConsentAct, Viewport};
use serde::{Deserialize, Serialize};

/// One visit, as the section shows it.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Shot {
    /// Screen of the visit.
    pub viewport: Viewport,
    /// Decision of the visitor before the picture.
    pub consent: ConsentAct,
    /// Blob keys of the page and of the opened panel.
    pub picture: Option<String>,
    /// Blob of the open panel's picture.
    pub panel: Option<String>,
    /// Time at which the sign of life came, ms since the navigation began.
    pub up_ms: Option<f64>,
    /// Requests that the page made.
    pub requests: usize,
    /// Duration of the visit, ms.
    pub took_ms: f64,
}

/// Data of the drawing and the section.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// The verdict; its findings are kept by themselves.
    #[serde(flatten)]
    pub verdict: Verdict,
    /// Pictures, one for each visit.
    pub shots: Vec<Shot>,
}

impl Detail {
    /// Every link was looked at and is as it should be: undecided is no proof, and neither is what
    /// nobody looked at.
    pub fn is_proven(&self) -> bool {
        let decided =
            |l: &ChainLink| matches!(l.state, LinkState::Holds | LinkState::NotApplicable);
        match self.verdict.outcome() {
            Outcome::Working => self.verdict.chain().iter().all(decided),
            // Absent, where it should be: the links behind are not reached.
            Outcome::AsIntended => self
                .verdict
                .chain()
                .iter()
                .all(|l| l.state != LinkState::Undecided),
            Outcome::Broken | Outcome::Unchecked => false,
        }
    }
}
