//! A colour beside its name.

use super::drawn;
use askama::Template;

#[derive(Template)]
#[template(
    source = r##"<svg class="swatch" width="22" height="22" viewBox="0 0 22 22"
  aria-hidden="true"><rect width="22" height="22" rx="3" fill="{{ colour }}"/></svg>"##,
    ext = "html"
)]
struct Picture<'a> {
    colour: &'a str,
}

/// A colour and what it is of.
pub struct Swatch {
    pub svg: String,
    pub label: String,
}

/// Draws a colour given as `#rrggbb`.
pub fn swatch(colour: &str, label: &str) -> Swatch {
    let hex = |c: &char| c.is_ascii_alphanumeric() || *c == '#';
    let plain: String = colour.chars().filter(hex).take(7).collect();
    let label = format!("{label} {plain}");
    Swatch {
        svg: drawn(&Picture { colour: &plain }),
        label: label.trim().to_string(),
    }
}
