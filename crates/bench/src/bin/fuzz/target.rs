//! One parser and what it is fed with.

use std::fmt::{Debug, Display};
use std::hash::{Hash, Hasher};

/// Function that runs a target on an input; it panics where something is wrong. It returns the
/// shape of the answer: an input with a new one went another way through the parser.
pub(super) type Run = Box<dyn Fn(&[u8]) -> u64>;

/// One parser under test, with how its inputs are made.
pub struct Target {
    pub name: &'static str,
    pub seeds: Vec<String>,
    pub run: Run,
}

pub fn shape_of(answer: impl Debug) -> u64 {
    let mut hasher = std::hash::DefaultHasher::new();
    format!("{answer:?}").hash(&mut hasher);
    hasher.finish()
}

/// An error without what it quotes.
pub fn kind_of(error: impl Display) -> String {
    let text = error.to_string();
    let bare = |c: &char| c.is_ascii_alphabetic() || *c == ' ';
    let unquoted = text
        .split(['\u{201c}', '\u{201d}', '`', '"', '\''])
        .step_by(2);
    unquoted
        .flat_map(str::chars)
        .filter(bare)
        .take(60)
        .collect()
}

/// Returns a random size of about this many bytes.
pub fn size(n: usize) -> u32 {
    n.checked_ilog2().map_or(0, |log| log + 1)
}

pub fn target<S: Debug>(
    name: &'static str,
    seeds: &[&str],
    run: impl Fn(&str) -> S + 'static,
) -> Target {
    Target {
        name,
        seeds: seeds.iter().map(|s| s.to_string()).collect(),
        run: Box::new(move |bytes| shape_of(run(&String::from_utf8_lossy(bytes)))),
    }
}
