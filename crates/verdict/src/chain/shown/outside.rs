//! `shown.outside`: outside the viewport.

use crate::chain::answer::Answer;
use crate::chain::evidence::{boxed, launcher, picture};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;

/// Judges one visit. Less than half in view is no launcher a visitor finds (common practice).
pub fn judge(c: &Facts) -> Answer {
    let view = c.seen.view();
    let out = |l: &&newtfern_standards::observation::Launcher| {
        l.rect.overlap(&view) < 0.5 * l.rect.area()
    };
    let Some(l) = launcher(c).filter(out) else {
        return Answer::Holds;
    };
    let (w, h) = (view.width, view.height);
    Finding::broken(
        Code::ShownOutside,
        format!("The launcher lies outside the {w:.0} \u{d7} {h:.0} px viewport."),
        "Correct the offsets in the widget's design, and look for a style of the \
        site that moves it.",
    )
    .with(boxed("launcher", &l.rect))
    .with_all(picture(c))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{launcher, root, told};
    use newtfern_model::code::Code;

    #[test]
    fn less_than_half_in_view_is_outside() {
        let found = told(launcher(|l| l.rect.x = 1251.0));
        assert_eq!(found.code, Code::ShownOutside);
        assert!(found.summary.contains("1280 \u{d7} 800"));
        assert_eq!(root(launcher(|l| l.rect.x = 1250.0)), None, "just half");
    }
}
