//! What the drawing and the section of Brand are made from.

use crate::brand::VisitComparison;
use crate::report::ComparedValue;
use newtfern_model::finding::NotChecked;
use newtfern_standards::observation::{FixedElement, Observation, Rect, Viewport};
use serde::{Deserialize, Serialize};

/// Comparison on one viewport.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Looks {
    /// Screen of the visit.
    pub viewport: Viewport,
    /// Values that were seen beside the designed ones.
    pub compared: VisitComparison,
    /// Blob key of the opened panel.
    pub panel: Option<String>,
    /// Place of the launcher; none in what was judged before it was stored.
    #[serde(default)]
    pub place: Option<Place>,
}

/// The page with the launcher, for drawing what was measured on its picture.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Place {
    /// Blob key of the page's picture.
    pub picture: String,
    /// Width and height that it shows, CSS px.
    pub view: (f64, f64),
    /// Box of the launcher.
    pub launcher: Rect,
    /// Other elements that stay in place, each with how much of the launcher it shares.
    pub others: Vec<(FixedElement, f64)>,
}

impl Place {
    pub(crate) fn of(seen: &Observation) -> Option<Place> {
        let launcher = seen.launcher.as_ref()?.rect;
        let view = seen.view();
        let shared = |f: &FixedElement| f.rect.overlap(&launcher) / launcher.area().max(1.0);
        Some(Place {
            picture: seen.picture.clone()?,
            view: (view.width, view.height),
            launcher,
            others: seen.fixed.iter().map(|f| (f.clone(), shared(f))).collect(),
        })
    }
}

/// Data of the drawing and the section.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// Comparisons, one for each screen.
    pub looks: Vec<Looks>,
    /// Texts, form and channels: wanted and seen.
    #[serde(default)]
    pub values: Vec<ComparedValue>,
    /// Values that could not be compared, and why.
    #[serde(default)]
    pub gaps: Vec<NotChecked>,
}
