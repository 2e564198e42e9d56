//! Standings: how a site stands in each family of checks, what to do next, and the frond's leaflets.

use crate::chain::{Diagnosis, Outcome};
use crate::finding::{Finding, Severity};
use crate::weigh::Verdict;
use serde::{Deserialize, Serialize};

/// Families in the order of the job; each is a leaflet of the frond and a lens.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Family {
    Design,
    Place,
    Load,
    Echo,
    Weigh,
    Consent,
    Brand,
    HandOver,
    Watch,
}

impl Family {
    pub const ALL: [Family; 9] = [
        Family::Design,
        Family::Place,
        Family::Load,
        Family::Echo,
        Family::Weigh,
        Family::Consent,
        Family::Brand,
        Family::HandOver,
        Family::Watch,
    ];

    pub fn key(self) -> &'static str {
        match self {
            Family::Design => "design",
            Family::Place => "place",
            Family::Load => "load",
            Family::Echo => "echo",
            Family::Weigh => "weigh",
            Family::Consent => "consent",
            Family::Brand => "brand",
            Family::HandOver => "hand_over",
            Family::Watch => "watch",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Family::Design => "Design",
            Family::Place => "Place",
            Family::Load => "Load",
            Family::Echo => "Echo",
            Family::Weigh => "Weigh",
            Family::Consent => "Consent",
            Family::Brand => "Brand",
            Family::HandOver => "Hand over",
            Family::Watch => "Watch",
        }
    }

    pub fn from_key(key: &str) -> Option<Family> {
        Family::ALL.into_iter().find(|f| f.key() == key)
    }
}

#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize,
)]
#[serde(rename_all = "snake_case")]
pub enum State {
    Failing,
    Undecided,
    Stale,
    #[default]
    NotYet,
    Passing,
    NotApplicable,
}

impl State {
    pub fn key(self) -> &'static str {
        match self {
            State::Failing => "failing",
            State::Undecided => "undecided",
            State::Stale => "stale",
            State::NotYet => "not_yet",
            State::Passing => "passing",
            State::NotApplicable => "not_applicable",
        }
    }

    pub fn words(self) -> &'static str {
        match self {
            State::Failing => "failing",
            State::Undecided => "undecided",
            State::Stale => "stale",
            State::NotYet => "not yet",
            State::Passing => "passing",
            State::NotApplicable => "not applicable",
        }
    }

    pub fn from_key(key: &str) -> Option<State> {
        [
            State::Failing,
            State::Undecided,
            State::Stale,
            State::NotYet,
            State::Passing,
            State::NotApplicable,
        ]
        .into_iter()
        .find(|s| s.key() == key)
    }
}

/// Older than this, a result no longer speaks for today (common practice: a week).
pub const STALE_AFTER_S: i64 = 7 * 24 * 3600;

/// A result as it stands at an instant: passing or failing results go stale.
pub fn aged(state: State, age_s: i64) -> State {
    if age_s > STALE_AFTER_S && matches!(state, State::Passing | State::Failing | State::Undecided)
    {
        State::Stale
    } else {
        state
    }
}

pub fn of_chain(d: &Diagnosis) -> (State, String) {
    let fault = d.findings.iter().find(|f| f.severity == Severity::Fault);
    match d.outcome {
        Outcome::Broken => (
            State::Failing,
            d.root_finding()
                .map(|f| f.summary.clone())
                .unwrap_or_default(),
        ),
        Outcome::Unchecked => (
            State::Undecided,
            d.findings
                .first()
                .map(|f| f.summary.clone())
                .unwrap_or_default(),
        ),
        _ if fault.is_some() => (
            State::Failing,
            fault.map(|f| f.summary.clone()).unwrap_or_default(),
        ),
        Outcome::AsIntended => (
            State::Passing,
            d.findings
                .iter()
                .find(|f| f.severity == Severity::Note)
                .map(|f| f.summary.clone())
                .unwrap_or_default(),
        ),
        Outcome::Working => (
            State::Passing,
            "The chain holds on desktop and phone.".into(),
        ),
    }
}

/// The part of the chain that placing is about: delivered and placed hold.
pub fn of_placing(d: &Diagnosis) -> (State, String) {
    use crate::finding::Link;
    match d.root_finding() {
        _ if d.outcome == Outcome::Unchecked => {
            (State::Undecided, "The page could not be checked.".into())
        }
        Some(f) if f.link == Some(Link::Placed) => (State::Failing, f.summary.clone()),
        Some(f) if f.link == Some(Link::Delivered) => (State::Undecided, f.summary.clone()),
        _ => (
            State::Passing,
            "The snippet is in the page, once, with its key.".into(),
        ),
    }
}

pub fn of_findings(findings: &[Finding], good: &str) -> (State, String) {
    match findings
        .iter()
        .filter(|f| f.severity >= Severity::Fault)
        .max_by_key(|f| f.severity)
    {
        Some(f) => (State::Failing, f.summary.clone()),
        None => (
            State::Passing,
            findings
                .first()
                .map_or(good.to_string(), |f| f.summary.clone()),
        ),
    }
}

pub fn of_weigh(
    verdict: Verdict,
    thread_ms: f64,
    low: f64,
    high: f64,
    budget: f64,
) -> (State, String) {
    let figures =
        format!("{thread_ms:.0} ms of thread time ({low:.0} to {high:.0}) against {budget:.0} ms");
    match verdict {
        Verdict::Under => (State::Passing, format!("Under budget: {figures}.")),
        Verdict::Over => (State::Failing, format!("Over budget: {figures}.")),
        Verdict::Undecided => (
            State::Undecided,
            format!("Undecided: {figures}; weigh with more loads."),
        ),
    }
}

/// What to do next on a site: the first family, in the order of the job, that asks for something.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NextAction {
    pub family: Family,
    pub state: State,
    pub act: String,
    pub why: String,
}

/// How a site stands in one family, as far as the next action depends on it.
#[derive(Debug, Clone, Copy)]
pub struct Stood<'a> {
    pub family: Family,
    pub state: State,
    pub summary: &'a str,
    /// What to do about a failure, if the check knows.
    pub remedy: &'a str,
}

pub fn next_action(standings: &[Stood<'_>]) -> Option<NextAction> {
    let at = |family: Family| {
        standings
            .iter()
            .find(|s| s.family == family)
            .copied()
            .unwrap_or(Stood {
                family,
                state: State::NotYet,
                summary: "",
                remedy: "",
            })
    };
    for family in Family::ALL {
        let Stood {
            state,
            summary: why,
            remedy,
            ..
        } = at(family);
        let act = match (family, state) {
            (_, State::Passing | State::NotApplicable) => continue,
            // A page that cannot be had says nothing of placing; the failure of loading names what to do.
            (Family::Place, State::Undecided) if at(Family::Load).state == State::Failing => {
                continue;
            }
            (Family::Design, State::NotYet) => "Choose a supplier and key for this site.",
            (Family::Design, _) => "Mend the design.",
            (Family::Place, State::NotYet) if at(Family::Load).state == State::NotYet => {
                "Place the snippet, then verify."
            }
            (Family::Place | Family::Load, State::Failing) if !remedy.is_empty() => remedy,
            (Family::Place | Family::Load, State::Failing) => {
                "See the chain and mend its broken link."
            }
            (Family::Place | Family::Load, _) => "Verify in the browser.",
            (Family::Echo, State::Failing) => "See where the test message stopped.",
            (Family::Echo, _) => "Send a test message.",
            (Family::Weigh, State::Failing) => {
                "Over budget: talk to the client or choose a lighter widget."
            }
            (Family::Weigh, State::Undecided) => "Weigh again with more loads.",
            (Family::Weigh, _) => "Weigh the widget.",
            (Family::Consent, State::Failing) => "Hold the widget back until consent.",
            (Family::Brand, State::Failing) => "Bring the widget's looks to the design.",
            (Family::Consent | Family::Brand, _) => "Verify in the browser.",
            // The sheet is there; what is missing is the client's yes.
            (Family::HandOver, State::Undecided) if !remedy.is_empty() => remedy,
            (Family::HandOver, _) => "Make the handover sheet.",
            (Family::Watch, _) => "Visit again: the last results are old.",
        };
        return Some(NextAction {
            family,
            state,
            act: act.to_string(),
            why: if why.is_empty() {
                state.words().to_string()
            } else {
                why.to_string()
            },
        });
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    fn all_passing() -> [Stood<'static>; 9] {
        Family::ALL.map(|family| Stood {
            family,
            state: State::Passing,
            summary: "",
            remedy: "",
        })
    }

    #[test]
    fn the_next_action_follows_the_order_of_the_job() {
        let mut s = all_passing();
        assert_eq!(next_action(&s), None);
        s[4].state = State::Failing;
        s[7].state = State::NotYet;
        assert_eq!(next_action(&s).unwrap().family, Family::Weigh);
        s[1] = Stood {
            family: Family::Place,
            state: State::Failing,
            summary: "It is there twice.",
            remedy: "Remove one of the two.",
        };
        let next = next_action(&s).unwrap();
        assert_eq!(
            (next.family, next.act.as_str(), next.why.as_str()),
            (
                Family::Place,
                "Remove one of the two.",
                "It is there twice."
            )
        );
        s[1].remedy = "";
        assert!(next_action(&s).unwrap().act.contains("broken link"));
    }

    #[test]
    fn a_sheet_that_is_made_is_not_to_be_made_again() {
        let mut s = all_passing();
        let at = s.iter().position(|s| s.family == Family::HandOver).unwrap();
        s[at].state = State::NotYet;
        assert_eq!(next_action(&s).unwrap().act, "Make the handover sheet.");
        s[at] = Stood {
            state: State::Undecided,
            summary: "The client has not confirmed yet.",
            remedy: "Send the client the link.",
            ..s[at]
        };
        let next = next_action(&s).unwrap();
        assert_eq!(
            (next.act.as_str(), next.state),
            ("Send the client the link.", State::Undecided)
        );
    }

    #[test]
    fn a_page_that_cannot_be_had_is_a_matter_of_loading_not_of_placing() {
        let stood = |family, state, remedy| Stood {
            family,
            state,
            summary: "",
            remedy,
        };
        let s = [
            stood(Family::Design, State::Passing, ""),
            stood(Family::Place, State::Undecided, ""),
            stood(
                Family::Load,
                State::Failing,
                "Ask the client why the page answers 503.",
            ),
        ];
        assert_eq!(
            next_action(&s).unwrap().act,
            "Ask the client why the page answers 503."
        );
        // A site nobody looked at begins with its first step.
        assert_eq!(next_action(&[]).unwrap().family, Family::Design);
    }

    #[test]
    fn every_state_that_asks_for_something_names_an_act() {
        for (i, family) in Family::ALL.into_iter().enumerate() {
            for state in [
                State::Failing,
                State::Undecided,
                State::Stale,
                State::NotYet,
            ] {
                let mut s = all_passing();
                s[i].state = state;
                let next = next_action(&s)
                    .unwrap_or_else(|| panic!("{family:?} {state:?} asks for nothing"));
                assert!(
                    next.family == family && next.act.ends_with('.') && !next.why.is_empty(),
                    "{next:?}"
                );
            }
        }
    }

    #[test]
    fn results_age() {
        assert_eq!(aged(State::Passing, STALE_AFTER_S + 1), State::Stale);
        assert_eq!(aged(State::NotYet, STALE_AFTER_S + 1), State::NotYet);
        assert_eq!(aged(State::Failing, 10), State::Failing);
    }
}
