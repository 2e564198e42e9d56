//! What the drawing and the section of Hand over are made from.

use serde::{Deserialize, Serialize};

/// Data of the section.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Detail {
    /// Blob key of the PDF.
    pub pdf: Option<String>,
    /// Number of the latest sheet.
    pub sheet: Option<i64>,
}
