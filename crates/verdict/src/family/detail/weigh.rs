//! What the drawing and the section of Weigh are made from.

use crate::weigh::WeighIn;
use serde::{Deserialize, Serialize};

/// Data of the drawing and the section.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// Result of the weigh-in.
    pub weigh: WeighIn,
}
