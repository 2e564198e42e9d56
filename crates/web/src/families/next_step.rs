//! Where a finding is settled: a page of ours that leads there, or a message to whoever does it.

use newtfern_model::code::{Area, Place};
use newtfern_model::finding::{Finding, Severity};

/// A link to the next step of a finding.
pub struct NextStep {
    pub link: String,
    pub words: &'static str,
}

/// Returns the next step of a finding on a site; none for a note, which asks for nothing.
pub fn next_step(site: i64, found: &Finding) -> Option<NextStep> {
    if found.severity < Severity::Warning || found.remedy.is_empty() {
        return None;
    }
    let at = |page: &str| format!("/sites/{site}/{page}");
    let message = at(&format!("message?code={}", found.code.name()));
    let (link, words) = match (found.code.place(), found.code.area()) {
        (Place::Slot, _) => (at("place"), "Open Place"),
        (Place::TagManager, _) => (at("place#tags"), "Open the tag manager\u{2019}s steps"),
        (Place::ConsentManager, _) => (at("place"), "Open the code that waits for consent"),
        (Place::Account, _) => (at("design/sheet"), "Open the value sheet"),
        (Place::Supplier, _) => (message, "Write to the supplier"),
        (Place::Hosting | Place::Site | Place::Policy, _) => {
            (message, "Write to whoever runs the site")
        }
        (Place::Here, Area::Hours) => (at("intended"), "Open the hours"),
        (Place::Here, Area::Echo) => (at("test"), "Test by hand"),
        (Place::Here, _) => return None,
    };
    Some(NextStep { link, words })
}

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_model::code::Code;

    #[test]
    fn every_code_that_asks_for_something_leads_somewhere() {
        for code in Code::ALL {
            let found = Finding::new(*code, Severity::Fault, "It is so.", "Do this.");
            let here = code.place() == Place::Here;
            let step = next_step(7, &found);
            assert!(step.is_some() || here, "{code:?}");
            if let Some(step) = step {
                assert!(step.link.starts_with("/sites/7/"), "{}", step.link);
            }
        }
    }

    #[test]
    fn a_note_asks_for_nothing() {
        let note = Finding::note(Code::AllowedHours, "Nobody is there now.");
        assert!(next_step(7, &note).is_none());
    }

    #[test]
    fn what_others_mend_is_written_to_them() {
        let hidden = Finding::new(Code::ShownHidden, Severity::Broken, "Hidden.", "Show it.");
        let step = next_step(7, &hidden).unwrap();
        assert_eq!(step.link, "/sites/7/message?code=shown.hidden");
        assert_eq!(step.words, "Write to whoever runs the site");
    }
}
