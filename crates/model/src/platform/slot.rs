//! A slot of a platform: what it reaches, what it takes, what it does to code, and what undoes it.

use crate::platform::step::Step;
use crate::profile::Position;
use serde::{Deserialize, Serialize};

/// A place of a platform that takes code.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Slot {
    /// Short name, unique in the platform.
    pub id: String,
    /// Slot's name on the platform.
    pub name: String,
    /// Pages that it reaches.
    #[serde(default)]
    pub scope: Scope,
    /// Place in the page at which it puts the code.
    #[serde(default)]
    pub position: Position,
    /// Kind of text that the slot takes.
    pub takes: SlotInput,
    /// Steps by which a person puts the code in.
    #[serde(default)]
    pub steps: Vec<Step>,
    /// The id under which the platform's own interface knows the slot, where it has one.
    #[serde(default)]
    pub interface: Option<String>,
    /// Effects on code beyond what it takes.
    #[serde(default)]
    pub does: Vec<SlotEffect>,
    /// Step that undoes a placing there, for a person.
    #[serde(default)]
    pub undo: String,
    /// Instruction that leads to the slot's own list of pages; empty where it has none.
    #[serde(default)]
    pub page_rules: String,
    /// Whether it is part of a paid plan of the platform only.
    #[serde(default)]
    pub paid_plan: bool,
    /// Whether its content is lost with a change of theme or template.
    #[serde(default)]
    pub lost_with_theme: bool,
    /// The code follows the supplier's changes by itself.
    #[serde(default)]
    pub follows_supplier: bool,
}

/// Pages that a slot reaches.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Scope {
    /// All of the site.
    #[default]
    Site,
    /// All of one template.
    Template,
    /// The slot reaches one page.
    Page,
}

/// Kind of text that a slot takes, which also says what it does to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SlotInput {
    /// Puts the text into the page as it is.
    Markup,
    /// Puts the text inside a script element of its own.
    ScriptText,
    /// Wants the key and writes the supplier's snippet itself.
    Key,
    /// Wants the loader's address and writes the script element itself.
    Address,
    /// Wants the supplier's code as it is, and nothing of the site's own in it.
    Snippet,
    /// Wants nothing: the supplier is chosen after signing in, and a switch turns it on.
    Switch,
}

/// Effect of a slot on code.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SlotEffect {
    /// Puts script tags around it.
    Wraps,
    /// Takes script elements out of it.
    Strips,
    /// Writes it as text.
    Escapes,
    /// Puts it into a frame of its own.
    Frames,
    /// Holds it back until the visitor moves, scrolls or touches.
    Delays,
    /// Runs it after the document.
    Defers,
}

impl Slot {
    /// Returns the effect that leaves nothing to run, in words that follow the slot's name. A slot
    /// that writes the code itself has no such effect.
    pub fn destroys(&self) -> Option<&'static str> {
        if matches!(
            self.takes,
            SlotInput::Key | SlotInput::Switch | SlotInput::Address
        ) {
            return None;
        }
        let script_text = self.takes == SlotInput::ScriptText;
        self.does.iter().find_map(|does| match does {
            SlotEffect::Strips => Some("removes script elements"),
            SlotEffect::Escapes => Some("shows code as text"),
            SlotEffect::Frames => {
                Some("puts the code into a separate frame, which the launcher cannot leave")
            }
            SlotEffect::Wraps if !script_text => {
                Some("adds script tags and accepts no script text")
            }
            _ => None,
        })
    }
}
