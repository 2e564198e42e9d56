//! A document tree parsed as the HTML standard says (html5ever, scripting on), with the source line
//! of every node, because a technician is shown lines, not node numbers.
//!
//! Traps of the standard that matter here: with scripting on, the content of `noscript` is text; a
//! tag that is cut off by the end of the file yields no node at all; the content of `template` is a
//! separate fragment; after `</body>` and `</html>` elements still land in the body.
//!
//! A page is hostile until shown otherwise: what is read is bounded in bytes and in nodes, and a
//! document that goes beyond says so ([`Document::cut`]) instead of being read in part as if whole.

use html5ever::interface::{ElemName, ElementFlags, NodeOrText, QuirksMode, TreeSink};
use html5ever::tendril::{StrTendril, TendrilSink};
use html5ever::{Attribute, LocalName, Namespace, ParseOpts, QualName, parse_document};
use std::borrow::Cow;
use std::cell::{Cell, RefCell};
use std::collections::{HashMap, HashSet};
use std::rc::Rc;

/// Index into [`Document::nodes`].
pub type NodeId = usize;

/// Bytes of a document that are read.
pub const MOST_BYTES: usize = 3_000_000;
/// Nodes that are built: ten times those of the largest page of handbooks we know.
pub const MOST_NODES: usize = 200_000;
/// The node count is looked at after this many bytes: a few bytes can open many elements again.
const CHUNK: usize = 512;

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
    /// Parses a document, at most [`MOST_BYTES`] of it and [`MOST_NODES`] nodes.
    ///
    /// ```
    /// let document = newtfern_core::html::Document::parse("<title>Kites</title>");
    /// let title = document.walk().into_iter().find(|id| document.name(*id) == Some("title"));
    /// assert_eq!(title.map(|id| document.text(id)).as_deref(), Some("Kites"));
    /// ```
    pub fn parse(source: &str) -> Document {
        let sink = Sink::default();
        let count = sink.count.clone();
        let mut cut = source.len() > MOST_BYTES;
        let mut rest = &source[..source.floor_char_boundary(MOST_BYTES)];
        // Not exact errors: only the other kind names the tokenizer's state at the end of the file.
        let mut parser = parse_document(sink, ParseOpts::default());
        while !rest.is_empty() {
            let mut at = rest.floor_char_boundary(CHUNK);
            if at == 0 {
                at = rest.len();
            }
            let (chunk, after) = rest.split_at(at);
            parser.process(StrTendril::from(chunk));
            rest = after;
            if count.get() > MOST_NODES {
                cut = true;
                break;
            }
        }
        let mut document = parser.finish();
        document.cut = cut;
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

/// The sink html5ever builds into. It takes `&self`, hence the cells.
#[derive(Default)]
struct Sink {
    nodes: RefCell<Vec<Node>>,
    names: RefCell<Vec<QualName>>,
    templates: RefCell<HashMap<NodeId, NodeId>>,
    line: Cell<u64>,
    ends_inside_tag: Cell<bool>,
    /// Nodes made so far, for whoever feeds the parser.
    count: Rc<Cell<usize>>,
}

impl Sink {
    fn root(&self) {
        if self.nodes.borrow().is_empty() {
            self.push(Kind::Document, empty_name());
        }
    }

    fn push(&self, kind: Kind, name: QualName) -> NodeId {
        let mut nodes = self.nodes.borrow_mut();
        nodes.push(Node {
            kind,
            parent: None,
            children: Vec::new(),
            line: self.line.get().max(1) as u32,
            around: Around::default(),
        });
        self.count.set(nodes.len());
        self.names.borrow_mut().push(name);
        nodes.len() - 1
    }

    fn detach(&self, id: NodeId) {
        let mut nodes = self.nodes.borrow_mut();
        if let Some(parent) = nodes[id].parent.take() {
            // What is moved was added lately: looking from the end finds it at once.
            let children = &mut nodes[parent].children;
            if let Some(at) = children.iter().rposition(|child| *child == id) {
                children.remove(at);
            }
        }
    }

    fn insert(&self, parent: NodeId, at: usize, child: NodeOrText<NodeId>) {
        match child {
            NodeOrText::AppendNode(id) => {
                self.detach(id);
                let mut nodes = self.nodes.borrow_mut();
                nodes[id].parent = Some(parent);
                let at = at.min(nodes[parent].children.len());
                nodes[parent].children.insert(at, id);
            }
            NodeOrText::AppendText(text) => {
                // Neighbouring texts are one text node, as the standard says.
                if at > 0 {
                    let mut nodes = self.nodes.borrow_mut();
                    let before = nodes[parent].children.get(at - 1).copied();
                    if let Some(before) = before
                        && let Kind::Text(existing) = &mut nodes[before].kind
                    {
                        existing.push_str(&text);
                        return;
                    }
                }
                let id = self.push(Kind::Text(text.to_string()), empty_name());
                self.insert(parent, at, NodeOrText::AppendNode(id));
            }
        }
    }
}

fn empty_name() -> QualName {
    QualName::new(None, Namespace::from(""), LocalName::from(""))
}

/// An owned name, because nodes live behind a cell and cannot lend theirs.
#[derive(Debug)]
struct OwnedName(QualName);

impl ElemName for OwnedName {
    fn ns(&self) -> &Namespace {
        &self.0.ns
    }
    fn local_name(&self) -> &LocalName {
        &self.0.local
    }
}

impl TreeSink for Sink {
    type Handle = NodeId;
    type Output = Document;
    type ElemName<'a> = OwnedName;

    fn finish(self) -> Document {
        self.root();
        Document {
            nodes: self.nodes.into_inner(),
            ends_inside_tag: self.ends_inside_tag.get(),
            cut: false,
        }
    }

    fn parse_error(&self, message: Cow<'static, str>) {
        if message.starts_with("Saw EOF in state")
            && (message.contains("Tag") || message.contains("Attribute"))
        {
            self.ends_inside_tag.set(true);
        }
    }

    fn get_document(&self) -> NodeId {
        self.root();
        0
    }

    fn elem_name<'a>(&'a self, target: &'a NodeId) -> OwnedName {
        OwnedName(self.names.borrow()[*target].clone())
    }

    fn create_element(&self, name: QualName, attrs: Vec<Attribute>, flags: ElementFlags) -> NodeId {
        self.root();
        let attributes = attrs
            .into_iter()
            .map(|a| (a.name.local.to_string(), a.value.to_string()))
            .collect();
        let kind = Kind::Element {
            name: name.local.to_string(),
            svg_or_math: &*name.ns != "http://www.w3.org/1999/xhtml",
            attributes,
            never_closed: false,
        };
        let id = self.push(kind, name);
        if flags.template {
            let contents = self.push(Kind::TemplateContents, empty_name());
            self.templates.borrow_mut().insert(id, contents);
            let mut nodes = self.nodes.borrow_mut();
            nodes[contents].parent = Some(id);
            nodes[id].children.push(contents);
        }
        id
    }

    fn create_comment(&self, text: StrTendril) -> NodeId {
        self.root();
        self.push(Kind::Comment(text.to_string()), empty_name())
    }

    fn create_pi(&self, _target: StrTendril, data: StrTendril) -> NodeId {
        self.create_comment(data)
    }

    fn append(&self, parent: &NodeId, child: NodeOrText<NodeId>) {
        let end = self.nodes.borrow()[*parent].children.len();
        self.insert(*parent, end, child);
    }

    fn append_based_on_parent_node(
        &self,
        element: &NodeId,
        previous: &NodeId,
        child: NodeOrText<NodeId>,
    ) {
        if self.nodes.borrow()[*element].parent.is_some() {
            self.append_before_sibling(element, child);
        } else {
            self.append(previous, child);
        }
    }

    fn append_doctype_to_document(&self, _: StrTendril, _: StrTendril, _: StrTendril) {}

    fn mark_script_already_started(&self, node: &NodeId) {
        // html5ever calls this when the end of the file comes inside a script's text.
        if let Kind::Element { never_closed, .. } = &mut self.nodes.borrow_mut()[*node].kind {
            *never_closed = true;
        }
    }

    fn get_template_contents(&self, target: &NodeId) -> NodeId {
        let found = self.templates.borrow().get(target).copied();
        found.unwrap_or(*target)
    }

    fn same_node(&self, x: &NodeId, y: &NodeId) -> bool {
        x == y
    }

    fn set_quirks_mode(&self, _: QuirksMode) {}

    fn append_before_sibling(&self, sibling: &NodeId, child: NodeOrText<NodeId>) {
        let place = {
            let nodes = self.nodes.borrow();
            nodes[*sibling].parent.map(|p| {
                (
                    p,
                    nodes[p]
                        .children
                        .iter()
                        .rposition(|c| c == sibling)
                        .unwrap_or(0),
                )
            })
        };
        if let Some((parent, at)) = place {
            self.insert(parent, at, child);
        }
    }

    fn add_attrs_if_missing(&self, target: &NodeId, attrs: Vec<Attribute>) {
        if let Kind::Element { attributes, .. } = &mut self.nodes.borrow_mut()[*target].kind {
            for a in attrs {
                if !attributes.iter().any(|(name, _)| **name == *a.name.local) {
                    attributes.push((a.name.local.to_string(), a.value.to_string()));
                }
            }
        }
    }

    fn remove_from_parent(&self, target: &NodeId) {
        self.detach(*target);
    }

    fn reparent_children(&self, node: &NodeId, new_parent: &NodeId) {
        let mut nodes = self.nodes.borrow_mut();
        let children = std::mem::take(&mut nodes[*node].children);
        for child in &children {
            nodes[*child].parent = Some(*new_parent);
        }
        nodes[*new_parent].children.extend(children);
    }

    fn set_current_line(&self, line: u64) {
        self.line.set(line);
    }
}

#[cfg(test)]
mod tests;
