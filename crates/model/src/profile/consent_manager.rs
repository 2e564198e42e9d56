//! Profiles of consent managers.

use super::sound::Entries;
use super::{ProfileError, Supplier};
use crate::platform::Step;
use newtfern_standards::observation::ConsentAct;
use newtfern_standards::script_scan::{Scan, scan};
use newtfern_standards::tcf::ConsentClass;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// One consent manager: how it is recognised and operated.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ConsentManager {
    /// Unique short name.
    pub id: String,
    /// Name of the consent manager, for people.
    pub name: String,
    /// Marks by which it is recognised.
    pub recognise: ConsentMarks,
    /// Controls that answer its banner.
    pub banner: Banner,
    /// Script that asks it for the visitor's decision.
    pub state: StateScript,
    /// Marks by which it holds scripts back.
    pub gating: Gating,
}

/// Marks of a consent manager in a page.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ConsentMarks {
    /// Names of its global variables on `window`.
    pub globals: Vec<String>,
    /// Selectors of its banner.
    pub selectors: Vec<String>,
    /// Hosts that serve it.
    pub hosts: Vec<String>,
}

/// Controls of a banner.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(default)]
pub struct Banner {
    /// Whether visitors are asked for a decision. Where the widget's own button takes the banner's
    /// place nobody is, so nobody has to be offered a refusal.
    pub asks: bool,
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

impl Default for Banner {
    fn default() -> Self {
        Banner {
            asks: true,
            accept: Texts::default(),
            refuse: Texts::default(),
            accept_text: BTreeMap::new(),
            refuse_text: BTreeMap::new(),
            more: Texts::default(),
            reopen: Texts::default(),
            reopen_text: BTreeMap::new(),
        }
    }
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

/// Marks that hold a script back until consent: its `type`, and an attribute.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Gating {
    /// The `type` that keeps a script from running.
    #[serde(rename = "type")]
    pub script_type: String,
    /// The attribute that marks such a script.
    pub attribute: String,
    /// Name that the site gives each class, as the attribute's value; a class that is not here is
    /// `chat`.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub categories: BTreeMap<ConsentClass, String>,
    /// Script text that runs `{{code}}` once consent for `{{category}}` is given.
    pub script: String,
    /// Steps of a person at the manager so that it holds `{{hosts}}` back by itself, for slots
    /// whose code cannot be marked.
    #[serde(rename = "step", skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<Step>,
}

/// Stand for what is filled in while a call is read; letters and digits only, as they stand in
/// code.
const CATEGORY_MARK: &str = "newtferncategory0";
const CODE_MARK: &str = "newtferncode0";
/// Length of a category in a call, at most.
const MOST_CATEGORY: usize = 80;

impl Gating {
    /// The attribute's value for a widget of this class.
    pub fn category(&self, class: ConsentClass) -> &str {
        self.categories.get(&class).map_or("chat", String::as_str)
    }

    /// The call with marks in its places, as [`scan`] leaves it.
    fn call(&self) -> Scan {
        let marked = self.script.replace("{{category}}", CATEGORY_MARK);
        scan(&marked.replace("{{code}}", &format!("{CODE_MARK}()")))
    }

    /// The name by which script text waits for consent, where it stands in the manager's call;
    /// `minimal` is the text as [`scan`] leaves it.
    pub fn waits(&self, minimal: &str) -> Option<String> {
        let call = self.call().minimal;
        let (before, _) = call.split_once(CODE_MARK)?;
        let mut parts = before.split(CATEGORY_MARK);
        let first = parts.next()?;
        let mut rest = &minimal[minimal.find(first)? + first.len()..];
        for part in parts {
            let at = rest.find(part).filter(|at| *at <= MOST_CATEGORY)?;
            rest = &rest[at + part.len()..];
        }
        let word = |c: char| c.is_alphanumeric() || matches!(c, '_' | '$' | '.');
        let names = before
            .split(|c: char| !word(c))
            .filter(|n| *n != CATEGORY_MARK);
        names.max_by_key(|n| n.len()).map(str::to_string)
    }

    /// A call that would not run the code is refused when the profile is read.
    fn sound(&self, entries: &Entries) -> Result<(), ProfileError> {
        let refuse = |why: &str| Err(entries.refuse("gating.script", &self.script, why));
        if self.script.trim().is_empty() {
            return Ok(());
        }
        if self.script.matches("{{code}}").count() != 1 {
            return refuse("which needs {{code}} once: the place of the code that waits");
        }
        let call = self.call();
        if call.cut_off || call.markup || call.typographic.is_some() {
            return refuse("which is not a script text that can be read to its end");
        }
        match call.minimal.split_once(CODE_MARK) {
            Some((before, _)) if !before.is_empty() => Ok(()),
            _ => refuse("in which nothing waits: {{code}} must stand in the manager's call"),
        }
    }
}

impl ConsentManager {
    /// Returns the site's name for the supplier's class; none where its widget needs no consent.
    pub fn category_for(&self, supplier: &Supplier) -> Option<&str> {
        let class = supplier.consent.class;
        (class != ConsentClass::Necessary).then(|| self.gating.category(class))
    }

    /// Returns whether the profile says how a visitor comes to this decision. A refusal may be one
    /// layer below.
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

    /// Reads a consent manager's profile from TOML.
    ///
    /// # Errors
    /// [`ProfileError::Syntax`], the place is in the error; [`ProfileError::Entry`], where the call
    /// of its gating would not run the code.
    pub fn from_toml(text: &str) -> Result<ConsentManager, ProfileError> {
        let read: ConsentManager = newtfern_standards::strict_toml::read(text)?;
        read.gating.sound(&Entries { id: &read.id })?;
        Ok(read)
    }

    /// Reads a profile that somebody gives in: a field that nothing reads is refused.
    ///
    /// # Errors
    /// [`ProfileError`], with the entry that is wrong.
    pub fn given(text: &str) -> Result<ConsentManager, ProfileError> {
        newtfern_standards::strict_toml::read_known::<ConsentManager>(text)?;
        ConsentManager::from_toml(text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn gating(script: &str) -> Result<Gating, String> {
        let text = format!("id = 'bar'\n[gating]\nscript = '''{script}'''");
        let read = ConsentManager::from_toml(&text);
        read.map(|m| m.gating).map_err(|e| e.to_string())
    }

    #[test]
    fn script_text_in_the_call_waits_whatever_its_category_and_layout() {
        let call = "(window.barQueue = window.barQueue || []).push([\"{{category}}\", function () \
            { {{code}} }]);";
        let gating = gating(call).unwrap();
        let waits = |text: &str| gating.waits(&scan(text).minimal);
        let name = Some("window.barQueue".to_string());
        let spread = "( window.barQueue = window.barQueue||[] ).push( [ 'comfort', function() {\n \
            go(1); } ] )";
        assert_eq!(waits(spread), name);
        assert_eq!(waits(&format!("first(); {spread}")), name);
        for other in [
            "go(1)",
            "(window.barQueue = window.barQueue || []).push(function () { go(1) })",
            "(window.fooQueue = window.fooQueue || []).push([\"chat\", function () { go(1) }])",
        ] {
            assert_eq!(waits(other), None, "{other}");
        }
        assert_eq!(Gating::default().waits("go(1)"), None);
    }

    #[test]
    fn a_condition_is_the_sites_own_word_and_what_is_necessary_has_none() {
        let text = "id = 'bar'\n[gating.categories]\nfunctional = 'comfort'";
        let manager = ConsentManager::from_toml(text).unwrap();
        let mut supplier = crate::profile::tests::sample();
        supplier.consent.class = ConsentClass::Functional;
        assert_eq!(manager.category_for(&supplier), Some("comfort"));
        supplier.consent.class = ConsentClass::Marketing;
        assert_eq!(manager.category_for(&supplier), Some("chat"));
        supplier.consent.class = ConsentClass::Necessary;
        assert_eq!(manager.category_for(&supplier), None);
    }

    #[test]
    fn a_call_in_which_nothing_would_wait_is_refused() {
        for (script, why) in [
            ("bar.when(go)", "needs {{code}} once"),
            ("{{code}} {{code}}", "needs {{code}} once"),
            ("bar.when(function () { {{code}} ", "read to its end"),
            (
                "<script>bar(function () { {{code}} })</script>",
                "read to its end",
            ),
            ("{{code}}", "nothing waits"),
        ] {
            let told = gating(script).unwrap_err();
            assert!(
                told.contains(why) && told.contains("gating.script"),
                "{script}: {told}"
            );
        }
        assert!(gating("").is_ok());
    }
}
