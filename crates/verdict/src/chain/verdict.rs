//! The verdict over one page: its outcome, its root cause, each link of its chain, what was found
//! and what was not looked at.

use newtfern_model::code::{Code, Link};
use newtfern_model::finding::{Finding, NotChecked};
use serde::{Deserialize, Serialize};
use std::cmp::Ordering;

/// State of a link of the chain.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum LinkState {
    /// The link was looked at and is in order.
    Holds,
    /// The link does not hold; the root cause is here or before it.
    Broken,
    /// The link could not be looked at to the end.
    Undecided,
    /// A link before it is broken.
    NotReached,
    /// The page has nothing of the kind.
    NotApplicable,
}

impl LinkState {
    /// The word of the public contract.
    pub fn word(self) -> &'static str {
        match self {
            LinkState::Holds => "holds",
            LinkState::Broken => "broken",
            LinkState::Undecided => "undecided",
            LinkState::NotReached => "not reached",
            LinkState::NotApplicable => "not applicable",
        }
    }
}

/// Outcome of a page for its visitors.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    /// The widget is there, up, shown and usable.
    Working,
    /// A visitor who should have the widget does not.
    Broken,
    /// Absent or waiting, as it should be.
    AsIntended,
    /// Nothing definite can be said; why is in `not_looked_at`.
    Unchecked,
}

impl Outcome {
    /// Returns the outcome in words, for reports.
    pub fn words(self) -> &'static str {
        match self {
            Outcome::Working => "working",
            Outcome::Broken => "broken",
            Outcome::AsIntended => "as intended",
            Outcome::Unchecked => "unchecked",
        }
    }
}

/// One link, and how it stands.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct ChainLink {
    /// Link of the chain.
    pub link: Link,
    /// State of the link.
    pub state: LinkState,
}

/// A verdict. Its parts say the same thing in several ways, so nothing changes one of them alone.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Verdict {
    outcome: Outcome,
    root: Option<Code>,
    chain: Vec<ChainLink>,
    #[serde(default)]
    findings: Vec<Finding>,
    #[serde(default)]
    not_looked_at: Vec<NotChecked>,
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
        Ordering::Less => LinkState::Holds,
        Ordering::Equal => state,
        Ordering::Greater => LinkState::NotReached,
    })
}

/// Beginnings of a verdict.
impl Verdict {
    fn new(outcome: Outcome, chain: Vec<ChainLink>, findings: Vec<Finding>) -> Verdict {
        Verdict {
            outcome,
            root: None,
            chain,
            findings,
            not_looked_at: Vec::new(),
        }
    }

    /// Returns the verdict that all links hold.
    pub fn working() -> Verdict {
        Verdict::new(Outcome::Working, chain_of(|_| LinkState::Holds), Vec::new())
    }

    /// Broken by this root cause.
    pub fn broken(root: Finding) -> Verdict {
        let chain = until(root.link.unwrap_or(Link::Delivered), LinkState::Broken);
        Verdict {
            root: Some(root.code),
            ..Verdict::new(Outcome::Broken, chain, vec![root])
        }
    }

    /// Absent and right so: the links up to the reason's hold, and those from there do not apply.
    pub fn as_intended(note: Finding) -> Verdict {
        let ends = note.link.unwrap_or(Link::Placed);
        Verdict::intended_from(ends, note)
    }

    /// Returns the verdict that it is as intended, with the chain ending at a given link.
    pub fn intended_from(ends: Link, note: Finding) -> Verdict {
        let state = |link| match link < ends {
            true => LinkState::Holds,
            false => LinkState::NotApplicable,
        };
        Verdict::new(Outcome::AsIntended, chain_of(state), vec![note])
    }

    /// Not to be judged: the link at which it is open, and what was not looked at.
    pub fn unchecked(at: Link, gap: NotChecked) -> Verdict {
        let words = format!(
            "It is not known whether the chain holds: {} was not checked, because {}.",
            gap.what, gap.why
        );
        let note = Finding::note(Code::Unchecked, words);
        let chain = until(at, LinkState::Undecided);
        Verdict {
            not_looked_at: vec![gap],
            ..Verdict::new(Outcome::Unchecked, chain, vec![note])
        }
    }

    /// Returns the verdict over a page of which nothing was seen.
    pub fn unseen(why: &str) -> Verdict {
        let note = Finding::note(Code::Unchecked, why);
        let gap = NotChecked {
            what: "the page".into(),
            why: why.to_string(),
        };
        let chain = chain_of(|_| LinkState::NotReached);
        Verdict {
            not_looked_at: vec![gap],
            ..Verdict::new(Outcome::Unchecked, chain, vec![note])
        }
    }
}

/// Parts of a verdict.
impl Verdict {
    /// Returns the outcome for visitors.
    pub fn outcome(&self) -> Outcome {
        self.outcome
    }

    /// Returns the code of the finding that breaks the chain.
    pub fn root(&self) -> Option<Code> {
        self.root
    }

    /// Returns the finding that the root cause names.
    pub fn root_finding(&self) -> Option<&Finding> {
        let root = self.root?;
        self.findings.iter().find(|f| f.code == root)
    }

    /// Returns all links in their order.
    pub fn chain(&self) -> &[ChainLink] {
        &self.chain
    }

    /// Returns all findings: the root cause first, then remarks.
    pub fn findings(&self) -> &[Finding] {
        &self.findings
    }

    /// Returns what a time limit, a missing profile entry or a refusal kept from being looked at.
    pub fn not_looked_at(&self) -> &[NotChecked] {
        &self.not_looked_at
    }

    /// Returns the same without its findings, for those who store them by themselves.
    pub fn without_findings(&self) -> Verdict {
        Verdict {
            outcome: self.outcome,
            root: self.root,
            chain: self.chain.clone(),
            findings: Vec::new(),
            not_looked_at: self.not_looked_at.clone(),
        }
    }
}

/// Changes of a verdict.
impl Verdict {
    /// Puts remarks between the root cause and the notes, each code once.
    pub(crate) fn remark(&mut self, remarks: impl IntoIterator<Item = Finding>) {
        let notes = self.findings.split_off(usize::from(self.root.is_some()));
        for remark in remarks {
            if !self.findings.iter().any(|f| f.code == remark.code) {
                self.findings.push(remark);
            }
        }
        self.findings.extend(notes);
    }

    /// Adds what was not looked at, once.
    pub fn leave_open(&mut self, gap: NotChecked) {
        if !self.not_looked_at.contains(&gap) {
            self.not_looked_at.push(gap);
        }
    }

    /// Adds what was not looked at; the link, where it held, is undecided by it.
    pub(crate) fn undecide(&mut self, link: Link, gap: NotChecked) {
        for l in &mut self.chain {
            if l.link == link && l.state == LinkState::Holds {
                l.state = LinkState::Undecided;
            }
        }
        self.leave_open(gap);
    }

    /// Says that an absence elsewhere on the page is meant, of a widget that works here.
    pub(crate) fn intend(&mut self) {
        if self.outcome == Outcome::Working {
            self.outcome = Outcome::AsIntended;
        }
    }

    /// Adds findings that break no link.
    pub(crate) fn add(&mut self, findings: impl IntoIterator<Item = Finding>) {
        self.findings.extend(findings);
    }

    /// Puts another verdict in place of this one; what was remarked beside its root cause stays,
    /// and so does what was not looked at.
    pub(crate) fn replace(&mut self, new: Verdict) {
        let old = std::mem::replace(self, new);
        let taken: Vec<Code> = self
            .findings
            .iter()
            .map(|f| f.code)
            .chain(old.root)
            .collect();
        let stays = |f: &Finding| !taken.contains(&f.code);
        self.findings.extend(old.findings.into_iter().filter(stays));
        let mut gaps = old.not_looked_at;
        gaps.append(&mut self.not_looked_at);
        self.not_looked_at = gaps;
    }

    /// Says in each finding and gap whose widget it is about.
    pub(crate) fn name(&mut self, supplier: &str) {
        for finding in &mut self.findings {
            finding.summary = format!("{supplier}: {}", finding.summary);
        }
        for gap in &mut self.not_looked_at {
            gap.what = format!("{supplier}: {}", gap.what);
        }
    }

    /// Makes the verdict of one page that of its site: the outcome over all pages, and the findings
    /// and gaps of all of them. The root cause stays where the site is broken.
    pub(crate) fn over_site(
        mut self,
        outcome: Outcome,
        findings: Vec<Finding>,
        gaps: impl IntoIterator<Item = NotChecked>,
    ) -> Verdict {
        self.root = self.root.filter(|_| outcome == Outcome::Broken);
        self.outcome = outcome;
        self.findings = findings;
        for gap in gaps {
            self.leave_open(gap);
        }
        self
    }
}
