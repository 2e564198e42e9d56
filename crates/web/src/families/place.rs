//! Placing: the slot, and who pushed last.

use super::{Cell, Known};
use crate::view::moment;
use askama::Template;
use newtfern_acts::store::sites::Site;

pub fn cell(site: &Site) -> Cell {
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

pub fn section(known: &Known) -> askama::Result<String> {
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
