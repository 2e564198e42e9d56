//! `placed.twice`: the same widget more than once. Breaks `placed` even where both copies run.

use crate::chain::answer::Answer;
use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_model::placement::{Form, Piece, PieceState};
use std::collections::BTreeSet;

fn count(pieces: &[Piece], form: Form) -> usize {
    let live = |p: &&Piece| p.form == form && p.state == PieceState::Live;
    pieces.iter().filter(live).count()
}

/// Judges whether the page has the snippet twice.
pub fn judge(c: &Facts) -> Answer {
    let shape = &c.inspector.shape;
    let externals = count(c.pieces(), Form::External) > shape.externals.max(1);
    let inlines = count(c.pieces(), Form::Inline) > shape.inlines.max(1);
    // A snippet and another way of placing (an extension, a tag manager) show as loaders in the
    // final document.
    let loader = |p: &&Piece| {
        let ours = |s: &String| shape.is_loader(c.case.supplier, s);
        p.form == Form::External && p.state == PieceState::Live && p.src.as_ref().is_some_and(ours)
    };
    let loaders: Vec<&Piece> = c.final_pieces().iter().filter(loader).collect();
    let by_script = shape.loader.is_some() && loaders.len() > shape.externals.max(1);
    let mixed = count(c.pieces(), Form::External) > 0
        && shape.externals == 0
        && count(c.pieces(), Form::Inline) > 0;
    if !(externals || inlines || by_script || mixed) {
        return Answer::Holds;
    }
    let mut evidence = lines(c.live());
    if by_script && !externals {
        let at_end = |p: &&Piece| Evidence::fact(format!("in the final document: {}", p.excerpt));
        evidence.extend(loaders.iter().map(at_end));
    }
    let keys: BTreeSet<&str> = c.live().filter_map(|p| p.key.key()).collect();
    let which = if keys.len() > 1 {
        let keys: Vec<&str> = keys.into_iter().collect();
        format!(" with different keys ({})", keys.join(", "))
    } else {
        String::new()
    };
    Finding::broken(
        Code::PlacedTwice,
        format!("The same widget is in the page more than once{which}."),
        remedy(c),
    )
    .with_all(evidence)
    .into()
}

/// Names the copy that goes and why: one with another key than the right one, else the later.
fn remedy(c: &Facts) -> String {
    let copies: Vec<&Piece> = c.live().collect();
    let place = "in the template, the code box or the extension that brings it";
    let odd = copies.iter().find(|p| {
        let key = p.key.key();
        c.case.key.is_some() && key.is_some() && key != c.case.key
    });
    let with_right_key = copies.iter().any(|p| p.key.key() == c.case.key);
    match (odd, copies.as_slice()) {
        (Some(odd), _) if with_right_key => format!(
            "Remove the copy in line {}, whose key {} is not this site\u{2019}s, {place}.",
            odd.line,
            odd.key.key().unwrap_or_default()
        ),
        (_, [first, .., last]) if first.line != last.line => format!(
            "Remove the copy in line {}, {place}; the one in line {} is enough.",
            last.line, first.line
        ),
        _ => format!("Remove one of the two, {place}."),
    }
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, healthy, html, root, told, with};
    use newtfern_model::code::Code;
    use newtfern_model::finding::Finding;

    #[test]
    fn two_copies_in_the_document_are_told_with_their_lines_and_keys() {
        let found = told(with(healthy(), |o| {
            o.page.html = html(&format!("{GOOD}\n{}", GOOD.replace("abcd", "zzzz")));
        }));
        assert_eq!(found.code, Code::PlacedTwice);
        assert!(
            found.summary.contains("abcd-1234, zzzz-1234"),
            "{}",
            found.summary
        );
        assert_eq!(found.evidence.len(), 2);
        // Which goes, and why.
        assert!(
            found.remedy.contains("whose key zzzz-1234 is not"),
            "{}",
            found.remedy
        );
        let alike = told(with(healthy(), |o| {
            o.page.html = html(&format!("{GOOD}\n{GOOD}"));
        }));
        assert!(alike.remedy.contains("the one in line"), "{}", alike.remedy);
    }

    #[test]
    fn a_second_copy_brought_by_an_extension_shows_in_the_final_document() {
        let second =
            "<script src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>";
        let found = told(with(healthy(), |o| {
            o.final_html = html(&format!("{GOOD}{second}"))
        }));
        assert_eq!(found.code, Code::PlacedTwice);
        assert!(
            found
                .evidence
                .iter()
                .any(|e| e.line().contains("final document"))
        );
    }

    #[test]
    fn a_copy_in_a_comment_is_no_second_one() {
        let once = with(healthy(), |o| {
            o.page.html = html(&format!("<!-- {GOOD} -->\n{GOOD}"))
        });
        assert_eq!(root(once), None);
    }

    /// A supplier whose snippet is `template`.
    fn supplier(template: &str) -> Wanted {
        let mut wanted = Wanted::default();
        wanted.supplier.snippet.template = template.into();
        wanted
    }

    fn of(wanted: &Wanted, body: &str) -> Option<Finding> {
        let both = with(healthy(), |o| {
            o.page.html = html(body);
            o.final_html = html(body);
        });
        let d = wanted.of(&[both]);
        d.verdict
            .root_finding()
            .filter(|f| f.code == Code::PlacedTwice)
            .cloned()
    }

    #[test]
    fn copies_are_counted_by_the_form_that_the_supplier_gives_them() {
        // A snippet of two elements is there once with two.
        let other = GOOD.replace("l.js", "m.js");
        let two = supplier(&format!("{GOOD}\n{other}").replace("abcd-1234", "{{key}}"));
        assert_eq!(of(&two, &format!("{GOOD}\n{other}")), None);
        // Code in the page, and the loader itself beside it, are two ways of placing.
        let call = "<script>exampleChat(\"abcd-1234\")</script>";
        let inline = supplier(&call.replace("abcd-1234", "{{key}}"));
        assert_eq!(of(&inline, call), None);
        assert_eq!(of(&inline, GOOD), None);
        let mixed = of(&inline, &format!("{call}\n{GOOD}")).unwrap();
        assert_eq!(mixed.evidence.len(), 2, "{mixed:?}");
        assert!(of(&inline, &format!("{call}\n{call}")).is_some());
    }

    #[test]
    fn each_copy_is_told_once_and_one_that_does_not_run_is_none() {
        let twice = of(&Wanted::default(), &format!("{GOOD}\n{GOOD}")).unwrap();
        assert_eq!(twice.evidence.len(), 2, "{twice:?}");
        let held = GOOD.replace("async", "type=text/plain");
        let released = with(healthy(), |o| {
            o.final_html = html(&format!("{GOOD}\n{held}"))
        });
        assert_eq!(root(released), None);
    }
}
