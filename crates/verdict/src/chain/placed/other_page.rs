//! `placed.other-page`: absent here although present on other pages of the site that the same rule
//! covers. Where none of the linked pages could be looked at, it is not known.

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_model::placement::PieceState;
use newtfern_standards::observation::Purpose;

/// Judges whether another page has the snippet instead.
pub fn judge(c: &Facts) -> Answer {
    let traced = |p: &newtfern_model::placement::Piece| p.state != PieceState::Mentioned;
    if c.arrived() || c.pieces().iter().any(traced) {
        return Answer::Holds;
    }
    let found = c
        .asides(Purpose::Linked)
        .find_map(|a| Some((a, c.live_in(a)?)));
    let Some((aside, piece)) = found else {
        let looked = c.asides(Purpose::Linked).next().is_some();
        return match c.asides_missed(Purpose::Linked).next() {
            Some((_, why)) if !looked => Answer::cannot_tell("any other page of the site", why),
            _ => Answer::Holds,
        };
    };
    // That other pages have it in their documents does not tell that it comes by no other way here.
    if let Some(why) = c.document_cut() {
        return Answer::cannot_tell("the whole document", why);
    }
    if let Some(why) = c.cut_off() {
        return Answer::cannot_tell("whether the widget comes by another way", why);
    }
    Finding::broken(
        Code::PlacedOtherPage,
        "The snippet is missing here and present on another page of the site.",
        "Place the snippet in the template or site-wide code box, not in a single page.",
    )
    .with(Evidence::Request {
        url: aside.url.clone(),
        outcome: format!("snippet on line {}: {}", piece.line, piece.excerpt),
    })
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::Outcome;
    use crate::chain::testing::{GOOD, Wanted, aside, loader, missed, page, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Look, NotCheckedReason, Purpose};

    #[test]
    fn a_linked_page_that_has_it_is_named() {
        let d = Wanted::with_asides([aside(Purpose::Linked, GOOD)]).of(&[page("")]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedOtherPage));
        assert!(
            d.verdict.findings()[0].evidence[0]
                .line()
                .contains("kites.example/other")
        );
    }

    #[test]
    fn linked_pages_without_it_say_nothing_more() {
        let both = [
            aside(Purpose::Linked, ""),
            missed(Purpose::Linked, NotCheckedReason::Deadline),
        ];
        let d = Wanted::with_asides(both).of(&[page("")]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedAbsent));
        assert_eq!(
            d.verdict.findings()[0].candidates[0].code,
            Code::PlacedOtherPage
        );
    }

    #[test]
    fn no_linked_page_looked_at_leaves_it_open() {
        let d = Wanted::with_asides([missed(Purpose::Linked, NotCheckedReason::Deadline)])
            .of(&[page("")]);
        assert_eq!(d.verdict.outcome(), Outcome::Unchecked);
        assert_eq!(
            d.verdict.not_looked_at()[0].what,
            "any other page of the site"
        );
    }

    #[test]
    fn what_was_not_read_or_not_waited_for_is_not_missing() {
        let linked = || Wanted::with_asides([aside(Purpose::Linked, GOOD)]);
        let cut = with(page(""), |o| o.page.html_cut = true);
        let late = with(page(""), |o| {
            o.looks.alive = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        });
        for (seen, what) in [(cut, "the whole document"), (late, "by another way")] {
            let d = linked().of(&[seen]);
            assert_eq!(d.verdict.outcome(), Outcome::Unchecked);
            assert!(
                d.verdict.not_looked_at()[0].what.contains(what),
                "{:?}",
                d.verdict.not_looked_at()
            );
        }
    }

    #[test]
    fn a_trace_here_is_another_matter_and_a_mention_is_none() {
        let linked = || Wanted::with_asides([aside(Purpose::Linked, GOOD)]);
        let mentioned = "<script>set('https://cdn.example.test/l.js', later)</script>";
        let d = linked().of(&[page(mentioned)]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedOtherPage));
        let d = linked().of(&[page(&format!("<!-- {GOOD} -->"))]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedCommented));
        let brought = with(page(""), |o| o.requests.push(loader(Some(200), None)));
        assert_eq!(
            linked().of(&[brought]).verdict.root(),
            Some(Code::StartedSilent)
        );
    }
}
