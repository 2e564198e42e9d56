//! One cell of a lens, and what is known of the site beside it.

use crate::draw::swatch::Swatch;
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::store::handing::handovers::Handover;
use newtfern_acts::store::writing::placements::Placement;
use newtfern_model::design::Design;

/// The middle column of a lens.
#[derive(Default)]
pub struct Cell {
    pub drawing: String,
    /// Blob key of a small picture.
    pub crop: Option<String>,
    pub swatches: Vec<Swatch>,
    pub note: String,
}

/// Data that sections are made from.
pub struct SectionData<'a> {
    pub site: &'a Site,
    pub design: &'a Design,
    pub placements: &'a [Placement],
    pub handovers: &'a [Handover],
    pub csrf: &'a str,
    pub may_change: bool,
}
