//! Looks for the pieces of one supplier in a document.

use crate::placement::shape::Shape;
use crate::placement::{Form, Inspection, Piece, PieceState, excerpt, plain_quotes};
use crate::profile::{ConsentManager, Supplier};
use newtfern_standards::html::{Document, Kind, NodeId};
use newtfern_standards::script_scan::has_typographic_quote;
use std::borrow::Cow;
use url::Url;

/// Pieces that are told of one document; a page with more is no page a person made.
pub(super) const MOST_PIECES: usize = 200;

/// Looks for one supplier's snippet in one document.
pub struct Inspector<'a> {
    pub(super) supplier: &'a Supplier,
    pub(super) consent: Option<&'a ConsentManager>,
    /// Parts of the supplier's template.
    pub shape: Shape,
}

impl<'a> Inspector<'a> {
    /// Returns an inspector for a supplier, and for the consent manager whose marks hold its code
    /// back.
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

    /// Markers with typographic quotes in place of plain ones. A marker without a quote is found as
    /// it stands or not at all, and most pages of prose have such quotes.
    pub(super) fn loosely(&self, text: &str) -> bool {
        let markers = &self.supplier.recognise.inline_markers;
        markers.iter().any(|m| m.contains(['"', '\'']))
            && has_typographic_quote(text)
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
    /// # use newtfern_model::{placement::{Inspector, PieceState}, profile::Supplier};
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

    /// Looks through a document that others look through as well; it is asked for only where the
    /// text mentions the supplier.
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

    pub(super) fn piece(&self, form: Form, state: PieceState, text: &str, line: u32) -> Piece {
        Piece {
            form,
            state,
            key: self.key_seen(text),
            src: None,
            line,
            last_line: line,
            excerpt: excerpt(text),
            blocking: false,
            in_head: false,
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
            // The parser's line is where the token ended; move to the nearest line that has the
            // mark.
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
