//! `placed.leftover`: a piece of the same supplier that was left in beside a good copy. A fault
//! where visitors see it, request something by it or will run it; a warning where not.

use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Finding, Severity};
use newtfern_model::pages::Expect;
use newtfern_model::placement::{Piece, PieceState};

/// Returns whether a visitor or their browser notices this piece.
fn noticed(piece: &Piece) -> bool {
    match &piece.state {
        PieceState::AsText | PieceState::BadQuotes | PieceState::Truncated => true,
        // Released with the good copy, there are two.
        PieceState::ConsentHeld(_) => true,
        PieceState::Inert(element) => matches!(element.as_str(), "textarea" | "title" | "xmp"),
        _ => false,
    }
}

/// Looks at what stands beside a good copy.
pub fn remark(c: &Facts) -> Vec<Finding> {
    let held = |p: &&Piece| matches!(p.state, PieceState::ConsentHeld(_));
    let live = c.live().count();
    // The good copy may itself be one that waits for consent.
    let good = live > 0 || c.pieces().iter().filter(held).count() == 1;
    let left: Vec<&Piece> = c
        .pieces()
        .iter()
        .filter(|p| !matches!(p.state, PieceState::Live | PieceState::Mentioned))
        .filter(|p| live > 0 || !held(p))
        .collect();
    let none = c.case.expect == Expect::Absent && live == 0;
    if !(good || none) || left.is_empty() {
        return Vec::new();
    }
    let seen = left.iter().any(|p| noticed(p));
    let (severity, words) = if seen {
        (Severity::Fault, "and visitors or their browsers meet it")
    } else {
        (Severity::Warning, "although nobody meets it today")
    };
    let summary = match none {
        true => {
            format!("A piece of the snippet was left in a page that should have none, {words}.")
        }
        false => format!("An old piece of the snippet was left in beside the good one, {words}."),
    };
    let finding = Finding::new(
        Code::PlacedLeftover,
        severity,
        summary,
        "Take the old piece out of the slot, template or extension that holds it.",
    );
    vec![finding.with_all(lines(left))]
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, consent, healthy, html, page, with};
    use newtfern_model::code::Code;
    use newtfern_model::finding::Severity;

    /// A healthy page that also holds `body`.
    fn beside(body: &str) -> Vec<(Code, Severity)> {
        let both = with(healthy(), |o| {
            o.page.html = html(&format!("{body}\n{GOOD}"))
        });
        let d = Wanted::default().of(&[both]);
        assert_eq!(d.verdict.root(), None, "{:?}", d.verdict.findings());
        d.verdict
            .findings()
            .iter()
            .map(|f| (f.code, f.severity))
            .collect()
    }

    #[test]
    fn what_visitors_meet_is_a_fault() {
        let fault = [(Code::PlacedLeftover, Severity::Fault)];
        assert_eq!(
            beside(&format!("<p>{}</p>", GOOD.replace('<', "&lt;"))),
            fault
        );
        assert_eq!(beside(&GOOD.replace('"', "\u{201d}")), fault);
        assert_eq!(beside(&format!("<textarea>{GOOD}</textarea>")), fault);
    }

    #[test]
    fn what_nobody_meets_is_a_warning() {
        let warning = [(Code::PlacedLeftover, Severity::Warning)];
        assert_eq!(beside(&format!("<!-- old: {GOOD} -->")), warning);
        assert_eq!(beside(&format!("<template>{GOOD}</template>")), warning);
    }

    #[test]
    fn a_single_copy_leaves_nothing_beside_it() {
        assert_eq!(beside("<p>hello</p>"), []);
        let commented = Wanted::default().of(&[page(&format!("<!-- {GOOD} -->"))]);
        assert_eq!(commented.verdict.findings().len(), 1, "the root alone");
        let waits = page(&GOOD.replace("async", "type=text/plain data-wait=chat"));
        let wanted = Wanted {
            consent: consent(),
            ..Wanted::default()
        };
        let codes = |d: crate::chain::Diagnosis| {
            d.verdict
                .findings()
                .iter()
                .map(|f| f.code)
                .collect::<Vec<_>>()
        };
        assert!(!codes(wanted.of(&[waits])).contains(&Code::PlacedLeftover));
    }

    #[test]
    fn copies_that_consent_will_let_go_are_counted_with_the_good_one() {
        let held = GOOD.replace("async", "type=text/plain data-wait=chat");
        let wanted = Wanted {
            consent: consent(),
            ..Wanted::default()
        };
        let left = |body: String| {
            let both = with(healthy(), |o| o.page.html = html(&body));
            let d = wanted.of(&[both]);
            let found = d
                .verdict
                .findings()
                .iter()
                .find(|f| f.code == Code::PlacedLeftover);
            found.map(|f| (f.severity, f.evidence.len()))
        };
        // Released, there are two.
        assert_eq!(left(format!("{held}\n{GOOD}")), Some((Severity::Fault, 1)));
        // The one that waits is the good one: only the comment is left over.
        assert_eq!(
            left(format!("{held}\n<!-- {GOOD} -->")),
            Some((Severity::Warning, 1))
        );
        assert_eq!(left(format!("{held}\n{held}")), None);
    }
}
