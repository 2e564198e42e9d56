//! What a form was made from, and what came between: two people may have the same form open.

use newtfern_acts::version_of;
use serde::Serialize;

/// A field that somebody else saved while this form was open.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Conflict {
    /// Label of the field.
    pub label: String,
    /// Value that is saved now.
    pub theirs: String,
    /// Value in the form.
    pub yours: String,
}

/// The state that a form is made from.
#[derive(Debug, Clone, Default)]
pub struct Edit {
    /// Tells it from other states; goes along with the form.
    pub version: String,
    /// Fields in which the form and what is saved differ, where somebody else saved in between.
    pub conflicts: Vec<Conflict>,
}

impl Edit {
    /// A form that is made from this state.
    pub fn of(state: &impl Serialize) -> Edit {
        Edit {
            version: version_of(state),
            conflicts: Vec::new(),
        }
    }

    /// Returns the edit with the fields (label, saved, typed) that differ.
    pub fn against(mut self, fields: impl IntoIterator<Item = (String, String, String)>) -> Edit {
        let differs = fields
            .into_iter()
            .filter(|(_, saved, typed)| saved != typed);
        let conflict = |(label, theirs, yours)| Conflict {
            label,
            theirs,
            yours,
        };
        self.conflicts = differs.map(conflict).collect();
        self
    }
}
