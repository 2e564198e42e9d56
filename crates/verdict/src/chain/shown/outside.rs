//! `shown.outside`: outside the viewport.

use crate::chain::answer::Answer;
use crate::chain::evidence::{boxed, launcher, picture};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;
use newtfern_standards::observation::Launcher;

/// Judges one visit. Less than half in view is no launcher a visitor finds (common practice).
pub fn judge(c: &Facts) -> Answer {
    // Of a page that is wider than the screen, the screen shows a part.
    let view = c.seen.sight.unwrap_or_else(|| c.seen.view());
    let out = |l: &&Launcher| l.rect.overlap(&view) < 0.5 * l.rect.area();
    let Some(l) = launcher(c).filter(out) else {
        return Answer::Holds;
    };
    let (w, h) = (view.width, view.height);
    let wide = c.seen.too_wide.as_ref();
    let (summary, remedy) = match wide {
        Some(wide) => {
            let right = wide.rect.x + wide.rect.width;
            (
                format!(
                    "The page is {right:.0} px wide on a screen of {w:.0} px, and the launcher \
                     lies \
                    beside what a visitor sees."
                ),
                format!(
                    "In the site\u{2019}s styles, let {} fit the screen.",
                    wide.element
                ),
            )
        }
        None => (
            format!("The launcher lies outside the {w:.0} \u{d7} {h:.0} px viewport."),
            "Correct the offsets in the widget's design, and look for a style of the \
            site that moves it."
                .to_string(),
        ),
    };
    Finding::broken(Code::ShownOutside, summary, remedy)
        .with(boxed("launcher", &l.rect))
        .with_all(wide.map(|w| boxed(&w.element, &w.rect)))
        .with_all(picture(c))
        .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{launcher, on_phone, root, told, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Rect, WideElement};

    #[test]
    fn a_page_that_is_wider_than_the_screen_is_told_with_what_makes_it_so() {
        let at = |x, width| Rect {
            x,
            y: 0.0,
            width,
            height: 844.0,
        };
        let phone = |x: f64| {
            with(on_phone(launcher(|_| {})), |o| {
                o.launcher.as_mut().unwrap().rect.x = x;
                o.layout = Some((640.0, 1385.0));
                o.sight = Some(at(0.0, 390.0));
                o.too_wide = Some(WideElement {
                    element: "table.prices".into(),
                    rect: at(0.0, 640.0),
                });
            })
        };
        let found = told(phone(560.0));
        assert_eq!(found.code, Code::ShownOutside);
        assert!(
            found.summary.contains("640 px wide on a screen of 390 px"),
            "{found:?}"
        );
        assert!(found.remedy.contains("table.prices"));
        assert!(found.evidence[1].line().contains("table.prices: 640"));
        assert_eq!(root(phone(300.0)), None, "it is in sight");
    }

    #[test]
    fn less_than_half_in_view_is_outside() {
        let found = told(launcher(|l| l.rect.x = 1251.0));
        assert_eq!(found.code, Code::ShownOutside);
        assert!(found.summary.contains("1280 \u{d7} 800"));
        assert_eq!(root(launcher(|l| l.rect.x = 1250.0)), None, "just half");
    }
}
