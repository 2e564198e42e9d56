//! Reads the visits of one check together: desktop with phone, consent untouched with granted.

use super::answer::{Answer, Depends, NotLookedAt};
use super::facts::Facts;
use super::registry::{Ask, RULES};
use super::{Case, ChainLink, Diagnosis, LinkState, Outcome};
use crate::code::Code;
use crate::finding::{Evidence, Finding, Link, Severity};
use crate::observation::{ConsentAct, Observation, Viewport};

/// One visit judged alone.
pub struct Judged<'a> {
    /// What the rules asked.
    pub facts: Facts<'a>,
    /// The first rule that did not say that its link holds, with its link.
    pub root: Option<(Link, Answer)>,
    /// Findings that break nothing.
    pub remarks: Vec<Finding>,
    /// What was not looked at without deciding the outcome, with the link it leaves undecided.
    pub gaps: Vec<(Option<Link>, NotLookedAt)>,
}

impl<'a> Judged<'a> {
    fn new(case: &'a Case<'a>, seen: &'a Observation) -> Judged<'a> {
        let facts = Facts::new(case, seen);
        let mut judged = Judged {
            root: None,
            remarks: Vec::new(),
            gaps: Vec::new(),
            facts,
        };
        for rule in RULES {
            match &rule.ask {
                Ask::Breaks(link, ask) if judged.root.is_none() => {
                    judged.take(*link, ask(&judged.facts))
                }
                Ask::Remarks(ask) if judged.delivered() => {
                    let found = ask(&judged.facts);
                    judged.remarks.extend(found);
                }
                _ => {}
            }
        }
        judged
    }

    fn take(&mut self, link: Link, answer: Answer) {
        match answer {
            Answer::Holds => {}
            Answer::CannotTell { gap, depends } if depends != Depends::Outcome => {
                let link = Some(link).filter(|_| depends == Depends::Link);
                self.gaps.push((link, gap));
            }
            Answer::Found(found) => {
                let link = found.link.unwrap_or(link);
                self.root = Some((link, Answer::Found(found)));
            }
            undecided => self.root = Some((link, undecided)),
        }
    }

    /// What was seen.
    pub fn seen(&self) -> &'a Observation {
        self.facts.seen
    }

    /// The page arrived.
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

    /// A phone's visit.
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
pub struct Together<'a> {
    /// What should be.
    pub case: &'a Case<'a>,
    /// Desktop before phone, untouched before granted.
    pub judged: Vec<Judged<'a>>,
}

impl<'a> Together<'a> {
    /// Visits in which the visitor had not decided.
    pub fn before(&self) -> Vec<&Judged<'a>> {
        let before = |j: &&Judged| j.seen().condition.consent != ConsentAct::Granted;
        self.judged.iter().filter(before).collect()
    }

    /// Visits in which consent was given, and took.
    pub fn after(&self) -> Vec<&Judged<'a>> {
        let granted = |j: &&Judged| j.seen().condition.consent == ConsentAct::Granted;
        let granted = self.judged.iter().filter(granted);
        granted.filter(|j| !j.ungranted()).collect()
    }

    /// The visits that decide: with consent given, where that changes anything.
    pub fn deciding(&self) -> Vec<&Judged<'a>> {
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
    fn consent_open(&self) -> Option<&Judged<'a>> {
        let vague = |j: &&Judged| {
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

/// The verdict over one page.
#[derive(Debug, Clone)]
pub struct PageVerdict {
    /// Working, broken, as intended or unchecked.
    pub outcome: Outcome,
    /// The root cause of a broken page.
    pub root: Option<Finding>,
    /// Why an absence is as intended, or what kept it unchecked.
    pub notes: Vec<Finding>,
    /// Each link.
    pub chain: Vec<ChainLink>,
    /// What kept an unchecked page from being judged.
    pub gap: Option<NotLookedAt>,
}

fn chain_of(state: impl Fn(Link) -> LinkState) -> Vec<ChainLink> {
    let link = |link| ChainLink {
        link,
        state: state(link),
    };
    Link::ALL.into_iter().map(link).collect()
}

/// Links before `at` hold, those after it were not reached.
fn until(at: Link, state: LinkState) -> Vec<ChainLink> {
    chain_of(|link| match link.cmp(&at) {
        std::cmp::Ordering::Less => LinkState::Holds,
        std::cmp::Ordering::Equal => state,
        std::cmp::Ordering::Greater => LinkState::NotReached,
    })
}

impl PageVerdict {
    /// Broken by this root cause.
    pub fn broken(root: Finding) -> PageVerdict {
        PageVerdict {
            outcome: Outcome::Broken,
            chain: until(root.link.unwrap_or(Link::Delivered), LinkState::Broken),
            root: Some(root),
            notes: Vec::new(),
            gap: None,
        }
    }

    /// The verdict of a page that no visit tells of.
    pub fn alone(self, url: &str) -> Diagnosis {
        let mut findings: Vec<Finding> = self.root.iter().cloned().collect();
        findings.extend(self.notes);
        Diagnosis {
            url: url.to_string(),
            final_url: url.to_string(),
            outcome: self.outcome,
            root: self.root.map(|f| f.code),
            chain: self.chain,
            findings,
            not_looked_at: self.gap.into_iter().collect(),
            error: None,
        }
    }

    /// All links hold.
    pub fn working() -> PageVerdict {
        PageVerdict {
            outcome: Outcome::Working,
            root: None,
            notes: Vec::new(),
            chain: chain_of(|_| LinkState::Holds),
            gap: None,
        }
    }

    /// Absent and right so: the links up to the reason's hold, and those from there do not apply.
    pub fn as_intended(note: Finding) -> PageVerdict {
        let ends = note.link.unwrap_or(Link::Placed);
        PageVerdict::intended_from(ends, note)
    }

    /// As intended, with the chain ending at a given link.
    pub fn intended_from(ends: Link, note: Finding) -> PageVerdict {
        let state = |link| match link < ends {
            true => LinkState::Holds,
            false => LinkState::NotApplicable,
        };
        PageVerdict {
            outcome: Outcome::AsIntended,
            root: None,
            notes: vec![note],
            chain: chain_of(state),
            gap: None,
        }
    }

    /// Not to be judged: the link at which it is open, and what was not looked at.
    pub fn unchecked(at: Link, gap: NotLookedAt) -> PageVerdict {
        let words = format!(
            "It is not known whether the chain holds: {} was not looked at, because {}.",
            gap.what, gap.why
        );
        PageVerdict {
            outcome: Outcome::Unchecked,
            root: None,
            notes: vec![Finding::note(Code::Unchecked, words)],
            chain: until(at, LinkState::Undecided),
            gap: Some(gap),
        }
    }
}

/// The verdict over all visits of one check.
///
/// The first rule of the registry that reads visits together and answers decides; remarks and gaps
/// of all visits stand beside it.
pub fn diagnose(case: &Case) -> Diagnosis {
    let mut judged: Vec<Judged> = case.visits.iter().map(|v| Judged::new(case, v)).collect();
    judged.sort_by_key(|j| {
        (
            j.on_phone(),
            j.seen().condition.consent != ConsentAct::Untouched,
        )
    });
    let together = Together { case, judged };
    let verdict = RULES
        .iter()
        .find_map(|rule| match &rule.ask {
            Ask::Together(ask) => ask(&together),
            _ => None,
        })
        .unwrap_or_else(PageVerdict::working);
    told(&together, verdict)
}

fn told(together: &Together, mut verdict: PageVerdict) -> Diagnosis {
    let deciding = together.deciding();
    let mut findings: Vec<Finding> = verdict.root.iter().cloned().collect();
    for remark in together.judged.iter().flat_map(|j| &j.remarks) {
        if !findings.iter().any(|f| f.code == remark.code) {
            findings.push(remark.clone());
        }
    }
    findings.extend(verdict.notes);
    let mut not_looked_at: Vec<NotLookedAt> = verdict.gap.into_iter().collect();
    for (link, gap) in deciding.iter().flat_map(|j| &j.gaps) {
        let open = verdict
            .chain
            .iter_mut()
            .find(|l| Some(l.link) == *link && l.state == LinkState::Holds);
        if let Some(open) = open {
            open.state = LinkState::Undecided;
        }
        if !not_looked_at.contains(gap) {
            not_looked_at.push(gap.clone());
        }
    }
    let seen = together.judged.first().map(Judged::seen);
    let url = seen.map(|s| s.url.clone()).unwrap_or_default();
    let landed = seen.map(|s| s.page.final_url.clone()).unwrap_or_default();
    Diagnosis {
        final_url: if landed.is_empty() {
            url.clone()
        } else {
            landed
        },
        url,
        outcome: verdict.outcome,
        root: verdict.root.map(|f| f.code),
        chain: verdict.chain,
        findings,
        not_looked_at,
        error: None,
    }
}

/// The worst of a group: broken before unchecked before working.
pub fn worst_of(group: &[&Judged]) -> PageVerdict {
    if let Some(j) = group.iter().find(|j| j.found().is_some()) {
        let mut root = j.found().cloned().expect("found above");
        let on_desktop = |j: &&&Judged| !j.on_phone() && j.works();
        if j.on_phone() && group.iter().find(on_desktop).is_some() {
            root.evidence
                .push(Evidence::fact("on a phone only; on a desktop it works"));
            root.severity = Severity::Broken;
        }
        return PageVerdict::broken(root);
    }
    let undecided = group.iter().find_map(|j| match &j.root {
        Some((link, Answer::CannotTell { gap, .. })) => Some((*link, gap.clone())),
        _ => None,
    });
    match undecided {
        Some((link, gap)) => PageVerdict::unchecked(link, gap),
        None => PageVerdict::working(),
    }
}

/// The last rule: what the deciding visits say, unless consent that could not be given leaves it
/// open.
pub fn worst(t: &Together) -> Option<PageVerdict> {
    if let Some(j) = t.consent_open() {
        let said = &j.seen().consent.error;
        let gap = NotLookedAt {
            what: "the page once consent is given".into(),
            why: if said.is_empty() {
                "the decision did not take".into()
            } else {
                said.clone()
            },
        };
        return Some(PageVerdict::unchecked(Link::Allowed, gap));
    }
    Some(worst_of(&t.deciding()))
}
