//! What a survey compares a site with.

use serde::{Deserialize, Serialize};

/// Something of which a profile is there.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct RecognisedProfile {
    /// Short name of the profile.
    pub id: String,
    /// Name of the recognised thing, for people.
    pub name: String,
    /// Evidence in words.
    pub evidence: Vec<String>,
}

/// A published set of a tag manager.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct TagSet {
    /// Short name of the tag manager's profile.
    pub platform: String,
    /// Name for people.
    pub name: String,
    /// Identifier of the tag set.
    pub set: String,
    /// Pages that load it.
    pub pages: usize,
    /// Evidence in words.
    pub evidence: String,
}
