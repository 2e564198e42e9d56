//! One visit drawn over time.

use super::drawn;
use askama::Template;
use newtfern_verdict::timeline::{Lane, Timeline};

/// px for the names of the lanes.
const LEFT: f64 = 74.0;
/// px for the time.
const WIDTH: f64 = 560.0;
const ROW: f64 = 22.0;

struct Drawn {
    x: f64,
    y: f64,
    width: f64,
    early: bool,
    words: String,
}

#[derive(Template)]
#[template(path = "draw/timeline.html")]
struct Picture<'a> {
    words: &'a str,
    height: f64,
    lanes: Vec<(f64, &'static str)>,
    marks: Vec<Drawn>,
    ticks: Vec<(f64, String)>,
    decided: Option<f64>,
}

/// Draws it; all timelines of a page share one scale, up to `until_ms`.
pub fn svg(timeline: &Timeline, until_ms: f64, words: &str) -> String {
    let until = until_ms.max(1.0);
    let at = |ms: f64| LEFT + ms / until * WIDTH;
    let row = |lane: Lane| 6.0 + lane as usize as f64 * ROW;
    let mark = |m: &newtfern_verdict::timeline::Mark| Drawn {
        x: at(m.from_ms),
        y: row(m.lane),
        width: (at(m.to_ms) - at(m.from_ms)).max(3.0),
        early: m.early,
        words: m.words.clone(),
    };
    let step = [500.0, 1_000.0, 2_000.0, 5_000.0, 10_000.0];
    let step = step
        .into_iter()
        .find(|s| until / s <= 8.0)
        .unwrap_or(20_000.0);
    let count = (until / step) as usize;
    let tick = |i: usize| {
        let ms = i as f64 * step;
        (at(ms), format!("{} s", ms / 1_000.0))
    };
    drawn(&Picture {
        words,
        height: 10.0 + Lane::ALL.len() as f64 * ROW,
        lanes: Lane::ALL
            .iter()
            .map(|l| (row(*l) + 12.0, l.words()))
            .collect(),
        marks: timeline.marks.iter().map(mark).collect(),
        ticks: (0..=count).map(tick).collect(),
        decided: timeline.decided_ms.map(at),
    })
}
