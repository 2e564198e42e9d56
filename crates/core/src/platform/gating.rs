//! How a consent manager holds code back in each kind of slot: by its mark on a script element, by a call around
//! script text, or by the hosts that it was told at its own desk.

use super::Step;
use super::slot::{Slot, Takes};
use crate::html::escaped;
use crate::profile::{ConsentManager, Supplier};
use serde::{Deserialize, Serialize};

/// What holds a slot's code back until consent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Holding {
    /// Nothing is to hold it back: what is necessary needs no consent.
    NotWanted,
    /// The manager's mark on each script element.
    Mark,
    /// The manager's call around the script text.
    Call,
    /// The manager itself, once a person has told it the supplier's hosts.
    Hosts,
    /// Nothing that the manager's profile knows of.
    Nothing,
}

impl Holding {
    /// What a manager can do for a supplier's code in a slot.
    pub fn of(slot: &Slot, supplier: &Supplier, manager: &ConsentManager) -> Holding {
        let gating = &manager.gating;
        let marks = !gating.script_type.is_empty() && !gating.attribute.is_empty();
        match slot.takes {
            _ if manager.category_for(supplier).is_none() => Holding::NotWanted,
            Takes::Markup if marks => Holding::Mark,
            Takes::ScriptText if !gating.script.is_empty() => Holding::Call,
            _ if !gating.steps.is_empty() => Holding::Hosts,
            _ => Holding::Nothing,
        }
    }

    /// It is in the code, so that nothing is left to do at the manager.
    pub fn in_the_code(self) -> bool {
        matches!(self, Holding::NotWanted | Holding::Mark | Holding::Call)
    }
}

/// Each script element marked so that the manager lets it go once consent is given. The mark comes
/// first: of two `type` attributes the first one counts (HTML standard, duplicate attributes).
pub(super) fn marked(snippet: &str, supplier: &Supplier, manager: &ConsentManager) -> String {
    let gating = &manager.gating;
    let mark = format!(
        "<script type=\"{}\" {}=\"{}\"",
        gating.script_type,
        gating.attribute,
        escaped(gating.category(supplier.consent.class))
    );
    snippet.replace("<script", &mark)
}

/// Script text inside the manager's call, which runs it once consent is given.
pub(crate) fn called(code: &str, supplier: &Supplier, manager: &ConsentManager) -> String {
    let gating = &manager.gating;
    let category = crate::script_scan::in_a_string(gating.category(supplier.consent.class));
    // The code last: nothing in it is a place to fill.
    (gating.script)
        .replace("{{category}}", &category)
        .replace("{{code}}", &format!("\n{}\n", code.trim()))
}

/// What a person does at a consent manager, so that it holds back what the code cannot.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct AtManager {
    /// In their order; `{{hosts}}` marks the step that shows the hosts to copy.
    pub steps: Vec<Step>,
    /// The supplier's.
    pub hosts: Vec<String>,
}

impl AtManager {
    pub(super) fn of(supplier: &Supplier, manager: &ConsentManager) -> AtManager {
        let category = manager.gating.category(supplier.consent.class);
        let filled = |text: &str| text.replace("{{category}}", category);
        let steps = manager.gating.steps.iter();
        AtManager {
            steps: steps
                .map(|s| Step {
                    act: filled(&s.act),
                    check: filled(&s.check),
                })
                .collect(),
            hosts: supplier.hosts().map(str::to_string).collect(),
        }
    }
}
