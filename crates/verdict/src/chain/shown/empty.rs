//! `shown.empty`: zero size.

use crate::chain::answer::Answer;
use crate::chain::evidence::{boxed, launcher, picture};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;

/// Judges one visit. Less than one square pixel is nothing to see.
pub fn judge(c: &Facts) -> Answer {
    let Some(l) = launcher(c).filter(|l| l.rect.area() < 1.0) else {
        return Answer::Holds;
    };
    Finding::broken(
        Code::ShownEmpty,
        "The launcher has no size.",
        "In the site's styles, look for a rule that takes the launcher's width or height, and in \
        the widget's settings for a missing icon.",
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
    fn no_width_is_empty_and_a_pixel_is_not() {
        let found = told(launcher(|l| l.rect.width = 0.0));
        assert_eq!(found.code, Code::ShownEmpty);
        assert!(found.evidence[0].line().contains("0 \u{d7} 60"));
        let pixel = launcher(|l| (l.rect.width, l.rect.height) = (1.0, 1.0));
        assert_eq!(root(pixel), None);
    }
}
