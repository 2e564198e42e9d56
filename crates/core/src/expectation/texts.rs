//! Texts of a widget in one language that a file can ask for.

use crate::address;
use crate::design::{Design, Field, Layer, PROMPT_LEAVING, PROMPT_SCROLLED};
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
    /// Percent of the page's way, where the prompt comes by scrolling.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub prompt_at_scroll: Option<f64>,
    /// The prompt comes when the mouse leaves the page.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub prompt_on_leaving: bool,
    /// While nobody is there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub away: Option<String>,
    /// Of whoever answers.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub agent_name: Option<String>,
}

/// A text of a widget design by the name that a file gives it.
const OF_DESIGN: [(&str, Field); 8] = [
    ("title", Field::Title),
    ("subtitle", Field::Subtitle),
    ("greeting", Field::Greeting),
    ("notice", Field::NoticeText),
    ("notice_link", Field::NoticeLink),
    ("prompt", Field::Prompt),
    ("away", Field::Away),
    ("agent_name", Field::AgentName),
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
            ("agent_name", &self.agent_name),
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
            "agent_name" => &mut self.agent_name,
            _ => return None,
        })
    }

    /// The texts of a design; what is empty there is not given. The prompt has a second only where it comes
    /// after a time, and a depth only where it comes by scrolling.
    pub fn of_design(design: &Design) -> TextSet {
        let mut out = TextSet::default();
        for (name, field) in OF_DESIGN {
            let text = Some(design.get(field).to_string()).filter(|t| !t.is_empty());
            if let Some(place) = out.place(name) {
                *place = text;
            }
        }
        if out.prompt.is_some() {
            match design.get(Field::PromptOn) {
                PROMPT_SCROLLED => out.prompt_at_scroll = Some(design.number(Field::PromptScroll)),
                PROMPT_LEAVING => out.prompt_on_leaving = true,
                _ => out.prompt_after_s = Some(design.number(Field::PromptDelay)),
            }
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
