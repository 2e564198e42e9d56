//! The design: values with where they come from.

use super::Cell;
use super::view::{PlaceToAct, View};
use crate::draw::swatch::{Swatch, swatch};
use askama::Template;
use newtfern_model::design::{Design, Field, Value, contrast, to_brand};
use newtfern_standards::colour::Rgb;

/// View of the family in lists and on the bench.
pub const VIEW: View = View {
    cell: |data| match data.design {
        Some((design, brand)) => cell(design, brand),
        None => Cell::default(),
    },
    body: |known, _| section(known.design),
    place: Some(PlaceToAct {
        link: |site| format!("/sites/{site}/settings"),
        words: "Open settings",
        beside_job: true,
    }),
    ..View::PLAIN
};

fn cell(design: &Design, brand: Option<Rgb>) -> Cell {
    let to_brand = to_brand(design, brand).map(|d| format!(" \u{b7} {d:.1} from the brand"));
    let shown = [Field::ButtonColour, Field::IconColour, Field::HeaderColour];
    Cell {
        swatches: shown.map(|f| swatch(design.get(f), f.label())).into(),
        note: format!(
            "{} \u{b7} text contrast {:.1}{}",
            design.get(Field::Corner).replace('-', " "),
            contrast(design, Field::IconColour, Field::ButtonColour),
            to_brand.unwrap_or_default()
        ),
        ..Cell::default()
    }
}

struct Line {
    label: &'static str,
    value: String,
    from: &'static str,
    swatch: Option<Swatch>,
}

#[derive(Template)]
#[template(path = "family/design.html")]
struct Section {
    lines: Vec<Line>,
}

fn section(design: &Design) -> askama::Result<String> {
    let line = |v: &Value| Line {
        label: v.field.label(),
        value: v.value.clone(),
        from: v.from.words(),
        swatch: v.field.is_colour().then(|| swatch(&v.value, "")),
    };
    Section {
        lines: design.values.iter().map(line).collect(),
    }
    .render()
}
