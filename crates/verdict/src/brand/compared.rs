//! A picture of the launcher beside the design: what is compared, and how near is near enough.

use newtfern_model::design::{Design, Field, OTHER_SIDE};
use newtfern_standards::colour::Rgb;
use newtfern_standards::observation::Viewport;
use serde::{Deserialize, Serialize};

/// The figures of one visit beside what they should be.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct VisitComparison {
    /// Background of the launcher, seen and designed.
    pub launcher: Option<ColourPair>,
    /// Colour of what stands on the launcher, as the browser computed it; none where a frame hides
    /// it.
    #[serde(default)]
    pub icon: Option<ColourPair>,
    /// Background of the panel's header, seen and designed.
    pub header: Option<ColourPair>,
    /// CIEDE2000 of the launcher to the brand's primary colour.
    pub to_brand: Option<f64>,
    /// The launcher against the page around it.
    pub on_page: Option<f64>,
    /// Contrast of the icon on the launcher (WCAG 2.2), 1 to 21.
    pub text_on_launcher: Option<f64>,
    /// The corner that the launcher is in.
    pub corner: String,
    /// The corner that it should be in.
    pub expected_corner: String,
    /// px from the nearer edge, across.
    pub offset_x: f64,
    /// px from the nearer edge, up or down.
    pub offset_y: f64,
    /// px across, as designed.
    pub expected_x: f64,
    /// px up or down, as designed.
    pub expected_y: f64,
    /// Blob of the launcher's picture.
    pub crop: Option<String>,
}

/// A colour as seen and as designed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct ColourPair {
    /// Colour that was seen.
    pub seen: Rgb,
    /// Colour that was designed.
    pub expected: Rgb,
    /// CIEDE2000 between the two.
    pub difference: f64,
}

impl ColourPair {
    pub(super) fn of(seen: Option<Rgb>, expected: Rgb) -> Option<ColourPair> {
        seen.map(|seen| ColourPair {
            seen,
            expected,
            difference: seen.difference(expected),
        })
    }
}

/// A difference from here on is a fault: visibly another shade side by side (common practice).
pub const COLOUR_TOLERANCE: f64 = 3.0;

/// Offsets within this many px are the same.
pub const OFFSET_TOLERANCE: f64 = 4.0;

/// The designed corner; on phones the other side where the design says so.
pub(super) fn corner_on(viewport: Viewport, design: &Design) -> String {
    let corner = design.get(Field::Corner);
    let turned = viewport == Viewport::Phone && design.get(Field::OnPhones) == OTHER_SIDE;
    match corner.rsplit_once('-') {
        Some((edge, "right")) if turned => format!("{edge}-left"),
        Some((edge, "left")) if turned => format!("{edge}-right"),
        _ => corner.to_string(),
    }
}
