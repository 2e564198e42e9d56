//! "A supplier's answer named in the profile's `refusals` with the code `allowed.hours`,
//! `allowed.delay` or `allowed.page-rule` explains an absence: as intended, with that note. Without
//! an expectation of our own the supplier's word stands."

use crate::chain::judged::JudgedVisits;
use crate::chain::verdict::Verdict;
use newtfern_model::code::Code;
use newtfern_model::finding::{Finding, Severity};

const EXPLAINS: [Code; 3] = [
    Code::AllowedHours,
    Code::AllowedDelay,
    Code::AllowedPageRule,
];

/// Reads the visits together: all that decide must be explained, or the worst of them is told.
pub fn judge(t: &JudgedVisits) -> Option<Verdict> {
    let deciding = t.deciding();
    let explained = |code: Option<Code>| code.is_some_and(|c| EXPLAINS.contains(&c));
    if !deciding.iter().all(|j| j.works() || explained(j.code())) {
        return None;
    }
    let found = deciding
        .iter()
        .find(|j| explained(j.code()))
        .and_then(|j| j.found())?;
    let note = Finding {
        severity: Severity::Note,
        ..found.clone()
    };
    Some(Verdict::as_intended(note))
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, answer, loaded, on_phone, page, with};
    use crate::chain::{LinkState, Outcome};
    use crate::testing::SAMPLE;
    use newtfern_model::code::Code;
    use newtfern_model::finding::Severity;
    use newtfern_model::profile::Supplier;

    fn wanted(code: &str) -> Wanted {
        Wanted {
            supplier: Supplier::from_toml(&SAMPLE.replace("allowed.domain", code)).unwrap(),
            ..Wanted::default()
        }
    }

    #[test]
    fn the_suppliers_own_rule_is_as_intended_with_its_answer_as_evidence() {
        let closed = with(loaded(), |o| {
            o.requests.push(answer(403, "domain not allowed"))
        });
        for code in ["allowed.hours", "allowed.delay", "allowed.page-rule"] {
            let d = wanted(code).of(&[closed.clone(), on_phone(closed.clone())]);
            assert_eq!(
                (d.verdict.outcome(), d.verdict.root()),
                (Outcome::AsIntended, None),
                "{code}"
            );
            let note = &d.verdict.findings()[0];
            assert_eq!((note.code.name(), note.severity), (code, Severity::Note));
            assert!(note.evidence[0].line().contains("403"));
            assert_eq!(d.verdict.chain()[1].state, LinkState::Holds);
            assert_eq!(d.verdict.chain()[2].state, LinkState::NotApplicable);
        }
    }

    #[test]
    fn a_refusal_is_broken_and_so_is_a_page_that_lacks_it_beside() {
        let closed = with(loaded(), |o| {
            o.requests.push(answer(403, "domain not allowed"))
        });
        let d = wanted("allowed.country").of(std::slice::from_ref(&closed));
        assert_eq!(d.verdict.root(), Some(Code::AllowedCountry));
        let d = wanted("allowed.hours").of(&[closed, on_phone(page(""))]);
        assert_eq!(d.verdict.outcome(), Outcome::Broken);
    }
}
