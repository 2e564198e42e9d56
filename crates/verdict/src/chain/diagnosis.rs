//! What a check of one page says, with where it looked.

use super::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// The object that `newtfern check --json` prints.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Diagnosis {
    /// The address that was asked for.
    pub url: String,
    /// Address at which the visit ended.
    pub final_url: String,
    /// Verdict over the page.
    #[serde(flatten)]
    pub verdict: Verdict,
    /// Reason why there was no check at all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub error: Option<String>,
}

impl Diagnosis {
    /// A check that could not be begun or ended.
    pub fn failed(url: &str, error: &str) -> Diagnosis {
        Diagnosis {
            error: Some(error.to_string()),
            ..Diagnosis::unchecked(url, error)
        }
    }

    /// A page of which nothing was seen.
    pub fn unchecked(url: &str, why: &str) -> Diagnosis {
        Diagnosis {
            url: url.to_string(),
            final_url: url.to_string(),
            verdict: Verdict::unseen(why),
            error: None,
        }
    }
}
