//! The places of a snippet’s template that a design’s values are written into.

use crate::design::Field;
use crate::profile::ProfileError;
use crate::profile::sound::Entries;
use newtfern_standards::html::escaped;
use newtfern_standards::script_scan::{in_a_string, literals};
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use std::ops::Range;

pub(super) const KEY: &str = "key";

/// Stands in a template's form for a value of the design; letters and digits only, so that no
/// escaping touches it.
pub(crate) const VALUE_MARK: &str = "newtfernvaluemark0";

/// Position of a place in a template.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum TemplatePosition<'a> {
    /// In the value of an attribute of a script element, by its name.
    Attribute(&'a str),
    /// In a string of script text.
    InString,
    /// At a position where nothing can be written.
    Elsewhere,
}

/// A value's place in a template, braces included.
pub(super) struct Place<'a> {
    at: Range<usize>,
    name: &'a str,
    stands: TemplatePosition<'a>,
}

impl Place<'_> {
    /// A value as it can stand there.
    pub(super) fn written(&self, value: &str) -> String {
        match self.stands {
            // In an address it is data, and stands there as such.
            TemplatePosition::Attribute("src") => {
                utf8_percent_encode(value, NON_ALPHANUMERIC).to_string()
            }
            TemplatePosition::Attribute(_) | TemplatePosition::Elsewhere => escaped(value),
            TemplatePosition::InString => in_a_string(value),
        }
    }
}

/// Number of places in a template, at most: the position of each is read from the beginning, and a
/// snippet has a few.
const MOST_PLACES: usize = 200;

/// Returns the places: names between double braces, other than the key's; other braces are the
/// snippet's own.
pub(super) fn places(template: &str) -> Vec<Place<'_>> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(from) = template[at..].find("{{").map(|i| at + i) {
        at = from + 2;
        let rest = &template[at..];
        let like_a_name = |b: u8| b.is_ascii_lowercase() || b == b'_';
        let length = rest.bytes().take_while(|b| like_a_name(*b)).count();
        let name = &rest[..length];
        if length > 0 && name != KEY && name != "host" && rest[length..].starts_with("}}") {
            let whole = from..at + length + 2;
            out.push(Place {
                stands: stands(template, &whole),
                at: whole,
                name,
            });
            if out.len() > MOST_PLACES {
                break;
            }
        }
    }
    out
}

pub(super) fn stands<'a>(template: &'a str, at: &Range<usize>) -> TemplatePosition<'a> {
    let before = &template[..at.start];
    let lower = before.to_ascii_lowercase();
    let Some(tag) = lower.rfind("<script") else {
        return TemplatePosition::Elsewhere;
    };
    match open_attribute(&template[tag..at.start]) {
        Tag::Attribute(name) => TemplatePosition::Attribute(name),
        Tag::Between => TemplatePosition::Elsewhere,
        Tag::Closed(_) if lower[tag..].contains("</script") => TemplatePosition::Elsewhere,
        Tag::Closed(text) => {
            let text = tag + text;
            let rest = &template[text..];
            let end = rest.to_ascii_lowercase().find("</script");
            let mut strings = literals(&rest[..end.unwrap_or(rest.len())]).into_iter();
            let around = |(quote, inner): (usize, String)| {
                let from = text + quote + 1;
                from <= at.start && at.end <= from + inner.len()
            };
            match strings.any(around) {
                true => TemplatePosition::InString,
                false => TemplatePosition::Elsewhere,
            }
        }
    }
}

/// Part of a start tag that a text ends in.
pub(super) enum Tag<'a> {
    /// Into the value of this attribute, in quotes.
    Attribute(&'a str),
    /// Blanks between two attributes.
    Between,
    /// Beyond its end: bytes up to there.
    Closed(usize),
}

pub(super) fn open_attribute(tag: &str) -> Tag<'_> {
    let mut at = 0;
    while let Some(next) = tag[at..].find(['"', '\'', '>']).map(|i| at + i) {
        let quote = &tag[next..=next];
        if quote == ">" {
            return Tag::Closed(next + 1);
        }
        match tag[next + 1..].find(quote) {
            Some(close) => at = next + 1 + close + 1,
            None => {
                let named = tag[at..next].trim_end().strip_suffix('=');
                let name = named.and_then(|n| n.split_whitespace().last());
                return name.map_or(Tag::Between, Tag::Attribute);
            }
        }
    }
    Tag::Between
}

/// A template with something written into the places of a design's values.
pub(super) fn filled(template: &str, value: impl Fn(&Place, Field) -> String) -> String {
    let mut out = String::with_capacity(template.len());
    let mut at = 0;
    for place in places(template) {
        if let Some(field) = Field::named(place.name) {
            out.push_str(&template[at..place.at.start]);
            out.push_str(&value(&place, field));
            at = place.at.end;
        }
    }
    out.push_str(&template[at..]);
    out
}

/// Places of a template that follow the design.
#[derive(Debug, Clone, Default)]
pub struct DesignPlaces {
    pub(super) attributes: Vec<String>,
    pub(super) form: Option<String>,
}

/// Each place must be a value of a design, and stand where it can be written.
pub(super) fn sound(entries: &Entries, template: &str) -> Result<(), ProfileError> {
    let places = places(template);
    if places.len() > MOST_PLACES {
        let why = format!("which a template may have at most {MOST_PLACES} times");
        return Err(entries.refuse("snippet.template", "{{", why));
    }
    for place in places {
        let braces = &template[place.at.clone()];
        if Field::named(place.name).is_none() {
            let why = "which is not a value of a design, and not {{key}}";
            return Err(entries.refuse("snippet.template", braces, why));
        }
        if place.stands == TemplatePosition::Elsewhere {
            let why = "which must stand in quotes: in an attribute of a script element, or in a \
                string of its text";
            return Err(entries.refuse("snippet.template", braces, why));
        }
    }
    Ok(())
}

impl DesignPlaces {
    /// Returns the places of a template that follow the design, before anything is written into it.
    pub(super) fn of(template: &str) -> DesignPlaces {
        let attribute = |p: Place| match (Field::named(p.name), p.stands) {
            (Some(_), TemplatePosition::Attribute(name)) => Some(name.to_string()),
            _ => None,
        };
        DesignPlaces {
            attributes: places(template).into_iter().filter_map(attribute).collect(),
            form: Some(filled(template, |_, _| VALUE_MARK.to_string())),
        }
    }
}
