//! `shown.hidden`: hidden by style; the style and the element that has it are named.

use crate::chain::answer::Answer;
use crate::chain::evidence::{launcher, picture};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};

/// Judges whether a style hides the launcher.
pub fn judge(c: &Facts) -> Answer {
    let hidden = launcher(c).and_then(|l| Some((l, l.hidden_by.as_ref()?)));
    let Some((l, by)) = hidden else {
        return Answer::Holds;
    };
    Finding::broken(
        Code::ShownHidden,
        format!("The launcher is hidden by {by}."),
        "In the site's styles, remove or narrow the rule that hides it.",
    )
    .with(Evidence::fact(l.html.clone()))
    .with_all(picture(c))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{launcher, root, told};
    use newtfern_model::code::Code;

    #[test]
    fn the_style_that_hides_it_is_named() {
        let found = told(launcher(|l| {
            l.hidden_by = Some("display: none on #x".into())
        }));
        assert_eq!(found.code, Code::ShownHidden);
        assert!(found.summary.contains("display: none on #x"));
        assert_eq!(root(launcher(|_| {})), None);
    }
}
