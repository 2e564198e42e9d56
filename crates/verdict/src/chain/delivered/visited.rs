//! Without a visit there is nothing to judge, and a page that was not delivered is judged by the
//! first visit alone: consent and viewport change nothing about it.

use crate::chain::judged::{JudgedVisits, worst_of};
use crate::chain::verdict::Verdict;
use newtfern_model::code::Link;
use newtfern_model::finding::NotChecked;

/// Reads the visits together.
pub fn judge(t: &JudgedVisits) -> Option<Verdict> {
    match t.judged.first() {
        None => Some(Verdict::unchecked(
            Link::Delivered,
            NotChecked {
                what: "the page".into(),
                why: "no visit was made".into(),
            },
        )),
        Some(first) if !first.delivered() => Some(worst_of(&[first])),
        Some(_) => None,
    }
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, granted, healthy, page, with};
    use crate::chain::{LinkState, Outcome};
    use newtfern_model::code::Code;

    #[test]
    fn no_visit_is_unchecked() {
        let d = Wanted::default().of(&[]);
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::Unchecked, None)
        );
        assert_eq!(d.verdict.chain()[0].state, LinkState::Undecided);
        assert_eq!(d.verdict.not_looked_at()[0].why, "no visit was made");
    }

    #[test]
    fn the_first_visit_tells_that_the_page_cannot_be_had() {
        let gone = with(page(""), |o| o.page.status = Some(404));
        let d = Wanted::default().of(&[gone, healthy()]);
        assert_eq!(d.verdict.root(), Some(Code::DeliveredStatus));
        // That a later visit with consent arrived does not make it a page that waits for consent.
        let gone = with(page(""), |o| o.page.status = Some(404));
        let d = Wanted::default().of(&[gone, granted(healthy())]);
        assert_eq!(d.verdict.root(), Some(Code::DeliveredStatus));
    }
}
