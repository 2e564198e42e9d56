//! Hand over: has the client the proof, and did they say yes?

use super::{Assessed, Family, Standing, Stood, Words};
use crate::job::JobKind;
use serde::{Deserialize, Serialize};

pub(super) const WORDS: Words = Words {
    key: "hand_over",
    label: "Hand over",
    question: "Has the client the proof, and did they say yes?",
    drawing: "Sheet",
    job: Some(JobKind::Sheet),
};

/// What the section is made from.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Detail {
    /// Blob key of the PDF.
    pub pdf: Option<String>,
    /// The sheet.
    pub sheet: Option<i64>,
}

/// A sheet was made and waits for the client's yes.
pub fn made(proven: bool, detail: Detail) -> Assessed {
    let summary = match proven {
        true => "The sheet is made; the client has not confirmed yet.",
        false => "The sheet is made, of a site whose chain is not proven.",
    };
    Assessed {
        family: Family::HandOver,
        standing: Standing::Undecided,
        summary: summary.into(),
        remedy: "Send the client the link.".into(),
        findings: Vec::new(),
        detail: Some(super::Detail::HandOver(detail)),
    }
}

/// The client said yes.
pub fn confirmed(by: &str, sheet: i64) -> Assessed {
    Assessed {
        family: Family::HandOver,
        standing: Standing::Passing,
        summary: format!("Confirmed by {by}."),
        remedy: String::new(),
        findings: Vec::new(),
        detail: Some(super::Detail::HandOver(Detail {
            pdf: None,
            sheet: Some(sheet),
        })),
    }
}

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        // The sheet is there; what is missing is the client's yes.
        Standing::Undecided if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        _ => Some("Make the handover sheet.".into()),
    }
}
