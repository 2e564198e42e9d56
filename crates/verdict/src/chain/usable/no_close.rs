//! `usable.no-close`: the panel does not close. A profile that names no closing control leaves that
//! open without changing anything else.

use super::loss::is_no_loss;
use crate::chain::answer::{Answer, Dependence};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::Look;

/// Judges whether the panel can be closed.
pub fn judge(c: &Facts) -> Answer {
    let open = &c.case.supplier.open;
    if open.panel.trim().is_empty() {
        return Answer::Holds; // told as not opened
    }
    match c.seen.looks.closing {
        Look::Seen { .. } => return Answer::Holds,
        Look::NotLooked { why } if is_no_loss(why) => {
            return Answer::gap("closing the panel", why, Dependence::Nothing);
        }
        Look::NotLooked { why } => {
            return Answer::cannot_tell("whether the panel closes", why);
        }
        Look::NotThere { .. } => {}
    }
    let name = &c.case.supplier.name;
    Finding::broken(
        Code::UsableNoClose,
        "The panel does not close.",
        format!(
            "Report it to {name}; on the site, look for a style that hides or covers the \
            closing control."
        ),
    )
    .with(Evidence::fact(format!(
        "clicked {}; the panel stayed",
        open.close
    )))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, healthy, root, told, undecided, with};
    use crate::chain::{LinkState, Outcome};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Look, NotCheckedReason, Observation};

    fn closing(look: Look) -> Observation {
        with(healthy(), |o| o.looks.closing = look)
    }

    #[test]
    fn a_panel_that_stays_is_told_with_the_control_that_was_used() {
        let found = told(closing(Look::NotThere { until_ms: 6000.0 }));
        assert_eq!(found.code, Code::UsableNoClose);
        assert!(found.evidence[0].line().contains("#example-panel .x"));
        assert_eq!(root(healthy()), None);
    }

    #[test]
    fn no_control_in_the_profile_is_listed_and_a_cut_visit_is_undecided() {
        let why = NotCheckedReason::NoEntry;
        let d = Wanted::default().of(&[closing(Look::NotLooked { why })]);
        assert_eq!(d.verdict.outcome(), Outcome::Working);
        assert_eq!(d.verdict.chain()[7].state, LinkState::Holds);
        assert_eq!(d.verdict.not_looked_at()[0].what, "closing the panel");
        let why = NotCheckedReason::Deadline;
        undecided(
            closing(Look::NotLooked { why }),
            "the visit ran out of time",
        );
    }
}
