//! Stored names, read as what they stand for.

use crate::Result;
use crate::error::corrupt;
use newtfern_verdict::family::{Family, Standing};

/// Reads a family as it is stored.
pub(crate) fn family_of(key: &str) -> Result<Family> {
    Family::try_from(key.to_string()).map_err(|e| corrupt("family", e))
}

/// Reads a standing as it is stored.
pub(crate) fn standing_of(key: &str) -> Result<Standing> {
    Standing::try_from(key.to_string()).map_err(|e| corrupt("standing", e))
}
