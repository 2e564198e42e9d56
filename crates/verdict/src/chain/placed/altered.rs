//! `placed.altered`: the loader code differs from the expected in a way that matters. Wins over a
//! later code whenever the difference explains the failure, so it is asked only where the widget is
//! not up.

use crate::chain::answer::Answer;
use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;

/// Judges whether the snippet differs from the supplier's code.
pub fn judge(c: &Facts) -> Answer {
    let different = || c.live().find_map(|p| Some((p, p.altered.as_ref()?)));
    let Some((piece, how)) = different().filter(|_| !c.alive) else {
        return Answer::Holds;
    };
    Finding::broken(
        Code::PlacedAltered,
        format!("The loader code differs from the supplier's: {how}."),
        "Replace it by the code that the supplier gives for this key.",
    )
    .with_all(lines([piece]))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, healthy, html, page, root, script, told, with};
    use newtfern_model::code::Code;

    #[test]
    fn another_loader_explains_that_nothing_came() {
        let old = with(page(&GOOD.replace("l.js", "old.js")), |o| {
            let gone = "https://cdn.example.test/old.js";
            o.requests.push(script(gone, Some(404), None));
        });
        let found = told(old);
        assert_eq!(found.code, Code::PlacedAltered);
        assert!(
            found.summary.contains("/old.js instead of /l.js"),
            "{}",
            found.summary
        );
    }

    #[test]
    fn a_difference_that_explains_nothing_is_none() {
        let with_code = |code: &str| with(healthy(), |o| o.page.html = html(code));
        assert_eq!(root(with_code(&GOOD.replace("l.js", "old.js"))), None);
        assert_eq!(root(with_code(&GOOD.replace("l.js", "l.js?v=7"))), None);
    }
}
