//! The consent grid: states down, signals across. A hollow dot is silence, a square a signal that may
//! be, a triangle one that may not.

use super::drawn;
use askama::Template;
use newtfern_core::consent::{Cell, Grid, Signal};
use newtfern_core::observation::ConsentAct;

enum Shape {
    Allowed,
    Wrong,
    Silent,
    NotVisited,
}

struct Head {
    x: i32,
    word: &'static str,
}

struct Drawn {
    x: i32,
    shape: Shape,
}

struct Row {
    y: i32,
    text_y: i32,
    word: &'static str,
    cells: Vec<Drawn>,
}

#[derive(Template)]
#[template(path = "draw/grid.html")]
struct Picture {
    words: String,
    height: usize,
    heads: Vec<Head>,
    rows: Vec<Row>,
}

const STATES: [ConsentAct; 5] = [
    ConsentAct::Untouched,
    ConsentAct::Refused,
    ConsentAct::Granted,
    ConsentAct::Withdrawn,
    ConsentAct::Gpc,
];

fn x_of(i: usize) -> i32 {
    98 + 54 * i as i32
}

fn shape(cell: Option<&Cell>) -> Shape {
    match cell {
        None => Shape::NotVisited,
        Some(c) if c.count == 0 => Shape::Silent,
        Some(c) if c.wrong() > 0 => Shape::Wrong,
        Some(_) => Shape::Allowed,
    }
}

/// Draws a grid.
pub fn svg(grid: &Grid) -> String {
    let visited = |s: &ConsentAct| grid.cells.iter().any(|c| c.state == *s);
    let states: Vec<ConsentAct> = STATES.into_iter().filter(visited).collect();
    let said = |c: &Cell| {
        let wrong = if c.wrong() > 0 { ", not allowed" } else { "" };
        format!(
            "{} {}: {}{wrong}",
            c.state.word(),
            c.signal.words(),
            c.count
        )
    };
    let words: Vec<String> = grid.cells.iter().map(said).collect();
    let signals = || Signal::ALL.into_iter().enumerate();
    let row = |(i, state): (usize, &ConsentAct)| {
        let y = 25 + 17 * i as i32;
        let cell = |signal| {
            let mut cells = grid.cells.iter();
            cells.find(|c| c.state == *state && c.signal == signal)
        };
        Row {
            y,
            text_y: y + 4,
            word: state.word(),
            cells: signals()
                .map(|(i, signal)| Drawn {
                    x: x_of(i),
                    shape: shape(cell(signal)),
                })
                .collect(),
        }
    };
    drawn(&Picture {
        words: words.join("; "),
        height: 16 + 17 * states.len(),
        heads: signals()
            .map(|(i, s)| Head {
                x: x_of(i),
                word: s.words(),
            })
            .collect(),
        rows: states.iter().enumerate().map(row).collect(),
    })
}
