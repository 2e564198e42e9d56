//! Where in a snippet its key stands, and how it is found again.

use super::{Script, absolute};
use crate::placement::is_placeholder;
use newtfern_standards::script_scan::literals;
use std::cmp::Reverse;

/// Surroundings of a key.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Place {
    /// The value of an attribute, by its name.
    Attribute(String),
    /// A parameter of an address, by its name.
    Parameter(String),
    /// A segment of an address: host and path before it.
    Path(String),
    /// A text in a call: what stands before the text.
    Call(String),
    /// A text that a name is given: the name and its sign.
    Named(String),
}

/// A key and where it stands.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct KeyPlace {
    pub place: Place,
    pub value: String,
    score: u32,
}

/// Parts of names that hold keys.
const NAMES: &[&str] = &[
    "key",
    "id",
    "token",
    "account",
    "widget",
    "site",
    "app",
    "licen",
    "org",
    "tenant",
    "client",
    "code",
    "channel",
    "workspace",
    "property",
    "embed",
    "chat",
    "bot",
    "uuid",
    "hash",
];

/// Attributes that hold something else, whatever their value looks like.
const OTHERS: &[&str] = &[
    "src",
    "type",
    "async",
    "defer",
    "integrity",
    "crossorigin",
    "nonce",
    "charset",
    "language",
    "class",
    "referrerpolicy",
    "fetchpriority",
    "nomodule",
    "id",
    "lang",
    "title",
    "style",
    "data-cfasync",
];

/// Returns how much a value and its name look like a key; 0: not at all.
fn score(name: &str, value: &str) -> u32 {
    let name = name.to_ascii_lowercase();
    let plain = value
        .bytes()
        .all(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_' | b'.' | b':'));
    // One letter alone is what the key is called where there is little else; `v` is a version.
    let letter = name.len() == 1 && !matches!(name.as_str(), "v" | "t" | "_");
    let named = letter || NAMES.iter().any(|n| name.contains(n));
    if is_placeholder(value) {
        // A sample that was left in shows where the key goes.
        return if named && !value.trim().is_empty() {
            40
        } else {
            0
        };
    }
    if !plain || !(4..=120).contains(&value.len()) || value.contains("://") {
        return 0;
    }
    let digits = value.bytes().any(|b| b.is_ascii_digit());
    let letters = value.bytes().any(|b| b.is_ascii_alphabetic());
    let host = value.contains('.')
        && value
            .rsplit('.')
            .next()
            .is_some_and(|e| e.len() < 5 && letters);
    let word = !digits && value.len() < 16;
    if host || (word && !named) || is_version(value) {
        return 0;
    }
    let mut score = 10;
    score += if named { 40 } else { 0 };
    score += if name.contains("key") { 5 } else { 0 };
    score += if digits && letters { 30 } else { 0 };
    score += if value.len() >= 8 { 10 } else { 0 };
    score - if word { 9 } else { 0 }
}

/// `2.4.1`, `v3`, a year.
fn is_version(value: &str) -> bool {
    let bare = value.strip_prefix('v').unwrap_or(value);
    bare.len() < 8
        && bare.bytes().all(|b| b.is_ascii_digit() || b == b'.')
        && (bare.contains('.') || bare.len() < 4)
}

/// The place that looks most like a key's; of two alike the first.
pub(super) fn find(scripts: &[Script], hosts: &[String]) -> Option<KeyPlace> {
    let mut places = Vec::new();
    for script in scripts {
        let src = script.src.as_deref();
        if script.custom || src.is_some() {
            let wanted = |(n, _): &&(String, String)| !OTHERS.contains(&n.as_str());
            let attributes = script.attributes.iter().filter(wanted);
            places.extend(attributes.map(|(name, value)| KeyPlace {
                score: score(name, value),
                place: Place::Attribute(name.clone()),
                value: value.clone(),
            }));
            places.extend(src.into_iter().flat_map(|src| in_address(src, hosts)));
        } else {
            places.extend(in_code(&script.text, hosts));
        }
    }
    let likely = places.into_iter().filter(|p| p.score > 0);
    likely.min_by_key(|p| Reverse(p.score))
}

fn in_address(text: &str, hosts: &[String]) -> Vec<KeyPlace> {
    let Some(url) =
        absolute(text).filter(|u| u.host_str().is_some_and(|h| hosts.iter().any(|k| k == h)))
    else {
        return Vec::new();
    };
    let mut out: Vec<KeyPlace> = url
        .query_pairs()
        .map(|(name, value)| KeyPlace {
            score: score(&name, &value),
            place: Place::Parameter(name.to_string()),
            value: value.to_string(),
        })
        .collect();
    let mut before = url.host_str().unwrap_or_default().to_string();
    for segment in url.path_segments().into_iter().flatten() {
        before.push('/');
        let (name, ending) = segment.rsplit_once('.').unwrap_or((segment, ""));
        let bare = if matches!(ending, "js" | "mjs") {
            name
        } else {
            segment
        };
        // A folder of a script is often a version or a word.
        let digits = bare.bytes().any(|b| b.is_ascii_digit());
        let looks = digits && bare.len() >= 6 || is_placeholder(bare) && bare.len() > 4;
        out.push(KeyPlace {
            score: if looks {
                score("key", bare).saturating_sub(25)
            } else {
                0
            },
            place: Place::Path(before.clone()),
            value: bare.to_string(),
        });
        before.push_str(segment);
    }
    out
}

fn in_code(text: &str, hosts: &[String]) -> Vec<KeyPlace> {
    let mut out = Vec::new();
    for (at, value) in literals(text) {
        if absolute(&value).is_some() {
            out.extend(in_address(&value, hosts));
            continue;
        }
        let before = text[..at].trim_end();
        let word = |c: char| c.is_alphanumeric() || matches!(c, '_' | '$' | '.' | '"' | '\'' | '-');
        let name_of = |t: &str| last_word(t.trim_end(), word).to_string();
        let place = match before.chars().last() {
            Some('(') => {
                let name = name_of(&before[..before.len() - 1]);
                // A call of the browser's own carries no key.
                let own = BROWSER_CALLS.iter().any(|c| name.ends_with(c));
                (!name.is_empty() && !own).then(|| (name.clone(), Place::Call(format!("{name}("))))
            }
            Some(sign @ ('=' | ':')) => {
                let name = name_of(&before[..before.len() - 1]);
                let bare = name
                    .trim_matches(['"', '\''])
                    .rsplit('.')
                    .next()
                    .unwrap_or_default()
                    .to_string();
                (!bare.is_empty()).then(|| (bare.clone(), Place::Named(format!("{bare}{sign}"))))
            }
            // A further argument: the call's name is the name.
            Some(',') => {
                call_around(before).map(|name| (name.clone(), Place::Call(format!("{name}("))))
            }
            _ => None,
        };
        let Some((name, place)) = place else {
            continue;
        };
        let call = matches!(place, Place::Call(_));
        let points = score(if call { "key" } else { &name }, &value);
        out.push(KeyPlace {
            // A call carries many things; a name says what it is.
            score: points.saturating_sub(if call { 15 } else { 0 }),
            place,
            value,
        });
    }
    out
}

/// Returns the last run of these characters at the end of a text.
fn last_word(text: &str, word: impl Fn(char) -> bool) -> &str {
    text.rsplit(|c| !word(c)).next().unwrap_or_default()
}

/// The name of the call whose arguments the text ends in.
fn call_around(text: &str) -> Option<String> {
    let open = text.rfind('(')?;
    let head = text[..open].trim_end();
    let name = last_word(head, |c| {
        c.is_alphanumeric() || matches!(c, '_' | '$' | '.')
    });
    (!name.is_empty() && !BROWSER_CALLS.iter().any(|c| name.ends_with(c))).then(|| name.to_string())
}

const BROWSER_CALLS: &[&str] = &[
    "createElement",
    "getElementById",
    "getElementsByTagName",
    "querySelector",
    "addEventListener",
    "setAttribute",
    "require",
    "console.log",
    "attachEvent",
    "appendChild",
    "function",
];

/// Returns a text as a pattern that finds it; a hyphen needs no mark outside of a class.
fn plain(text: &str) -> String {
    regex::escape(text).replace("\\-", "-")
}

impl KeyPlace {
    /// The key; none where there is only a sample.
    pub fn key(&self) -> Option<String> {
        (!is_placeholder(&self.value)).then(|| self.value.clone())
    }

    /// The code with the place opened for any key.
    pub fn opened(&self, code: &str) -> String {
        let word = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-');
        let mut out = String::with_capacity(code.len());
        let mut rest = code;
        while let Some(at) = rest.find(&self.value) {
            let end = at + self.value.len();
            let whole = !rest[..at].ends_with(word) && !rest[end..].starts_with(word);
            out.push_str(&rest[..at]);
            out.push_str(if whole { "{{key}}" } else { &rest[at..end] });
            rest = &rest[end..];
        }
        out.push_str(rest);
        out
    }

    /// A regular expression that finds a key of this form in this place.
    pub fn pattern(&self) -> String {
        let class = self.class();
        let key = format!("(?P<key>{class})");
        match &self.place {
            Place::Attribute(name) => format!("{}=\"{key}\"", plain(name)),
            Place::Parameter(name) => format!("[?&]{}={key}", plain(name)),
            Place::Path(before) => format!("{}{key}", plain(before)),
            Place::Call(call) => {
                let name = call.trim_end_matches('(');
                format!(
                    "{}\\(\\s*(?:[^()]{{0,200}},\\s*)?[\"']{key}[\"']",
                    plain(name)
                )
            }
            Place::Named(named) => {
                let (name, sign) = named.split_at(named.len() - 1);
                format!("\\b{}[\"']?\\s*{sign}\\s*[\"']{key}[\"']", plain(name))
            }
        }
    }

    /// The characters of this key, and about as many.
    fn class(&self) -> String {
        let sample = is_placeholder(&self.value);
        let has = |of: fn(&u8) -> bool| self.value.as_bytes().iter().any(of);
        let mut class = String::new();
        for (there, range) in [
            (has(u8::is_ascii_uppercase), "A-Z"),
            (has(u8::is_ascii_lowercase), "a-z"),
            (has(u8::is_ascii_digit), "0-9"),
            (has(|b| *b == b'_'), "_"),
            (has(|b| *b == b'.'), "."),
            (has(|b| *b == b':'), ":"),
            (has(|b| *b == b'-'), "-"),
        ] {
            class.push_str(if there { range } else { "" });
        }
        match sample {
            // Nothing tells its form.
            true => "[A-Za-z0-9_.:-]{4,}".into(),
            false => format!(
                "[{class}]{{{},{}}}",
                (self.value.len() / 2).max(4),
                self.value.len() * 2
            ),
        }
    }
}
