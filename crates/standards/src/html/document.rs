//! A parsed document, and what it is asked.

use crate::html::node::{Around, Kind, Node, NodeId};
use std::collections::HashSet;

/// Characters of an address on a page; servers are asked to take 8,000 octets at least (RFC 9110,
/// 4.1).
pub const MOST_ADDRESS: usize = 8_000;

/// Links of one page that are kept.
pub const MOST_LINKS: usize = 20_000;

/// Characters of all links of one page together.
pub(super) const MOST_LINKED: usize = 8_000_000;

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
    /// Nodes in document order; the root is the first.
    pub nodes: Vec<Node>,
    /// The file ended inside a tag (that tag is not in the tree).
    pub ends_inside_tag: bool,
    /// The document is larger or more complex than is read; what is here is its beginning.
    pub cut: bool,
}

impl Document {
    /// Fills in what is around each node in one pass from the top: asking for the ancestors of each
    /// script would go over deep pages again and again.
    pub(super) fn look_around(&mut self) {
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

    /// The address that relative addresses resolve against: the first `base` with an `href` of no
    /// more than [`MOST_ADDRESS`] characters.
    pub fn base(&self, page: &url::Url) -> url::Url {
        self.walk()
            .into_iter()
            .filter(|id| self.name(*id) == Some("base"))
            .find_map(|id| joined(page, self.attribute(id, "href")?))
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

    /// Addresses of `a href` on the page, resolved, without fragments, in document order: no more
    /// than [`MOST_LINKS`] of them, each of no more than [`MOST_ADDRESS`] characters and all of no
    /// more than some millions.
    pub fn links(&self, page: &url::Url) -> Vec<url::Url> {
        let base = self.base(page);
        let mut known: HashSet<url::Url> = HashSet::new();
        let mut out: Vec<url::Url> = Vec::new();
        let mut length = 0;
        for id in self.walk() {
            if self.name(id) != Some("a") {
                continue;
            }
            if out.len() >= MOST_LINKS || length > MOST_LINKED {
                break;
            }
            let href = self.attribute(id, "href");
            let Some(mut address) = href.and_then(|href| joined(&base, href)) else {
                continue;
            };
            address.set_fragment(None);
            if matches!(address.scheme(), "http" | "https") && known.insert(address.clone()) {
                length += address.as_str().len();
                out.push(address);
            }
        }
        out
    }
}

/// Resolves an address; none where it cannot be resolved, or where it or what results is too long.
/// The length is looked at first: a page may have one long `base` and many short addresses.
pub fn joined(base: &url::Url, address: &str) -> Option<url::Url> {
    if address.len() > MOST_ADDRESS {
        return None;
    }
    let whole = base.join(address.trim()).ok()?;
    (whole.as_str().len() <= MOST_ADDRESS).then_some(whole)
}
