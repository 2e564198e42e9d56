//! `usable.no-keyboard`: not reachable by keyboard (WCAG 2.2, 2.1.1).

use super::loss::is_no_loss;
use crate::chain::answer::Answer;
use crate::chain::evidence::launcher;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::Look;

/// Judges whether the launcher can be worked by keyboard.
pub fn judge(c: &Facts) -> Answer {
    let tried = !c.case.supplier.open.panel.trim().is_empty();
    let Some(l) = launcher(c).filter(|_| tried) else {
        return Answer::Holds; // told as not shown or not opened
    };
    let why = match (l.focusable, c.seen.looks.keyboard) {
        (false, _) => "the launcher cannot take the focus",
        (true, Look::NotThere { .. }) => {
            "the launcher takes the focus, and Enter and Space open nothing"
        }
        // Without a way to close the panel, whether a key opens it cannot be seen.
        (true, Look::NotLooked { why }) if !is_no_loss(why) => {
            return Answer::cannot_tell("whether the keyboard opens the panel", why);
        }
        (true, _) => return Answer::Holds,
    };
    let name = &c.case.supplier.name;
    Finding::broken(
        Code::UsableNoKeyboard,
        "The launcher cannot be worked by keyboard.",
        format!("Ask {name} for a launcher that is a button; a site style cannot fix this."),
    )
    .with(Evidence::fact(why))
    .with(Evidence::fact(l.html.clone()))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{healthy, launcher, root, told, undecided, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Look, NotCheckedReason, Observation};

    fn keyboard(look: Look) -> Observation {
        with(healthy(), |o| o.looks.keyboard = look)
    }

    #[test]
    fn no_focus_and_keys_in_vain_are_told_apart() {
        let found = told(launcher(|l| l.focusable = false));
        assert_eq!(found.code, Code::UsableNoKeyboard);
        assert!(found.evidence[0].line().contains("cannot take the focus"));
        let found = told(keyboard(Look::NotThere { until_ms: 9000.0 }));
        assert!(found.evidence[0].line().contains("Enter and Space"));
        assert_eq!(root(healthy()), None);
    }

    #[test]
    fn keys_that_were_not_tried_say_nothing() {
        let why = NotCheckedReason::Deadline;
        undecided(
            keyboard(Look::NotLooked { why }),
            "the visit ran out of time",
        );
        let why = NotCheckedReason::NoEntry;
        assert_eq!(root(keyboard(Look::NotLooked { why })), None);
    }
}
