//! Without a visit there is nothing to judge, and a page that was not delivered is judged by the
//! first visit alone: consent and viewport change nothing about it.

use crate::chain::answer::NotLookedAt;
use crate::chain::together::{PageVerdict, Together, worst_of};
use crate::finding::Link;

/// Reads the visits together.
pub fn judge(t: &Together) -> Option<PageVerdict> {
    match t.judged.first() {
        None => Some(PageVerdict::unchecked(
            Link::Delivered,
            NotLookedAt {
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
    use crate::code::Code;

    #[test]
    fn no_visit_is_unchecked() {
        let d = Wanted::default().of(&[]);
        assert_eq!((d.outcome, d.root), (Outcome::Unchecked, None));
        assert_eq!(d.chain[0].state, LinkState::Undecided);
        assert_eq!(d.not_looked_at[0].why, "no visit was made");
    }

    #[test]
    fn the_first_visit_tells_that_the_page_cannot_be_had() {
        let gone = with(page(""), |o| o.page.status = Some(404));
        let d = Wanted::default().of(&[gone, healthy()]);
        assert_eq!(d.root, Some(Code::DeliveredStatus));
        // That a later visit with consent arrived does not make it a page that waits for consent.
        let gone = with(page(""), |o| o.page.status = Some(404));
        let d = Wanted::default().of(&[gone, granted(healthy())]);
        assert_eq!(d.root, Some(Code::DeliveredStatus));
    }
}
