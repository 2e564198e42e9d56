//! `usable.no-open`: a click on the launcher opens nothing. "Without `[open]`, `usable` is
//! undecided, stands among what was not looked at, and does not change the outcome."

use crate::chain::answer::{Answer, Dependence};
use crate::chain::evidence::{console, picture};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{Look, NotCheckedReason};

/// Judges whether a click opens the panel.
pub fn judge(c: &Facts) -> Answer {
    let open = &c.case.supplier.open;
    if open.panel.trim().is_empty() {
        return Answer::gap(
            "opening and closing the panel",
            NotCheckedReason::NoEntry,
            Dependence::Link,
        );
    }
    match c.seen.looks.opening {
        Look::Seen { .. } => return Answer::Holds,
        Look::NotLooked { why } => {
            return Answer::cannot_tell("whether the panel opens", why);
        }
        Look::NotThere { .. } => {}
    }
    let click = match open.click.trim() {
        "" => &c.case.supplier.alive.launcher,
        click => click,
    };
    let name = &c.case.supplier.name;
    let errors = c.seen.exceptions.iter().filter(|e| c.widget_error(e));
    Finding::broken(
        Code::UsableNoOpen,
        "A click on the launcher opens nothing.",
        format!(
            "Try it by hand on the page; if it still does not open, report it to {name} with the \
            console's messages."
        ),
    )
    .with(Evidence::fact(format!(
        "clicked {click}; {} did not show",
        open.panel
    )))
    .with_all(errors.take(2).map(console))
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

    fn opening(look: Look) -> Observation {
        with(healthy(), |o| o.looks.opening = look)
    }

    #[test]
    fn a_click_in_vain_is_told_with_what_was_clicked() {
        let found = told(opening(Look::NotThere { until_ms: 6000.0 }));
        assert_eq!(found.code, Code::UsableNoOpen);
        assert!(found.evidence[0].line().contains("#example-panel"));
        assert_eq!(root(healthy()), None);
    }

    #[test]
    fn a_click_that_was_not_made_says_nothing() {
        let why = NotCheckedReason::Deadline;
        undecided(
            opening(Look::NotLooked { why }),
            "the visit ran out of time",
        );
    }

    #[test]
    fn without_a_panel_in_the_profile_usable_is_undecided_and_the_outcome_stands() {
        let bare = SAMPLE
            .replace("panel = ", "note = ")
            .replace("close = ", "more = ");
        let wanted = Wanted {
            supplier: Supplier::from_toml(&bare).unwrap(),
            ..Wanted::default()
        };
        let why = NotCheckedReason::NoEntry;
        let bare = with(opening(Look::NotLooked { why }), |o| {
            (o.looks.closing, o.looks.keyboard) = (o.looks.opening, o.looks.opening);
        });
        let d = wanted.of(&[bare]);
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::Working, None)
        );
        assert_eq!(d.verdict.chain()[7].state, LinkState::Undecided);
        assert_eq!(
            d.verdict.not_looked_at().len(),
            1,
            "{:?}",
            d.verdict.not_looked_at()
        );
    }
}
