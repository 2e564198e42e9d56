//! The echo test: its times, the page that the console named, and the widget with the answer.

use super::Cell;
use askama::Template;
use newtfern_core::echo::Seen;

fn seconds(ms: f64) -> String {
    format!("{:.2} s", ms / 1000.0)
}

pub fn cell(seen: &Seen) -> Cell {
    let note = match (seen.at_console_ms, seen.answer_seen_ms) {
        (Some(a), Some(b)) => format!("there {} \u{b7} answered {}", seconds(a), seconds(b)),
        _ => seen.stopped.clone(),
    };
    Cell {
        note,
        ..Cell::default()
    }
}

#[derive(Template)]
#[template(path = "family/echo.html")]
struct Section<'a> {
    seen: &'a Seen,
    times: Vec<(&'static str, String)>,
}

pub fn section(seen: &Seen) -> askama::Result<String> {
    let times = [
        ("Seen at the console", seen.at_console_ms),
        ("Answered there", seen.answered_ms),
        ("Answer seen in the widget", seen.answer_seen_ms),
    ];
    let known = times
        .into_iter()
        .filter_map(|(n, t)| Some((n, seconds(t?))));
    Section {
        seen,
        times: known.collect(),
    }
    .render()
}
