//! `placed.unexpected`: present where the page rules say it must not be; absent there is as intended.

use crate::chain::Expect;
use crate::chain::answer::NotLookedAt;
use crate::chain::evidence::lines;
use crate::chain::together::{PageVerdict, Together};
use crate::code::Code;
use crate::finding::{Evidence, Finding, Link};

/// Reads the visits together.
pub fn judge(t: &Together) -> Option<PageVerdict> {
    if t.case.expect == Expect::Present {
        return None;
    }
    let present =
        |j: &&crate::chain::together::Judged| j.facts.live().next().is_some() || !j.quiet();
    if let Some(j) = t.judged.iter().find(present) {
        let asked = j
            .facts
            .loader_requests()
            .map(crate::chain::evidence::request);
        let finding = Finding::broken(
            Code::PlacedUnexpected,
            "The widget is on a page where the page rules say it must not be.",
            "Exclude this page in the widget's page rules or in the slot's conditions.",
        )
        .with_all(lines(j.facts.live()))
        .with_all(asked)
        .with_all(j.facts.alive.then(|| Evidence::fact("the widget is up")));
        return Some(PageVerdict::broken(finding));
    }
    let open = t.judged.iter().find_map(|j| {
        let why = j.facts.document_cut().or(j.facts.cut_off())?;
        Some(NotLookedAt {
            what: "whether the widget comes after all".into(),
            why: why.words().into(),
        })
    });
    if let Some(gap) = open {
        return Some(PageVerdict::unchecked(Link::Placed, gap));
    }
    let note = Finding::note(
        Code::AllowedPageRule,
        "The widget is absent here, as the page rules say.",
    );
    Some(PageVerdict::intended_from(Link::Placed, note))
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, healthy, page, with};
    use crate::chain::{Expect, LinkState, Outcome};
    use crate::code::Code;
    use crate::observation::{Look, Unlooked};

    fn absent() -> Wanted {
        Wanted {
            expect: Expect::Absent,
            ..Wanted::default()
        }
    }

    #[test]
    fn absence_that_is_wanted_is_as_intended() {
        let d = absent().of(&[page("")]);
        assert_eq!((d.outcome, d.root), (Outcome::AsIntended, None));
        assert_eq!(d.findings[0].code, Code::AllowedPageRule);
        assert_eq!(d.chain[0].state, LinkState::Holds);
        assert_eq!(d.chain[1].state, LinkState::NotApplicable);
    }

    #[test]
    fn presence_is_broken_in_the_document_or_up() {
        assert_eq!(
            absent().of(&[page(GOOD)]).root,
            Some(Code::PlacedUnexpected)
        );
        let d = absent().of(&[healthy()]);
        assert_eq!(d.root, Some(Code::PlacedUnexpected));
        assert!(
            d.findings[0]
                .evidence
                .iter()
                .any(|e| e.line().contains("is up"))
        );
    }

    #[test]
    fn a_look_that_was_cut_off_is_undecided() {
        let cut = with(page(""), |o| {
            o.looks.alive = Look::NotLooked {
                why: Unlooked::Deadline,
            };
        });
        assert_eq!(absent().of(&[cut]).outcome, Outcome::Unchecked);
    }
}
