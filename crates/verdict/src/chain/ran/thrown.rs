//! `ran.syntax`, `ran.error`, `ran.clash`, `ran.order`: does not parse; throws; something else on
//! the page owns or broke its global; ran before what it needs.

use crate::chain::answer::Answer;
use crate::chain::evidence::{console, lines};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
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
    // Data that does not parse is the service's, which has its own say.
    if text.contains("JSON") && super::super::started::service::answered_oddly(c) {
        return Answer::Holds;
    }
    let clash = CLASH_WORDS.iter().any(|w| text.contains(w));
    let made = |code, summary: String, remedy: &str| -> Answer {
        Finding::broken(code, summary, remedy)
            .with(console(error))
            .into()
    };
    if let Some(found) = before_the_body(c, error).or_else(|| replaced(c, error, clash)) {
        return found.with(console(error)).into();
    }
    let of_data = text.contains("JSON");
    if text.contains("SyntaxError") && !text.contains("already been declared") && !of_data {
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

/// What code does to a body that is not there yet, in V8's words.
const TO_THE_BODY: [&str; 5] = [
    "(reading 'appendChild')",
    "(reading 'append')",
    "(reading 'insertBefore')",
    "(reading 'insertAdjacentElement')",
    "(reading 'insertAdjacentHTML')",
];

/// The snippet stands in the head, and its code looked for a body before there was one.
fn before_the_body(c: &Facts, error: &Message) -> Option<Finding> {
    let of_null = error.text.contains("properties of null");
    let body = of_null && TO_THE_BODY.iter().any(|w| error.text.contains(w));
    let in_head = c.live().find(|p| p.in_head).filter(|_| body)?;
    let found = Finding::broken(
        Code::RanOrder,
        "The snippet ran in the head, before the page\u{2019}s body was there.",
        "Move the snippet to just before the end of the body, or let its loader run deferred.",
    );
    Some(found.with_all(lines([in_head])))
}

/// The error names a function of the browser that another script has replaced.
fn replaced(c: &Facts, error: &Message, clash: bool) -> Option<Finding> {
    let own_name = |name: &&String| {
        let last = name.rsplit('.').next().unwrap_or(name);
        names(&error.text, last)
    };
    let name = c.seen.replaced.iter().find(own_name).filter(|_| clash)?;
    let supplier = &c.case.supplier.name;
    let found = Finding::broken(
        Code::RanClash,
        format!(
            "Another script on the page replaced {name}, which the widget\u{2019}s code needs."
        ),
        format!(
            "Find the script that sets {name} and remove or update it; until then, ask {supplier} \
            whether their loader can do without."
        ),
    );
    let fact = format!("{name} is not the browser\u{2019}s own function on this page");
    Some(found.with(Evidence::fact(fact)))
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
    fn code_in_the_head_that_looks_for_the_body_ran_too_early() {
        let text = "TypeError: Cannot read properties of null (reading 'appendChild')";
        let in_head = with(throws(LOADER, text), |o| {
            o.page.html =
                format!("<!doctype html><head><title>x</title>{GOOD}</head><body></body>");
        });
        let found = told(in_head);
        assert_eq!(found.code, Code::RanOrder);
        assert!(found.remedy.contains("end of the body"));
        assert!(
            found.evidence[0].line().contains("cdn.example.test"),
            "{found:?}"
        );
        // In the body it was another element that is missing.
        assert_eq!(root(throws(LOADER, text)), Some(Code::RanError));
    }

    #[test]
    fn a_function_of_the_browsers_that_was_replaced_is_a_clash() {
        let clash = with(throws(LOADER, "TypeError: x.map is not a function"), |o| {
            o.replaced = vec!["JSON.parse".into(), "Array.prototype.map".into()];
        });
        let found = told(clash);
        assert_eq!(found.code, Code::RanClash);
        assert!(
            found.summary.contains("replaced Array.prototype.map"),
            "{found:?}"
        );
        let other = with(throws(LOADER, "TypeError: x.open is not a function"), |o| {
            o.replaced = vec!["Array.prototype.map".into()];
        });
        assert_eq!(root(other), Some(Code::RanError));
    }

    #[test]
    fn settings_that_arrived_cut_off_are_the_services() {
        let text = "SyntaxError: Unterminated string in JSON at position 40";
        let cut = with(throws(LOADER, text), |o| {
            let body = "{\"colour\": \"#0b7285\", \"title\": \"Kite wo";
            o.requests.push(newtfern_standards::observation::Request {
                mime: "application/json".into(),
                ..crate::chain::testing::answer(200, body)
            });
        });
        let found = told(cut);
        assert_eq!(found.code, Code::StartedService);
        assert!(found.evidence[0].line().contains("Kite wo"), "{found:?}");
        // Without such an answer it is an error of the code, and not one of its grammar.
        assert_eq!(root(throws(LOADER, text)), Some(Code::RanError));
    }

    #[test]
    fn a_name_is_a_whole_word() {
        assert!(names("exampleChat is not defined", "exampleChat"));
        assert!(!names("exampleChat2 is not defined", "exampleChat"));
        assert!(!names("my_exampleChat", "exampleChat"));
        assert!(names("x.exampleChat(", "exampleChat"));
    }
}
