//! `shown.overlap`: overlaps a named fixed element (warning or fault by how much of it). Up to a
//! quarter is an untidiness, more takes clicks from one or the other (common practice).

use crate::chain::evidence::{boxed, launcher};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Finding, Severity};
use newtfern_standards::observation::FixedElement;

/// Looks at the fixed elements of the page.
pub fn remark(c: &Facts) -> Vec<Finding> {
    let Some(l) = launcher(c).filter(|_| c.launcher_visible) else {
        return Vec::new();
    };
    let share = |f: &FixedElement| f.rect.overlap(&l.rect) / l.rect.area().max(1.0);
    let shared = c.seen.fixed.iter().map(|f| (f, share(f)));
    let largest = shared
        .filter(|(_, share)| *share > 0.02)
        .max_by(|a, b| a.1.total_cmp(&b.1));
    let Some((fixed, share)) = largest else {
        return Vec::new();
    };
    let severity = if share > 0.25 {
        Severity::Fault
    } else {
        Severity::Warning
    };
    let finding = Finding::new(
        Code::ShownOverlap,
        severity,
        format!(
            "The launcher and {} overlap ({:.0} % of the launcher).",
            fixed.element,
            share * 100.0
        ),
        "Change the launcher's corner or offsets so that both can be used.",
    )
    .with(boxed("launcher", &l.rect))
    .with(boxed(&fixed.element, &fixed.rect));
    vec![finding]
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, healthy, with};
    use newtfern_model::code::Code;
    use newtfern_model::finding::Severity;
    use newtfern_standards::observation::{FixedElement, Rect};

    /// A bar at the bottom that covers `height` px of the launcher's 60.
    fn bar(height: f64) -> Vec<(Code, Severity)> {
        fixed(Rect {
            x: 0.0,
            y: 780.0 - height,
            width: 1280.0,
            height,
        })
    }

    fn fixed(rect: Rect) -> Vec<(Code, Severity)> {
        let o = with(healthy(), |o| {
            o.fixed.push(FixedElement {
                element: "div#bar".into(),
                rect,
                role: String::new(),
                ..FixedElement::default()
            });
        });
        let d = Wanted::default().of(&[o]);
        assert_eq!(d.verdict.root(), None);
        d.verdict
            .findings()
            .iter()
            .map(|f| (f.code, f.severity))
            .collect()
    }

    #[test]
    fn the_share_decides_between_nothing_a_warning_and_a_fault() {
        assert_eq!(bar(1.0), []);
        // 72 of 3,600 square px: two in a hundred, no more.
        let within = |width| Rect {
            x: 1210.0,
            y: 730.0,
            width,
            height: 6.0,
        };
        assert_eq!(fixed(within(12.0)), []);
        assert_eq!(
            fixed(within(13.0)),
            [(Code::ShownOverlap, Severity::Warning)]
        );
        assert_eq!(bar(15.0), [(Code::ShownOverlap, Severity::Warning)]);
        assert_eq!(bar(16.0), [(Code::ShownOverlap, Severity::Fault)]);
    }
}
