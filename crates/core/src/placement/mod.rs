//! Where a supplier's snippet stands in a document and in what state: live, or damaged in one of
//! the ways that pasting, filtering and editing produce. Works on the parsed tree; the source text
//! is used for lines only and for what the parser had to drop.

use crate::html::{Document, Kind, NodeId};
use crate::profile::{ConsentManager, Supplier};
use crate::script_scan::is_typographic_quote;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use url::Url;

mod delays;
mod key;
mod script;
mod shape;

pub use key::KeySeen;
pub(crate) use key::is_placeholder;
pub use shape::Shape;

/// How a piece stands in the page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Form {
    /// A script element with an address.
    External,
    /// Script text in the page.
    Inline,
}

/// What keeps a piece from running, if anything.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum PieceState {
    /// The browser runs it.
    Live,
    /// Script text of somebody else that mentions the loader's host (a tag manager, an optimiser).
    Mentioned,
    /// In a comment.
    Commented,
    /// Shown to visitors as text.
    AsText,
    /// Inside the named element, whose content does not run, or put in as markup.
    Inert(String),
    /// Script tags inside a script.
    DoubleWrapped,
    /// Typographic quotes instead of straight ones.
    BadQuotes,
    /// Cut off.
    Truncated,
    /// A `type`, `nomodule` or `language` that keeps it from running.
    WrongType(String),
    /// Held back until consent by the manager's own mark.
    ConsentHeld(String),
    /// The address stands in another attribute, waiting for a script to put it in `src`.
    Delayed(String),
}

impl PieceState {
    /// It comes up for a visitor, at once or once it is let go.
    pub fn comes(&self) -> bool {
        matches!(
            self,
            PieceState::Live | PieceState::ConsentHeld(_) | PieceState::Delayed(_)
        )
    }
}

/// One piece of a supplier's snippet in a document.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Piece {
    /// How it stands there.
    pub form: Form,
    /// What keeps it from running.
    pub state: PieceState,
    /// Its key.
    pub key: KeySeen,
    /// Its address, absolute.
    pub src: Option<String>,
    /// Lines of the source that the piece covers, 1-based, both included.
    pub line: u32,
    /// 1-based.
    pub last_line: u32,
    /// Its beginning, in one line.
    pub excerpt: String,
    /// External, in the head, neither async nor deferred.
    pub blocking: bool,
    /// It stands after the end of the body.
    pub after_end: bool,
    /// How the code differs from the supplier's, where it matters.
    pub altered: Option<String>,
}

/// Pieces that are told of one document; a page with more is no page a person made.
const MOST_PIECES: usize = 200;

/// What was found in a document.
#[derive(Debug, Clone, Default)]
pub struct Inspection {
    /// In document order.
    pub pieces: Vec<Piece>,
    /// The document goes beyond what is read: what is missing here may be in the rest.
    pub cut: bool,
}

/// Looks for one supplier's snippet in one document.
pub struct Inspector<'a> {
    supplier: &'a Supplier,
    consent: Option<&'a ConsentManager>,
    /// What the supplier's template consists of.
    pub shape: Shape,
}

impl<'a> Inspector<'a> {
    /// For a supplier, and the consent manager whose marks hold its code back.
    pub fn new(supplier: &'a Supplier, consent: Option<&'a ConsentManager>) -> Self {
        Inspector {
            supplier,
            consent,
            shape: Shape::of(supplier),
        }
    }

    /// A cheap look before parsing: does the text mention the supplier at all?
    pub fn mentions(&self, source: &str) -> bool {
        let r = &self.supplier.recognise;
        r.script_hosts
            .iter()
            .chain(&r.inline_markers)
            .any(|m| source.contains(m.as_str()))
            || self.loosely(source)
    }

    /// Markers with typographic quotes in place of plain ones. A marker without a quote is found as it
    /// stands or not at all, and most pages of prose have such quotes.
    fn loosely(&self, text: &str) -> bool {
        let markers = &self.supplier.recognise.inline_markers;
        markers.iter().any(|m| m.contains(['"', '\'']))
            && text.contains(is_typographic_quote)
            && self.supplier.has_marker(&plain_quotes(text))
    }

    /// The pieces of a document, without saying whether all of it was read.
    pub fn pieces(&self, source: &str, page: &Url) -> Vec<Piece> {
        self.inspect(source, page).pieces
    }

    /// The pieces of a markup that stands on no page yet: nothing in it is relative to an address.
    pub fn pieces_apart(&self, source: &str) -> Vec<Piece> {
        let page = Url::parse("https://proof.invalid/").expect("constant address");
        self.pieces(source, &page)
    }

    /// Looks through a whole document.
    ///
    /// ```
    /// # use newtfern_core::{placement::{Inspector, PieceState}, profile::Supplier};
    /// let supplier = Supplier::from_toml(r#"
    ///     id = "osier"
    ///     name = "Osier"
    ///     [recognise]
    ///     script_hosts = ["cdn.osier.test"]
    ///     [snippet]
    ///     template = '<script src="https://cdn.osier.test/l.js"></script>'
    /// "#).unwrap();
    /// let page = url::Url::parse("https://kites.example/").unwrap();
    /// let found = Inspector::new(&supplier, None)
    ///     .inspect("<!-- <script src=https://cdn.osier.test/l.js></script> -->", &page);
    /// assert_eq!(found.pieces[0].state, PieceState::Commented);
    /// ```
    pub fn inspect(&self, source: &str, page: &Url) -> Inspection {
        self.inspect_in(source, page, || Cow::Owned(Document::parse(source)))
    }

    /// Looks through a document that others look through as well; it is asked for only where the text
    /// mentions the supplier.
    pub fn inspect_in<'d>(
        &self,
        source: &str,
        page: &Url,
        document: impl FnOnce() -> Cow<'d, Document>,
    ) -> Inspection {
        let cut_tail = self.cut_tail(source);
        if !self.mentions(source) && cut_tail.is_none() {
            // What is beyond the bytes that are read was searched as text.
            return Inspection::default();
        }
        let document = document();
        let (pieces, all) = self.pieces_of(&document, source, page, cut_tail);
        Inspection {
            pieces,
            cut: document.cut || !all,
        }
    }

    fn pieces_of(
        &self,
        document: &Document,
        source: &str,
        page: &Url,
        cut_tail: Option<usize>,
    ) -> (Vec<Piece>, bool) {
        let base = document.base(page);
        let mut found = Vec::new();
        for id in document.walk() {
            if found.len() >= MOST_PIECES {
                self.locate(source, &mut found);
                return (found, false);
            }
            match &document.nodes[id].kind {
                Kind::Element { name, .. } if name == "script" => {
                    found.extend(self.script(document, id, &base))
                }
                Kind::Element { name, .. } if name.starts_with("script") && !name.is_ascii() => {
                    let tag = document.start_tag(id, true);
                    if self.mentions(&tag) {
                        found.push(self.piece(
                            Form::External,
                            PieceState::BadQuotes,
                            &tag,
                            document.nodes[id].line,
                        ));
                    }
                }
                Kind::Comment(text) if self.recognised(text) => {
                    found.push(self.piece(
                        self.form_of(text),
                        PieceState::Commented,
                        text,
                        document.nodes[id].line,
                    ));
                }
                Kind::Text(text) if self.recognised(text) => {
                    found.extend(self.text(document, id, text))
                }
                _ => {}
            }
        }
        if document.ends_inside_tag
            && let Some(at) = cut_tail
        {
            let line = 1 + source[..at].matches('\n').count() as u32;
            found.push(self.piece(Form::External, PieceState::Truncated, &source[at..], line));
        }
        self.locate(source, &mut found);
        (found, true)
    }

    /// The last script tag of the source, when it has no end and its beginning is the supplier's.
    fn cut_tail(&self, source: &str) -> Option<usize> {
        let at = source.rfind("<script")?;
        let tail = &source[at..];
        if tail.contains("</script") {
            return None;
        }
        let same = tail
            .chars()
            .zip(self.supplier.snippet.template.chars())
            .take_while(|(a, b)| a == b)
            .count();
        let head: String = tail.chars().take(400).collect();
        (same >= 24 || self.mentions(&head)).then_some(at)
    }

    fn recognised(&self, text: &str) -> bool {
        let markup =
            text.contains("<script") || text.contains("src=") || text.contains("&lt;script");
        self.supplier.has_marker(text)
            || self.loosely(text)
            || (markup
                && self
                    .supplier
                    .recognise
                    .script_hosts
                    .iter()
                    .any(|h| text.contains(h.as_str())))
    }

    fn form_of(&self, text: &str) -> Form {
        if self.supplier.has_marker(text) {
            Form::Inline
        } else {
            Form::External
        }
    }

    fn text(&self, document: &Document, id: NodeId, text: &str) -> Option<Piece> {
        let parent = document.nodes[id].parent?;
        let line = document.nodes[id].line;
        let state = match document.name(parent) {
            Some("script") => return None,
            Some(
                name @ ("style" | "noscript" | "iframe" | "textarea" | "title" | "noembed"
                | "noframes" | "xmp"),
            ) => PieceState::Inert(name.to_string()),
            _ if document.nodes[id].around.template => PieceState::Inert("template".into()),
            _ => PieceState::AsText,
        };
        Some(self.piece(self.form_of(text), state, text, line))
    }

    fn piece(&self, form: Form, state: PieceState, text: &str, line: u32) -> Piece {
        Piece {
            form,
            state,
            key: self.key_seen(text),
            src: None,
            line,
            last_line: line,
            excerpt: excerpt(text),
            blocking: false,
            after_end: false,
            altered: None,
        }
    }

    /// Fills in what only the source text tells: exact lines, and whether a piece follows the end.
    fn locate(&self, source: &str, pieces: &mut [Piece]) {
        let end = source
            .to_ascii_lowercase()
            .rfind("</body")
            .map(|at| 1 + source[..at].matches('\n').count() as u32);
        let mentions: Vec<(usize, u32)> = source
            .lines()
            .enumerate()
            .filter(|(_, l)| self.mentions(l))
            .map(|(i, l)| (l.len(), i as u32 + 1))
            .collect();
        for piece in pieces.iter_mut() {
            // The parser's line is where the token ended; move to the nearest line that has the mark.
            if let Some((_, line)) = mentions
                .iter()
                .rfind(|(_, l)| *l <= piece.last_line.max(piece.line))
                && *line < piece.line
            {
                piece.line = *line;
            }
            piece.after_end = end.is_some_and(|end| piece.line > end);
        }
    }
}

/// Typographic quotes and their look-alikes as plain ones.
pub(crate) fn plain_quotes(text: &str) -> String {
    text.chars()
        .map(|c| match c {
            '\u{2018}' | '\u{2019}' | '\u{201A}' | '\u{201B}' | '\u{2032}' | '\u{FF07}' => '\'',
            c if is_typographic_quote(c) => '"',
            c => c,
        })
        .collect()
}

/// One line of at most 240 characters.
pub fn excerpt(text: &str) -> String {
    let flat = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if flat.chars().count() > 240 {
        flat.chars().take(239).chain(['\u{2026}']).collect()
    } else {
        flat
    }
}

#[cfg(test)]
mod tests;
