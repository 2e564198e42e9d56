//! Texts of a widget in one language that a file can ask for.

use crate::address;
use serde::{Deserialize, Serialize};

/// Texts of a widget in one language; only those given are compared.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct TextSet {
    /// Above the talk.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Below the title.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub subtitle: Option<String>,
    /// The first words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub greeting: Option<String>,
    /// Before a talk begins.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub notice: Option<String>,
    /// Where its link leads.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub notice_link: Option<String>,
    /// Beside the launcher.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub prompt: Option<String>,
    /// Seconds after the launcher was seen.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub prompt_after_s: Option<f64>,
    /// While nobody is there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub away: Option<String>,
}

impl TextSet {
    pub(super) fn sound(&self) -> Result<(), (&'static str, String)> {
        let link = self.notice_link.as_deref().unwrap_or("/");
        if !link.starts_with('/') && address::parse(link).is_err() {
            return Err((
                "notice_link",
                "it must be an address, or a path that begins with /".into(),
            ));
        }
        if self
            .prompt_after_s
            .is_some_and(|s| !(0.0..=3_600.0).contains(&s))
        {
            return Err((
                "prompt_after_s",
                "it must be a number of seconds from 0 to 3600".into(),
            ));
        }
        Ok(())
    }
}
