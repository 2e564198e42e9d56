//! The picture of a page with the launcher's box, what else stays in place, and the px to the
//! edges.

use super::drawn;
use askama::Template;
use newtfern_verdict::family::detail::brand::Place;

/// A line from here to there, where its number stands, and the number.
type Line = (f64, f64, f64, f64, f64, f64, String);

#[derive(Template)]
#[template(path = "family/place.svg.html")]
struct Picture<'a> {
    place: &'a Place,
    words: String,
    measures: Vec<Line>,
}

/// Draws the launcher's place on its screen.
pub fn svg(place: &Place) -> String {
    let (w, h) = place.view;
    let l = &place.launcher;
    let (cx, cy) = (l.x + l.width / 2.0, l.y + l.height / 2.0);
    let right = cx > w / 2.0;
    let bottom = cy > h / 2.0;
    let (edge_x, side) = if right {
        (w, l.x + l.width)
    } else {
        (0.0, l.x)
    };
    let (edge_y, end) = if bottom {
        (h, l.y + l.height)
    } else {
        (0.0, l.y)
    };
    let (off_x, off_y) = ((edge_x - side).abs(), (edge_y - end).abs());
    let label_x = if right {
        l.x - 104.0
    } else {
        l.x + l.width + 8.0
    };
    let measures = vec![
        (side, cy, edge_x, cy, label_x, cy, format!("{off_x:.0} px")),
        (
            cx,
            end,
            cx,
            edge_y,
            label_x,
            cy + 40.0,
            format!("{off_y:.0} px"),
        ),
    ];
    let shared = place.others.iter().filter(|(_, share)| *share > 0.0);
    let told: Vec<String> = shared
        .map(|(f, share)| format!("{} covers {:.0} % of it", f.element, share * 100.0))
        .collect();
    let words = format!(
        "The launcher is {:.0} by {:.0} px, {off_x:.0} px from the side and {off_y:.0} px from \
        the {}{}{}",
        l.width,
        l.height,
        if bottom { "bottom" } else { "top" },
        if told.is_empty() { "" } else { "; " },
        told.join(", ")
    );
    drawn(&Picture {
        place,
        words,
        measures,
    })
}
