//! `allowed.consent-waits`: waiting for consent, as it should: nothing while untouched, up once
//! granted.

use crate::chain::together::{Judged, PageVerdict, Together, worst_of};
use crate::code::Code;
use crate::finding::Finding;

/// The note, with the lines of what is held back.
pub fn waits(j: &Judged) -> Finding {
    let held = j.found().map(|f| f.evidence.clone()).unwrap_or_default();
    let words = "The widget waits for consent, as it should.";
    Finding::note(Code::AllowedConsentWaits, words).with_all(held)
}

/// Reads the visits together.
pub fn judge(t: &Together) -> Option<PageVerdict> {
    let (before, after) = (t.before(), t.after());
    let works = |group: &[&Judged]| group.iter().all(|j| j.works());
    if after.is_empty() || !works(&after) || works(&before) {
        return None;
    }
    let root = worst_of(&before).root?;
    if root.code == Code::ShownCovered {
        // A banner that lies on the launcher until the visitor decides is no fault of the widget's.
        return Some(PageVerdict::working());
    }
    let held = before.iter().find(|j| j.found().is_some())?;
    Some(PageVerdict::as_intended(waits(held)))
}

#[cfg(test)]
mod tests {
    use crate::chain::Outcome;
    use crate::chain::testing::{GOOD, Wanted, consent, granted, healthy, page, with};
    use crate::code::Code;
    use crate::observation::Cover;

    fn managed() -> Wanted {
        Wanted {
            consent: consent(),
            ..Wanted::default()
        }
    }

    #[test]
    fn waiting_and_then_starting_is_as_intended() {
        let held = page(&GOOD.replace("async", "type=text/plain data-wait=chat"));
        let d = managed().of(&[held, granted(healthy())]);
        assert_eq!((d.outcome, d.root), (Outcome::AsIntended, None));
        let codes: Vec<Code> = d.findings.iter().map(|f| f.code).collect();
        assert_eq!(codes, [Code::AllowedConsentWaits]);
        assert!(d.findings[0].evidence[0].line().contains("data-wait"));
    }

    #[test]
    fn starting_while_untouched_is_working_here() {
        let d = managed().of(&[healthy(), granted(healthy())]);
        assert_eq!(d.outcome, Outcome::Working);
    }

    #[test]
    fn a_banner_on_the_launcher_is_no_fault_of_the_widgets() {
        let covered = with(healthy(), |o| {
            let l = o.launcher.as_mut().unwrap();
            l.reachable = 0.1;
            l.covered_by = vec![Cover {
                element: "div#banner".into(),
                share: 0.9,
            }];
        });
        let d = managed().of(&[covered, granted(healthy())]);
        assert_eq!(d.outcome, Outcome::Working);
    }
}
