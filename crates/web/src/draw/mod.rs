//! Small pictures for rows, as SVG from templates: states by shape as well as by colour, each with
//! its words. Colours come from the style sheet by class.

pub mod chain;
pub mod dots;
pub mod frond;
pub mod grid;
pub mod interval;
pub mod place;
pub mod qr;
pub mod swatch;
#[cfg(test)]
mod tests;
pub mod timeline;
pub mod week;

use askama::Template;

/// A picture's text. Templates of pictures are plain values in plain markup: they do not fail.
fn drawn(picture: &impl Template) -> String {
    picture.render().unwrap_or_default()
}
