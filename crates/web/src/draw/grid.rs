//! The consent grid: signals down, states across, each state in a column of its own, so that the
//! grids of many sites stand on one scale. A hollow dot is silence, a square a signal that may be,
//! a triangle one that may not.

use super::drawn;
use askama::Template;
use newtfern_model::region::Signal;
use newtfern_standards::observation::ConsentAct;
use newtfern_verdict::consent::{Cell, Grid};

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

fn x_of(i: usize) -> i32 {
    88 + 58 * i as i32
}

/// States as the head of a column names them.
fn short(state: ConsentAct) -> &'static str {
    match state {
        ConsentAct::Gpc => "GPC",
        ConsentAct::Untouched => "no choice",
        other => other.word(),
    }
}

fn shape(cell: Option<&Cell>) -> Shape {
    match cell {
        None => Shape::NotVisited,
        Some(c) if c.count == 0 => Shape::Silent,
        Some(c) if c.wrong() > 0 => Shape::Wrong,
        Some(_) => Shape::Allowed,
    }
}

/// Draws the grid of consent states and signals.
pub fn svg(grid: &Grid) -> String {
    let visited = |s: &ConsentAct| grid.cells.iter().any(|c| c.state == *s);
    let states = || {
        let all = ConsentAct::ALL.into_iter().enumerate();
        all.filter(|(_, s)| visited(s))
    };
    let said = |c: &Cell| {
        let wrong = if c.wrong() > 0 { ", not allowed" } else { "" };
        format!(
            "{} {}: {}{wrong}",
            c.state.words(),
            c.signal.words(),
            c.count
        )
    };
    let words: Vec<String> = grid.cells.iter().map(said).collect();
    let row = |(i, signal): (usize, Signal)| {
        let y = 25 + 17 * i as i32;
        let cell = |state| {
            let mut cells = grid.cells.iter();
            cells.find(|c| c.state == state && c.signal == signal)
        };
        Row {
            y,
            text_y: y + 4,
            word: signal.words(),
            cells: states()
                .map(|(i, state)| Drawn {
                    x: x_of(i),
                    shape: shape(cell(state)),
                })
                .collect(),
        }
    };
    drawn(&Picture {
        words: words.join("; "),
        height: 16 + 17 * Signal::ALL.len(),
        heads: states()
            .map(|(i, s)| Head {
                x: x_of(i),
                word: short(s),
            })
            .collect(),
        rows: Signal::ALL.into_iter().enumerate().map(row).collect(),
    })
}
