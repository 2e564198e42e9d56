//! Texts of a widget in one language that a file can ask for.

use crate::design::{Design, Field, Layer, PROMPT_LEAVING, PROMPT_SCROLLED};
use newtfern_standards::address;
use newtfern_standards::observation::TextName;
use serde::de::{Error, MapAccess, Visitor};
use serde::ser::SerializeMap;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::collections::BTreeMap;

/// Texts of a widget in one language; only those given are compared.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct TextSet {
    texts: BTreeMap<Field, String>,
    /// Seconds after the launcher was seen.
    pub prompt_after_s: Option<f64>,
    /// Percent of the page's way, where the prompt comes by scrolling.
    pub prompt_at_scroll: Option<f64>,
    /// The prompt comes when the mouse leaves the page.
    pub prompt_on_leaving: bool,
}

const AFTER: &str = "prompt_after_s";
const AT_SCROLL: &str = "prompt_at_scroll";
const ON_LEAVING: &str = "prompt_on_leaving";

/// Every name that a file may use.
static NAMES: std::sync::LazyLock<Vec<&'static str>> = std::sync::LazyLock::new(|| {
    let texts = fields().map(|(name, _)| name.word());
    texts.chain([AFTER, AT_SCROLL, ON_LEAVING]).collect()
});

/// The texts of a language, in the order in which they are compared and reported.
pub const TEXTS: [Field; 8] = [
    Field::Title,
    Field::Subtitle,
    Field::Greeting,
    Field::NoticeText,
    Field::NoticeLink,
    Field::Prompt,
    Field::Away,
    Field::AgentName,
];

/// Texts of a design with the names that files give them.
fn fields() -> impl Iterator<Item = (TextName, Field)> {
    TEXTS
        .into_iter()
        .filter_map(|f| Some((f.name_in_texts()?, f)))
}

/// Name of a text, checked while it is read so that an error stands at its line.
struct Name(&'static str);

impl<'de> Deserialize<'de> for Name {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Name, D::Error> {
        let name = String::deserialize(from)?;
        let known = NAMES.iter().find(|n| **n == name);
        known
            .map(|n| Name(n))
            .ok_or_else(|| Error::unknown_field(&name, &NAMES))
    }
}

impl<'de> Deserialize<'de> for TextSet {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<TextSet, D::Error> {
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = TextSet;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a table of texts")
            }

            fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<TextSet, M::Error> {
                let mut out = TextSet::default();
                while let Some(Name(name)) = map.next_key()? {
                    match name {
                        AFTER => out.prompt_after_s = Some(map.next_value()?),
                        AT_SCROLL => out.prompt_at_scroll = Some(map.next_value()?),
                        ON_LEAVING => out.prompt_on_leaving = map.next_value()?,
                        text => {
                            let text_of = map.next_value()?;
                            let field = fields().find(|(name, _)| name.word() == text);
                            out.texts.extend(field.map(|(_, field)| (field, text_of)));
                        }
                    }
                }
                Ok(out)
            }
        }
        from.deserialize_map(Reader)
    }
}

impl Serialize for TextSet {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let mut map = to.serialize_map(None)?;
        for (name, text) in self.given() {
            map.serialize_entry(name.word(), text)?;
        }
        if let Some(seconds) = self.prompt_after_s {
            map.serialize_entry(AFTER, &seconds)?;
        }
        if let Some(percent) = self.prompt_at_scroll {
            map.serialize_entry(AT_SCROLL, &percent)?;
        }
        if self.prompt_on_leaving {
            map.serialize_entry(ON_LEAVING, &true)?;
        }
        map.end()
    }
}

impl TextSet {
    /// The texts that are given, by their names; when the prompt comes is none of them.
    pub fn given(&self) -> impl Iterator<Item = (TextName, &str)> {
        fields().filter_map(|(name, field)| Some((name, self.get(field)?)))
    }

    /// A text that is given.
    pub fn get(&self, field: Field) -> Option<&str> {
        self.texts.get(&field).map(String::as_str)
    }

    /// Sets the text of a field.
    pub fn set(&mut self, field: Field, text: String) {
        self.texts.insert(field, text);
    }

    /// The texts of a design; what is empty there is not given, unless somebody emptied it. The
    /// prompt has a second only where it comes after a time, and a depth only where it comes by
    /// scrolling.
    pub fn of_design(design: &Design) -> TextSet {
        let mut out = TextSet::default();
        for (_, field) in fields() {
            let text = design.get(field);
            if !text.is_empty() || design.is_off(field) {
                out.texts.insert(field, text.to_string());
            }
        }
        if out.get(Field::Prompt).is_some_and(|p| !p.is_empty()) {
            match design.get(Field::PromptOn) {
                PROMPT_SCROLLED => out.prompt_at_scroll = Some(design.number(Field::PromptScroll)),
                PROMPT_LEAVING => out.prompt_on_leaving = true,
                _ => out.prompt_after_s = Some(design.number(Field::PromptDelay)),
            }
        }
        out
    }

    /// Returns the texts as values of a design's layer.
    pub fn layer(&self) -> Layer {
        let texts = self.texts.iter();
        let texts = texts.filter_map(|(field, text)| Some((*field, field.accept(text).ok()?)));
        let second = self
            .prompt_after_s
            .map(|s| (Field::PromptDelay, s.to_string()));
        let scrolled = self.prompt_at_scroll.into_iter().flat_map(|percent| {
            [
                (Field::PromptOn, PROMPT_SCROLLED.to_string()),
                (Field::PromptScroll, percent.to_string()),
            ]
        });
        let leaving = self
            .prompt_on_leaving
            .then(|| (Field::PromptOn, PROMPT_LEAVING.to_string()));
        texts.chain(second).chain(scrolled).chain(leaving).collect()
    }

    pub(super) fn sound(&self) -> Result<(), (&'static str, String)> {
        let link = self.get(Field::NoticeLink).unwrap_or("/");
        if !link.starts_with('/') && address::parse(link).is_err() {
            return Err((
                TextName::NoticeLink.word(),
                "it must be an address, or a path that begins with /".into(),
            ));
        }
        if self
            .prompt_after_s
            .is_some_and(|s| !(0.0..=3_600.0).contains(&s))
        {
            return Err((
                "prompt_after_s",
                "it must be a number of seconds from 0 to 3600".into(),
            ));
        }
        if self
            .prompt_at_scroll
            .is_some_and(|p| !(0.0..=100.0).contains(&p))
        {
            let why = "it must be a share of the page from 0 to 100 percent";
            return Err(("prompt_at_scroll", why.into()));
        }
        let ways = [
            self.prompt_after_s.is_some(),
            self.prompt_at_scroll.is_some(),
            self.prompt_on_leaving,
        ];
        if ways.iter().filter(|w| **w).count() > 1 {
            let why = "a prompt comes after a time, by scrolling or on leaving: give one of them";
            return Err(("prompt_after_s", why.into()));
        }
        Ok(())
    }
}
