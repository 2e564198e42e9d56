//! How a family shows itself in lists and on the bench.

use super::cell::{Cell, SectionData};
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::store::results::checks::Drawing;
use newtfern_model::design::Design;
use newtfern_standards::colour::Rgb;
use newtfern_verdict::family::Detail;

/// Words for what an older version kept in a shape that is not read any more.
pub const OLDER: &str = "saved by an older version: check again to see the drawing";

/// Everything that a cell may show of a site.
pub struct CellData<'a> {
    pub site: &'a Site,
    /// Data of the family's drawing, where it was checked.
    pub detail: Option<&'a Detail>,
    /// Design of the site and its brand colour, where the list asked for them.
    pub design: Option<(&'a Design, Option<Rgb>)>,
}

/// A place where a person acts on a family.
pub struct PlaceToAct {
    /// Link for the number of a site.
    pub link: fn(i64) -> String,
    /// Words on the link.
    pub words: &'static str,
    /// Whether it is offered beside the button of the family's job too.
    pub beside_job: bool,
}

/// One family's part of the interface: its module fills one of these.
pub struct View {
    /// How to read the drawing in a list; empty where the list's marks say all.
    pub legend: fn() -> String,
    /// Cell in a list.
    pub cell: fn(&CellData) -> Cell,
    /// Drawing above the findings of its section.
    pub head: fn(&Detail) -> askama::Result<String>,
    /// Markup below the findings of its section.
    pub body: fn(&SectionData, Option<&Drawing>) -> askama::Result<String>,
    /// Where a person acts on the family themselves.
    pub place: Option<PlaceToAct>,
}

impl View {
    /// A family that shows nothing of its own.
    pub const PLAIN: View = View {
        legend: String::new,
        cell: |_| Cell::default(),
        head: |_| Ok(String::new()),
        body: |_, _| Ok(String::new()),
        place: None,
    };
}

/// Renders a section from the data of its drawing, or says why there is none.
pub fn drawn(
    drawing: Option<&Drawing>,
    render: impl FnOnce(&Detail) -> askama::Result<String>,
) -> askama::Result<String> {
    match drawing {
        None => Ok(String::new()),
        Some(Drawing::Older) => Ok(format!("<p class=\"small\">What was found is {OLDER}.</p>")),
        Some(Drawing::Known(detail)) => render(detail),
    }
}
