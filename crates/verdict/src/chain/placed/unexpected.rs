//! `placed.unexpected`: present where the page rules say it must not be; absent there is as
//! intended.

use crate::busy;
use crate::chain::evidence::{lines, request};
use crate::chain::judged::{JudgedVisit, JudgedVisits};
use crate::chain::verdict::Verdict;
use crate::consent::is_ours;
use newtfern_model::code::{Code, Link};
use newtfern_model::finding::{Evidence, Finding, NotChecked};
use newtfern_model::pages::Expect;

/// Reads the visits together.
pub fn judge(t: &JudgedVisits) -> Option<Verdict> {
    if t.case.expect == Expect::Present {
        return None;
    }
    let present = |j: &&JudgedVisit| j.facts.live().next().is_some() || !j.quiet();
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
        return Some(Verdict::broken(finding));
    }
    if let Some(finding) = t.judged.iter().find_map(left_behind) {
        return Some(Verdict::broken(finding));
    }
    let open = t.judged.iter().find_map(|j| {
        let why = j.facts.document_cut().or(j.facts.cut_off())?;
        Some(NotChecked {
            what: "whether the widget comes after all".into(),
            why: why.words().into(),
        })
    });
    // On a busy machine it may not have come yet.
    let starved = busy::starved(t.judged.iter().map(|j| j.seen()));
    let open = open.or_else(|| starved.map(|w| busy::gap("whether the widget comes after all", w)));
    if let Some(gap) = open {
        return Some(Verdict::unchecked(Link::Placed, gap));
    }
    let note = Finding::note(
        Code::AllowedPageRule,
        "The widget is absent here, as the page rules say.",
    );
    Some(Verdict::intended_from(Link::Placed, note))
}

/// Returns the finding of what still speaks to the supplier, or stores for it, without a snippet:
/// the rest of a widget that was taken off. The visit began with empty storage, so whatever is
/// there was written by this page.
fn left_behind(j: &JudgedVisit) -> Option<Finding> {
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
    let remedy = "Find what else of the supplier the page loads (an extension, a tag, a hint in \
        the head) and take it out.";
    let finding = Finding::broken(Code::PlacedUnexpected, summary, remedy);
    Some(finding.with_all(requests).with_all(stored))
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, healthy, page, with};
    use crate::chain::{LinkState, Outcome};
    use newtfern_model::code::Code;
    use newtfern_model::pages::Expect;
    use newtfern_standards::observation::{Look, NotCheckedReason, StorageKind};

    fn absent() -> Wanted {
        Wanted {
            expect: Expect::Absent,
            ..Wanted::default()
        }
    }

    #[test]
    fn absence_that_is_wanted_is_as_intended() {
        let d = absent().of(&[page("")]);
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::AsIntended, None)
        );
        assert_eq!(d.verdict.findings()[0].code, Code::AllowedPageRule);
        assert_eq!(d.verdict.chain()[0].state, LinkState::Holds);
        assert_eq!(d.verdict.chain()[1].state, LinkState::NotApplicable);
    }

    #[test]
    fn what_a_removed_widget_leaves_is_told() {
        use crate::chain::testing::answer;
        use newtfern_standards::observation::StoredItem;
        let stores = with(page(""), |o| {
            o.stored.push(StoredItem {
                kind: StorageKind::Cookie,
                name: "ex_id".into(),
                place: "kites.example".into(),
                ..StoredItem::default()
            });
        });
        let d = absent().of(&[stores]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedUnexpected));
        let found = &d.verdict.findings()[0];
        assert!(
            found.summary.contains("1 of its cookies"),
            "{}",
            found.summary
        );
        assert_eq!(found.evidence[0].line(), "cookie ex_id of kites.example");
        let asks = with(page(""), |o| o.requests.push(answer(200, "{}")));
        let d = absent().of(&[asks]);
        assert!(
            d.verdict.findings()[0]
                .summary
                .contains("1 of its requests")
        );
        // A cookie of somebody else is none of ours.
        let other = with(page(""), |o| {
            o.stored.push(StoredItem {
                name: "basket".into(),
                place: "kites.example".into(),
                ..StoredItem::default()
            });
        });
        assert_eq!(absent().of(&[other]).verdict.outcome(), Outcome::AsIntended);
    }

    #[test]
    fn a_dead_piece_of_a_removed_widget_is_a_warning() {
        let commented = page(&format!("<!-- {GOOD} -->"));
        let d = absent().of(&[commented]);
        assert_eq!(d.verdict.outcome(), Outcome::AsIntended);
        let left = d
            .verdict
            .findings()
            .iter()
            .find(|f| f.code == Code::PlacedLeftover);
        assert!(left.unwrap().summary.contains("should have none"));
    }

    #[test]
    fn presence_is_broken_in_the_document_or_up() {
        assert_eq!(
            absent().of(&[page(GOOD)]).verdict.root(),
            Some(Code::PlacedUnexpected)
        );
        let d = absent().of(&[healthy()]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedUnexpected));
        assert!(
            d.verdict.findings()[0]
                .evidence
                .iter()
                .any(|e| e.line().contains("is up"))
        );
    }

    #[test]
    fn a_look_that_was_cut_off_is_undecided() {
        let cut = with(page(""), |o| {
            o.looks.alive = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        });
        assert_eq!(absent().of(&[cut]).verdict.outcome(), Outcome::Unchecked);
    }
}
