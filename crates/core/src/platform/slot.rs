//! A slot of a platform: what it reaches, what it takes, what it does to code, and what undoes it.

use super::gating::Holding;
use crate::profile::Position;
use serde::{Deserialize, Serialize};

/// A place of a platform that takes code.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Slot {
    /// Short name, unique in the platform.
    pub id: String,
    /// As the platform names it.
    pub name: String,
    /// Which pages it reaches.
    #[serde(default)]
    pub scope: Scope,
    /// Where in the page it puts the code.
    #[serde(default)]
    pub position: Position,
    /// What it takes.
    pub takes: Takes,
    /// How a person puts the code in.
    #[serde(default)]
    pub steps: Vec<Step>,
    /// The id under which the platform's own interface knows the slot, where it has one.
    #[serde(default)]
    pub interface: Option<String>,
    /// What it does to code beyond what it takes.
    #[serde(default)]
    pub does: Vec<Does>,
    /// What undoes a placing there, for a person.
    #[serde(default)]
    pub undo: String,
    /// It is there in a paid plan of the platform only.
    #[serde(default)]
    pub paid_plan: bool,
    /// What it holds is lost with a change of theme or template.
    #[serde(default)]
    pub lost_with_theme: bool,
    /// The code follows the supplier's changes by itself.
    #[serde(default)]
    pub follows_supplier: bool,
}

/// Which pages a slot reaches.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Scope {
    /// All of the site.
    #[default]
    Site,
    /// All of one template.
    Template,
    /// One page.
    Page,
}

/// What the slot expects, which is also what it does to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Takes {
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

/// What a slot does to code.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Does {
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

/// One step of a person.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// What to do; `{{code}}` marks the step that shows the code to copy.
    #[serde(rename = "do")]
    pub act: String,
    /// What to see when it is done.
    pub check: String,
}

impl Slot {
    /// What it does to code that leaves nothing to run, in words that follow its name. A slot that writes
    /// the code itself does none of that to it.
    pub fn destroys(&self) -> Option<&'static str> {
        if matches!(self.takes, Takes::Key | Takes::Switch | Takes::Address) {
            return None;
        }
        let script_text = self.takes == Takes::ScriptText;
        self.does.iter().find_map(|does| match does {
            Does::Strips => Some("takes script elements out of what is pasted"),
            Does::Escapes => Some("writes what is pasted as text"),
            Does::Frames => {
                Some("puts what is pasted into a frame of its own, which the launcher cannot leave")
            }
            Does::Wraps if !script_text => {
                Some("puts script tags around what is pasted, and takes no script text")
            }
            _ => None,
        })
    }

    /// What to know of code that lives here; `holding` where a consent manager is to hold it back.
    pub fn notes(&self, holding: Option<Holding>) -> Vec<String> {
        let mut out = Vec::new();
        if self.does.contains(&Does::Delays) {
            out.push("it comes only once the visitor moves, scrolls or touches: exempt this script from the delay".to_string());
        }
        if self.does.contains(&Does::Defers) {
            out.push("it runs after the document is there".into());
        }
        match holding {
            Some(Holding::Hosts) => out.push("the code cannot wait for consent here: the consent manager has to hold the supplier's hosts back, and a check shows whether it does".into()),
            Some(Holding::Nothing) => out.push("the profile of the consent manager knows no way to hold code back here, so it would run before consent: choose another slot, or have the manager hold the supplier's hosts back".into()),
            _ => {}
        }
        out
    }
}
