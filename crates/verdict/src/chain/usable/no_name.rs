//! `usable.no-name`: no accessible name, as the browser computes it (W3C Accessible Name and
//! Description Computation; WCAG 2.2, 4.1.2).

use crate::chain::answer::Answer;
use crate::chain::evidence::launcher;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};

/// Judges whether the launcher has an accessible name.
pub fn judge(c: &Facts) -> Answer {
    let opened = c.seen.looks.opening.seen_ms().is_some();
    let nameless = |l: &&newtfern_standards::observation::Launcher| l.name.trim().is_empty();
    let Some(l) = launcher(c).filter(nameless).filter(|_| opened) else {
        return Answer::Holds;
    };
    Finding::broken(
        Code::UsableNoName,
        "The launcher has no accessible name: a screen reader says only that there is a button.",
        "In the widget's settings, give the launcher a label.",
    )
    .with(Evidence::fact(l.html.clone()))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{launcher, root};
    use newtfern_model::code::Code;

    #[test]
    fn blanks_are_no_name() {
        assert_eq!(
            root(launcher(|l| l.name = " ".into())),
            Some(Code::UsableNoName)
        );
        assert_eq!(root(launcher(|l| l.name = "Chat".into())), None);
    }
}
