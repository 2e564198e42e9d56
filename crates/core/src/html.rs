//! A document tree parsed as the HTML standard says (html5ever, scripting on), with the source line
//! of every node, because a technician is shown lines, not node numbers.
//!
//! Traps of the standard that matter here: with scripting on, the content of `noscript` is text; a
//! tag that is cut off by the end of the file yields no node at all; the content of `template` is a
//! separate fragment; after `</body>` and `</html>` elements still land in the body.
//!
//! A page is hostile until shown otherwise: what is read is bounded in bytes, nodes, attributes and
//! steps, and a document that goes beyond says so ([`Document::cut`]) instead of being read in part as if whole.

mod reader;
mod tree;

use std::collections::HashSet;

pub use reader::{MOST_ATTRIBUTES, MOST_BYTES, MOST_NODES};

/// Index into [`Document::nodes`].
pub type NodeId = usize;

/// What a node is.
#[derive(Debug, Clone)]
pub enum Kind {
    /// The root.
    Document,
    /// The fragment that holds what stands inside a `template`.
    TemplateContents,
    /// Text.
    Text(String),
    /// A comment.
    Comment(String),
    /// An element.
    Element {
        /// In lower case.
        name: String,
        /// It stands in SVG or MathML.
        svg_or_math: bool,
        /// Names and values, in source order.
        attributes: Vec<(String, String)>,
        /// The end of the file came inside this script: the browser does not run it.
        never_closed: bool,
    },
}

/// A node of the tree.
#[derive(Debug, Clone)]
pub struct Node {
    /// What it is.
    pub kind: Kind,
    /// None for the root.
    pub parent: Option<NodeId>,
    /// In document order.
    pub children: Vec<NodeId>,
    /// 1-based line of the source at which the node was made.
    pub line: u32,
    /// What is around the node, filled in once the tree stands.
    pub around: Around,
}

/// Elements around a node that decide what becomes of code in it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Around {
    /// Inside a `template`.
    pub template: bool,
    /// Inside the head.
    pub head: bool,
}

/// Text as it stands in an attribute's value, in quotes of either kind.
pub fn escaped(text: &str) -> String {
    let text = text.replace('&', "&amp;").replace('<', "&lt;");
    text.replace('>', "&gt;")
        .replace('"', "&quot;")
        .replace('\'', "&#39;")
}

/// A parsed document. Node 0 is the document itself.
#[derive(Debug, Clone)]
pub struct Document {
    /// In document order; the root is the first.
    pub nodes: Vec<Node>,
    /// The file ended inside a tag (that tag is not in the tree).
    pub ends_inside_tag: bool,
    /// The document is larger or more complex than is read; what is here is its beginning.
    pub cut: bool,
}

impl Document {
    /// Parses a document, at most [`MOST_BYTES`] of it and [`MOST_NODES`] nodes, and no tag with more
    /// than [`MOST_ATTRIBUTES`].
    ///
    /// ```
    /// let document = newtfern_core::html::Document::parse("<title>Kites</title>");
    /// let title = document.walk().into_iter().find(|id| document.name(*id) == Some("title"));
    /// assert_eq!(title.map(|id| document.text(id)).as_deref(), Some("Kites"));
    /// ```
    pub fn parse(source: &str) -> Document {
        let mut document = reader::read(source);
        document.look_around();
        document
    }

    /// One pass from the top: asking for the ancestors of each script would go over deep pages again
    /// and again.
    fn look_around(&mut self) {
        let mut stack = vec![(0, Around::default())];
        while let Some((id, around)) = stack.pop() {
            let Some(node) = self.nodes.get_mut(id) else {
                continue;
            };
            node.around = around;
            let within = match &node.kind {
                Kind::TemplateContents => Around {
                    template: true,
                    ..around
                },
                Kind::Element { name, .. } if name == "head" => Around {
                    head: true,
                    ..around
                },
                _ => around,
            };
            stack.extend(node.children.iter().map(|child| (*child, within)));
        }
    }

    /// The value of an attribute of an element.
    pub fn attribute(&self, id: NodeId, wanted: &str) -> Option<&str> {
        match &self.nodes[id].kind {
            Kind::Element { attributes, .. } => attributes
                .iter()
                .find(|(name, _)| name == wanted)
                .map(|(_, value)| value.as_str()),
            _ => None,
        }
    }

    /// The name of an element.
    pub fn name(&self, id: NodeId) -> Option<&str> {
        match &self.nodes[id].kind {
            Kind::Element { name, .. } => Some(name),
            _ => None,
        }
    }

    /// All text directly and indirectly inside a node.
    pub fn text(&self, id: NodeId) -> String {
        let mut out = String::new();
        self.collect_text(id, &mut out);
        out
    }

    fn collect_text(&self, root: NodeId, out: &mut String) {
        // An explicit stack: a hostile page nests deeper than a thread's stack allows.
        let mut stack = vec![root];
        while let Some(id) = stack.pop() {
            if let Kind::Text(text) = &self.nodes[id].kind {
                out.push_str(text);
            }
            stack.extend(self.nodes[id].children.iter().rev());
        }
    }

    /// Node ids in document order (template contents included).
    pub fn walk(&self) -> Vec<NodeId> {
        let mut order = Vec::with_capacity(self.nodes.len());
        let mut stack = vec![0];
        while let Some(id) = stack.pop() {
            order.push(id);
            stack.extend(self.nodes[id].children.iter().rev());
        }
        order
    }

    /// The address that relative addresses resolve against: the first `base` with an `href`.
    pub fn base(&self, page: &url::Url) -> url::Url {
        self.walk()
            .into_iter()
            .filter(|id| self.name(*id) == Some("base"))
            .find_map(|id| page.join(self.attribute(id, "href")?).ok())
            .unwrap_or_else(|| page.clone())
    }

    /// The start tag written anew: lower case, double quotes, entities decoded. `bare` writes
    /// attributes without a value as a bare name.
    pub fn start_tag(&self, id: NodeId, bare: bool) -> String {
        let Kind::Element {
            name, attributes, ..
        } = &self.nodes[id].kind
        else {
            return String::new();
        };
        let mut tag = format!("<{name}");
        for (attribute, value) in attributes {
            tag.push(' ');
            tag.push_str(attribute);
            if !(bare && value.is_empty()) {
                tag.push_str("=\"");
                tag.push_str(value);
                tag.push('"');
            }
        }
        tag.push('>');
        tag
    }

    /// Addresses of `a href` on the page, resolved, without fragments, in document order.
    pub fn links(&self, page: &url::Url) -> Vec<url::Url> {
        let base = self.base(page);
        let mut known: HashSet<url::Url> = HashSet::new();
        let mut out: Vec<url::Url> = Vec::new();
        for id in self.walk() {
            if self.name(id) != Some("a") {
                continue;
            }
            let Some(mut address) = self
                .attribute(id, "href")
                .and_then(|href| base.join(href).ok())
            else {
                continue;
            };
            address.set_fragment(None);
            if matches!(address.scheme(), "http" | "https") && known.insert(address.clone()) {
                out.push(address);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests;
