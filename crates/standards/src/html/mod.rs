//! A document tree parsed as the HTML standard says (html5ever, scripting on), with the source line
//! of every node, because a technician is shown lines, not node numbers.
//!
//! Traps of the standard that matter here: with scripting on, the content of `noscript` is text; a
//! tag that is cut off by the end of the file yields no node at all; the content of `template` is a
//! separate fragment; after `</body>` and `</html>` elements still land in the body.
//!
//! A page is hostile until shown otherwise: what is read is bounded in bytes, nodes, attributes and
//! steps, and a document that goes beyond says so ([`Document::cut`]) instead of being read in part
//! as if whole.

mod document;
mod node;
mod reader;
mod tree;

pub use document::{Document, MOST_ADDRESS, MOST_LINKS, escaped, joined};
pub use node::{Around, Kind, Node, NodeId};
pub use reader::{MOST_ATTRIBUTES, MOST_BYTES, MOST_NODES};

impl Document {
    /// Parses a document, at most [`MOST_BYTES`] of it and [`MOST_NODES`] nodes, and no tag with
    /// more than [`MOST_ATTRIBUTES`].
    ///
    /// ```
    /// let document = newtfern_standards::html::Document::parse("<title>Kites</title>");
    /// let title = document.walk().into_iter().find(|id| document.name(*id) == Some("title"));
    /// assert_eq!(title.map(|id| document.text(id)).as_deref(), Some("Kites"));
    /// ```
    pub fn parse(source: &str) -> Document {
        let mut document = reader::read(source);
        document.look_around();
        document
    }
}

#[cfg(test)]
mod tests;
