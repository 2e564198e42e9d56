//! `allowed.consent-stuck`: consent was given and it still does not start. Unless something more
//! definite is wrong; and only where the decision took.

use crate::chain::judged::{JudgedVisit, JudgedVisits, WAITING, worst_of};
use crate::chain::verdict::Verdict;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::ConsentSeen;

/// Reads the visits together.
pub fn judge(t: &JudgedVisits) -> Option<Verdict> {
    let after = t.after();
    let before = t.before();
    if !before.is_empty() && before.iter().all(|j| j.works()) {
        return None;
    }
    worst_of(&after).root()?;
    let stuck = |j: &&&JudgedVisit| {
        let consent = &j.seen().consent;
        j.quiet()
            && j.code().is_some_and(|c| WAITING.contains(&c))
            && (j.facts.held_by_consent() || consent.manager || consent.tcf)
    };
    let j = after.iter().find(stuck)?;
    let finding = Finding::broken(
        Code::AllowedConsentStuck,
        "Consent was given and the widget still does not start.",
        "In the consent manager, assign the widget's script to the category that the \
        visitor granted.",
    )
    .with(Evidence::fact(states(&j.seen().consent)))
    .with_all(j.found().iter().flat_map(|f| f.evidence.clone()));
    Some(Verdict::broken(finding))
}

fn states(consent: &ConsentSeen) -> String {
    let named = |state: &str| match state {
        "" => "unknown".to_string(),
        state => state.to_string(),
    };
    format!(
        "consent was {} before and {} after",
        named(&consent.state_before),
        named(&consent.state_after)
    )
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{
        GOOD, Wanted, consent, granted, healthy, loader, page, ungranted, with,
    };
    use crate::chain::{LinkState, Outcome};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::Observation;

    fn held() -> Observation {
        page(&GOOD.replace("async", "type=text/plain data-wait=chat"))
    }

    fn managed() -> Wanted {
        Wanted {
            consent: consent(),
            ..Wanted::default()
        }
    }

    #[test]
    fn held_back_although_consent_was_given_is_stuck() {
        let d = managed().of(&[held(), granted(held())]);
        assert_eq!(d.verdict.root(), Some(Code::AllowedConsentStuck));
        assert!(
            d.verdict.findings()[0].evidence[0]
                .line()
                .contains("untouched before and granted after")
        );
    }

    #[test]
    fn something_more_definite_is_told_as_such() {
        let failing = with(granted(held()), |o| {
            o.requests.push(loader(Some(503), None))
        });
        assert_eq!(
            managed().of(&[held(), failing]).verdict.root(),
            Some(Code::FetchedStatus)
        );
    }

    #[test]
    fn consent_that_could_not_be_given_leaves_it_undecided() {
        let d = managed().of(&[held(), ungranted(held())]);
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::Unchecked, None)
        );
        assert_eq!(d.verdict.chain()[2].state, LinkState::Undecided);
        assert!(
            d.verdict.not_looked_at()[0].why.contains("no control"),
            "{:?}",
            d.verdict.not_looked_at()
        );
        // It does not matter where the widget is up anyway.
        let d = managed().of(&[healthy(), ungranted(healthy())]);
        assert_eq!(d.verdict.outcome(), Outcome::Working);
    }

    #[test]
    fn without_a_manager_on_the_page_there_was_nothing_to_give() {
        let bare = with(ungranted(page("")), |o| o.consent.manager = false);
        assert_eq!(
            managed().of(&[page(""), bare]).verdict.root(),
            Some(Code::PlacedAbsent)
        );
    }

    /// One sign of waiting suffices: a held-back script, a manager or the IAB interface.
    #[test]
    fn one_sign_of_waiting_suffices_and_without_any_nothing_is_stuck() {
        let silent = |change: fn(&mut Observation)| {
            let after = with(granted(page(GOOD)), |o| {
                o.consent.manager = false;
                change(o);
            });
            Wanted::default().of(&[page(GOOD), after]).verdict.root()
        };
        let bare = silent(|_| {});
        assert_ne!(bare, Some(Code::AllowedConsentStuck));
        assert_eq!(
            silent(|o| o.consent.manager = true),
            Some(Code::AllowedConsentStuck)
        );
        assert_eq!(
            silent(|o| o.consent.tcf = true),
            Some(Code::AllowedConsentStuck)
        );
        let marked = with(granted(held()), |o| o.consent.manager = false);
        let d = managed().of(&[held(), marked.clone()]);
        assert_eq!(d.verdict.root(), Some(Code::AllowedConsentStuck));
        // With consent alone looked at, too.
        assert_eq!(managed().of(&[marked]).verdict.root(), d.verdict.root());
        // What works before the decision does not wait for it.
        let d = managed().of(&[healthy(), granted(page(GOOD))]);
        assert_ne!(d.verdict.root(), Some(Code::AllowedConsentStuck), "{d:?}");
    }
}
