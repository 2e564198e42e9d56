//! Texts of a widget in one language that a file can ask for.

use crate::address;
use crate::design::{Design, Field, Layer, PROMPT_TIMED};
use serde::{Deserialize, Serialize};

/// Texts of a widget in one language; only those given are compared.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct TextSet {
    /// Above the talk.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Below the title.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub subtitle: Option<String>,
    /// The first words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub greeting: Option<String>,
    /// Before a talk begins.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub notice: Option<String>,
    /// Where its link leads.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub notice_link: Option<String>,
    /// Beside the launcher.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub prompt: Option<String>,
    /// Seconds after the launcher was seen.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub prompt_after_s: Option<f64>,
    /// While nobody is there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub away: Option<String>,
}

/// A text of a widget design by the name that a file gives it.
const OF_DESIGN: [(&str, Field); 7] = [
    ("title", Field::Title),
    ("subtitle", Field::Subtitle),
    ("greeting", Field::Greeting),
    ("notice", Field::NoticeText),
    ("notice_link", Field::NoticeLink),
    ("prompt", Field::Prompt),
    ("away", Field::Away),
];

/// The field of a design that a file calls so.
pub fn field_of_text(name: &str) -> Option<Field> {
    OF_DESIGN.iter().find(|(n, _)| *n == name).map(|(_, f)| *f)
}

impl TextSet {
    /// The texts that are given, by their names; the prompt's second is none of them.
    pub fn given(&self) -> impl Iterator<Item = (&'static str, &str)> {
        let all = [
            ("title", &self.title),
            ("subtitle", &self.subtitle),
            ("greeting", &self.greeting),
            ("notice", &self.notice),
            ("notice_link", &self.notice_link),
            ("prompt", &self.prompt),
            ("away", &self.away),
        ];
        all.into_iter()
            .filter_map(|(name, text)| Some((name, text.as_deref()?)))
    }

    /// The place of a text; nothing where no text has this name.
    pub fn place(&mut self, name: &str) -> Option<&mut Option<String>> {
        Some(match name {
            "title" => &mut self.title,
            "subtitle" => &mut self.subtitle,
            "greeting" => &mut self.greeting,
            "notice" => &mut self.notice,
            "notice_link" => &mut self.notice_link,
            "prompt" => &mut self.prompt,
            "away" => &mut self.away,
            _ => return None,
        })
    }

    /// The texts of a design; what is empty there is not given. The prompt has a second only where it comes
    /// after a time.
    pub fn of_design(design: &Design) -> TextSet {
        let mut out = TextSet::default();
        for (name, field) in OF_DESIGN {
            let text = Some(design.get(field).to_string()).filter(|t| !t.is_empty());
            if let Some(place) = out.place(name) {
                *place = text;
            }
        }
        let timed = out.prompt.is_some() && design.get(Field::PromptOn) == PROMPT_TIMED;
        out.prompt_after_s = timed.then(|| design.number(Field::PromptDelay));
        if !timed {
            // Nobody scrolls or leaves in a visit: it is not waited for.
            out.prompt = None;
        }
        out
    }

    /// As values of a design's layer.
    pub fn layer(&self) -> Layer {
        let texts = self.given().filter_map(|(name, text)| {
            let field = field_of_text(name)?;
            Some((field, field.accept(text).ok()?))
        });
        let second = self
            .prompt_after_s
            .map(|s| (Field::PromptDelay, s.to_string()));
        texts.chain(second).collect()
    }

    pub(super) fn sound(&self) -> Result<(), (&'static str, String)> {
        let link = self.notice_link.as_deref().unwrap_or("/");
        if !link.starts_with('/') && address::parse(link).is_err() {
            return Err((
                "notice_link",
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
        Ok(())
    }
}
