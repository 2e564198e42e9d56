//! `placed.unexpected`: present where the page rules say it must not be; absent there is as intended.

use crate::chain::Expect;
use crate::chain::answer::NotLookedAt;
use crate::chain::evidence::{lines, request};
use crate::chain::together::{Judged, PageVerdict, Together};
use crate::code::Code;
use crate::consent::is_ours;
use crate::finding::{Evidence, Finding, Link};

/// Reads the visits together.
pub fn judge(t: &Together) -> Option<PageVerdict> {
    if t.case.expect == Expect::Present {
        return None;
    }
    let present = |j: &&Judged| j.facts.live().next().is_some() || !j.quiet();
    if let Some(j) = t.judged.iter().find(present) {
        let asked = j.facts.loader_requests().map(request);
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
    if let Some(finding) = t.judged.iter().find_map(left_behind) {
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

/// What still speaks to the supplier, or stores for it, without a snippet: the rest of a widget that was taken
/// off. The visit began with empty storage, so whatever is there was written by this page.
fn left_behind(j: &Judged) -> Option<Finding> {
    let c = &j.facts;
    let supplier = c.case.supplier;
    let requests: Vec<Evidence> = c.widget_requests().map(request).collect();
    let stored = c.seen.stored.iter().filter(|s| is_ours(supplier, s));
    let stored: Vec<Evidence> = stored
        .map(|s| Evidence::fact(format!("{} {} of {}", s.kind, s.name, s.place)))
        .collect();
    if requests.is_empty() && stored.is_empty() {
        return None;
    }
    let what = match (requests.len(), stored.len()) {
        (n, 0) => format!("{n} of its requests"),
        (0, n) => format!("{n} of its cookies or storage entries"),
        (r, s) => format!("{r} of its requests and {s} of its cookies or storage entries"),
    };
    let summary = format!(
        "No snippet of {} is in the page, and {what} are still there.",
        supplier.name
    );
    let remedy = "Find what else of the supplier the page loads (an extension, a tag, a hint in the head) and take it out.";
    let finding = Finding::broken(Code::PlacedUnexpected, summary, remedy);
    Some(finding.with_all(requests).with_all(stored))
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
    fn what_a_removed_widget_leaves_is_told() {
        use crate::chain::testing::answer;
        use crate::observation::Stored;
        let stores = with(page(""), |o| {
            o.stored.push(Stored {
                kind: "cookie".into(),
                name: "ex_id".into(),
                place: "kites.example".into(),
                ..Stored::default()
            });
        });
        let d = absent().of(&[stores]);
        assert_eq!(d.root, Some(Code::PlacedUnexpected));
        let found = &d.findings[0];
        assert!(
            found.summary.contains("1 of its cookies"),
            "{}",
            found.summary
        );
        assert_eq!(found.evidence[0].line(), "cookie ex_id of kites.example");
        let asks = with(page(""), |o| o.requests.push(answer(200, "{}")));
        let d = absent().of(&[asks]);
        assert!(d.findings[0].summary.contains("1 of its requests"));
        // A cookie of somebody else is none of ours.
        let other = with(page(""), |o| {
            o.stored.push(Stored {
                name: "basket".into(),
                place: "kites.example".into(),
                ..Stored::default()
            });
        });
        assert_eq!(absent().of(&[other]).outcome, Outcome::AsIntended);
    }

    #[test]
    fn a_dead_piece_of_a_removed_widget_is_a_warning() {
        let commented = page(&format!("<!-- {GOOD} -->"));
        let d = absent().of(&[commented]);
        assert_eq!(d.outcome, Outcome::AsIntended);
        let left = d.findings.iter().find(|f| f.code == Code::PlacedLeftover);
        assert!(left.unwrap().summary.contains("should have none"));
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
