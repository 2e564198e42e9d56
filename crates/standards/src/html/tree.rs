//! The tree that html5ever builds, and what building it took.

use super::{Around, Document, Kind, Node, NodeId};
use html5ever::interface::{ElemName, ElementFlags, NodeOrText, QuirksMode, TreeSink};
use html5ever::tendril::StrTendril;
use html5ever::{Attribute, LocalName, Namespace, QualName};
use std::borrow::Cow;
use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::rc::Rc;

/// Effort that building has taken so far.
#[derive(Default)]
pub(super) struct Effort {
    /// Number of nodes made so far.
    pub nodes: Cell<usize>,
    /// Bytes that attributes take: elements that are opened again copy theirs.
    pub bytes: Cell<usize>,
    /// Elements looked at. A tag may look at all that are open, so a page of tags that never close
    /// would be read in the square of its size.
    pub steps: Cell<usize>,
}

impl Effort {
    /// Counts steps against the limit.
    pub fn step(&self, steps: usize) {
        self.steps.set(self.steps.get().saturating_add(steps));
    }

    fn keep(&self, attributes: &[(String, String)]) {
        let of = |(name, value): &(String, String)| name.len() + value.len() + 64;
        let bytes: usize = attributes.iter().map(of).sum();
        self.bytes.set(self.bytes.get() + bytes);
    }
}

/// The sink html5ever builds into. It takes `&self`, hence the cells.
#[derive(Default)]
pub(super) struct Sink {
    nodes: RefCell<Vec<Node>>,
    names: RefCell<Vec<QualName>>,
    templates: RefCell<HashMap<NodeId, NodeId>>,
    line: Cell<u64>,
    ends_inside_tag: Cell<bool>,
    /// Effort so far, for whoever feeds the parser.
    pub(super) effort: Rc<Effort>,
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
        self.effort.nodes.set(nodes.len());
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
pub(super) struct OwnedName(QualName);

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
        self.effort.step(1);
        OwnedName(self.names.borrow()[*target].clone())
    }

    fn create_element(&self, name: QualName, attrs: Vec<Attribute>, flags: ElementFlags) -> NodeId {
        self.root();
        let attributes: Vec<(String, String)> = attrs
            .into_iter()
            .map(|a| (a.name.local.to_string(), a.value.to_string()))
            .collect();
        self.effort.keep(&attributes);
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
        self.effort.step(1);
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
                self.effort.step(attributes.len());
                if !attributes.iter().any(|(name, _)| **name == *a.name.local) {
                    let added = (a.name.local.to_string(), a.value.to_string());
                    self.effort.keep(std::slice::from_ref(&added));
                    attributes.push(added);
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
