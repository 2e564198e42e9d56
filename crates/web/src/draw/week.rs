//! A week of hours: a row a day, a bar where somebody is there, with now marked.

use super::drawn;
use askama::Template;
use newtfern_model::expectation::{Day, Hours};

/// Height of an hour, px.
const HOUR: f64 = 15.0;
const LEFT: f64 = 38.0;
const ROW: usize = 18;

struct Bar {
    x: f64,
    y: usize,
    width: f64,
}

#[derive(Template)]
#[template(path = "draw/week.html")]
struct Picture {
    words: String,
    names: Vec<(usize, &'static str)>,
    bars: Vec<Bar>,
    hours: Vec<(f64, usize)>,
    now: Option<(f64, usize)>,
}

fn bar(day: usize, from: u16, to: u16) -> Bar {
    let at = |minutes: u16| f64::from(minutes) / 60.0 * HOUR;
    Bar {
        x: LEFT + at(from),
        y: 4 + day % 7 * ROW,
        width: at(to) - at(from),
    }
}

/// Draws hours; a shift over midnight goes on on the next day's row. `now` is the day (Monday 0)
/// and the minute.
pub fn svg(hours: &[Hours], now: Option<(usize, u16)>) -> String {
    let mut bars = Vec::new();
    for (i, day) in Day::ALL.iter().enumerate() {
        for shift in hours.iter().filter(|h| h.days.contains(day)) {
            let (from, to) = (shift.from.minutes(), shift.to.minutes());
            if to > from {
                bars.push(bar(i, from, to));
            } else {
                bars.push(bar(i, from, 1_440));
                bars.push(bar(i + 1, 0, to));
            }
        }
    }
    if hours.is_empty() {
        bars = (0..7).map(|i| bar(i, 0, 1_440)).collect();
    }
    let told: Vec<String> = hours.iter().map(Hours::to_string).collect();
    let words = match told.is_empty() {
        true => "Always staffed".to_string(),
        false => format!("Staffed {}", told.join("; ")),
    };
    drawn(&Picture {
        words,
        names: Day::ALL
            .iter()
            .enumerate()
            .map(|(i, d)| (17 + i * ROW, d.word()))
            .collect(),
        bars,
        hours: (0..=24)
            .step_by(6)
            .map(|h| (LEFT + h as f64 * HOUR, h))
            .collect(),
        now: now.map(|(day, minute)| (LEFT + f64::from(minute) / 60.0 * HOUR, 2 + day * ROW)),
    })
}
