//! Placing: the slot, and who pushed last.

use super::view::{PlaceToAct, View};
use super::{Cell, SectionData};
use crate::view::moment;
use askama::Template;
use newtfern_acts::store::estate::sites::Site;

/// View of the family in lists and on the bench.
pub const VIEW: View = View {
    cell: |data| cell(data.site),
    body: |known, _| section(known),
    place: Some(PlaceToAct {
        link: |site| format!("/sites/{site}/place"),
        words: "Open Place",
        beside_job: true,
    }),
    ..View::PLAIN
};

fn cell(site: &Site) -> Cell {
    Cell {
        note: site.slot_id.replace('-', " "),
        ..Cell::default()
    }
}

#[derive(Template)]
#[template(path = "family/place.html")]
struct Section {
    site: i64,
    who: String,
    when: String,
    put_back: bool,
}

fn section(known: &SectionData) -> askama::Result<String> {
    let Some(last) = known.placements.first() else {
        return Ok(String::new());
    };
    Section {
        site: known.site.id,
        who: last.who.clone(),
        when: moment(last.at),
        put_back: last.put_back_at.is_some(),
    }
    .render()
}
