//! Patterns of page rules: paths and queries, `*` inside one segment, `**` over any depth; or a
//! kind of page (`kind:legal`).

use crate::pages::page_kind::PageKind;
use icu_normalizer::ComposingNormalizerBorrowed;
use regex::Regex;
use serde::{Deserialize, Serialize};
use url::Url;

/// Characters of a pattern.
const MOST_PATTERN: usize = 500;
/// Patterns of one field, as a person types them.
pub const MOST_PATTERNS: usize = 200;
/// Cost of a compiled pattern, at most, in bytes.
const MOST_COMPILED: usize = 200_000;

/// Begins a pattern that names a kind.
const KIND: &str = "kind:";

/// Reason why a text is no pattern.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PatternError {
    /// The text begins with neither a slash nor `kind:`.
    #[error(
        "\u{201c}{0}\u{201d} begins with no slash: write the path as it stands after the host, \
        such as /legal/**"
    )]
    NoSlash(String),
    /// No kind has this name.
    #[error("\u{201c}{given}\u{201d} is not a kind of page; the nearest is {nearest}")]
    Kind {
        /// Text as it was given.
        given: String,
        /// The kind most like it.
        nearest: &'static str,
    },
    /// Longer than any path of a person.
    #[error("a pattern may have {MOST_PATTERN} characters")]
    TooLong,
    /// More than a person types.
    #[error("a field may have {MOST_PATTERNS} patterns: let one with * or ** stand for many")]
    TooMany,
    /// A part after `#` never reaches a server.
    #[error("\u{201c}{0}\u{201d} has a #, which is not a part of a page's address")]
    Fragment(String),
}

/// Pattern of one page rule.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Pattern {
    text: String,
    what: What,
}

#[derive(Debug, Clone)]
enum What {
    Kind(PageKind),
    Path {
        path: Regex,
        /// Parameters that must be there, in any order.
        query: Vec<(String, Regex)>,
    },
}

impl PartialEq for Pattern {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl TryFrom<String> for Pattern {
    type Error = PatternError;

    fn try_from(text: String) -> Result<Self, PatternError> {
        Pattern::read(&text)
    }
}

impl From<Pattern> for String {
    fn from(pattern: Pattern) -> String {
        pattern.text
    }
}

impl Pattern {
    /// Reads a pattern from its text.
    ///
    /// # Errors
    /// [`PatternError`], in words for the person who typed it.
    ///
    /// ```
    /// use newtfern_model::pages::{PageKind, Pattern};
    /// let legal = Pattern::read("/legal/**").unwrap();
    /// let page = |path: &str| url::Url::parse(&format!("https://kites.example{path}")).unwrap();
    /// assert!(legal.takes(&page("/legal"), PageKind::Other));
    /// assert!(legal.takes(&page("/legal/privacy/2024/"), PageKind::Other));
    /// assert!(!legal.takes(&page("/legally"), PageKind::Other));
    /// ```
    pub fn read(text: &str) -> Result<Pattern, PatternError> {
        let text = text.trim();
        if text.chars().count() > MOST_PATTERN {
            return Err(PatternError::TooLong);
        }
        let what =
            match text.strip_prefix(KIND) {
                Some(name) => What::Kind(PageKind::parse(name.trim()).map_err(|nearest| {
                    PatternError::Kind {
                        given: name.trim().to_string(),
                        nearest,
                    }
                })?),
                None => path_of(text)?,
            };
        Ok(Pattern {
            text: text.to_string(),
            what,
        })
    }

    /// Every page of a site.
    pub fn every() -> Pattern {
        Pattern {
            text: "/**".into(),
            what: What::Path {
                path: Regex::new("").expect("constant pattern"),
                query: Vec::new(),
            },
        }
    }

    /// Returns the pattern as it was written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Returns whether the pattern takes this page.
    pub fn takes(&self, page: &Url, kind: PageKind) -> bool {
        self.takes_page(&ComparedPage::of(page, kind))
    }

    /// Returns whether the pattern takes a page that is compared with many patterns. As
    /// [`Pattern::takes`] otherwise.
    pub fn takes_page(&self, page: &ComparedPage) -> bool {
        match &self.what {
            What::Kind(wanted) => *wanted == page.kind,
            What::Path { path, query } => {
                let there = |(name, value): &(String, Regex)| {
                    let mut pairs = page.pairs.iter();
                    pairs.any(|(n, v)| n == name && value.is_match(v))
                };
                path.is_match(&page.path) && query.iter().all(there)
            }
        }
    }
}

/// A page as patterns compare it, worked out once.
#[derive(Debug, Clone)]
pub struct ComparedPage {
    kind: PageKind,
    path: String,
    pairs: Vec<(String, String)>,
}

impl ComparedPage {
    /// Prepares a page for comparison with patterns.
    pub fn of(page: &Url, kind: PageKind) -> ComparedPage {
        let pairs = page.query_pairs();
        ComparedPage {
            kind,
            path: plain_path(page.path()),
            pairs: pairs
                .map(|(name, value)| (name.into_owned(), composed(&value)))
                .collect(),
        }
    }
}

fn path_of(text: &str) -> Result<What, PatternError> {
    if !text.starts_with('/') {
        return Err(PatternError::NoSlash(text.to_string()));
    }
    if text.contains('#') {
        return Err(PatternError::Fragment(text.to_string()));
    }
    let (path, query) = text.split_once('?').unwrap_or((text, ""));
    let pairs = url::form_urlencoded::parse(query.as_bytes());
    let wanted = pairs.map(|(name, value)| {
        let value = compiled(&globbed(&composed(&value)))?;
        Ok((name.into_owned(), value))
    });
    Ok(What::Path {
        path: compiled(&globbed(&plain_path(path)))?,
        query: wanted.collect::<Result<_, PatternError>>()?,
    })
}

/// All of it must fit. The engine's time is linear in the text, whatever the pattern.
fn compiled(pattern: &str) -> Result<Regex, PatternError> {
    let whole = format!("^(?s:{pattern})$");
    let built = regex::RegexBuilder::new(&whole)
        .size_limit(MOST_COMPILED)
        .build();
    built.map_err(|_| PatternError::TooLong)
}

/// Wildcards in the words of regular expressions. A folder's pattern takes the folder as well.
fn globbed(path: &str) -> String {
    let (path, end) = match path.strip_suffix("/**") {
        Some(folder) => (folder, "(?:/.*)?"),
        None => (path, ""),
    };
    let mut out = String::new();
    let mut rest = path;
    while let Some(at) = rest.find('*') {
        let (before, wild) = rest.split_at(at);
        out.push_str(&regex::escape(before));
        let (wildcard, length) = match wild {
            // Any number of whole segments, none as well.
            w if w.starts_with("**/") && before.ends_with('/') => ("(?:.*/)?", 3),
            w if w.starts_with("**") => (".*", 2),
            _ => ("[^/]*", 1),
        };
        out.push_str(wildcard);
        rest = &wild[length..];
    }
    out.push_str(&regex::escape(rest));
    out.push_str(end);
    out
}

/// A path as it is compared: unreserved characters and those beyond ASCII decoded (RFC 3986,
/// 6.2.2.2; RFC 3987), what else stands encoded in capital letters, composed (NFC), no slash at the
/// end.
pub(crate) fn plain_path(path: &str) -> String {
    let mut bytes = Vec::with_capacity(path.len());
    let raw = path.as_bytes();
    let mut at = 0;
    while at < raw.len() {
        match encoded(&raw[at..]) {
            Some(byte) if is_unreserved(byte) || byte >= 0x80 => {
                bytes.push(byte);
                at += 3;
            }
            Some(byte) => {
                bytes.extend(format!("%{byte:02X}").bytes());
                at += 3;
            }
            None if matches!(
                raw[at],
                0..=0x20 | b'"' | b'<' | b'>' | b'`' | b'{' | b'}' | 0x7f
            ) =>
            {
                bytes.extend(format!("%{:02X}", raw[at]).bytes());
                at += 1;
            }
            None => {
                bytes.push(raw[at]);
                at += 1;
            }
        }
    }
    let text = String::from_utf8(bytes).unwrap_or_else(|_| path.to_string());
    composed(text.trim_end_matches('/'))
}

/// The byte that an encoded triple at the beginning stands for.
fn encoded(at: &[u8]) -> Option<u8> {
    let [b'%', high, low, ..] = at else {
        return None;
    };
    let digit = |b: u8| char::from(b).to_digit(16);
    Some((digit(*high)? * 16 + digit(*low)?) as u8)
}

/// Returns whether a byte needs no percent sign (RFC 3986, 2.3).
fn is_unreserved(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'.' | b'_' | b'~')
}

/// Returns the text in composed form (Unicode NFC).
pub fn composed(text: &str) -> String {
    ComposingNormalizerBorrowed::new_nfc()
        .normalize(text)
        .into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn takes(pattern: &str, path: &str) -> bool {
        let page = Url::parse(&format!("https://kites.example{path}")).unwrap();
        Pattern::read(pattern)
            .unwrap()
            .takes(&page, PageKind::Other)
    }

    #[test]
    fn stars_stay_in_their_segment_and_two_go_any_depth() {
        for (pattern, path, fits) in [
            ("/**", "/", true),
            ("/**", "/a/b/c?d", true),
            ("/", "/", true),
            ("/", "/a", false),
            ("/*", "/a", true),
            ("/*", "/a/b", false),
            ("/shop/*/detail", "/shop/kite/detail", true),
            ("/shop/*/detail", "/shop/a/b/detail", false),
            ("/shop/kite-*", "/shop/kite-7", true),
            ("/**/detail", "/detail", true),
            ("/**/detail", "/a/b/detail", true),
            ("/**/detail", "/a/predetail", false),
            ("/shop/**", "/shop", true),
            ("/shop/**", "/shop/", true),
            ("/shop/**", "/shopping", false),
            ("/legal/", "/legal", true),
            ("/legal", "/legal/", true),
            ("/Legal", "/legal", false),
            ("/a.b", "/axb", false),
        ] {
            assert_eq!(takes(pattern, path), fits, "{pattern} {path}");
        }
        assert!(Pattern::every().takes(&Url::parse("http://a.test/x/y").unwrap(), PageKind::Item));
    }

    /// RFC 3986, 6.2.2.2: `%7E` and `~` are the same; 2.2: `%2F` and `/` are not.
    #[test]
    fn paths_are_compared_decoded_and_composed() {
        assert!(takes("/%7Ekite/caf%C3%A9", "/~kite/caf\u{e9}"));
        assert!(takes("/cafe\u{301}", "/caf%c3%a9"));
        assert!(takes("/two words", "/two%20words"));
        assert!(takes("/a%2fb", "/a%2Fb"));
        assert!(!takes("/a/b", "/a%2Fb"));
        // Bytes that are no text are compared as they stand.
        assert!(takes("/%FF", "/%FF"));
        assert!(!takes("/%FF", "/%FE"));
    }

    #[test]
    fn a_query_counts_only_where_the_pattern_has_one() {
        assert!(takes("/list", "/list?page=2"));
        assert!(takes("/list?page=*", "/list?sort=up&page=2"));
        assert!(takes("/list?b=2&a=1", "/list?a=1&b=2&c=3"));
        assert!(!takes("/list?page=2", "/list?page=3"));
        assert!(!takes("/list?page=2", "/list"));
    }

    #[test]
    fn a_kind_is_a_pattern_too_and_mistakes_are_told() {
        let legal = Pattern::read("kind:legal").unwrap();
        let page = Url::parse("https://kites.example/x").unwrap();
        assert!(legal.takes(&page, PageKind::Legal) && !legal.takes(&page, PageKind::Item));
        let told = |text: &str| Pattern::read(text).unwrap_err().to_string();
        assert!(told("kind:leagl").contains("legal"));
        assert!(told("legal/**").contains("slash"));
        assert!(told("/a#b").contains('#'));
        assert!(told(&format!("/{}", "a".repeat(600))).contains("500"));
        // A pattern that would never end in another engine.
        let slow = format!("/{}", "*a".repeat(100));
        assert!(!takes(&slow, &format!("/{}", "a".repeat(99))));
    }
}
