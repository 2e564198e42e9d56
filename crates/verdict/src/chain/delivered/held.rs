//! "A page whose own script holds the thread without a break until the page limit is a fault of the
//! page (`delivered.timeout`, with that script as evidence), not of our patience." A script of the
//! supplier is told under `ran`. A page that crashed, or fell silent without a script to name, is
//! undecided: it may be our own machine.

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{NotCheckedReason, VisitEnd};

/// Judges whether a script of the page held its thread until the limit.
pub fn judge(c: &Facts) -> Answer {
    // What answered to the end was not held for good.
    if c.alive || c.held_by_supplier() || c.seen.looks.final_document.seen_ms().is_some() {
        return Answer::Holds;
    }
    // Script without an address may be ours: nothing is told of it.
    let named = c.seen.held_by.as_ref().filter(|h| !h.url.is_empty());
    if let Some(held) = named {
        let place = match held.line {
            Some(line) => format!("{}:{line}", held.url),
            None => held.url.clone(),
        };
        return Finding::broken(
            Code::DeliveredTimeout,
            "The page arrived, and then one of its scripts let nothing else run.",
            format!(
                "Take the script {place} out, or have its endless loop fixed, and visit again."
            ),
        )
        .with(Evidence::Console {
            text: match held.function.as_str() {
                "" => "running".into(),
                name => format!("running in {name}"),
            },
            source: held.url.clone(),
            line: held.line,
        })
        .with(Evidence::fact(format!(
            "no question of the visit was answered for {:.0} s",
            held.silent_ms / 1000.0
        )))
        .into();
    }
    match c.seen.ended {
        VisitEnd::Crashed => {
            Answer::cannot_tell("the page once its scripts ran", NotCheckedReason::Crashed)
        }
        VisitEnd::Hung => {
            Answer::cannot_tell("the page once its scripts ran", NotCheckedReason::NoAnswer)
        }
        _ => Answer::Holds,
    }
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, healthy, loaded, page, root, told, undecided, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{
        BlockingScript, Look, NotCheckedReason, Observation, VisitEnd,
    };

    fn hung(o: Observation) -> Observation {
        with(o, |o| {
            o.final_html.clear();
            o.looks.final_document = Look::NotLooked {
                why: NotCheckedReason::NoAnswer,
            };
            o.looks.alive = o.looks.final_document;
            o.ended = VisitEnd::Hung;
        })
    }

    fn held(o: Observation, url: &str) -> Observation {
        with(hung(o), |o| {
            o.held_by = Some(BlockingScript {
                url: url.into(),
                function: "spin".into(),
                line: Some(12),
                silent_ms: 15_000.0,
            });
        })
    }

    #[test]
    fn a_script_of_the_page_is_named() {
        let found = told(held(page(GOOD), "https://kites.example/own.js"));
        assert_eq!(found.code, Code::DeliveredTimeout);
        assert!(found.remedy.contains("https://kites.example/own.js:12"));
        assert!(found.evidence[0].line().contains("spin"));
    }

    #[test]
    fn a_script_of_the_supplier_is_not_the_pages_fault() {
        let found = root(held(loaded(), "https://cdn.example.test/l.js"));
        assert_eq!(found, Some(Code::RanError));
    }

    #[test]
    fn silence_and_a_crash_are_undecided_and_an_answer_in_time_is_none() {
        undecided(hung(page(GOOD)), "stopped answering");
        let d = Wanted::default().of(&[hung(page(GOOD))]);
        assert_eq!(
            d.verdict.not_looked_at()[0].what,
            "the page once its scripts ran"
        );
        let crashed = with(hung(page(GOOD)), |o| o.ended = VisitEnd::Crashed);
        undecided(crashed, "crashed");
        assert_eq!(root(with(healthy(), |o| o.ended = VisitEnd::Hung)), None);
    }
}
