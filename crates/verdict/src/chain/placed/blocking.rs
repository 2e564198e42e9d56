//! `placed.blocking`: runs, and blocks parsing in the head (a warning).

use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Finding, Severity};

/// Looks at the live pieces.
pub fn remark(c: &Facts) -> Vec<Finding> {
    let made = |piece| {
        Finding::new(
            Code::PlacedBlocking,
            Severity::Warning,
            "The loader blocks the page in the head.",
            "Add async to the script element, or move it to the end of the body.",
        )
        .with_all(lines([piece]))
    };
    c.live()
        .find(|p| p.blocking)
        .map(made)
        .into_iter()
        .collect()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, healthy, html, with};
    use newtfern_model::code::Code;

    fn codes(code: &str) -> Vec<Code> {
        let o = with(healthy(), |o| {
            o.page.html = html("<p>x</p>").replace("</head>", &format!("{code}</head>"));
        });
        let d = Wanted::default().of(&[o]);
        d.verdict.findings().iter().map(|f| f.code).collect()
    }

    #[test]
    fn a_loader_in_the_head_without_async_blocks() {
        assert_eq!(codes(&GOOD.replace("async ", "")), [Code::PlacedBlocking]);
        assert_eq!(codes(GOOD), []);
        assert_eq!(codes(&GOOD.replace("async", "defer")), []);
    }
}
