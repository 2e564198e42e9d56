//! An interval against the budget line, on a scale that is the same for every row.

use super::drawn;
use askama::Template;

/// An interval with its middle, ms.
pub struct Bar {
    pub low: f64,
    pub mid: f64,
    pub high: f64,
}

/// The scale's ends, ms.
#[derive(Clone, Copy)]
pub struct Scale {
    pub from: f64,
    pub to: f64,
}

/// Scale of what a widget costs by itself.
pub const OWN: Scale = Scale {
    from: 0.0,
    to: 200.0,
};
/// Scale of what a page loses, or by chance seems to gain.
pub const PAGE: Scale = Scale {
    from: -100.0,
    to: 200.0,
};

const WIDTH: f64 = 260.0;

#[derive(Template)]
#[template(path = "draw/interval.html")]
struct Picture<'a> {
    words: &'a str,
    ticks: Vec<String>,
    floor: Option<(String, String)>,
    zero: Option<String>,
    class: &'static str,
    low: String,
    high: String,
    end: String,
    mid: String,
    beyond: bool,
    budget: Option<String>,
}

/// Draws a bar; what lies outside the scale is drawn at the edge with an arrow. `floor` is what
/// chance alone does.
pub fn svg(
    bar: &Bar,
    budget: Option<f64>,
    floor: Option<(f64, f64)>,
    scale: Scale,
    words: &str,
) -> String {
    let Scale { from, to } = scale;
    let x = |v: f64| 6.0 + (v.clamp(from, to) - from) / (to - from) * (WIDTH - 12.0);
    let at = |v: f64| format!("{:.1}", x(v));
    let class = match budget {
        Some(b) if bar.low > b => "bad",
        Some(b) if bar.high <= b => "ok",
        _ => "open",
    };
    let step = (to - from) / 4.0;
    drawn(&Picture {
        words,
        ticks: (0..=4).map(|i| at(from + step * f64::from(i))).collect(),
        floor: floor.map(|(a, b)| (at(a), format!("{:.1}", (x(b) - x(a)).max(1.0)))),
        zero: (from < 0.0 && to > 0.0).then(|| at(0.0)),
        class,
        low: at(bar.low),
        high: at(bar.high),
        end: format!("{:.1}", x(bar.high).max(x(bar.low) + 1.0)),
        mid: format!("{:.1}", x(bar.mid) - 2.5),
        beyond: bar.high > to,
        budget: budget.map(at),
    })
}
