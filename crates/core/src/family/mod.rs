//! The families of checks, in the order of the job. Everything the core knows of a family stands in
//! its own module: its words, how it is judged, what to do next, and the typed data of its drawing.
//! The interface has one module a family beside it; a new family touches these two.

pub mod brand;
pub mod consent;
pub mod design;
pub mod echo;
pub mod hand_over;
pub mod load;
pub mod pages;
pub mod place;
pub mod watch;
pub mod weigh;

use crate::finding::{Finding, Severity};
use crate::job::JobKind;
use serde::{Deserialize, Serialize};

/// A family; each is a leaflet of the frond and a lens.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Family {
    /// Supplier, key and the widget's values.
    Design,
    /// The snippet in the page.
    Place,
    /// The chain, from page to usable widget.
    Load,
    /// The widget on every page where it should be, and on no other.
    Pages,
    /// The test message.
    Echo,
    /// What the widget costs.
    Weigh,
    /// Consent states against signals.
    Consent,
    /// Looks against the design.
    Brand,
    /// The sheet for the client.
    HandOver,
    /// Is what is known still true?
    Watch,
}

/// What a family is called, asks and offers.
pub struct Words {
    /// As it is stored and addressed.
    pub key: &'static str,
    /// On the Trail.
    pub label: &'static str,
    /// The question its lens answers.
    pub question: &'static str,
    /// Head of the column with its drawing.
    pub drawing: &'static str,
    /// What workers do for it, if anything.
    pub job: Option<JobKind>,
}

/// How a site stands in a family.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize,
)]
#[serde(rename_all = "snake_case")]
pub enum Standing {
    /// Something is wrong.
    Failing,
    /// Looked at, and not to be told.
    Undecided,
    /// What it rests on has changed, or it is old.
    Stale,
    /// Not looked at yet.
    #[default]
    NotYet,
    /// In order.
    Passing,
    /// Does not apply to this site.
    NotApplicable,
}

impl Standing {
    /// Worst first.
    pub const ALL: [Standing; 6] = [
        Standing::Failing,
        Standing::Undecided,
        Standing::Stale,
        Standing::NotYet,
        Standing::Passing,
        Standing::NotApplicable,
    ];

    /// As it is stored.
    pub fn key(self) -> &'static str {
        match self {
            Standing::Failing => "failing",
            Standing::Undecided => "undecided",
            Standing::Stale => "stale",
            Standing::NotYet => "not_yet",
            Standing::Passing => "passing",
            Standing::NotApplicable => "not_applicable",
        }
    }

    /// As it is shown.
    pub fn words(self) -> &'static str {
        match self {
            Standing::NotYet => "not yet",
            Standing::NotApplicable => "not applicable",
            other => other.key(),
        }
    }

    /// Reads a key.
    pub fn from_key(key: &str) -> Option<Standing> {
        Standing::ALL.into_iter().find(|s| s.key() == key)
    }
}

/// Older than this, a result no longer speaks for today (common practice: a week), in seconds.
pub const STALE_AFTER_S: i64 = 7 * 24 * 3600;

impl Family {
    /// In the order of the job.
    pub const ALL: [Family; 10] = [
        Family::Design,
        Family::Place,
        Family::Load,
        Family::Pages,
        Family::Echo,
        Family::Weigh,
        Family::Consent,
        Family::Brand,
        Family::HandOver,
        Family::Watch,
    ];

    /// Its words.
    pub fn words(self) -> &'static Words {
        match self {
            Family::Design => &design::WORDS,
            Family::Place => &place::WORDS,
            Family::Load => &load::WORDS,
            Family::Pages => &pages::WORDS,
            Family::Echo => &echo::WORDS,
            Family::Weigh => &weigh::WORDS,
            Family::Consent => &consent::WORDS,
            Family::Brand => &brand::WORDS,
            Family::HandOver => &hand_over::WORDS,
            Family::Watch => &watch::WORDS,
        }
    }

    /// What a site needs in this family, given how it stands; nothing where it stands well.
    fn act(self, stood: &Stood, whole: &dyn Fn(Family) -> Standing) -> Option<String> {
        match self {
            Family::Design => design::act(stood),
            Family::Place => place::act(stood, whole(Family::Load)),
            Family::Load => load::act(stood),
            Family::Pages => pages::act(stood),
            Family::Echo => echo::act(stood),
            Family::Weigh => weigh::act(stood),
            Family::Consent => consent::act(stood),
            Family::Brand => brand::act(stood),
            Family::HandOver => hand_over::act(stood),
            Family::Watch => watch::act(stood),
        }
    }

    /// As it is stored and addressed.
    pub fn key(self) -> &'static str {
        self.words().key
    }

    /// On the Trail.
    pub fn label(self) -> &'static str {
        self.words().label
    }

    /// Reads a key.
    pub fn from_key(key: &str) -> Option<Family> {
        Family::ALL.into_iter().find(|f| f.key() == key)
    }

    /// The kind of job that moves a site on from a standing, if a worker can.
    pub fn job_for(self, standing: Standing) -> Option<JobKind> {
        match (self, standing) {
            // A sheet that waits for the client's yes needs a person.
            (Family::HandOver, Standing::Undecided) => None,
            _ => self.words().job,
        }
    }
}

/// One family's new standing with what it found and the data of its drawing.
#[derive(Debug, Clone)]
pub struct Assessed {
    /// Whose.
    pub family: Family,
    /// How it stands.
    pub standing: Standing,
    /// One sentence.
    pub summary: String,
    /// What to do about it, if the check knows.
    pub remedy: String,
    /// What was found, the root cause first.
    pub findings: Vec<Finding>,
    /// The data of its drawing and its section.
    pub detail: Option<Detail>,
}

impl Assessed {
    /// A family that has nothing to judge on a page that should be without the widget.
    pub(crate) fn kept_off(family: Family) -> Assessed {
        Assessed {
            family,
            standing: Standing::NotApplicable,
            summary: "The page rules keep the widget off the site's address.".into(),
            remedy: String::new(),
            findings: Vec::new(),
            detail: None,
        }
    }
}

/// Raised when a shape below changes so that what is stored cannot be read any more.
pub const DETAIL_VERSION: i32 = 2;

/// What a family's drawing and section are made from.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(tag = "of", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Detail {
    Load(load::Detail),
    Pages(pages::Detail),
    Echo(Box<crate::echo::Seen>),
    Weigh(Box<weigh::Detail>),
    Consent(crate::consent::Grid),
    Brand(brand::Detail),
    HandOver(hand_over::Detail),
}

/// The standing that findings give: the worst of them decides; faults fail.
pub fn by_findings(findings: &[Finding], good: &str) -> (Standing, String) {
    match first_worst(findings) {
        Some(f) if f.severity >= Severity::Fault => (Standing::Failing, f.summary.clone()),
        Some(f) => (Standing::Passing, f.summary.clone()),
        None => (Standing::Passing, good.to_string()),
    }
}

/// The worst finding; of several alike the first.
fn first_worst(findings: &[Finding]) -> Option<&Finding> {
    // Of equals the last is the greatest to `max_by_key`.
    findings.iter().rev().max_by_key(|f| f.severity)
}

/// What to do about the worst finding.
pub fn first_remedy(findings: &[Finding]) -> String {
    first_worst(findings)
        .map(|f| f.remedy.clone())
        .unwrap_or_default()
}

/// A site's state is the worst of its families.
pub fn worst(standings: impl IntoIterator<Item = Standing>) -> Standing {
    standings.into_iter().min().unwrap_or(Standing::NotYet)
}

/// What to do next on a site: the first family, in the order of the job, that asks for something.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NextAction {
    /// Where.
    pub family: Family,
    /// How the site stands there.
    pub standing: Standing,
    /// What to do.
    pub act: String,
    /// Why.
    pub why: String,
}

/// How a site stands in one family, as far as the next action depends on it.
#[derive(Debug, Clone, Copy)]
pub struct Stood<'a> {
    /// Whose.
    pub family: Family,
    /// How.
    pub standing: Standing,
    /// Its sentence.
    pub summary: &'a str,
    /// What to do about a failure, if the check knows.
    pub remedy: &'a str,
}

/// The next action of a site; nothing where all families stand well. What fails comes first, in the
/// order of the job; then what is not known.
pub fn next_action(standings: &[Stood<'_>]) -> Option<NextAction> {
    let at = |family: Family| {
        let found = standings.iter().find(|s| s.family == family).copied();
        found.unwrap_or(Stood {
            family,
            standing: Standing::NotYet,
            summary: "",
            remedy: "",
        })
    };
    let whole = |family: Family| at(family).standing;
    let wanted = |family: Family| {
        let stood = at(family);
        let act = family.act(&stood, &whole)?;
        Some(NextAction {
            family,
            standing: stood.standing,
            act,
            why: match stood.summary {
                "" => stood.standing.words().to_string(),
                summary => summary.to_string(),
            },
        })
    };
    let failing = |n: &NextAction| n.standing == Standing::Failing;
    // A site without its supplier and key has nothing that could fail yet.
    let first = wanted(Family::Design).filter(|n| n.standing == Standing::NotYet);
    let failing = || Family::ALL.into_iter().filter_map(wanted).find(failing);
    first
        .or_else(failing)
        .or_else(|| Family::ALL.into_iter().find_map(wanted))
}

#[cfg(test)]
mod tests;
