//! A script element of the page: is it the supplier's, and does the browser run it?

use super::shape::{KEY_MARK, with_any_values, with_values_of};
use super::{Form, Inspector, Piece, PieceState};
use newtfern_standards::html::{Document, Kind, NodeId, joined};
use newtfern_standards::script_scan::{has_typographic_quote, scan};
use url::Url;

impl Inspector<'_> {
    pub(super) fn script(&self, document: &Document, id: NodeId, base: &Url) -> Option<Piece> {
        let Kind::Element {
            attributes,
            never_closed,
            ..
        } = &document.nodes[id].kind
        else {
            return None;
        };
        let line = document.nodes[id].line;
        let tag = document.start_tag(id, false);
        let text = document.text(id);
        let host_is_ours = |address: &str| {
            joined(base, address)
                .and_then(|u| u.host_str().map(|h| self.supplier.serves_loader(h)))
                .unwrap_or(false)
        };
        let src = document.attribute(id, "src");
        let mut piece = if src.is_some_and(host_is_ours) {
            self.external(document, id, base, &tag, line)
        } else if self.mentions(&tag) {
            let broken_quotes = attributes.iter().any(|(name, value)| {
                let odd = |text: &str| has_typographic_quote(text) || text.contains('\u{a0}');
                odd(name) || odd(value) || value.starts_with(['"', '\''])
            });
            let elsewhere = attributes
                .iter()
                .find(|(n, v)| n != "src" && host_is_ours(v) && v.contains("//"));
            let state = match elsewhere {
                _ if broken_quotes => PieceState::BadQuotes,
                Some((name, _)) => match self.held(document, id) {
                    Some(held) => PieceState::ConsentHeld(held),
                    None => PieceState::Delayed(name.clone()),
                },
                None => return None,
            };
            self.piece(Form::External, state, &tag, line)
        } else if src.is_none() && (self.mentions(&text) || self.loosely(&text)) {
            self.inline(document, id, &text, line)
        } else {
            return None;
        };
        piece.in_head = document.nodes[id].around.head;
        // A tag that swallowed the markup after it was cut off inside.
        let swallowed = attributes
            .iter()
            .any(|(n, v)| n.contains('<') || v.contains("</") || v.contains("<script"));
        if *never_closed || swallowed {
            piece.state = PieceState::Truncated;
        }
        if piece.state == PieceState::Live && document.nodes[id].around.template {
            piece.state = PieceState::Inert("template".into());
        }
        Some(piece)
    }

    fn external(&self, document: &Document, id: NodeId, base: &Url, tag: &str, line: u32) -> Piece {
        let src = document.attribute(id, "src").unwrap_or_default();
        let address = joined(base, src);
        let state = match self.inactive(document, id) {
            Some(state) => state,
            None => PieceState::Live,
        };
        let mut piece = self.piece(Form::External, state, tag, line);
        piece.src = address.as_ref().map(Url::to_string);
        let has = |name: &str| document.attribute(id, name).is_some();
        piece.blocking = !has("async")
            && !has("defer")
            && document.attribute(id, "type") != Some("module")
            && document.nodes[id].around.head
            && self.shape.asynchronous;
        piece.altered = address.and_then(|u| self.altered_external(document, id, &u));
        piece
    }

    fn altered_external(&self, document: &Document, id: NodeId, address: &Url) -> Option<String> {
        if self.shape.externals == 0 {
            return None;
        }
        if !self.shape.same_loader(address) {
            return Some(format!(
                "it loads {} instead of {}",
                address.path(),
                self.shape.loader.as_ref().map_or("/", |l| l.path())
            ));
        }
        // Only attributes that the loader reads: data-* and an id.
        let read = |name: &str| name.starts_with("data-") || name == "id";
        self.shape
            .attributes
            .iter()
            .filter(|(n, _)| read(n) && !self.supplier.free_attributes().contains(n))
            .find_map(|(name, value)| match document.attribute(id, name) {
                None if value.contains(KEY_MARK) => None, // told as a missing key
                None => Some(format!("the attribute {name}=\"{value}\" is missing")),
                Some(seen) if seen != value && !value.contains(KEY_MARK) => Some(format!(
                    "{name} is \u{201c}{seen}\u{201d} instead of \u{201c}{value}\u{201d}"
                )),
                _ => None,
            })
    }

    fn inline(&self, document: &Document, id: NodeId, text: &str, line: u32) -> Piece {
        let marked = self.supplier.has_marker(text) || self.loosely(text);
        let scanned = scan(text);
        let start = text.trim_start().trim_start_matches("<!--").trim_start();
        let as_markup = ["innerHTML", "outerHTML", "insertAdjacentHTML"]
            .iter()
            .any(|w| text.contains(w))
            && text.contains("<script");
        let own_tags =
            start.starts_with('<') && (start.contains("<script") || start.contains("<noscript"));
        // Behind other code too: the tags are code to the browser, and none of it runs.
        let state = if own_tags || scanned.markup {
            PieceState::DoubleWrapped
        } else if as_markup {
            PieceState::Inert("innerHTML".into())
        } else if let Some(state) = self.inactive(document, id) {
            state
        } else if let Some(call) = self.consent.and_then(|c| c.gating.waits(&scanned.minimal)) {
            PieceState::ConsentHeld(call)
        } else if !marked && self.shape.inlines == 0 {
            PieceState::Mentioned
        } else if scanned.typographic.is_some() {
            PieceState::BadQuotes
        } else if scanned.cut_off {
            PieceState::Truncated
        } else {
            PieceState::Live
        };
        let mut piece = self.piece(Form::Inline, state, text, line);
        piece.last_line = line + text.matches('\n').count() as u32;
        if piece.state == PieceState::Live && self.shape.inlines > 0 {
            piece.altered = self.altered_inline(&scanned.minimal, piece.key.key());
        }
        piece
    }

    fn altered_inline(&self, seen: &str, key: Option<&str>) -> Option<String> {
        let trim = |t: &str| t.trim_end_matches(';').to_string();
        let seen = trim(seen);
        let expected: Vec<String> = self
            .shape
            .inline_minimal
            .iter()
            .map(|m| trim(&m.replace(KEY_MARK, key.unwrap_or(""))))
            .collect();
        if expected.iter().any(|e| match with_any_values(e) {
            Some(form) => form.is_match(&seen),
            None => seen.contains(e.as_str()) || e.contains(&seen),
        }) {
            return None;
        }
        let closest = &with_values_of(expected.first()?, &seen);
        let same = seen
            .chars()
            .zip(closest.chars())
            .take_while(|(a, b)| a == b)
            .count();
        let cut = |t: &str| {
            t.chars()
                .skip(same.saturating_sub(12))
                .take(48)
                .collect::<String>()
        };
        Some(format!(
            "it says \u{201c}{}\u{201d} where the supplier's code says \u{201c}{}\u{201d}",
            cut(&seen),
            cut(closest)
        ))
    }

    /// A reason in the element itself why the browser does not run it.
    fn inactive(&self, document: &Document, id: NodeId) -> Option<PieceState> {
        if let Some(held) = self.held(document, id) {
            return Some(PieceState::ConsentHeld(held));
        }
        if let Some(kind) = document.attribute(id, "type") {
            if !runs_as_script(kind) {
                return Some(PieceState::WrongType(format!("type=\"{kind}\"")));
            }
        } else if let Some(language) = document.attribute(id, "language")
            && !language.is_empty()
            && !runs_as_script(&format!("text/{language}"))
        {
            return Some(PieceState::WrongType(format!("language=\"{language}\"")));
        }
        let module = document.attribute(id, "type") == Some("module");
        (document.attribute(id, "nomodule").is_some() && !module)
            .then(|| PieceState::WrongType("nomodule".into()))
    }

    fn held(&self, document: &Document, id: NodeId) -> Option<String> {
        let gating = &self.consent?.gating;
        if !gating.attribute.is_empty() && document.attribute(id, &gating.attribute).is_some() {
            let kind = document.attribute(id, "type").unwrap_or_default();
            // The attribute may stay on a script that has been let go.
            if gating.script_type.is_empty() || kind == gating.script_type {
                return Some(gating.attribute.clone());
            }
        }
        let kind = document.attribute(id, "type")?;
        (gating.attribute.is_empty()
            && !gating.script_type.is_empty()
            && kind == gating.script_type)
            .then(|| format!("type=\"{kind}\""))
    }
}

/// JavaScript MIME type essence match (WHATWG MIME Sniffing, "JavaScript MIME type"), `module`, or
/// empty.
fn runs_as_script(kind: &str) -> bool {
    let kind = kind.trim().to_ascii_lowercase();
    matches!(
        kind.as_str(),
        "" | "module"
            | "application/ecmascript"
            | "application/javascript"
            | "application/x-ecmascript"
            | "application/x-javascript"
            | "text/ecmascript"
            | "text/javascript"
            | "text/javascript1.0"
            | "text/javascript1.1"
            | "text/javascript1.2"
            | "text/javascript1.3"
            | "text/javascript1.4"
            | "text/javascript1.5"
            | "text/jscript"
            | "text/livescript"
            | "text/x-ecmascript"
            | "text/x-javascript"
    )
}
