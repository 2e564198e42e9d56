//! Where in a slot's text a supplier's code stands, in whatever damage, to the byte: so that it can
//! be taken out without touching what others put there.

use crate::placement::{Inspector, PieceState};
use crate::platform::{called, in_script_tags, script_text};
use crate::profile::{ConsentManager, Supplier, VALUE_MARK};
use newtfern_standards::html::Document;
use newtfern_standards::script_scan::is_typographic_quote;
use std::ops::Range;

/// Form in which a piece stands there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SpanKind {
    /// Code that can run.
    Code,
    /// Code in an HTML comment.
    Comment,
    /// Shown to visitors as text.
    AsText,
    /// Script tags inside script tags.
    DoubleWrapped,
    /// Code with typographic quotes.
    Quotes,
    /// Code that is cut off.
    CutOff,
}

impl SpanKind {
    /// Returns the kind as words for people.
    pub fn words(self) -> &'static str {
        match self {
            SpanKind::Code => "a copy of the code",
            SpanKind::Comment => "a copy in a comment",
            SpanKind::AsText => "a copy that visitors see as text",
            SpanKind::DoubleWrapped => "a copy with script tags inside script tags",
            SpanKind::Quotes => "a copy with typographic quotes",
            SpanKind::CutOff => "a copy that is cut off",
        }
    }
}

/// A piece of text that is the supplier's.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Span {
    /// Byte range in the slot's text.
    pub at: Range<usize>,
    /// Form in which it stands there.
    pub found: SpanKind,
}

/// Ways in which an editor writes `<` and `>` as text, once or twice over.
const ESCAPED: [(&str, &str); 2] = [
    ("&lt;script", "&lt;/script&gt;"),
    ("&amp;lt;script", "&amp;lt;/script&amp;gt;"),
];
/// Elements that an editor puts around a line of text.
const AROUND: [&str; 4] = ["p", "pre", "code", "div"];

/// All pieces of a supplier in a text of markup, in their order: script elements in whatever
/// damage, and script text in the consent manager's call.
pub fn in_markup(supplier: &Supplier, consent: Option<&ConsentManager>, text: &str) -> Vec<Span> {
    let mut out = elements(supplier, text);
    let plain = script_text(&supplier.form_for(KEY_MARK));
    if let Some(waiting) = waiting(&plain, supplier, consent) {
        add_forms(&mut out, &in_script_tags(&waiting), text);
    }
    out
}

fn elements(supplier: &Supplier, text: &str) -> Vec<Span> {
    let finder = Finder {
        inspector: Inspector::new(supplier, None),
        lower: text.to_ascii_lowercase(),
        text,
    };
    joined(finder.all(), text)
}

/// The code in the manager's call, where its profile has one.
fn waiting(plain: &str, supplier: &Supplier, consent: Option<&ConsentManager>) -> Option<String> {
    let manager = consent.filter(|m| !m.gating.script.is_empty())?;
    Some(called(plain, supplier, manager))
}

/// Adds each place of a form that is not inside a piece already.
fn add_forms(out: &mut Vec<Span>, form: &str, text: &str) {
    // Sorted, and none overlaps another.
    let inside = |out: &[Span], at: &Range<usize>| {
        let before = out.partition_point(|s| s.at.start <= at.start);
        out[..before].last().is_some_and(|s| at.end <= s.at.end)
    };
    let more = found(form, text).into_iter().filter(|at| !inside(out, at));
    let more: Vec<Span> = more
        .map(|at| Span {
            at,
            found: SpanKind::Code,
        })
        .collect();
    // A piece may stand inside the manager's call, and goes with it.
    out.retain(|s| {
        !more
            .iter()
            .any(|m| m.at.start <= s.at.start && s.at.end <= m.at.end)
    });
    out.extend(more);
    out.sort_by_key(|s| s.at.start);
}

/// All pieces in a text that the slot puts into a script: the form that was fitted to it, with any
/// key and any values of the design, in the consent manager's call or outside it, or script tags
/// that were pasted all the same.
pub fn in_script(supplier: &Supplier, consent: Option<&ConsentManager>, text: &str) -> Vec<Span> {
    let mut out = elements(supplier, text);
    for span in &mut out {
        span.found = SpanKind::DoubleWrapped;
    }
    let plain = script_text(&supplier.form_for(KEY_MARK));
    // What is inside the manager's call goes with it.
    for form in waiting(&plain, supplier, consent).iter().chain([&plain]) {
        add_forms(&mut out, form, text);
    }
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

/// Next place of a mark, looked for once: places are asked for from left to right, and each stretch
/// of the text is searched once however many marks of another kind stand in it.
struct Next<'a> {
    mark: &'static str,
    text: &'a str,
    /// Position from which it was last looked for, and where it was found.
    found: (usize, Option<usize>),
}

impl<'a> Next<'a> {
    fn new(mark: &'static str, text: &'a str) -> Next<'a> {
        let found = (0, text.find(mark));
        Next { mark, text, found }
    }

    /// The first place at or after `from` that ends before `end`.
    fn at(&mut self, from: usize, end: usize) -> Option<usize> {
        let (looked, place) = self.found;
        let stale = from < looked || place.is_some_and(|place| place < from);
        if stale {
            self.found = (from, self.text[from..].find(self.mark).map(|i| from + i));
        }
        self.found.1.filter(|at| at + self.mark.len() <= end)
    }
}

/// Mark that may begin a piece.
#[derive(Debug, Clone, Copy)]
enum Mark {
    Comment,
    Script,
    Escaped,
}

/// The marks that a scan looks for.
struct Marks<'a> {
    comment: Next<'a>,
    comment_end: Next<'a>,
    script: Next<'a>,
    script_end: Next<'a>,
    escaped: [(Next<'a>, Next<'a>); 2],
    less: Next<'a>,
    greater: Next<'a>,
    line: Next<'a>,
}

impl<'a> Marks<'a> {
    fn of(lower: &'a str) -> Marks<'a> {
        let next = |mark| Next::new(mark, lower);
        Marks {
            comment: next("<!--"),
            comment_end: next("-->"),
            script: next("<script"),
            script_end: next("</script"),
            escaped: ESCAPED.map(|(open, close)| (next(open), next(close))),
            less: next("<"),
            greater: next(">"),
            line: next("\n"),
        }
    }

    fn line_end(&mut self, from: usize, end: usize) -> usize {
        self.line.at(from, end).unwrap_or(end)
    }

    /// The first place where something may begin, and what.
    fn next(&mut self, from: usize, end: usize) -> Option<(usize, Mark)> {
        let [once, twice] = &mut self.escaped;
        let places = [
            (self.comment.at(from, end), Mark::Comment),
            (self.script.at(from, end), Mark::Script),
            (once.0.at(from, end), Mark::Escaped),
            (twice.0.at(from, end), Mark::Escaped),
        ];
        let found = places
            .into_iter()
            .filter_map(|(at, mark)| Some((at?, mark)));
        found.min_by_key(|(at, _)| *at)
    }
}

impl Finder<'_> {
    /// The pieces of the whole text.
    fn all(&self) -> Vec<Span> {
        let mut marks = Marks::of(&self.lower);
        let mut out = Vec::new();
        let (mut at, end) = (0, self.text.len());
        while let Some((from, mark)) = marks.next(at, end) {
            let close = marks.comment_end.at(from, end);
            at = match (mark, close) {
                (Mark::Comment, Some(close)) => self.comment(from, close, &mut marks, &mut out),
                // An open comment swallows the rest: what is in it cannot be told from what is
                // behind it.
                (Mark::Comment, None) => from + 4,
                (Mark::Script, _) => self.script(from, end, &mut marks, &mut out),
                (Mark::Escaped, _) => self.escaped(from, end, &mut marks, &mut out),
            };
        }
        out
    }

    /// The pieces of a stretch inside a comment, where no further comment ends.
    fn inside(&self, range: Range<usize>, marks: &mut Marks) -> Vec<Span> {
        let mut out = Vec::new();
        let mut at = range.start;
        while let Some((from, mark)) = marks.next(at, range.end) {
            at = match mark {
                Mark::Comment => from + 4,
                Mark::Script => self.script(from, range.end, marks, &mut out),
                Mark::Escaped => self.escaped(from, range.end, marks, &mut out),
            };
        }
        out
    }

    /// A comment goes whole where nothing but words stands beside the code in it.
    fn comment(&self, from: usize, close: usize, marks: &mut Marks, out: &mut Vec<Span>) -> usize {
        // `<!-->` ends where it begins.
        let inner = match from + 4 <= close {
            true => self.inside(from + 4..close, marks),
            false => Vec::new(),
        };
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
                    found: SpanKind::Comment,
                    ..s
                })),
                false => out.push(Span {
                    at: from..close + 3,
                    found: SpanKind::Comment,
                }),
            }
        }
        close + 3
    }

    fn script(&self, from: usize, end: usize, marks: &mut Marks, out: &mut Vec<Span>) -> usize {
        let less = marks.less.at(from + 1, end);
        // A tag with another tag in it, or with no end, breaks off: its line is what is left of it.
        let open = marks
            .greater
            .at(from, end)
            .filter(|e| less.is_none_or(|less| less > *e));
        let close = open.and_then(|e| marks.script_end.at(e, end));
        let Some((tag_end, close)) = open.zip(close) else {
            let line_end = marks.line_end(from, end);
            let stop = less.map_or(line_end, |less| less.min(line_end));
            let found = out.len();
            self.push(from..stop, SpanKind::CutOff, out);
            if out.len() > found {
                return stop.max(from + 1);
            }
            // Somebody else's broken tag swallows what follows up to an end tag: to take ours out
            // of it would let it swallow more.
            let Some(at) = marks.script_end.at(from, end) else {
                return end;
            };
            let past = marks.greater.at(at, end).map_or(end, |i| i + 1);
            return past.max(from + 1);
        };
        let mut after = marks.greater.at(close, end).map_or(end, |i| i + 1);
        let wrapped = self.lower[tag_end..close].contains("<script");
        let quotes = self.text[from..tag_end].contains(is_typographic_quote);
        let found = match (wrapped, quotes) {
            (true, _) => SpanKind::DoubleWrapped,
            (_, true) => SpanKind::Quotes,
            _ => SpanKind::Code,
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

    fn escaped(&self, from: usize, end: usize, marks: &mut Marks, out: &mut Vec<Span>) -> usize {
        let closes = ESCAPED
            .iter()
            .zip(&mut marks.escaped)
            .filter(|((open, _), _)| self.lower[from..].starts_with(open));
        let close = closes
            .filter_map(|((_, c), (_, next))| next.at(from, end).map(|i| i + c.len()))
            .min();
        let stop = match close {
            Some(close) => close,
            None => marks.line_end(from, end),
        };
        // What the piece before has taken with it is not taken twice.
        let free = out.last().map_or(0, |s| s.at.end);
        let around = self.around(from..stop);
        let at = match around.start < free {
            true => from..stop,
            false => around,
        };
        self.push(at, SpanKind::AsText, out);
        stop.max(from + 1)
    }

    /// Returns a piece with the element around it, where that holds nothing else.
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
    fn push(&self, at: Range<usize>, found: SpanKind, out: &mut Vec<Span>) {
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

/// Pieces with nothing but blanks between them are one: a snippet may be of several elements. Two
/// copies of the whole stand beside each other as often as two parts of one, so the second must be
/// of another kind than the first.
fn joined(spans: Vec<Span>, text: &str) -> Vec<Span> {
    let mut out: Vec<(Span, Option<bool>)> = Vec::new();
    for span in spans {
        let kind = kind(&text[span.at.clone()]);
        match out.last_mut() {
            Some((last, first))
                if last.found == span.found
                    && *first != kind
                    && text[last.at.end..span.at.start].trim().is_empty() =>
            {
                last.at.end = span.at.end;
            }
            _ => out.push((span, kind)),
        }
    }
    out.into_iter().map(|(span, _)| span).collect()
}

/// Returns whether the first script of a piece has an address; none where the piece has no script.
fn kind(piece: &str) -> Option<bool> {
    let document = Document::parse(piece);
    let script = document
        .walk()
        .into_iter()
        .find(|id| document.name(*id) == Some("script"));
    script.map(|id| document.attribute(id, "src").is_some())
}
