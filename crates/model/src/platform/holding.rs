//! What holds the code of a slot back until consent.

use crate::platform::slot::{Slot, SlotEffect, SlotInput};
use crate::profile::{ConsentManager, Supplier};

/// Way in which a slot's code is held back until consent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Holding {
    /// Holding back is not wanted: what is necessary needs no consent.
    NotWanted,
    /// The manager's mark on each script element.
    Mark,
    /// The manager's call around the script text.
    Call,
    /// The manager itself, once a person has told it the supplier's hosts.
    Hosts,
    /// The manager's profile knows no way.
    Nothing,
}

impl Holding {
    /// Returns what a manager can do for a supplier's code in a slot.
    pub fn of(slot: &Slot, supplier: &Supplier, manager: &ConsentManager) -> Holding {
        let gating = &manager.gating;
        let marks = !gating.script_type.is_empty() && !gating.attribute.is_empty();
        match slot.takes {
            _ if manager.category_for(supplier).is_none() => Holding::NotWanted,
            SlotInput::Markup if marks => Holding::Mark,
            SlotInput::Markup | SlotInput::ScriptText if !gating.script.is_empty() => Holding::Call,
            _ if !gating.steps.is_empty() => Holding::Hosts,
            _ => Holding::Nothing,
        }
    }

    /// Returns whether the code holds itself back, so that nothing is left to do at the manager.
    pub fn in_the_code(self) -> bool {
        matches!(self, Holding::NotWanted | Holding::Mark | Holding::Call)
    }
}

impl Slot {
    /// Returns remarks on code that lives here; `holding` where a consent manager is to hold it
    /// back.
    pub fn notes(&self, holding: Option<Holding>) -> Vec<String> {
        let mut out = Vec::new();
        if self.does.contains(&SlotEffect::Delays) {
            out.push(
                "the site delays it until the visitor moves, scrolls or touches: exempt this \
                script from the delay"
                    .to_string(),
            );
        }
        if self.does.contains(&SlotEffect::Defers) {
            out.push("it runs after the document has loaded".into());
        }
        match holding {
            Some(Holding::Hosts) => out.push(
                "the code cannot wait for consent here: the consent \
                manager must block the supplier's hosts, and a check shows whether it does"
                    .into(),
            ),
            Some(Holding::Nothing) => out.push(
                "the consent manager's profile has no way to block \
                code here, so it would run before consent: choose another slot, or set the \
                manager to block the supplier's hosts"
                    .into(),
            ),
            _ => {}
        }
        out
    }
}
