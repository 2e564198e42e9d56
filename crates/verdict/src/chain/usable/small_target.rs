//! `usable.small-target`: smaller than 24 by 24 CSS px (WCAG 2.2, 2.5.8 Target Size, Minimum). A
//! warning; it breaks nothing.

use crate::chain::evidence::{boxed, launcher};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Finding, Severity};

const LEAST_PX: f64 = 24.0;

/// Looks at the launcher's box.
pub fn remark(c: &Facts) -> Vec<Finding> {
    let small = |l: &&newtfern_standards::observation::Launcher| {
        l.rect.width < LEAST_PX || l.rect.height < LEAST_PX
    };
    let Some(l) = launcher(c).filter(|_| c.launcher_visible).filter(small) else {
        return Vec::new();
    };
    let (w, h) = (l.rect.width, l.rect.height);
    let finding = Finding::new(
        Code::UsableSmallTarget,
        Severity::Warning,
        format!("The launcher is {w:.0} \u{d7} {h:.0} px; 24 \u{d7} 24 is the least for a finger."),
        "In the widget's settings, choose a larger launcher.",
    );
    vec![finding.with(boxed("launcher", &l.rect))]
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, launcher};
    use newtfern_model::code::Code;

    fn codes(width: f64, height: f64) -> Vec<Code> {
        let o = crate::chain::testing::with(launcher(|_| {}), |o| {
            let r = &mut o.launcher.as_mut().unwrap().rect;
            (r.width, r.height) = (width, height);
        });
        let d = Wanted::default().of(&[o]);
        assert_eq!(d.verdict.root(), None);
        d.verdict.findings().iter().map(|f| f.code).collect()
    }

    #[test]
    fn either_side_below_24_px_is_small() {
        assert_eq!(codes(20.0, 60.0), [Code::UsableSmallTarget]);
        assert_eq!(codes(60.0, 23.9), [Code::UsableSmallTarget]);
        assert_eq!(codes(24.0, 24.0), []);
    }
}
