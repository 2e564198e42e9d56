//! `placed.after-end`: runs, but after the document's end (a warning).

use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Finding, Severity};

/// Looks at the live pieces.
pub fn remark(c: &Facts) -> Vec<Finding> {
    let made = |piece| {
        Finding::new(
            Code::PlacedAfterEnd,
            Severity::Warning,
            "The code is after the end of the body.",
            "Move it to just before the closing body tag.",
        )
        .with_all(lines([piece]))
    };
    c.live()
        .find(|p| p.after_end)
        .map(made)
        .into_iter()
        .collect()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, healthy, html, with};
    use newtfern_model::code::Code;

    #[test]
    fn behind_the_body_is_a_warning_and_inside_it_is_none() {
        let after = with(healthy(), |o| {
            o.page.html = format!("{}{GOOD}", html("<p>x</p>"))
        });
        let d = Wanted::default().of(&[after]);
        let codes: Vec<Code> = d.verdict.findings().iter().map(|f| f.code).collect();
        assert_eq!(
            (d.verdict.root(), codes),
            (None, vec![Code::PlacedAfterEnd])
        );
        assert!(
            Wanted::default()
                .of(&[healthy()])
                .verdict
                .findings()
                .is_empty()
        );
    }
}
