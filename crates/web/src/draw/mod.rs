//! Small pictures for rows, as SVG: states by shape as well as by colour, each with its words. Colours
//! come from the style sheet by class.

pub mod chain;
pub mod frond;
pub mod grid;
pub mod interval;
#[cfg(test)]
mod tests;

pub(crate) fn escape(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
        .replace('"', "&quot;")
}
