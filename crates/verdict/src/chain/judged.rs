//! Visits that were judged one by one, and what they say together.

use crate::busy;
use crate::chain::Case;
use crate::chain::answer::{Answer, Dependence};
use crate::chain::facts::Facts;
use crate::chain::verdict::Verdict;
use newtfern_model::code::{Code, Link};
use newtfern_model::finding::{Evidence, Finding, NotChecked, Severity};
use newtfern_standards::observation::{ConsentAct, Observation, Viewport};

/// One visit judged alone.
pub struct JudgedVisit<'a> {
    /// Facts that the rules ask.
    pub facts: Facts<'a>,
    /// The first rule that did not say that its link holds, with its link.
    pub root: Option<(Link, Answer)>,
    /// Findings that break nothing.
    pub remarks: Vec<Finding>,
    /// Subjects that were not looked at without deciding the outcome, with the link each leaves
    /// undecided.
    pub gaps: Vec<(Option<Link>, NotChecked)>,
}

impl<'a> JudgedVisit<'a> {
    /// Takes a rule's answer about a link.
    pub(super) fn take(&mut self, link: Link, answer: Answer) {
        match answer {
            Answer::Holds => {}
            Answer::CannotTell { gap, depends } if depends != Dependence::Outcome => {
                let link = Some(link).filter(|_| depends == Dependence::Link);
                self.gaps.push((link, gap));
            }
            Answer::Found(found) => {
                let link = found.link.unwrap_or(link);
                let answer = match busy::rests(found.code, self.seen()) {
                    true => Answer::CannotTell {
                        gap: busy::gap("what did not come in time", &self.seen().withheld),
                        depends: Dependence::Outcome,
                    },
                    false => Answer::Found(found),
                };
                self.root = Some((link, answer));
            }
            undecided => self.root = Some((link, undecided)),
        }
    }

    /// Returns the visit that was judged.
    pub fn seen(&self) -> &'a Observation {
        self.facts.seen
    }

    /// Returns whether the page arrived.
    pub fn delivered(&self) -> bool {
        let root = self.root.as_ref();
        root.is_none_or(|(link, _)| *link != Link::Delivered)
    }

    /// The root cause, where one was found.
    pub fn found(&self) -> Option<&Finding> {
        match &self.root {
            Some((_, Answer::Found(finding))) => Some(finding),
            _ => None,
        }
    }

    /// The code of the root cause.
    pub fn code(&self) -> Option<Code> {
        self.found().map(|f| f.code)
    }

    /// Every link was judged and holds.
    pub fn works(&self) -> bool {
        self.root.is_none()
    }

    /// No request went to the supplier and the widget is not up.
    pub fn quiet(&self) -> bool {
        !self.facts.arrived()
    }

    /// Returns whether the visit was made on a phone.
    pub fn on_phone(&self) -> bool {
        self.seen().condition.viewport == Viewport::Phone
    }

    /// Consent was to be given, and could not be, although a manager is on the page.
    fn ungranted(&self) -> bool {
        let seen = self.seen();
        seen.condition.consent == ConsentAct::Granted
            && seen.looks.consent_act.seen_ms().is_none()
            && (seen.consent.manager || seen.consent.tcf)
    }
}

/// All visits of a check, judged one by one.
pub struct JudgedVisits<'a> {
    /// Expectation that the visits are judged by.
    pub case: &'a Case<'a>,
    /// Desktop before phone, untouched before granted.
    pub judged: Vec<JudgedVisit<'a>>,
}

impl<'a> JudgedVisits<'a> {
    /// Visits in which the visitor had not decided.
    pub fn before(&self) -> Vec<&JudgedVisit<'a>> {
        let before = |j: &&JudgedVisit| j.seen().condition.consent != ConsentAct::Granted;
        self.judged.iter().filter(before).collect()
    }

    /// Visits in which consent was given, and took.
    pub fn after(&self) -> Vec<&JudgedVisit<'a>> {
        let granted = |j: &&JudgedVisit| j.seen().condition.consent == ConsentAct::Granted;
        let granted = self.judged.iter().filter(granted);
        granted.filter(|j| !j.ungranted()).collect()
    }

    /// The visits that decide: with consent given, where that changes anything.
    pub fn deciding(&self) -> Vec<&JudgedVisit<'a>> {
        let (before, after) = (self.before(), self.after());
        if after.is_empty() {
            before
        } else if before.iter().all(|j| j.works()) {
            // Starting while untouched is right or wrong by the region's rules, which the consent
            // family judges.
            self.judged.iter().filter(|j| !j.ungranted()).collect()
        } else {
            after
        }
    }

    /// A visit in which consent could not be given, if that leaves something open.
    fn consent_open(&self) -> Option<&JudgedVisit<'a>> {
        let vague = |j: &&JudgedVisit| {
            j.ungranted()
                && j.quiet()
                && j.code()
                    .is_none_or(|c| WAITING.contains(&c) || c == Code::PlacedAbsent)
        };
        if self.after().is_empty() && !self.before().iter().all(|j| j.works()) {
            self.judged.iter().find(vague)
        } else {
            None
        }
    }
}

/// Root causes that waiting for consent looks like.
pub const WAITING: [Code; 5] = [
    Code::PlacedWrongType,
    Code::PlacedInert,
    Code::AllowedConsentStuck,
    Code::AllowedConsentWaits,
    Code::StartedSilent,
];

/// The worst of a group: broken before unchecked before working.
pub fn worst_of(group: &[&JudgedVisit]) -> Verdict {
    if let Some(j) = group.iter().find(|j| j.found().is_some()) {
        let mut root = j.found().cloned().expect("found above");
        let on_desktop = |j: &&&JudgedVisit| !j.on_phone() && j.works();
        if j.on_phone() && group.iter().find(on_desktop).is_some() {
            root.evidence
                .push(Evidence::fact("on a phone only; on a desktop it works"));
            root.severity = Severity::Broken;
        }
        return Verdict::broken(root);
    }
    let undecided = group.iter().find_map(|j| match &j.root {
        Some((link, Answer::CannotTell { gap, .. })) => Some((*link, gap.clone())),
        _ => None,
    });
    match undecided {
        Some((link, gap)) => Verdict::unchecked(link, gap),
        None => Verdict::working(),
    }
}

/// The last rule: what the deciding visits say, unless consent that could not be given leaves it
/// open.
pub fn worst(t: &JudgedVisits) -> Option<Verdict> {
    if let Some(j) = t.consent_open() {
        let said = &j.seen().consent.error;
        let gap = NotChecked {
            what: "the page once consent is given".into(),
            why: if said.is_empty() {
                "the decision did not take".into()
            } else {
                said.clone()
            },
        };
        return Some(Verdict::unchecked(Link::Allowed, gap));
    }
    Some(worst_of(&t.deciding()))
}
