//! What is recorded of hand work on a site, and what put-back instructions follow from it.

use serde::{Deserialize, Serialize};

/// Kind of a diary entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// A copy was made before anything was touched.
    Backup,
    /// Content of a slot before a change.
    Held,
    /// Something on the site was changed.
    Changed,
    /// Something else that changed, with the client's consent.
    SideEffect,
    /// Access that was given.
    Access,
    /// Any other entry.
    Note,
}

impl Kind {
    /// Every kind, in the order of the work.
    pub const ALL: [Kind; 6] = [
        Kind::Backup,
        Kind::Held,
        Kind::Changed,
        Kind::SideEffect,
        Kind::Access,
        Kind::Note,
    ];

    /// Returns the kind's key, as it is stored and posted.
    pub fn key(self) -> &'static str {
        match self {
            Kind::Backup => "backup",
            Kind::Held => "held",
            Kind::Changed => "changed",
            Kind::SideEffect => "side_effect",
            Kind::Access => "access",
            Kind::Note => "note",
        }
    }

    /// Returns the kind that a stored key names.
    pub fn from_key(key: &str) -> Option<Kind> {
        Kind::ALL.into_iter().find(|k| k.key() == key)
    }

    /// Returns the kind's name for people.
    pub fn label(self) -> &'static str {
        match self {
            Kind::Backup => "Backup made",
            Kind::Held => "Earlier code of the slot",
            Kind::Changed => "Change",
            Kind::SideEffect => "Agreed with the client (such as another widget switched off)",
            Kind::Access => "Access given",
            Kind::Note => "Note",
        }
    }
}

/// An entry as the instructions need it.
#[derive(Debug, Clone, Copy)]
pub struct Line<'a> {
    /// Kind of the entry.
    pub kind: Kind,
    /// Name of its slot; empty where it is about none.
    pub slot: &'a str,
    /// Text of the entry.
    pub words: &'a str,
}

/// Returns the steps that put a site back to what it was, from its diary, newest entry first.
/// `undo` tells of a slot what undoes a placing there.
pub fn put_back(entries: &[Line], undo: &dyn Fn(&str) -> String) -> Vec<String> {
    let mut out = Vec::new();
    for entry in entries {
        let place = match entry.slot {
            "" => String::new(),
            slot => format!("In {slot}: "),
        };
        match entry.kind {
            Kind::Changed => {
                let how = Some(undo(entry.slot)).filter(|u| !u.is_empty());
                let how = how.unwrap_or_else(|| "undo the change.".into());
                out.push(format!("{place}{how} (It was: {})", entry.words));
            }
            Kind::Held => out.push(format!("{place}restore exactly this: {}", entry.words)),
            Kind::SideEffect => {
                out.push(format!("{place}ask the client, then undo: {}", entry.words))
            }
            Kind::Access => out.push(format!("{place}return the access: {}", entry.words)),
            Kind::Backup => out.push(format!(
                "{place}if all else fails, use the backup: {}",
                entry.words
            )),
            Kind::Note => {}
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_way_back_is_the_work_in_reverse() {
        let line = |kind, slot, words| Line { kind, slot, words };
        let entries = [
            line(Kind::Access, "", "editor account of the agency"),
            line(Kind::SideEffect, "", "the old talk button was switched off"),
            line(Kind::Changed, "Code box", "the snippet at its end"),
            line(Kind::Held, "Code box", "<!-- counter -->"),
            line(Kind::Note, "", "called at nine"),
            line(Kind::Backup, "", "export of Tuesday"),
        ];
        let undo = |slot: &str| match slot {
            "Code box" => "take the lines out and publish.".to_string(),
            _ => String::new(),
        };
        let back = put_back(&entries, &undo);
        assert_eq!(back.len(), 5);
        assert_eq!(
            back[2],
            "In Code box: take the lines out and publish. (It was: the snippet at its end)"
        );
        assert_eq!(
            back[3],
            "In Code box: restore exactly this: <!-- counter -->"
        );
        assert!(back[0].contains("editor account") && back[4].contains("export of Tuesday"));
    }
}
