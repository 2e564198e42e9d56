//! Reads a document within bounds. The time of the parser's own work grows with the square of the
//! page where tags never close or a tag has thousands of attributes, so both are counted while it
//! reads, and a page that goes beyond is left where it does.

use super::Document;
use super::tree::{Effort, Sink};
use html5ever::LocalName;
use html5ever::buffer_queue::BufferQueue;
use html5ever::interface::{TokenizerResult, TreeSink};
use html5ever::tendril::StrTendril;
use html5ever::tokenizer::{Tag, TagKind, Token, TokenSink, TokenSinkResult, Tokenizer};
use html5ever::tree_builder::TreeBuilder;
use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::rc::Rc;

/// Bytes of a document that are read.
pub const MOST_BYTES: usize = 3_000_000;
/// Nodes that are built: ten times those of the largest page of handbooks we know.
pub const MOST_NODES: usize = 200_000;
/// Attributes of one tag.
pub const MOST_ATTRIBUTES: usize = 1_000;
/// Open elements looked at. PostgreSQL's handbook takes at most 0.6 for a byte: 2 million for as
/// many bytes as are read.
const MOST_STEPS: usize = 10_000_000;
/// Bytes of attributes in the tree, those of elements that are opened again counted each time.
const MOST_KEPT: usize = 60_000_000;
/// A tag that is longer is looked into before it ends.
const LONG_TAG: usize = 2_048;

/// Parses as far as the bounds allow; [`Document::cut`] says whether that was all.
pub(super) fn read(source: &str) -> Document {
    let kept = &source[..source.floor_char_boundary(MOST_BYTES)];
    let sink = Sink::default();
    let effort = sink.effort.clone();
    // Not exact errors: only the other kind names the tokenizer's state at the end of the file.
    let bounded = BoundedSink {
        builder: TreeBuilder::new(sink, Default::default()),
        effort,
        formatting: Formatting::default(),
        tokens: Cell::new(0),
        beyond: Cell::new(false),
    };
    let tokenizer = Tokenizer::new(bounded, Default::default());
    let many = !feed(&tokenizer, kept);
    tokenizer.end();
    let beyond = tokenizer.sink.beyond.get();
    let mut document = tokenizer.sink.builder.sink.finish();
    document.cut = many || beyond || kept.len() < source.len();
    document
}

/// Feeds piece by piece, each beginning with a `<` where it can: so where no token comes for a
/// while, it is known where the tag began that is being read. False where a tag has too many
/// attributes.
fn feed(tokenizer: &Tokenizer<BoundedSink>, source: &str) -> bool {
    let whole = StrTendril::from(source);
    let queue = BufferQueue::default();
    // Where what is being read began, and how far it is looked into next.
    let (mut began, mut look) = (0, LONG_TAG);
    let mut at = 0;
    while at < source.len() {
        let end = piece_end(source, at);
        queue.push_back(whole.subtendril(at as u32, (end - at) as u32));
        let before = tokenizer.sink.tokens.get();
        while let TokenizerResult::Script(_) | TokenizerResult::EncodingIndicator(_) =
            tokenizer.feed(&queue)
        {}
        if tokenizer.sink.beyond.get() {
            return true;
        }
        if tokenizer.sink.tokens.get() != before {
            (began, look) = (end, LONG_TAG);
        } else if end - began >= look {
            if attributes_in(&source[began..end]) > MOST_ATTRIBUTES {
                return false;
            }
            look *= 2;
        }
        at = end;
    }
    true
}

/// Before the next `<`, or after a good piece of anything else.
fn piece_end(source: &str, at: usize) -> usize {
    let most = source.ceil_char_boundary((at + LONG_TAG).min(source.len()));
    let rest = &source.as_bytes()[at + 1..most];
    let next = rest.iter().position(|b| *b == b'<');
    next.map_or(most, |next| at + 1 + next)
}

/// Returns how many attributes a tag has so far (HTML standard, 13.2.5.32 to 13.2.5.39); none where
/// the text begins with no tag.
fn attributes_in(text: &str) -> usize {
    let named = text
        .strip_prefix('<')
        .map(|t| t.strip_prefix('/').unwrap_or(t));
    let Some(tag) = named.filter(|t| t.starts_with(|c: char| c.is_ascii_alphabetic())) else {
        return 0;
    };
    let blank = |b: u8| b.is_ascii_whitespace() || b == b'/';
    let bytes = tag.as_bytes();
    let mut count = 0;
    let mut at = bytes.iter().position(|b| blank(*b)).unwrap_or(bytes.len());
    while at < bytes.len() {
        if blank(bytes[at]) {
            at += 1;
            continue;
        }
        count += 1;
        // The name, whose first character may be anything.
        at += 1;
        while at < bytes.len() && !blank(bytes[at]) && bytes[at] != b'=' {
            at += 1;
        }
        let skip_blanks = |mut at: usize| {
            while bytes.get(at).is_some_and(u8::is_ascii_whitespace) {
                at += 1;
            }
            at
        };
        let equals = skip_blanks(at);
        if bytes.get(equals) != Some(&b'=') {
            continue;
        }
        at = skip_blanks(equals + 1);
        let quote = bytes.get(at).copied().filter(|b| matches!(b, b'"' | b'\''));
        at += usize::from(quote.is_some());
        let ends = |b: u8| quote.map_or(b.is_ascii_whitespace(), |q| b == q);
        while at < bytes.len() && !ends(bytes[at]) {
            at += 1;
        }
        at += usize::from(quote.is_some());
    }
    count
}

/// Between tokenizer and tree: no token goes on once the tree has taken too much.
struct BoundedSink {
    builder: TreeBuilder<usize, Sink>,
    effort: Rc<Effort>,
    formatting: Formatting,
    /// Tokens so far, errors apart.
    tokens: Cell<u64>,
    beyond: Cell<bool>,
}

impl TokenSink for BoundedSink {
    type Handle = usize;

    fn process_token(&self, token: Token, line: u64) -> TokenSinkResult<usize> {
        if !matches!(token, Token::ParseError(_)) {
            self.tokens.set(self.tokens.get() + 1);
        }
        if let Token::TagToken(tag) = &token {
            // Each attribute was compared with those before it.
            let attributes = tag.attrs.len();
            self.effort.step(attributes * attributes / 16);
            self.effort.step(self.formatting.open(tag));
        }
        let beyond = self.effort.nodes.get() > MOST_NODES
            || self.effort.steps.get() > MOST_STEPS
            || self.effort.bytes.get() > MOST_KEPT;
        // The end of the file is always told: the tree is closed there.
        if beyond && token != Token::EOFToken {
            self.beyond.set(true);
            return TokenSinkResult::Continue;
        }
        self.builder.process_token(token, line)
    }

    fn end(&self) {
        self.builder.end();
    }

    fn adjusted_current_node_present_but_not_in_html_namespace(&self) -> bool {
        let builder = &self.builder;
        builder.adjusted_current_node_present_but_not_in_html_namespace()
    }
}

/// Formatting elements that may be open, by what they are: each new one is compared with all of
/// them, and of those alike three are kept (HTML standard, 13.2.4.3 "The list of active formatting
/// elements").
#[derive(Default)]
struct Formatting {
    alike: RefCell<HashMap<u64, usize>>,
    named: RefCell<HashMap<LocalName, Vec<u64>>>,
}

impl Formatting {
    /// Takes a tag into account; how many steps comparing it may cost.
    fn open(&self, tag: &Tag) -> usize {
        if !formats(&tag.name) {
            return 0;
        }
        let (mut alike, mut named) = (self.alike.borrow_mut(), self.named.borrow_mut());
        let same_name = named.entry(tag.name.clone()).or_default();
        let closes = tag.kind == TagKind::EndTag || matches!(&*tag.name, "a" | "nobr");
        if closes && let Some(last) = same_name.pop() {
            alike.entry(last).and_modify(|n| *n = n.saturating_sub(1));
        }
        if tag.kind == TagKind::StartTag {
            let mut hasher = DefaultHasher::new();
            tag.name.hash(&mut hasher);
            let attributes = tag.attrs.iter();
            attributes.for_each(|a| (&*a.name.local, &*a.value).hash(&mut hasher));
            let n = alike.entry(hasher.finish()).or_default();
            if *n < 3 {
                *n += 1;
                same_name.push(hasher.finish());
            }
        }
        same_name.len() * (8 + tag.attrs.len())
    }
}

fn formats(name: &str) -> bool {
    matches!(
        name,
        "a" | "b"
            | "big"
            | "code"
            | "em"
            | "font"
            | "i"
            | "nobr"
            | "s"
            | "small"
            | "strike"
            | "strong"
            | "tt"
            | "u"
    )
}
