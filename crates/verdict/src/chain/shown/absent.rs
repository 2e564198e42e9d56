//! `shown.absent`: the supplier's sign of life is true and no element fits the launcher's selector.

use crate::chain::answer::Answer;
use crate::chain::evidence::{launcher, picture};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{Look, NotCheckedReason};

/// Judges whether the launcher is in the page.
pub fn judge(c: &Facts) -> Answer {
    let selector = &c.case.supplier.alive.launcher;
    if selector.is_empty() {
        let depends = crate::chain::answer::Dependence::Link;
        return Answer::gap("the launcher", NotCheckedReason::NoEntry, depends);
    }
    if launcher(c).is_some() {
        return Answer::Holds;
    }
    let summary = match c.seen.looks.launcher {
        Look::Seen { at_ms } => format!(
            "The launcher came after {:.1} s and was taken away again.",
            at_ms / 1000.0
        ),
        Look::NotThere { .. } => "The widget says it is up, and no launcher is in the page.".into(),
        Look::NotLooked { why } => return Answer::cannot_tell("the launcher", why),
    };
    Finding::broken(
        Code::ShownAbsent,
        summary,
        "Check the widget's own display settings, and the site's scripts and styles for something \
        that removes it.",
    )
    .with(Evidence::fact(format!("nothing matches {selector}")))
    .with_all(picture(c))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, healthy, root, told, undecided, with};
    use crate::chain::{LinkState, Outcome};
    use crate::testing::SAMPLE;
    use newtfern_model::code::Code;
    use newtfern_model::profile::Supplier;
    use newtfern_standards::observation::{Look, NotCheckedReason, Observation};

    fn without(look: Look) -> Observation {
        with(healthy(), |o| {
            o.launcher = None;
            o.looks.launcher = look;
        })
    }

    #[test]
    fn no_element_that_fits_is_absent() {
        let never = told(without(Look::NotThere { until_ms: 5000.0 }));
        assert_eq!(never.code, Code::ShownAbsent);
        assert!(never.evidence[0].line().contains("#example-launcher"));
        let again = told(without(Look::Seen { at_ms: 900.0 }));
        assert!(again.summary.contains("taken away"), "{}", again.summary);
    }

    #[test]
    fn a_launcher_that_is_there_is_not_absent_and_one_not_looked_for_is_open() {
        assert_eq!(root(healthy()), None);
        let why = NotCheckedReason::Deadline;
        undecided(
            without(Look::NotLooked { why }),
            "the visit ran out of time",
        );
    }

    #[test]
    fn a_profile_without_a_launcher_leaves_the_link_undecided() {
        let bare = SAMPLE.replace("launcher = ", "note = ");
        let wanted = Wanted {
            supplier: Supplier::from_toml(&bare).unwrap(),
            ..Wanted::default()
        };
        let d = wanted.of(&[with(healthy(), |o| o.launcher = None)]);
        assert_eq!(d.verdict.outcome(), Outcome::Working);
        assert_eq!(d.verdict.chain()[6].state, LinkState::Undecided);
        assert!(
            d.verdict
                .not_looked_at()
                .iter()
                .any(|n| n.what == "the launcher")
        );
    }
}
