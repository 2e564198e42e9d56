//! The verdict over the pages of a site: what should be by the expectation, what a browser saw on some of
//! them and what HTTP alone told of the others.

mod cell;
mod consent;
mod form;
mod intended;
mod looks;
mod outcome;
mod texts;
mod widget;

pub use cell::Seen;
pub use consent::{CellTold, ConsentTold};
pub use widget::{Clock, WidgetCase, verdict};

use crate::chain::{Aside, Diagnosis, Expect, NotLookedAt};
use crate::code::Code;
use crate::consent::Region;
use crate::expectation::Expectation;
use crate::finding::{Evidence, Finding};
use crate::observation::{ConsentAct, Observation};
use crate::pages::{PageCopy, PageKind, PageRules};
use crate::profile::{ConsentManager, Supplier};
use crate::profiles::{Profiles, ProfilesError};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::collections::BTreeMap;

/// One widget that is looked for.
#[derive(Debug, Clone)]
pub struct Subject<'a> {
    /// Whose.
    pub supplier: &'a Supplier,
    /// The right key; none where any is.
    pub key: Option<&'a str>,
    /// Where it must and must not be.
    pub rules: PageRules,
}

/// The widgets of an expectation; of a site that should have none each known one, which should be nowhere.
///
/// # Errors
/// [`ProfilesError::Unknown`], where no profile has the name that the expectation gives.
pub fn subjects<'a>(
    expectation: &'a Expectation,
    profiles: &'a Profiles,
) -> Result<Vec<Subject<'a>>, ProfilesError> {
    if expectation.widgets.is_empty() {
        let nowhere = PageRules {
            on: Vec::new(),
            not_on: Vec::new(),
        };
        let none = profiles.suppliers.iter().map(|supplier| Subject {
            supplier,
            key: None,
            rules: nowhere.clone(),
        });
        return Ok(none.collect());
    }
    let wanted = expectation.widgets.iter().map(|w| {
        Ok(Subject {
            supplier: profiles.supplier(&w.supplier)?,
            key: w.wanted_key(),
            rules: w.rules(),
        })
    });
    wanted.collect()
}

/// Known suppliers whose widget nobody wants on the site; none where any is unexpected already.
pub fn rivals(expectation: &Expectation, profiles: &Profiles) -> Vec<Supplier> {
    if expectation.widgets.is_empty() {
        return Vec::new();
    }
    let wanted = |s: &&Supplier| expectation.widgets.iter().any(|w| w.supplier == s.id);
    let others = profiles.suppliers.iter().filter(|s| !wanted(s));
    others.cloned().collect()
}

/// What a browser saw of one page, for one widget.
#[derive(Debug, Default, Serialize, Deserialize)]
pub struct WidgetVisits {
    /// Index of the widget among the subjects.
    pub subject: usize,
    /// The visits.
    pub visits: Vec<Observation>,
    /// Copies beside them.
    pub asides: Vec<Aside>,
    /// Visits in other manners than the usual one, where they were asked for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub in_other_manners: Vec<Observation>,
}

/// One page with all that was seen of it.
#[derive(Debug, Serialize, Deserialize)]
pub struct SitePage {
    /// As it was had by HTTP.
    pub copy: PageCopy,
    /// What it is for.
    pub kind: PageKind,
    /// Its template.
    pub template: String,
    /// What a browser saw; empty where none went there.
    pub visited: Vec<WidgetVisits>,
}

/// A site, what should be on it and what was seen.
pub struct SiteCase<'a> {
    /// What should be.
    pub expectation: &'a Expectation,
    /// The widgets that are looked for.
    pub subjects: &'a [Subject<'a>],
    /// Suppliers whose widget nobody wants.
    pub rivals: &'a [Supplier],
    /// The site's consent manager.
    pub consent: Option<&'a ConsentManager>,
    /// Rules of regions.
    pub regions: &'a [Region],
    /// Sample words by language, beyond those that are built in.
    pub sample_words: &'a BTreeMap<String, Vec<String>>,
    /// Consent states that were asked for.
    pub states: &'a [ConsentAct],
    /// The instant that hours are judged by.
    pub at: Timestamp,
    /// Its pages, the one given first.
    pub pages: &'a [SitePage],
    /// What the time or the network kept from being looked at.
    pub gaps: &'a [NotLookedAt],
}

impl SiteCase<'_> {
    /// Its widgets on the address given, each with what was seen for it.
    fn widgets(&self) -> impl Iterator<Item = WidgetCase<'_>> {
        let widgets = self.expectation.widgets.iter().zip(self.subjects);
        widgets
            .enumerate()
            .map(|(n, (widget, subject))| WidgetCase {
                supplier: subject.supplier,
                widget,
                visits: self.visits_of(n),
                sample_words: self.sample_words,
            })
    }

    /// What a browser saw of a widget on the address given.
    fn visits_of(&self, subject: usize) -> &[Observation] {
        self.given_for(subject).map_or(&[], |v| &v.visits)
    }

    /// The same of visits in other manners.
    fn manners_of(&self, subject: usize) -> &[Observation] {
        self.given_for(subject).map_or(&[], |v| &v.in_other_manners)
    }

    fn given_for(&self, subject: usize) -> Option<&WidgetVisits> {
        let mut given = self.pages.first().into_iter().flat_map(|p| &p.visited);
        given.find(|v| v.subject == subject)
    }
}

/// One value of the expectation that was compared.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ValueTold {
    /// As the expectation names it.
    pub name: Cow<'static, str>,
    /// BCP 47; values of the design have none.
    pub language: Option<String>,
    /// By the expectation.
    pub wanted: String,
    /// In the widget; null where it was looked for and not found, or could not be measured.
    pub seen: Option<String>,
    /// They are the same.
    pub same: bool,
}

impl ValueTold {
    /// Its name for people, without the unit.
    pub fn words(&self) -> String {
        self.name.trim_end_matches("_px").replace('_', " ")
    }

    fn sides(&self) -> [Evidence; 2] {
        sides(&self.wanted, self.seen.as_deref().unwrap_or("nothing"))
    }
}

/// What was wished for and what was seen, as evidence of a difference.
pub(crate) fn sides(wanted: &str, seen: &str) -> [Evidence; 2] {
    [
        Evidence::fact(format!("designed: {wanted}")),
        Evidence::fact(format!("seen: {seen}")),
    ]
}

/// What one part of the expectation tells of the address given, with its findings and gaps.
#[derive(Debug, Default)]
pub struct Told<T> {
    /// Each value that was compared.
    pub what: T,
    /// What differs.
    pub findings: Vec<Finding>,
    /// What could not be compared, and why.
    pub gaps: Vec<NotLookedAt>,
}

impl<T> Told<Vec<T>> {
    /// Puts what another part tells to it.
    pub fn add(&mut self, more: Told<Vec<T>>) {
        self.what.extend(more.what);
        self.findings.extend(more.findings);
        self.gaps.extend(more.gaps);
    }
}

impl<T> Told<T> {
    /// Puts findings and gaps to the verdict, and gives what is told beside it.
    pub(crate) fn beside(self, d: &mut Diagnosis) -> T {
        d.findings.extend(self.findings);
        d.not_looked_at.extend(self.gaps);
        self.what
    }
}

/// All that is told of several widgets.
fn of_all<'a>(
    case: &'a SiteCase,
    told: impl Fn(&WidgetCase<'a>) -> Told<Vec<ValueTold>>,
) -> Told<Vec<ValueTold>> {
    let mut out: Told<Vec<ValueTold>> = Told::default();
    for one in case.widgets().map(|w| told(&w)) {
        out.add(one);
    }
    out
}

/// What is told of one page.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PageRow {
    /// Its address.
    pub url: String,
    /// What it is for.
    pub kind: PageKind,
    /// Its template.
    pub template: String,
    /// What should be there.
    pub expected: Expect,
    /// What is there.
    pub seen: Seen,
    /// Why it is not right, where that is known.
    pub root: Option<Code>,
    /// A browser went there.
    pub visited: bool,
}

impl PageRow {
    /// It is as it should be.
    pub fn is_right(&self) -> bool {
        self.seen.is_wanted(self.expected) && self.root.is_none()
    }
}

/// How many pages are as they should be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Coverage {
    /// Pages that were looked at.
    pub expected: usize,
    /// Those that are as they should be.
    pub right: usize,
    /// Those of which it is not known.
    pub unknown: usize,
}

/// The object that `newtfern check --site --json` prints.
#[derive(Debug, Clone, Serialize)]
pub struct SiteDiagnosis {
    /// The page that the verdict is about, in the form of a check of one page.
    #[serde(flatten)]
    pub diagnosis: Diagnosis,
    /// All pages that were looked at.
    pub pages: Vec<PageRow>,
    /// How many are right.
    pub coverage: Coverage,
    /// Consent states against signals; nothing of a site that should have no widget.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub consent: Option<ConsentTold>,
    /// Each text that was compared.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub texts: Vec<ValueTold>,
    /// Each value of the design that was compared.
    #[serde(rename = "design", skip_serializing_if = "Vec::is_empty")]
    pub looks: Vec<ValueTold>,
}

/// Judges a site.
pub fn judge(case: &SiteCase) -> SiteDiagnosis {
    let cells = cell::all(case);
    outcome::told(case, &cells)
}

#[cfg(test)]
mod testing;
#[cfg(test)]
mod tests;
