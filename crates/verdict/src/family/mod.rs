//! The families of checks, in the order of the job. Everything the core knows of a family stands in
//! its own module: its entry (words, inputs, what to do next) and how it is judged; the typed data
//! of its drawing stands in [`detail`]. The interface has one module a family beside it.

pub mod brand;
pub mod consent;
pub mod design;
pub mod detail;
pub mod echo;
mod entry;
pub mod hand_over;
pub mod harm;
pub mod kind;
pub mod load;
pub mod other_hours;
pub mod pages;
pub mod place;
pub mod watch;
pub mod weigh;

pub use detail::{DETAIL_VERSION, Detail};
pub use entry::{
    Elsewhere, Entry, FamilyResult, FamilyStanding, by_findings, first_remedy, first_worst,
};
pub use kind::{Family, STALE_AFTER_S, Standing};
pub use watch::EarlierLook;

use crate::inputs::input::Input;
use newtfern_model::job::JobKind;
use serde::{Deserialize, Serialize};

/// Entries, one a family, in the order of the job.
const ENTRIES: [&Entry; Family::ALL.len()] = [
    &design::ENTRY,
    &place::ENTRY,
    &load::ENTRY,
    &pages::ENTRY,
    &echo::ENTRY,
    &weigh::ENTRY,
    &consent::ENTRY,
    &brand::ENTRY,
    &hand_over::ENTRY,
    &watch::ENTRY,
];

impl Family {
    /// All that is known of it.
    pub fn entry(self) -> &'static Entry {
        ENTRIES[self as usize]
    }

    /// Returns the inputs that its judging reads.
    pub fn reads(self) -> Vec<Input> {
        self.entry().reads.concat()
    }

    /// The kind of job that moves a site on from a standing, if a worker can.
    pub fn job_for(self, standing: Standing) -> Option<JobKind> {
        match (self, standing) {
            // A sheet that waits for the client's yes needs a person.
            (Family::HandOver, Standing::Undecided) => None,
            _ => self.entry().job,
        }
    }
}

/// A site's state is the worst of its families.
pub fn worst(standings: impl IntoIterator<Item = Standing>) -> Standing {
    standings.into_iter().min().unwrap_or(Standing::NotYet)
}

/// Next action on a site: that of the first family, in the order of the job, that asks for
/// something.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NextAction {
    /// Family that the action belongs to.
    pub family: Family,
    /// Standing of the site there.
    pub standing: Standing,
    /// Action as a sentence.
    pub act: String,
    /// Key of sites that need the same: the code of the finding whose remedy it is, else the
    /// action.
    pub cause: String,
    /// Reason for the action.
    pub why: String,
}

/// The next action of a site; nothing where all families stand well. What fails comes first, in the
/// order of the job; then what is not known.
pub fn next_action(standings: &[FamilyStanding<'_>]) -> Option<NextAction> {
    let at = |family: Family| {
        let found = standings.iter().find(|s| s.family == family).copied();
        found.unwrap_or(FamilyStanding::not_yet(family))
    };
    let whole = |family: Family| at(family).standing;
    let wanted = |family: Family| {
        let stood = at(family);
        let act = (family.entry().act)(&stood, &whole)?;
        let cause = match stood.code {
            // Words of a remedy name hosts, files and selectors of one site.
            code if !code.is_empty() && act == stood.remedy => code.to_string(),
            _ => act.clone(),
        };
        Some(NextAction {
            family,
            standing: stood.standing,
            act,
            cause,
            why: match stood.summary {
                "" if stood.seen => "A survey saw the snippet in the page.".to_string(),
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
