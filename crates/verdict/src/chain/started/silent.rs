//! `started.silent`: no sign of life and no error either. Claimed only where the visit watched to
//! the end of what the profile allows; a visit that was cut off cannot tell.

use crate::chain::answer::Answer;
use crate::chain::evidence::{console, request};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{LeftOut, Look, NotCheckedReason};

/// Lists of which each must be whole, or the widget's act may be among the rest.
const DECIDING: &[LeftOut] = &[
    LeftOut::Requests,
    LeftOut::Answers,
    LeftOut::Errors,
    LeftOut::Sockets,
    LeftOut::Violations,
];

/// Judges whether the widget gave its sign of life.
pub fn judge(c: &Facts) -> Answer {
    let until_ms = match c.alive_look() {
        Look::Seen { .. } => return Answer::Holds,
        Look::NotLooked { why } => {
            return Answer::cannot_tell("the widget's sign of life", why);
        }
        Look::NotThere { until_ms } => until_ms,
    };
    if let Some(left_out) = c.seen.left_out.iter().find(|l| DECIDING.contains(l)) {
        let what = format!("all {} of the page", left_out.words());
        return Answer::cannot_tell(what, NotCheckedReason::TooMuch);
    }
    let supplier = c.case.supplier;
    let name = &supplier.name;
    let sign = match supplier.alive.script.trim() {
        "" => "the launcher never came".to_string(),
        script => format!("never true: {script}"),
    };
    let tried = match c.seen.alive.nudged {
        true => "moving, scrolling and a key were tried and changed nothing",
        false => "the visit neither moved nor scrolled",
    };
    let mut finding = Finding::broken(
        Code::StartedSilent,
        format!(
            "The code of {name} ran, and the widget gave no sign of life in {:.0} s, nor an error.",
            until_ms / 1000.0
        ),
        format!(
            "In the account at {name}, check that the widget is switched on and published for \
            this key."
        ),
    )
    .with(Evidence::fact(sign))
    .with(Evidence::fact(tried))
    .with_all(c.loader_requests().map(request))
    .or_else(
        Code::AllowedPageRule,
        format!("{name} may hold it back for this page, country or hour: its console would tell."),
    )
    .or_else(
        Code::PlacedLateDelay,
        "The script may wait for a click: open the page by hand and click on it.",
    );
    if !c.seen.alive.error.is_empty() {
        finding = finding.with(Evidence::Console {
            text: c.seen.alive.error.clone(),
            source: "the sign of life".into(),
            line: None,
        });
    }
    if let Some(error) = c.seen.exceptions.first() {
        finding = finding.with(console(error)).or_else(
            Code::RanOrder,
            "An error of another script came before and may have stopped this one: fix it and \
            visit again.",
        );
    }
    finding.into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, error, healthy, loaded, root, told, undecided, with};
    use crate::testing::SAMPLE;
    use newtfern_model::code::Code;
    use newtfern_model::profile::Supplier;
    use newtfern_standards::observation::{Look, NotCheckedReason};

    #[test]
    fn silence_to_the_end_is_told_with_what_was_tried() {
        let found = told(loaded());
        assert_eq!(found.code, Code::StartedSilent);
        assert!(found.summary.contains("in 6 s"), "{}", found.summary);
        let lines: Vec<String> = found.evidence.iter().map(|e| e.line()).collect();
        assert!(lines[0].contains("exampleChat.ready"));
        // Clicks are not claimed: none was made.
        assert!(lines[1].contains("neither moved") && !lines[1].contains("click"));
        let nudged = told(with(loaded(), |o| o.alive.nudged = true));
        assert!(
            nudged.evidence[1]
                .line()
                .contains("moving, scrolling and a key")
        );
    }

    #[test]
    fn a_visit_cut_off_by_our_deadline_cannot_tell() {
        for why in [NotCheckedReason::Deadline, NotCheckedReason::NotRecorded] {
            let cut = with(loaded(), |o| o.looks.alive = Look::NotLooked { why });
            undecided(cut, why.words());
        }
    }

    #[test]
    fn an_error_of_another_script_is_a_candidate() {
        let own = "https://kites.example/own.js";
        let found = told(with(loaded(), |o| {
            o.exceptions.push(error(own, "Error: x"))
        }));
        assert_eq!(found.candidates.last().unwrap().code, Code::RanOrder);
        let sign = told(with(loaded(), |o| {
            o.alive.error = "exampleChat.x is undefined".into()
        }));
        assert!(
            sign.evidence
                .iter()
                .any(|e| e.line().contains("sign of life"))
        );
    }

    #[test]
    fn without_a_sign_of_its_own_the_launcher_is_the_sign() {
        let bare = SAMPLE.replace(
            "script = \"window.exampleChat",
            "note = \"window.exampleChat",
        );
        let wanted = Wanted {
            supplier: Supplier::from_toml(&bare).unwrap(),
            ..Wanted::default()
        };
        assert_eq!(wanted.of(&[healthy()]).verdict.root(), None);
        let d = wanted.of(&[loaded()]);
        assert_eq!(d.verdict.root(), Some(Code::StartedSilent));
        assert!(
            d.verdict.findings()[0].evidence[0]
                .line()
                .contains("launcher never came")
        );
        assert_eq!(root(healthy()), None);
    }
}
