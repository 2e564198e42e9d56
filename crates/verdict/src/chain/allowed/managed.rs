//! "Without a consent profile a page that exposes the IAB interface (`__tcfapi`) and holds the
//! script back counts as managed too": as intended, `allowed.consent-waits`.

use super::consent_waits::waits;
use crate::chain::judged::{JudgedVisit, JudgedVisits, worst_of};
use crate::chain::verdict::Verdict;
use newtfern_model::code::Code;

/// Reads the visits together.
pub fn judge(t: &JudgedVisits) -> Option<Verdict> {
    if !t.after().is_empty() {
        return None;
    }
    let before = t.before();
    let held = |j: &&&JudgedVisit| !j.works() && j.facts.held_by_consent() && j.quiet();
    let j = before.iter().find(held)?;
    let root = worst_of(&before).root()?;
    let explains = matches!(
        root,
        Code::PlacedWrongType | Code::AllowedConsentWaits | Code::AllowedConsentStuck
    );
    // Where a manager is given, consent was to be given too, and that it could not be is told.
    let asked = t.case.consent.is_some() && t.judged.len() > before.len();
    (explains && !asked).then(|| Verdict::as_intended(waits(j)))
}

#[cfg(test)]
mod tests {
    use crate::chain::Outcome;
    use crate::chain::testing::{GOOD, Wanted, consent, page, with};
    use newtfern_model::code::Code;

    #[test]
    fn a_page_with_the_iab_interface_that_holds_it_back_is_as_intended() {
        let held = page(&GOOD.replace("async", "type=\"text/plain\""));
        let managed = with(held.clone(), |o| o.consent.tcf = true);
        let d = Wanted::default().of(&[managed]);
        assert_eq!(d.verdict.outcome(), Outcome::AsIntended);
        assert_eq!(d.verdict.findings()[0].code, Code::AllowedConsentWaits);
        assert!(
            d.verdict.findings()[0].evidence[0]
                .line()
                .contains("text/plain")
        );
        // Without the interface nothing says that anybody will let it go.
        assert_eq!(
            Wanted::default().of(&[held]).verdict.root(),
            Some(Code::PlacedWrongType)
        );
    }

    #[test]
    fn a_page_with_the_interface_and_no_snippet_lacks_it() {
        let empty = with(page(""), |o| o.consent.tcf = true);
        assert_eq!(
            Wanted::default().of(&[empty]).verdict.root(),
            Some(Code::PlacedAbsent)
        );
    }

    #[test]
    fn where_only_the_untouched_page_was_looked_at_holding_back_is_as_intended() {
        let held = page(&GOOD.replace("async", "type=text/plain data-wait=chat"));
        let wanted = Wanted {
            consent: consent(),
            ..Wanted::default()
        };
        let d = wanted.of(&[held]);
        assert_eq!(d.verdict.outcome(), Outcome::AsIntended, "{d:?}");
    }
}
