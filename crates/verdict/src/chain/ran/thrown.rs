//! `ran.syntax`, `ran.error`, `ran.clash`, `ran.order`: does not parse; throws; something else on
//! the page owns or broke its global; ran before what it needs.

use crate::chain::answer::Answer;
use crate::chain::evidence::console;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;
use newtfern_standards::observation::Message;

/// Words of V8 for a name that is not what the code takes it for.
const CLASH_WORDS: [&str; 12] = [
    "is not a function",
    "not extensible",
    "read only",
    "read-only",
    "redeclare",
    "already been declared",
    "Cannot redefine",
    "Cannot assign to",
    "which has only a getter",
    "Cannot set propert",
    "is not a constructor",
    "is not iterable",
];

/// The widget's own error, or one elsewhere that names its global.
fn error<'a>(c: &Facts<'a>, globals: &[String]) -> Option<&'a Message> {
    let thrown = &c.seen.exceptions;
    let own = thrown.iter().find(|e| c.widget_error(e));
    own.or_else(|| {
        let about = |e: &&Message| globals.iter().any(|g| names(&e.text, g));
        thrown.iter().find(about)
    })
}

/// Judges whether the supplier's code threw an error.
pub fn judge(c: &Facts) -> Answer {
    let globals = c.globals();
    let Some(error) = error(c, &globals).filter(|_| !c.up()) else {
        return Answer::Holds;
    };
    let text = error.text.as_str();
    let clash = CLASH_WORDS.iter().any(|w| text.contains(w));
    let made = |code, summary: String, remedy: &str| -> Answer {
        Finding::broken(code, summary, remedy)
            .with(console(error))
            .into()
    };
    if text.contains("SyntaxError") && !text.contains("already been declared") {
        return made(
            Code::RanSyntax,
            "The widget's code does not parse.".into(),
            "Copy the code from the supplier again; if it is the supplier's own file, \
            tell the supplier.",
        );
    }
    if let Some(global) = globals.iter().find(|g| names(text, g)) {
        // One with a bad status is told as such before.
        let loader_came = c.loader_requests().any(|r| r.status.is_some());
        if text.contains("is not defined") || (text.contains("undefined") && !loader_came) {
            return made(
                Code::RanOrder,
                format!("The snippet uses {global} before the code that makes it has run."),
                "Put the loader before the code that uses it, or let that code wait for it.",
            );
        }
        if clash {
            return made(
                Code::RanClash,
                format!("Something else on the page owns or broke {global}."),
                "Find the other script that sets this name (the error's place tells which ran \
                last) and rename or remove it.",
            );
        }
    }
    stopped(c, error, clash)
}

/// An error without a more definite cause. A built-in that another script has replaced shows as an
/// error in the widget's code as well.
fn stopped(c: &Facts, error: &Message, clash: bool) -> Answer {
    let name = &c.case.supplier.name;
    let found = Finding::broken(
        Code::RanError,
        format!(
            "The widget's code stopped with an error: {}.",
            error.text.trim_end_matches('.')
        ),
        format!(
            "Report this error to {name} with the address of the page; until then, check which \
            change on the site came last."
        ),
    )
    .with(console(error));
    let tell = "Another script on the page may have replaced something this code needs: a visit to \
        an empty page with the same snippet would tell.";
    match clash {
        true => found.or_else(Code::RanClash, tell).into(),
        false => found.into(),
    }
}

/// The text names a global as a whole word.
fn names(text: &str, global: &str) -> bool {
    let inside = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
    text.match_indices(global).any(|(at, _)| {
        !text[..at].chars().next_back().is_some_and(inside)
            && !text[at + global.len()..].chars().next().is_some_and(inside)
    })
}

#[cfg(test)]
mod tests {
    use super::names;
    use crate::chain::testing::{GOOD, PAGE, error, healthy, loaded, page, root, told, with};
    use newtfern_model::code::Code;

    const LOADER: &str = "https://cdn.example.test/l.js";

    fn throws(url: &str, text: &str) -> newtfern_standards::observation::Observation {
        with(loaded(), |o| o.exceptions.push(error(url, text)))
    }

    #[test]
    fn each_way_to_fail_has_its_code() {
        let code = |url: &str, text: &str| root(throws(url, text));
        let read = "TypeError: Cannot read properties of undefined (reading 'theme')";
        assert_eq!(code(LOADER, read), Some(Code::RanError));
        let token = "SyntaxError: Unexpected token '}'";
        assert_eq!(code(LOADER, token), Some(Code::RanSyntax));
        let owned = "TypeError: exampleChat is not a function";
        assert_eq!(code(PAGE, owned), Some(Code::RanClash));
        let early = "ReferenceError: exampleChat is not defined";
        assert_eq!(code(PAGE, early), Some(Code::RanOrder));
        let twice = "SyntaxError: Identifier 'exampleChat' has already been declared";
        assert_eq!(code(LOADER, twice), Some(Code::RanClash));
    }

    #[test]
    fn before_its_loader_came_undefined_is_a_matter_of_order() {
        let text = "TypeError: Cannot read properties of undefined, exampleChat";
        let early = with(page(GOOD), |o| o.exceptions.push(error(PAGE, text)));
        assert_eq!(root(early), Some(Code::RanOrder));
        assert_eq!(root(throws(PAGE, text)), Some(Code::RanError));
    }

    #[test]
    fn a_clash_that_is_not_certain_is_a_candidate() {
        let found = told(throws(LOADER, "TypeError: x.map is not a function"));
        assert_eq!(found.code, Code::RanError);
        assert_eq!(found.candidates[0].code, Code::RanClash);
    }

    #[test]
    fn somebody_elses_error_and_one_of_a_widget_that_is_up_explain_nothing() {
        let own = "https://kites.example/own.js";
        let other = throws(own, "TypeError: y is not a function");
        assert_eq!(root(other), Some(Code::StartedSilent));
        let up = with(healthy(), |o| o.exceptions.push(error(LOADER, "Error: x")));
        assert_eq!(root(up), None);
    }

    #[test]
    fn a_name_is_a_whole_word() {
        assert!(names("exampleChat is not defined", "exampleChat"));
        assert!(!names("exampleChat2 is not defined", "exampleChat"));
        assert!(!names("my_exampleChat", "exampleChat"));
        assert!(names("x.exampleChat(", "exampleChat"));
    }
}
