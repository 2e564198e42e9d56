//! The parts of a supplier profile beyond what the chain needs. Every field of theirs must be
//! known: a selector under a mistyped name would never be looked at, and nobody would hear of it.

use crate::channel::Addresses;
use newtfern_standards::observation::{Part, PictureSeen, Speaker, TextName};
use serde::de::{MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::collections::BTreeMap;
use std::fmt;

/// Expressions by which a widget tells who is there; true means this state.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct PresenceStates {
    /// Expression that is true while somebody is there.
    pub online: String,
    /// Expression that is true while nobody is there.
    pub away: String,
    /// Expression that is true outside hours.
    pub closed: String,
}

/// Selectors of the places where a widget's texts are seen.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct TextPlaces {
    /// Selector of the title above the chat.
    pub title: String,
    /// Selector of the line below the title.
    pub subtitle: String,
    /// Selector of the greeting.
    pub greeting: String,
    /// Before a talk begins.
    pub notice: String,
    /// Selector of the notice's link.
    pub notice_link: String,
    /// Selector of the prompt beside the launcher.
    pub prompt: String,
    /// While nobody is there.
    pub away: String,
    /// Selector of the name of whoever answers.
    pub agent_name: String,
}

impl TextPlaces {
    /// Each place by its name; those that the profile does not tell are empty.
    pub fn all(&self) -> [(TextName, &str); 8] {
        [
            (TextName::Title, &self.title),
            (TextName::Subtitle, &self.subtitle),
            (TextName::Greeting, &self.greeting),
            (TextName::Notice, &self.notice),
            (TextName::NoticeLink, &self.notice_link),
            (TextName::Prompt, &self.prompt),
            (TextName::Away, &self.away),
            (TextName::AgentName, &self.agent_name),
        ]
    }

    /// The selector of a place; nothing where the profile does not tell it.
    pub fn of(&self, name: TextName) -> Option<&str> {
        let all = self.all().into_iter().find(|(n, _)| *n == name);
        all.map(|(_, s)| s.trim()).filter(|s| !s.is_empty())
    }
}

/// Selectors that the profile gives, each with what it is of.
fn told<T, const N: usize>(places: [(T, &String); N]) -> impl Iterator<Item = (T, &str)> {
    let places = places
        .into_iter()
        .map(|(of, selector)| (of, selector.trim()));
    places.filter(|(_, selector)| !selector.is_empty())
}

/// Selectors of a widget's pictures: of an `img`, of what holds one, or of what has it as its
/// background.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct PicturePlaces {
    /// Selector of the photo of whoever answers.
    pub photo: String,
    /// Selector of the picture on the launcher.
    pub launcher: String,
}

impl PicturePlaces {
    /// Each place by what it is; those that the profile does not tell are left out.
    pub fn all(&self) -> impl Iterator<Item = (&'static str, &str)> {
        told([
            (PictureSeen::PHOTO, &self.photo),
            (PictureSeen::LAUNCHER, &self.launcher),
        ])
    }
}

/// Selectors of what is said in the talk: each one bubble.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct BubblePlaces {
    /// Selector of the visitor's bubble.
    pub own: String,
    /// Selector of the bubble of whoever answers, the greeting too.
    pub answer: String,
}

impl BubblePlaces {
    /// Each place by whose it is; those that the profile does not tell are left out.
    pub fn all(&self) -> impl Iterator<Item = (Speaker, &str)> {
        told([
            (Speaker::Visitor, &self.own),
            (Speaker::Agent, &self.answer),
        ])
    }
}

/// Selectors of parts of the open panel that a design shows or hides.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct PartPlaces {
    /// Selector of the client's logo.
    pub logo: String,
    /// Selector of the supplier's own mark.
    pub supplier_mark: String,
    /// Selector of the rating that visitors give.
    pub rating: String,
    /// The talk by mail.
    pub transcript: String,
    /// Selector of the control that attaches a file.
    pub files: String,
}

impl PartPlaces {
    /// Each place by its part; those that the profile does not tell are left out.
    pub fn all(&self) -> impl Iterator<Item = (Part, &str)> {
        told([
            (Part::Logo, &self.logo),
            (Part::SupplierMark, &self.supplier_mark),
            (Part::Rating, &self.rating),
            (Part::Transcript, &self.transcript),
            (Part::Files, &self.files),
        ])
    }
}

/// Places of links to other channels.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct ChannelList {
    /// Selector of the links, in their order.
    pub items: String,
    /// Addresses with `{{handle}}` in place of a name at the service, by kind of channel.
    #[serde(skip_serializing_if = "Addresses::is_empty")]
    pub addresses: Addresses,
}

/// Steps that send a test message through the widget and read the answer: selectors inside the
/// panel (or its frame), and the addresses of the supplier's console interface.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct EchoSteps {
    /// Steps before the message can be written.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub before: Vec<EchoStep>,
    /// Selector of the field for words.
    pub input: String,
    /// Selector of the control that sends.
    pub send: String,
    /// Selector of the agent's answers.
    pub answers: String,
    /// GET gives `{"messages": [{"id", "text", "page", "at", "file"}]}`; `{{key}}` is replaced.
    /// Empty where the console has no interface: a person makes the test.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub console_read: String,
    /// POST with `{"conversation", "text"}` answers as an agent.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub console_answer: String,
    /// Selector of the field for a file, where visitors may send one.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub file: String,
    /// The form that stays while nobody is there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub away: Option<AwaySteps>,
    /// The supplier sends the visitor a mail about what they left, with their words in it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub acknowledges: bool,
    /// DELETE closes a talk and removes its contact; `{{key}}` and `{{conversation}}` are replaced.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub console_tidy: String,
    /// GET gives `{"closed", "contact"}` of a talk, the proof that it was tidied up; replaced
    /// likewise.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub console_talk: String,
}

/// Steps that leave a message while nobody is there.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct AwaySteps {
    /// Steps that fill in and tick what stands beside the message.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub before: Vec<EchoStep>,
    /// Selector of the field for words; where it is seen, nobody is there.
    pub input: String,
    /// Selector of the control that sends.
    pub send: String,
    /// Selector of the confirmation that it was sent.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub sent: String,
}

/// One step before the message; each does one thing.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "StepFields", into = "StepFields")]
pub enum EchoStep {
    /// Writes into a field.
    Fill {
        /// Selector of the element.
        selector: String,
        /// Value to write: `name`, `mail`, `phone`, or words as they stand.
        with: String,
    },
    /// Ticks a box, by its selector.
    Tick(String),
    /// Presses a button, by its selector.
    Click(String),
}

impl EchoStep {
    /// Returns the selector of the step's element.
    pub fn selector(&self) -> &str {
        match self {
            EchoStep::Fill { selector, .. }
            | EchoStep::Tick(selector)
            | EchoStep::Click(selector) => selector,
        }
    }
}

/// A step as a file writes it.
#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct StepFields {
    #[serde(skip_serializing_if = "Option::is_none")]
    fill: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    with: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    tick: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    click: Option<String>,
}

impl TryFrom<StepFields> for EchoStep {
    type Error = &'static str;

    fn try_from(fields: StepFields) -> Result<Self, Self::Error> {
        match (fields.fill, fields.with, fields.tick, fields.click) {
            (Some(selector), Some(with), None, None) => Ok(EchoStep::Fill { selector, with }),
            (None, None, Some(selector), None) => Ok(EchoStep::Tick(selector)),
            (None, None, None, Some(selector)) => Ok(EchoStep::Click(selector)),
            _ => Err("a step is one of: fill and with, tick, click"),
        }
    }
}

impl From<EchoStep> for StepFields {
    fn from(step: EchoStep) -> StepFields {
        let mut out = StepFields::default();
        match step {
            EchoStep::Fill { selector, with } => {
                (out.fill, out.with) = (Some(selector), Some(with))
            }
            EchoStep::Tick(selector) => out.tick = Some(selector),
            EchoStep::Click(selector) => out.click = Some(selector),
        }
        out
    }
}

/// The supplier's interface to the settings of a key, for programs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Console {
    /// GET gives an object of settings; `{{key}}` is replaced.
    pub read: String,
    /// PUT with the settings to be changed.
    #[serde(default)]
    pub write: Option<String>,
    /// Names of its settings, by the names that an expectation file gives the values; `on` and
    /// `not_on` are its own page rules, lists of patterns.
    #[serde(default)]
    pub fields: BTreeMap<String, String>,
}

/// Names under which the design's values are entered at the supplier, by the names that an
/// expectation file gives them, in the supplier's order.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Desk(Vec<(String, String)>);

impl Desk {
    /// Our names and theirs, in their order.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &String)> {
        self.0.iter().map(|(ours, theirs)| (ours.as_str(), theirs))
    }

    /// Returns whether nothing is known of the supplier's own settings.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl Serialize for Desk {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_map(self.0.iter().map(|(a, b)| (a, b)))
    }
}

impl<'de> Deserialize<'de> for Desk {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Desk, D::Error> {
        struct Rows;
        impl<'de> Visitor<'de> for Rows {
            type Value = Desk;

            fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
                f.write_str("a table of names")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Desk, A::Error> {
                let mut out = Vec::new();
                while let Some(row) = map.next_entry()? {
                    out.push(row);
                }
                Ok(Desk(out))
            }
        }
        from.deserialize_map(Rows)
    }
}
