//! `allowed.consent-waits`: waiting for consent, as it should: nothing while untouched, up once
//! granted.

use crate::chain::judged::{JudgedVisit, JudgedVisits, worst_of};
use crate::chain::verdict::Verdict;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;

/// The note, with the lines of what is held back.
pub fn waits(j: &JudgedVisit) -> Finding {
    let held = j.found().map(|f| f.evidence.clone()).unwrap_or_default();
    let words = "The widget waits for consent, as it should.";
    Finding::note(Code::AllowedConsentWaits, words).with_all(held)
}

/// Reads the visits together.
pub fn judge(t: &JudgedVisits) -> Option<Verdict> {
    let (before, after) = (t.before(), t.after());
    let works = |group: &[&JudgedVisit]| group.iter().all(|j| j.works());
    if after.is_empty() || !works(&after) || works(&before) {
        return None;
    }
    let root = worst_of(&before).root()?;
    if root == Code::ShownCovered {
        // A banner that lies on the launcher until the visitor decides is no fault of the widget's.
        return Some(Verdict::working());
    }
    let held = before.iter().find(|j| j.found().is_some())?;
    Some(Verdict::as_intended(waits(held)))
}

#[cfg(test)]
mod tests {
    use crate::chain::Outcome;
    use crate::chain::testing::{GOOD, Wanted, consent, granted, healthy, page, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::Cover;

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
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::AsIntended, None)
        );
        let codes: Vec<Code> = d.verdict.findings().iter().map(|f| f.code).collect();
        assert_eq!(codes, [Code::AllowedConsentWaits]);
        assert!(
            d.verdict.findings()[0].evidence[0]
                .line()
                .contains("data-wait")
        );
    }

    #[test]
    fn starting_while_untouched_is_working_here() {
        let d = managed().of(&[healthy(), granted(healthy())]);
        assert_eq!(d.verdict.outcome(), Outcome::Working);
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
        assert_eq!(d.verdict.outcome(), Outcome::Working);
    }
}
