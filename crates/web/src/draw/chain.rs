//! The chain of eight links: rings that hold, a broken one, a question where it is undecided, and
//! dots for what was not reached.

use super::drawn;
use askama::Template;
use newtfern_verdict::chain::{ChainLink, LinkState};

struct Ring {
    x: f64,
    state: LinkState,
    name: &'static str,
    /// Class of the tie from the ring before.
    tie: Option<&'static str>,
    tie_from: f64,
    tie_to: f64,
    dash_from: f64,
    broken: String,
}

#[derive(Template)]
#[template(path = "draw/chain.html")]
struct Picture {
    words: String,
    width: f64,
    height: f64,
    y: f64,
    w: f64,
    h: f64,
    dot: f64,
    dash: f64,
    query_y: f64,
    large: bool,
    links: Vec<Ring>,
}

/// Draws a chain; `large` adds the links' names.
pub fn svg(chain: &[ChainLink], large: bool) -> String {
    let said = |l: &ChainLink| format!("{} {}", l.link.word(), l.state.word());
    let words: Vec<String> = chain.iter().map(said).collect();
    let (step, height, y, k) = match large {
        true => (92.0, 58.0, 20.0, 1.7),
        false => (21.0, 24.0, 12.0, 1.0),
    };
    let (w, h) = (7.0 * k, 4.6 * k);
    let ring = |(i, link): (usize, &ChainLink)| {
        let x = step * (i as f64 + 0.5);
        let whole = matches!(link.state, LinkState::Holds | LinkState::Broken);
        let tie = if whole { "tie" } else { "tie faint" };
        Ring {
            x,
            state: link.state,
            name: link.link.word(),
            tie: (i > 0).then_some(tie),
            tie_from: x - step + w,
            tie_to: x - w,
            dash_from: x - 4.0 * k,
            broken: broken(x, y, w, h, k),
        }
    };
    drawn(&Picture {
        words: words.join(", "),
        width: step * 8.0,
        height,
        y,
        w,
        h,
        dot: 1.8 * k,
        dash: 8.0 * k,
        query_y: y + 3.5 * k,
        large,
        links: chain.iter().enumerate().map(ring).collect(),
    })
}

/// Two halves of a ring with a gash between them.
fn broken(x: f64, y: f64, w: f64, h: f64, k: f64) -> String {
    format!(
        "M{} {y}a{w} {h} 0 0 1 {} -{h}M{} {}l-{} {}M{} {y}a{w} {h} 0 0 1 -{} {h}",
        x - w,
        w - 1.5 * k,
        x + 2.0 * k,
        y - h - 1.5 * k,
        4.0 * k,
        2.0 * h + 3.0 * k,
        x + w,
        w - 1.5 * k
    )
}
