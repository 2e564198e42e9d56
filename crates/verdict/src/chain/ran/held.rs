//! "A thread held by a script of the supplier is `ran.error` with that evidence."

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};

/// Judges whether a script of the supplier held the page's thread.
pub fn judge(c: &Facts) -> Answer {
    let held = c.seen.held_by.as_ref();
    let Some(held) = held.filter(|_| !c.alive && c.held_by_supplier()) else {
        return Answer::Holds;
    };
    let name = &c.case.supplier.name;
    Finding::broken(
        Code::RanError,
        format!("A script of {name} blocks every other script of the page."),
        format!("Take the snippet off the page, and report this script to {name}."),
    )
    .with(Evidence::Console {
        text: format!("running in {}", held.function),
        source: held.url.clone(),
        line: held.line,
    })
    .with(Evidence::fact(format!(
        "no question of the visit was answered for {:.0} s",
        held.silent_ms / 1000.0
    )))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{healthy, loaded, root, told, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{BlockingScript, Look, NotCheckedReason};

    #[test]
    fn an_endless_loader_is_the_suppliers_error() {
        let spun = with(loaded(), |o| {
            o.final_html.clear();
            let silent = Look::NotLooked {
                why: NotCheckedReason::NoAnswer,
            };
            (o.looks.alive, o.looks.final_document) = (silent, silent);
            o.held_by = Some(BlockingScript {
                url: "https://cdn.example.test/l.js".into(),
                function: "mix".into(),
                line: Some(3),
                silent_ms: 14_000.0,
            });
        });
        let found = told(spun);
        assert_eq!(found.code, Code::RanError);
        assert!(found.evidence[0].line().contains("running in mix"));
    }

    #[test]
    fn a_script_that_let_go_in_time_is_no_error() {
        let busy = with(healthy(), |o| {
            o.held_by = Some(BlockingScript {
                url: "https://cdn.example.test/l.js".into(),
                ..BlockingScript::default()
            });
        });
        assert_eq!(root(busy), None);
    }
}
