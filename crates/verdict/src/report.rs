//! What one part of a check tells: the values it compared, what differs, and what it could not
//! compare.

use crate::chain::Verdict;
use newtfern_model::finding::{Evidence, Finding, NotChecked};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// One value of the expectation that was compared.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ComparedValue {
    /// Name in the expectation.
    pub name: Cow<'static, str>,
    /// BCP 47; values of the design have none.
    pub language: Option<String>,
    /// Value that the expectation asks for.
    pub wanted: String,
    /// Value in the widget; null where it was looked for and not found, or could not be measured.
    pub seen: Option<String>,
    /// Whether they are the same.
    pub same: bool,
}

impl ComparedValue {
    /// Returns its name for people, without the unit.
    pub fn words(&self) -> String {
        self.name.trim_end_matches("_px").replace('_', " ")
    }

    pub(crate) fn sides(&self) -> [Evidence; 2] {
        sides(&self.wanted, self.seen.as_deref().unwrap_or("nothing"))
    }
}

/// Returns the wished and the seen value, as evidence of a difference.
pub(crate) fn sides(wanted: &str, seen: &str) -> [Evidence; 2] {
    [
        Evidence::fact(format!("designed: {wanted}")),
        Evidence::fact(format!("seen: {seen}")),
    ]
}

/// Report on one part of the expectation of the address given, with its findings and gaps.
#[derive(Debug, Default)]
pub struct Report<T> {
    /// Each value that was compared.
    pub what: T,
    /// Differences that were found.
    pub findings: Vec<Finding>,
    /// Values that could not be compared, and why.
    pub gaps: Vec<NotChecked>,
    /// Reason why it is not known whether anything differs, as a sentence, where that is so.
    pub undecided: Option<String>,
}

impl<T> Report<Vec<T>> {
    /// Puts what another part tells to it.
    pub fn add(&mut self, more: Report<Vec<T>>) {
        self.what.extend(more.what);
        self.findings.extend(more.findings);
        self.gaps.extend(more.gaps);
        self.undecided = self.undecided.take().or(more.undecided);
    }
}

impl<T> Report<T> {
    /// Puts findings and gaps to the verdict, and gives what is told beside it.
    pub(crate) fn beside(self, verdict: &mut Verdict) -> T {
        verdict.add(self.findings);
        for gap in self.gaps {
            verdict.leave_open(gap);
        }
        self.what
    }
}
