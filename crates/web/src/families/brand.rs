//! Looks: what was seen beside what was designed, on each screen.

use super::Cell;
use super::view::{View, drawn};
use crate::draw::place;
use crate::draw::swatch::{Swatch, swatch};
use askama::Template;
use newtfern_model::finding::NotChecked;
use newtfern_standards::colour::{Needs, difference_in_words};
use newtfern_verdict::brand::{ColourPair, VisitComparison};
use newtfern_verdict::family;
use newtfern_verdict::family::detail::brand::Detail;
use newtfern_verdict::report::ComparedValue;

/// View of the family in lists and on the bench.
pub const VIEW: View = View {
    legend: || {
        "launcher, then its colour on the page and in the design, with their difference (CIEDE2000)"
            .into()
    },
    cell: |data| match data.detail {
        Some(family::Detail::Brand(d)) => cell(d),
        _ => Cell::default(),
    },
    body: |_, drawing| {
        drawn(drawing, |detail| match detail {
            family::Detail::Brand(d) => section(d),
            _ => Ok(String::new()),
        })
    },
    ..View::PLAIN
};

fn pair(p: &ColourPair) -> [Swatch; 2] {
    [
        swatch(&p.seen.hex(), "seen"),
        swatch(&p.expected.hex(), "designed"),
    ]
}

fn cell(d: &Detail) -> Cell {
    let Some(c) = d.looks.first().map(|l| &l.compared) else {
        return Cell::default();
    };
    let mut cell = Cell {
        crop: c.crop.clone(),
        ..Cell::default()
    };
    if let Some(p) = &c.launcher {
        cell.swatches = pair(p).into();
        let corner = c.corner.replace('-', " ");
        cell.note = format!("{:.1} apart \u{b7} {corner}", p.difference);
    }
    cell
}

struct Colours {
    name: &'static str,
    seen: Swatch,
    designed: Swatch,
    apart: String,
}

struct Screen {
    name: &'static str,
    crop: Option<String>,
    panel: Option<String>,
    place: Option<String>,
    colours: Vec<Colours>,
    figures: Vec<(&'static str, String, String)>,
}

#[derive(Template)]
#[template(path = "family/brand.html")]
struct Section<'a> {
    screens: Vec<Screen>,
    values: &'a [ComparedValue],
    gaps: &'a [NotChecked],
}

impl Section<'_> {
    fn label(&self, value: &ComparedValue) -> String {
        let name = value.words();
        match &value.language {
            Some(language) => format!("{name}, {language}"),
            None => name,
        }
    }
}

fn colours(c: &VisitComparison) -> Vec<Colours> {
    let pairs = [("Launcher", &c.launcher), ("Header", &c.header)];
    let line = |(name, p): (&'static str, &Option<ColourPair>)| {
        let p = p.as_ref()?;
        let [seen, designed] = pair(p);
        Some(Colours {
            name,
            seen,
            designed,
            apart: format!("{:.1}, {}", p.difference, difference_in_words(p.difference)),
        })
    };
    pairs.into_iter().filter_map(line).collect()
}

fn figures(c: &VisitComparison) -> Vec<(&'static str, String, String)> {
    let contrast = |v: Option<f64>| {
        let said = v.map(|v| format!("{v:.1} to 1"));
        said.unwrap_or_else(|| "unknown".into())
    };
    let spaced = |corner: &str| corner.replace('-', " ");
    let to_brand = c.to_brand.map(|d| format!("{d:.1} (CIEDE2000)"));
    vec![
        ("Corner", spaced(&c.corner), spaced(&c.expected_corner)),
        (
            "Offsets, px",
            format!("{:.0}, {:.0}", c.offset_x, c.offset_y),
            format!("{:.0}, {:.0}", c.expected_x, c.expected_y),
        ),
        (
            "Icon on the launcher",
            contrast(c.text_on_launcher),
            format!("{} or more", Needs::Control.least()),
        ),
        (
            "Launcher against the page",
            contrast(c.on_page),
            format!("{} or more", Needs::Control.least()),
        ),
        (
            "Difference from the brand colour",
            to_brand.unwrap_or_else(|| "no brand colour".into()),
            String::new(),
        ),
    ]
}

fn section(d: &Detail) -> askama::Result<String> {
    let screen = |l: &newtfern_verdict::family::detail::brand::Looks| Screen {
        name: l.viewport.word(),
        crop: l.compared.crop.clone(),
        panel: l.panel.clone(),
        place: l.place.as_ref().map(place::svg),
        colours: colours(&l.compared),
        figures: figures(&l.compared),
    };
    Section {
        screens: d.looks.iter().map(screen).collect(),
        values: &d.values,
        gaps: &d.gaps,
    }
    .render()
}
