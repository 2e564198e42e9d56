//! One step of a person at a desk.

use serde::{Deserialize, Serialize};

/// One step of a person.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// Instruction; `{{code}}` marks the step that shows the code to copy.
    #[serde(rename = "do")]
    pub act: String,
    /// Sign that the step is done.
    pub check: String,
}
