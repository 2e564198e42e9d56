//! The nodes of a document.

/// Position of a node in [`super::Document::nodes`].
pub type NodeId = usize;

/// Kind of a node.
#[derive(Debug, Clone)]
pub enum Kind {
    /// Root of the document.
    Document,
    /// The fragment that holds what stands inside a `template`.
    TemplateContents,
    /// Text between elements.
    Text(String),
    /// Comment of the markup.
    Comment(String),
    /// Element with its attributes.
    Element {
        /// Element's name in lower case.
        name: String,
        /// Whether the element is in SVG or MathML.
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
    /// Kind of the node.
    pub kind: Kind,
    /// None for the root.
    pub parent: Option<NodeId>,
    /// Children in document order.
    pub children: Vec<NodeId>,
    /// 1-based line of the source at which the node was made.
    pub line: u32,
    /// Surroundings of the node, filled in once the tree stands.
    pub around: Around,
}

/// Elements around a node that decide what becomes of code in it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Around {
    /// Whether the element is inside a `template`.
    pub template: bool,
    /// Whether the element is inside the head.
    pub head: bool,
}
