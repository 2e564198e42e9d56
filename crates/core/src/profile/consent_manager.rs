//! Profiles of consent managers.

use super::{ConsentClass, ProfileError};
use crate::observation::ConsentAct;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// How one consent manager is recognised and operated.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ConsentManager {
    /// Short name, unique.
    pub id: String,
    /// Name for people.
    pub name: String,
    /// How it is recognised.
    pub recognise: ConsentMarks,
    /// How its banner is answered.
    pub banner: Banner,
    /// How it is asked for the visitor's decision.
    pub state: StateScript,
    /// How it holds scripts back.
    pub gating: Gating,
}

/// Marks of a consent manager in a page.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ConsentMarks {
    /// Names on `window`.
    pub globals: Vec<String>,
    /// Selectors of its banner.
    pub selectors: Vec<String>,
    /// Hosts that serve it.
    pub hosts: Vec<String>,
}

/// Controls of a banner.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Banner {
    /// Selectors of what agrees, the first that is there counts.
    pub accept: Texts,
    /// Selectors of what refuses, the first that is there counts.
    pub refuse: Texts,
    /// Texts of the buttons by language, used where the selector finds nothing.
    pub accept_text: BTreeMap<String, Texts>,
    /// Words of what refuses, by language.
    pub refuse_text: BTreeMap<String, Texts>,
    /// Selectors of what opens the next layer, where the first has no refusal.
    pub more: Texts,
    /// Selectors of what shows the banner again, to take a decision back.
    pub reopen: Texts,
    /// Words of it, by language.
    pub reopen_text: BTreeMap<String, Texts>,
}

/// One string or a list of them.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(from = "OneOrMany", into = "Vec<String>")]
pub struct Texts(pub Vec<String>);

#[derive(Deserialize)]
#[serde(untagged)]
enum OneOrMany {
    One(String),
    Many(Vec<String>),
}

impl From<OneOrMany> for Texts {
    fn from(value: OneOrMany) -> Self {
        Texts(match value {
            OneOrMany::One(one) => vec![one],
            OneOrMany::Many(many) => many,
        })
    }
}

impl From<Texts> for Vec<String> {
    fn from(value: Texts) -> Self {
        value.0
    }
}

/// An expression that gives `untouched`, `refused` or `granted`.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(from = "StateForm")]
pub struct StateScript {
    /// An expression that gives `untouched`, `granted` or `refused`.
    pub script: String,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum StateForm {
    Plain(String),
    Table {
        #[serde(default)]
        script: String,
    },
}

impl From<StateForm> for StateScript {
    fn from(value: StateForm) -> Self {
        match value {
            StateForm::Plain(script) | StateForm::Table { script } => StateScript { script },
        }
    }
}

/// What holds a script back until consent: its `type`, and an attribute that marks it.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Gating {
    /// The `type` that keeps a script from running.
    #[serde(rename = "type")]
    pub script_type: String,
    /// The attribute that marks such a script.
    pub attribute: String,
    /// What the site calls each class, as the attribute's value; a class that is not here is `chat`.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub categories: BTreeMap<ConsentClass, String>,
}

impl Gating {
    /// The attribute's value for a widget of this class.
    pub fn category(&self, class: ConsentClass) -> &str {
        self.categories.get(&class).map_or("chat", String::as_str)
    }
}

impl ConsentManager {
    /// Does the profile say how a visitor comes to this decision? A refusal may be one layer below.
    pub fn knows(&self, act: ConsentAct) -> bool {
        let b = &self.banner;
        let given = |selectors: &Texts, words: &BTreeMap<String, Texts>| {
            !selectors.0.is_empty() || !words.is_empty()
        };
        let refuses = given(&b.refuse, &b.refuse_text);
        match act {
            ConsentAct::Untouched | ConsentAct::Gpc => true,
            ConsentAct::Granted => given(&b.accept, &b.accept_text),
            ConsentAct::Refused => refuses,
            ConsentAct::Withdrawn => refuses && given(&b.reopen, &b.reopen_text),
        }
    }

    /// Reads a profile.
    ///
    /// # Errors
    /// [`ProfileError::Syntax`]; the place is in the error.
    pub fn from_toml(text: &str) -> Result<ConsentManager, ProfileError> {
        Ok(crate::strict_toml::read(text)?)
    }
}
