//! A site's pages as dots by kind: a full dot is right, a ring is missing, a diamond is there and
//! should not be, a cross is broken, a short line is not known.

use super::drawn;
use askama::Template;
use newtfern_model::pages::PageKind;
use newtfern_verdict::family::detail::pages::{Page, PageState};

/// Dots above each other.
const HIGH: usize = 3;
const STEP: usize = 9;
/// Space between two kinds of pages, px.
const GAP: usize = 7;
/// Dots of one kind that are drawn; more are told by number.
const MOST_DRAWN: usize = 45;

struct Dot {
    x: usize,
    y: usize,
    state: PageState,
}

struct Group {
    words: String,
    dots: Vec<Dot>,
}

#[derive(Template)]
#[template(path = "draw/dots.html")]
struct Picture {
    words: String,
    width: usize,
    height: usize,
    groups: Vec<Group>,
}

#[derive(Template)]
#[template(
    source = r##"<svg class="pagestates" viewBox="0 0 10 10" width="10" height="10"
  aria-hidden="true">{{ self.dot()|safe }}</svg>"##,
    ext = "html"
)]
struct Mark {
    state: PageState,
}

impl Mark {
    fn dot(&self) -> String {
        shape(self.state, 5, 5)
    }
}

/// Our own constant markup.
fn shape(state: PageState, x: usize, y: usize) -> String {
    let word = state.word();
    match state {
        PageState::Right => format!(r#"<circle class="{word}" cx="{x}" cy="{y}" r="3.4"/>"#),
        PageState::Missing => format!(r#"<circle class="{word}" cx="{x}" cy="{y}" r="2.9"/>"#),
        PageState::Unwanted => {
            format!(
                r#"<path class="{word}" d="M{x} {}l4.2 4.2l-4.2 4.2l-4.2-4.2z"/>"#,
                y as f64 - 4.2
            )
        }
        PageState::Broken => format!(
            r#"<path class="{word}" d="M{} {}l6 6m0-6l-6 6"/>"#,
            x - 3,
            y - 3
        ),
        PageState::Unknown => format!(r#"<path class="{word}" d="M{} {y}h6"/>"#, x - 3),
    }
}

impl Group {
    fn of(kind: PageKind, mut states: Vec<PageState>, left: usize) -> Group {
        states.sort_unstable();
        let counted = PageState::ALL.iter().filter_map(|s| {
            let n = states.iter().filter(|o| *o == s).count();
            (n > 0).then(|| format!("{n} {}", s.word()))
        });
        let counted: Vec<String> = counted.collect();
        let dot = |(i, state): (usize, &PageState)| Dot {
            x: left + (i / HIGH) * STEP + 5,
            y: (i % HIGH) * STEP + 5,
            state: *state,
        };
        Group {
            words: format!("{}: {}", kind.word(), counted.join(", ")),
            dots: states
                .iter()
                .take(MOST_DRAWN)
                .enumerate()
                .map(dot)
                .collect(),
        }
    }
}

/// Draws the pages of a site as dots.
pub fn svg(pages: &[Page]) -> String {
    let mut left = 0;
    let mut groups = Vec::new();
    for kind in PageKind::ALL {
        let of_kind = pages.iter().filter(|p| p.row.kind == kind);
        let states: Vec<PageState> = of_kind.map(|p| PageState::of(&p.row)).collect();
        if states.is_empty() {
            continue;
        }
        let columns = states.len().min(MOST_DRAWN).div_ceil(HIGH);
        groups.push(Group::of(kind, states, left));
        left += columns * STEP + GAP;
    }
    let words: Vec<&str> = groups.iter().map(|g| g.words.as_str()).collect();
    drawn(&Picture {
        words: words.join("; "),
        width: (left + 1).max(20),
        height: HIGH * STEP + 1,
        groups,
    })
}

/// Draws one dot beside a word.
pub fn mark(state: PageState) -> String {
    drawn(&Mark { state })
}
