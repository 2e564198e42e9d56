//! Where in a slot's text a supplier's code stands, in whatever damage, to the byte: so that it can be
//! taken out without touching what others put there.

use crate::html::Document;
use crate::placement::{Inspector, PieceState};
use crate::platform::{called, script_text};
use crate::profile::{ConsentManager, Supplier, VALUE_MARK};
use crate::script_scan::is_typographic_quote;
use std::ops::Range;

/// How a piece stands there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Found {
    /// As code.
    Code,
    /// In a comment.
    Comment,
    /// Shown to visitors as text.
    AsText,
    /// Script tags inside script tags.
    DoubleWrapped,
    /// With typographic quotes.
    Quotes,
    /// Cut off.
    CutOff,
}

impl Found {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Found::Code => "a copy of the code",
            Found::Comment => "a copy in a comment",
            Found::AsText => "a copy that visitors see as text",
            Found::DoubleWrapped => "a copy with script tags inside script tags",
            Found::Quotes => "a copy with typographic quotes",
            Found::CutOff => "a copy that is cut off",
        }
    }
}

/// A piece of text that is the supplier's.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Span {
    /// In bytes.
    pub at: Range<usize>,
    /// How it stands there.
    pub found: Found,
}

/// Ways in which an editor writes `<` and `>` as text, once or twice over.
const ESCAPED: [(&str, &str); 2] = [
    ("&lt;script", "&lt;/script&gt;"),
    ("&amp;lt;script", "&amp;lt;/script&amp;gt;"),
];
/// Elements that an editor puts around a line of text.
const AROUND: [&str; 4] = ["p", "pre", "code", "div"];

/// All pieces of a supplier in a text of markup, in their order.
pub fn in_markup(supplier: &Supplier, text: &str) -> Vec<Span> {
    let finder = Finder {
        inspector: Inspector::new(supplier, None),
        lower: text.to_ascii_lowercase(),
        text,
    };
    joined(finder.within(0..text.len()), text)
}

/// All pieces in a text that the slot puts into a script: the form that was fitted to it, with any key and any
/// values of the design, in the consent manager's call or outside it, or script tags that were pasted all the same.
pub fn in_script(supplier: &Supplier, consent: Option<&ConsentManager>, text: &str) -> Vec<Span> {
    let mut out = in_markup(supplier, text);
    for span in &mut out {
        span.found = Found::DoubleWrapped;
    }
    let plain = script_text(&supplier.form_for(KEY_MARK));
    let waiting = consent
        .filter(|m| !m.gating.script.is_empty())
        .map(|m| called(&plain, supplier, m));
    // What is inside the manager's call goes with it.
    for form in waiting.iter().chain([&plain]) {
        let inside = |at: &Range<usize>| {
            out.iter()
                .any(|s| s.at.start <= at.start && at.end <= s.at.end)
        };
        let more: Vec<Span> = found(form, text)
            .into_iter()
            .filter(|at| !inside(at))
            .map(|at| Span {
                at,
                found: Found::Code,
            })
            .collect();
        out.extend(more);
    }
    out.sort_by_key(|s| s.at.start);
    out
}

/// A key that cannot stand in a snippet, to find its places in the form.
const KEY_MARK: &str = "0KEY0";

fn found(form: &str, text: &str) -> Vec<Range<usize>> {
    let form = regex::escape(form.trim())
        .replace(KEY_MARK, "[A-Za-z0-9._-]{1,80}")
        .replace(VALUE_MARK, "[^\"\n]{0,400}");
    match regex::RegexBuilder::new(&form).size_limit(1 << 20).build() {
        Ok(form) => form.find_iter(text).map(|m| m.range()).collect(),
        Err(_) => Vec::new(),
    }
}

struct Finder<'a> {
    inspector: Inspector<'a>,
    text: &'a str,
    /// The same length: only ASCII letters change.
    lower: String,
}

impl Finder<'_> {
    fn within(&self, range: Range<usize>) -> Vec<Span> {
        let mut out = Vec::new();
        let mut at = range.start;
        while at < range.end {
            let rest = &self.lower[at..range.end];
            let next = [rest.find("<!--"), rest.find("<script")]
                .into_iter()
                .chain(ESCAPED.map(|(open, _)| rest.find(open)));
            let Some(from) = next.flatten().min().map(|i| at + i) else {
                break;
            };
            at = if self.lower[from..].starts_with("<!--") {
                self.comment(from, range.end, &mut out)
            } else if self.lower[from..].starts_with("<script") {
                self.script(from, range.end, &mut out)
            } else {
                self.escaped(from, range.end, &mut out)
            };
        }
        out
    }

    /// A comment goes whole where nothing but words stands beside the code in it.
    fn comment(&self, from: usize, end: usize, out: &mut Vec<Span>) -> usize {
        let Some(close) = self.lower[from..end].find("-->").map(|i| from + i) else {
            // An open comment swallows the rest: what is in it cannot be told from what is behind it.
            out.extend(self.within(from + 4..end));
            return end;
        };
        let inner = self.within(from + 4..close);
        if !inner.is_empty() {
            let mut left = String::new();
            let mut at = from + 4;
            for span in &inner {
                left.push_str(&self.text[at..span.at.start]);
                at = span.at.end;
            }
            left.push_str(&self.text[at..close]);
            match left.contains('<') {
                true => out.extend(inner.into_iter().map(|s| Span {
                    found: Found::Comment,
                    ..s
                })),
                false => out.push(Span {
                    at: from..close + 3,
                    found: Found::Comment,
                }),
            }
        }
        close + 3
    }

    fn script(&self, from: usize, end: usize, out: &mut Vec<Span>) -> usize {
        let tag_end = self.lower[from..end].find('>').map(|i| from + i);
        let line_end = self.lower[from..end].find('\n').map_or(end, |i| from + i);
        // A tag with another tag in it, or with no end, breaks off: its line is what is left of it.
        let open = tag_end.filter(|e| !self.lower[from + 1..*e].contains('<'));
        let close = open.and_then(|e| self.lower[e..end].find("</script").map(|i| e + i));
        let Some((tag_end, close)) = open.zip(close) else {
            let stop = self.lower[from + 1..line_end]
                .find('<')
                .map_or(line_end, |i| from + 1 + i);
            let found = out.len();
            self.push(from..stop, Found::CutOff, out);
            if out.len() > found {
                return stop.max(from + 1);
            }
            // Somebody else's broken tag swallows what follows up to an end tag: to take ours out of it would
            // let it swallow more.
            let ends = self.lower[from..end].find("</script").map(|i| from + i);
            let past = |at: usize| self.lower[at..end].find('>').map_or(end, |i| at + i + 1);
            return ends.map_or(end, past).max(from + 1);
        };
        let mut after = self.lower[close..end]
            .find('>')
            .map_or(end, |i| close + i + 1);
        let wrapped = self.lower[tag_end..close].contains("<script");
        let quotes = self.text[from..tag_end].contains(is_typographic_quote);
        let found = match (wrapped, quotes) {
            (true, _) => Found::DoubleWrapped,
            (_, true) => Found::Quotes,
            _ => Found::Code,
        };
        if wrapped {
            let rest = &self.lower[after..end];
            let blank = rest.len() - rest.trim_start().len();
            if rest.trim_start().starts_with("</script>") {
                after += blank + "</script>".len();
            }
        }
        self.push(from..after, found, out);
        after
    }

    fn escaped(&self, from: usize, end: usize, out: &mut Vec<Span>) -> usize {
        let closes = ESCAPED
            .iter()
            .filter(|(o, _)| self.lower[from..].starts_with(o));
        let close = closes
            .filter_map(|(_, c)| self.lower[from..end].find(c).map(|i| from + i + c.len()))
            .min();
        let line_end = self.lower[from..end].find('\n').map_or(end, |i| from + i);
        let stop = close.unwrap_or(line_end);
        self.push(self.around(from..stop), Found::AsText, out);
        stop.max(from + 1)
    }

    /// With the element around it, where that holds nothing else.
    fn around(&self, at: Range<usize>) -> Range<usize> {
        let before = self.lower[..at.start].trim_end();
        let after = &self.lower[at.end..];
        let blank = after.len() - after.trim_start().len();
        for name in AROUND {
            let (open, close) = (format!("<{name}>"), format!("</{name}>"));
            if before.ends_with(&open) && after.trim_start().starts_with(&close) {
                return before.len() - open.len()..at.end + blank + close.len();
            }
        }
        at
    }

    /// Only what is the supplier's alone: a script of somebody else's that mentions it stays.
    fn push(&self, at: Range<usize>, found: Found, out: &mut Vec<Span>) {
        let piece = &self.text[at.clone()];
        if !self.inspector.mentions(piece) {
            return;
        }
        let seen = self.inspector.pieces_apart(&format!("<body>{piece}"));
        let others = |s: &PieceState| *s == PieceState::Mentioned;
        if !seen.is_empty() && seen.iter().all(|p| others(&p.state)) {
            return;
        }
        out.push(Span { at, found });
    }
}

/// Pieces with nothing but blanks between them are one: a snippet may be of several elements.
fn joined(spans: Vec<Span>, text: &str) -> Vec<Span> {
    let mut out: Vec<Span> = Vec::new();
    for span in spans {
        match out.last_mut() {
            Some(last)
                if last.found == span.found
                    && is_part(text, last, &span)
                    && text[last.at.end..span.at.start].trim().is_empty() =>
            {
                last.at.end = span.at.end;
            }
            _ => out.push(span),
        }
    }
    out
}

/// Two copies of the whole stand beside each other as often as two parts of one.
fn is_part(text: &str, a: &Span, b: &Span) -> bool {
    let kind = |s: &Span| {
        let document = Document::parse(&text[s.at.clone()]);
        let script = document
            .walk()
            .into_iter()
            .find(|id| document.name(*id) == Some("script"));
        script.map(|id| document.attribute(id, "src").is_some())
    };
    kind(a) != kind(b)
}
