//! `shown.covered`: under something else. A visitor aims at the middle: half reachable still works
//! (common practice).

use crate::chain::answer::Answer;
use crate::chain::evidence::{boxed, launcher, picture};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};

/// Judges whether something lies over the launcher.
pub fn judge(c: &Facts) -> Answer {
    let covered = launcher(c).filter(|l| l.reachable < 0.5);
    let Some((l, top)) = covered.and_then(|l| Some((l, l.covered_by.first()?))) else {
        return Answer::Holds;
    };
    Finding::broken(
        Code::ShownCovered,
        format!("The launcher is covered by {}.", top.element),
        "Move the launcher or that element, or correct their stacking order.",
    )
    .with(boxed("launcher", &l.rect))
    .with(Evidence::fact(format!(
        "{:.0} % of the launcher can be reached; {} lies on {:.0} %",
        l.reachable * 100.0,
        top.element,
        top.share * 100.0
    )))
    .with_all(picture(c))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{launcher, root, told};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Cover, Observation};

    fn covered(reachable: f64) -> Observation {
        let o = launcher(|l| {
            l.covered_by = vec![Cover {
                element: "div#bar".into(),
                share: 0.6,
            }];
        });
        crate::chain::testing::with(o, |o| o.launcher.as_mut().unwrap().reachable = reachable)
    }

    #[test]
    fn what_lies_on_it_is_named_with_its_share() {
        let found = told(covered(0.4));
        assert_eq!(found.code, Code::ShownCovered);
        assert!(found.evidence[1].line().starts_with("40 %"));
        assert!(found.evidence[1].line().contains("div#bar lies on 60 %"));
        assert_eq!(root(covered(0.5)), None, "half still works");
    }
}
