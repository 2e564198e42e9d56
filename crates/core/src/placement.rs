//! Where a supplier's snippet stands in a document and in what state: live, or damaged in one of
//! the ways that pasting, filtering and editing produce. Works on the parsed tree; the source text
//! is used for lines only and for what the parser had to drop.

use crate::html::{Document, Kind, NodeId};
use crate::profile::{ConsentManager, Supplier};
use crate::script_scan::{is_typographic_quote, scan};
use regex::Regex;
use serde::{Deserialize, Serialize};
use url::Url;

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
    Live,
    /// Script text of somebody else that mentions the loader's host (a tag manager, an optimiser).
    Mentioned,
    Commented,
    AsText,
    /// Inside the named element, whose content does not run, or put in as markup.
    Inert(String),
    DoubleWrapped,
    BadQuotes,
    Truncated,
    /// A `type`, `nomodule` or `language` that keeps it from running.
    WrongType(String),
    /// Held back until consent by the manager's own mark.
    ConsentHeld(String),
    /// The address stands in another attribute, waiting for a script to put it in `src`.
    Delayed(String),
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Piece {
    pub form: Form,
    pub state: PieceState,
    pub key: KeySeen,
    pub src: Option<String>,
    /// Lines of the source that the piece covers, 1-based, both included.
    pub line: u32,
    pub last_line: u32,
    pub excerpt: String,
    /// External, in the head, neither async nor deferred.
    pub blocking: bool,
    pub after_end: bool,
    /// How the code differs from the supplier's, where it matters.
    pub altered: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum KeySeen {
    Key(String),
    /// Empty, blank or a sample left in.
    Placeholder(String),
    /// The piece carries no key, nor need it.
    Nothing,
}

impl KeySeen {
    pub fn key(&self) -> Option<&str> {
        match self {
            KeySeen::Key(key) => Some(key),
            _ => None,
        }
    }
}

/// What the supplier's template consists of.
#[derive(Debug, Clone)]
pub struct Shape {
    pub externals: usize,
    pub inlines: usize,
    pub loader: Option<Url>,
    inline_minimal: Vec<String>,
    attributes: Vec<(String, String)>,
    asynchronous: bool,
    loose_key: Option<Regex>,
    has_key: bool,
}

/// Stands for the key while the template is parsed; letters and digits only, so that no escaping touches it.
const KEY_MARK: &str = "newtfernkeymark0";

impl Shape {
    pub fn of(supplier: &Supplier) -> Shape {
        let filled = supplier.snippet_for(KEY_MARK);
        let document = Document::parse(&filled);
        let mut shape = Shape {
            externals: 0,
            inlines: 0,
            loader: None,
            inline_minimal: Vec::new(),
            attributes: Vec::new(),
            asynchronous: false,
            loose_key: loose_key(&supplier.snippet.template),
            has_key: supplier.snippet.template.contains("{{key}}"),
        };
        for id in document.walk() {
            if document.name(id) != Some("script") {
                continue;
            }
            if let Some(src) = document.attribute(id, "src") {
                shape.externals += 1;
                shape.loader = shape.loader.take().or_else(|| absolute(src));
                shape.asynchronous |= ["async", "defer"]
                    .iter()
                    .any(|a| document.attribute(id, a).is_some());
                if let Kind::Element { attributes, .. } = &document.nodes[id].kind {
                    shape.attributes = attributes.clone();
                }
            } else {
                shape.inlines += 1;
                let text = document.text(id);
                shape.loader = shape.loader.take().or_else(|| address_in(&text, supplier));
                shape.inline_minimal.push(scan(&text).minimal);
            }
        }
        shape
    }

    fn same_loader(&self, address: &Url) -> bool {
        match &self.loader {
            Some(loader) => {
                let path = |u: &Url| u.path().replace(KEY_MARK, "*");
                loader.host_str() == address.host_str()
                    && (path(loader) == path(address)
                        || keyed_path_matches(loader.path(), address.path()))
            }
            None => true,
        }
    }

    /// True for a request or script address that is this supplier's loader.
    pub fn is_loader(&self, supplier: &Supplier, address: &str) -> bool {
        Url::parse(address).is_ok_and(|u| {
            u.host_str().is_some_and(|h| supplier.serves_loader(h)) && self.same_loader(&u)
        })
    }
}

fn keyed_path_matches(template: &str, seen: &str) -> bool {
    match template.split_once(KEY_MARK) {
        Some((head, tail)) => {
            seen.len() >= head.len() + tail.len() && seen.starts_with(head) && seen.ends_with(tail)
        }
        None => false,
    }
}

fn absolute(address: &str) -> Option<Url> {
    if address.starts_with("//") {
        Url::parse(&format!("https:{address}")).ok()
    } else {
        Url::parse(address).ok()
    }
}

/// The first address on one of the supplier's loader hosts inside script text.
fn address_in(text: &str, supplier: &Supplier) -> Option<Url> {
    for host in &supplier.recognise.script_hosts {
        let Some(at) = text.find(host.as_str()) else {
            continue;
        };
        let start = text[..at]
            .rfind(['"', '\'', '`', ' ', '('])
            .map_or(0, |i| i + 1);
        let end = text[at..]
            .find(['"', '\'', '`', ' ', ')', '\\'])
            .map_or(text.len(), |i| at + i);
        if let Some(url) = absolute(&text[start..end]) {
            return Some(url);
        }
    }
    None
}

/// From the template alone: whatever stands where the key belongs, even if it is no key at all.
fn loose_key(template: &str) -> Option<Regex> {
    let at = template.find("{{key}}")?;
    let before = &template[..at];
    let mut start = before.len().saturating_sub(14);
    while !before.is_char_boundary(start) {
        start += 1;
    }
    let lead = &before[start..];
    // Start at a word so that layout before it does not matter.
    let lead = lead
        .rsplit([' ', '\n', '<', ';', ',', '&', '?'])
        .next()
        .unwrap_or(lead);
    let stop = template[at + 7..].chars().next().unwrap_or('"');
    let quote = |text: &str| regex::escape(text).replace(['"', '\''], "[\"']");
    let stops = if stop == '"' || stop == '\'' {
        "\"'".to_string()
    } else {
        format!("\"'{}", regex::escape(&stop.to_string()))
    };
    Regex::new(&format!("{}(?P<key>[^{stops}]*)", quote(lead))).ok()
}

fn is_placeholder(key: &str) -> bool {
    let plain = key.trim().to_ascii_lowercase();
    if plain.is_empty() {
        return true;
    }
    let words = [
        "your",
        "placeholder",
        "insert",
        "replace",
        "changeme",
        "change-me",
        "key-here",
        "key_here",
        "keyhere",
        "todo",
        "undefined",
        "null",
    ];
    let bare: String = plain.chars().filter(|c| c.is_alphanumeric()).collect();
    plain.contains("{{")
        || plain.contains("<")
        || plain.contains("${")
        || plain.starts_with('[')
        || plain.starts_with('%')
        || words.iter().any(|w| plain.contains(w))
        || matches!(
            bare.as_str(),
            "" | "key" | "id" | "apikey" | "siteid" | "accountid" | "widgetid"
        )
        || (bare.len() > 1 && bare.chars().all(|c| c == 'x'))
        || (bare.len() > 1 && bare.chars().all(|c| c == '0'))
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
    pub shape: Shape,
}

impl<'a> Inspector<'a> {
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

    /// Markers with typographic quotes in place of plain ones.
    fn loosely(&self, text: &str) -> bool {
        text.contains(is_typographic_quote) && self.supplier.has_marker(&plain_quotes(text))
    }

    /// The pieces of a document, without saying whether all of it was read.
    pub fn pieces(&self, source: &str, page: &Url) -> Vec<Piece> {
        self.inspect(source, page).pieces
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
        let cut_tail = self.cut_tail(source);
        if !self.mentions(source) && cut_tail.is_none() {
            // What is beyond the bytes that are read was searched as text.
            return Inspection::default();
        }
        let document = Document::parse(source);
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

    fn script(&self, document: &Document, id: NodeId, base: &Url) -> Option<Piece> {
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
            base.join(address.trim())
                .ok()
                .and_then(|u| u.host_str().map(|h| self.supplier.serves_loader(h)))
                .unwrap_or(false)
        };
        let src = document.attribute(id, "src");
        let mut piece = if src.is_some_and(host_is_ours) {
            self.external(document, id, base, &tag, line)
        } else if self.mentions(&tag) {
            let broken_quotes = attributes.iter().any(|(name, value)| {
                name.chars()
                    .chain(value.chars())
                    .any(|c| is_typographic_quote(c) || c == '\u{a0}')
                    || value.starts_with(['"', '\''])
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
        let address = base.join(src.trim()).ok();
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
            .filter(|(n, _)| read(n))
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
        if expected
            .iter()
            .any(|e| seen.contains(e.as_str()) || e.contains(&seen))
        {
            return None;
        }
        let closest = expected.first()?;
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

    fn key_seen(&self, text: &str) -> KeySeen {
        // Script text in the other quotes is the same script.
        let in_double_quotes = || self.supplier.key_in(&scan(text).minimal);
        let known = self
            .supplier
            .key_in(text)
            .or_else(|| self.supplier.key_in(&text.replace("=\"\"", "")))
            .or_else(in_double_quotes);
        let loose = || {
            let m = self.shape.loose_key.as_ref()?.captures(text)?;
            Some(m.name("key")?.as_str().to_string())
        };
        match known.or_else(loose) {
            Some(key) if is_placeholder(&key) => KeySeen::Placeholder(key),
            Some(key) => KeySeen::Key(key),
            None => KeySeen::Nothing,
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

    /// Delays, in ms, that the page's own script text sets before it brings the widget.
    pub fn delays(&self, source: &str) -> Vec<u64> {
        if !self.mentions(source) {
            return Vec::new();
        }
        let document = Document::parse(source);
        document
            .walk()
            .into_iter()
            .filter(|id| {
                document.name(*id) == Some("script") && document.attribute(*id, "src").is_none()
            })
            .map(|id| scan(&document.text(id)).minimal)
            .filter(|text| self.mentions(text))
            .flat_map(|text| timeout_delays(&text))
            .collect()
    }

    /// The template carries a key.
    pub fn expects_key(&self) -> bool {
        self.shape.has_key
    }

    /// The template's script element itself carries the key, in its address or an attribute.
    pub fn expects_key_on_element(&self) -> bool {
        self.shape
            .attributes
            .iter()
            .any(|(_, value)| value.contains(KEY_MARK))
    }
}

/// The second argument of every `setTimeout` call with a plain number.
fn timeout_delays(minimal: &str) -> Vec<u64> {
    let mut out = Vec::new();
    // Bounded both ways: calls that never close would each be followed to the end of the page.
    for (at, _) in minimal.match_indices("setTimeout(").take(50) {
        let mut depth = 1;
        let mut comma = None;
        for (i, c) in minimal[at + 11..].char_indices().take(20_000) {
            match c {
                '(' | '{' | '[' => depth += 1,
                ')' | '}' | ']' => depth -= 1,
                ',' if depth == 1 => comma = Some(at + 11 + i + 1),
                _ => {}
            }
            if depth == 0 {
                let argument = comma
                    .map(|from| &minimal[from..at + 11 + i])
                    .unwrap_or_default();
                out.extend(argument.trim().parse::<f64>().ok().map(|ms| ms as u64));
                break;
            }
        }
    }
    out
}

fn plain_quotes(text: &str) -> String {
    text.chars()
        .map(|c| match c {
            '\u{2018}' | '\u{2019}' | '\u{201A}' | '\u{201B}' | '\u{2032}' | '\u{FF07}' => '\'',
            c if is_typographic_quote(c) => '"',
            c => c,
        })
        .collect()
}

/// JavaScript MIME type essence match (WHATWG MIME Sniffing, "JavaScript MIME type"), `module`, or empty.
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
#[path = "placement_tests.rs"]
mod tests;
