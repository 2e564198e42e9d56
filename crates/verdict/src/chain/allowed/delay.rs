//! `allowed.delay`: a delay that the snippet itself sets and that outlasts the visit: absent as
//! intended.

use crate::chain::judged::{JudgedVisit, JudgedVisits};
use crate::chain::verdict::Verdict;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;
use newtfern_standards::observation::Look;

/// Reads the visits together.
pub fn judge(t: &JudgedVisits) -> Option<Verdict> {
    if !t.after().is_empty() {
        return None;
    }
    let quiet =
        |j: &&&JudgedVisit| matches!(j.code(), Some(Code::StartedSilent | Code::PlacedAbsent));
    let before = t.before();
    let j = before.iter().find(quiet)?;
    let Look::NotThere { until_ms } = j.facts.alive_look() else {
        return None;
    };
    let delays = j.facts.inspector.delays(&j.seen().page.html);
    let wait_ms = delays.into_iter().max()? as f64;
    let note = || {
        Finding::note(
            Code::AllowedDelay,
            format!(
                "The snippet starts the widget after {:.0} s; the visit watched {:.0} s.",
                wait_ms / 1000.0,
                until_ms / 1000.0
            ),
        )
        .with_all(crate::chain::evidence::lines(j.facts.pieces()))
    };
    (wait_ms > until_ms).then(|| Verdict::as_intended(note()))
}

#[cfg(test)]
mod tests {
    use crate::chain::Outcome;
    use crate::chain::testing::{Wanted, page};
    use newtfern_model::code::Code;

    fn delayed(ms: u32) -> crate::chain::Diagnosis {
        let late = format!(
            "<script>setTimeout(function () {{ var s = document.createElement('script'); s.src = \
            'https://cdn.example.test/l.js'; document.body.appendChild(s); \
            exampleChat('abcd-1234') }}, {ms});</script>"
        );
        Wanted::default().of(&[page(&late)])
    }

    #[test]
    fn a_delay_longer_than_the_visit_is_as_intended() {
        let d = delayed(30_000);
        assert_eq!(d.verdict.outcome(), Outcome::AsIntended);
        let note = &d.verdict.findings()[0];
        assert_eq!(note.code, Code::AllowedDelay);
        assert!(note.summary.contains("after 30 s; the visit watched 6 s"));
        assert!(!note.evidence.is_empty());
    }

    #[test]
    fn a_delay_that_was_waited_for_explains_nothing() {
        assert_eq!(delayed(6000).verdict.root(), Some(Code::StartedSilent));
    }
}
