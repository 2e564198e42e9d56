//! `placed.late-delay`: held back by a script-delaying optimiser until the visitor interacts. A
//! fault; it breaks nothing.

use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding, Severity};
use newtfern_model::placement::{Piece, PieceState};

/// Looks at when the sign of life came.
pub fn remark(c: &Facts) -> Vec<Finding> {
    let Some(at_ms) = c.alive_look().seen_ms() else {
        return Vec::new();
    };
    if !c.seen.alive.after_interaction {
        return Vec::new();
    }
    let held = |p: &&Piece| matches!(p.state, PieceState::WrongType(_) | PieceState::Delayed(_));
    let finding = Finding::new(
        Code::PlacedLateDelay,
        Severity::Fault,
        "The widget starts only after the visitor moves, scrolls or presses a key.",
        "In the optimiser of the site, exempt this script from delaying.",
    )
    .with(Evidence::fact(format!(
        "no sign of life until interaction, then after {:.1} s",
        at_ms / 1000.0
    )))
    .with_all(lines(c.pieces().iter().filter(held)));
    vec![finding]
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, healthy, loaded, with};
    use newtfern_model::code::Code;
    use newtfern_model::finding::Severity;

    #[test]
    fn a_start_after_interaction_is_a_fault_and_breaks_nothing() {
        let late = with(healthy(), |o| o.alive.after_interaction = true);
        let d = Wanted::default().of(&[late]);
        assert_eq!(d.verdict.root(), None);
        let found = &d.verdict.findings()[0];
        assert_eq!(
            (found.code, found.severity),
            (Code::PlacedLateDelay, Severity::Fault)
        );
        assert!(found.evidence[0].line().contains("0.8 s"));
    }

    #[test]
    fn a_widget_that_never_came_was_not_delayed() {
        let never = with(loaded(), |o| o.alive.after_interaction = true);
        let d = Wanted::default().of(&[never]);
        assert!(
            d.verdict
                .findings()
                .iter()
                .all(|f| f.code != Code::PlacedLateDelay)
        );
        assert!(
            Wanted::default()
                .of(&[healthy()])
                .verdict
                .findings()
                .is_empty()
        );
    }
}
