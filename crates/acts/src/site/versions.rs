//! Which state a form was made from. Of two people who have the same form open, the second to save
//! would else overwrite what the first saved, without either of them seeing it.

use crate::{ActError, Result};
use serde::Serialize;
use sha2::{Digest, Sha256};

/// Tells one state from another; a form carries it.
pub fn version_of(state: &impl Serialize) -> String {
    let text = serde_json::to_vec(state).unwrap_or_default();
    let hash = Sha256::digest(text);
    hash.iter().take(12).map(|b| format!("{b:02x}")).collect()
}

/// Refuses what was made from another state than the one that is kept now. Programs name none.
pub(crate) fn same(made_from: Option<&str>, now: &impl Serialize) -> Result<()> {
    match made_from {
        Some(version) if version != version_of(now) => Err(ActError::Outdated),
        _ => Ok(()),
    }
}
