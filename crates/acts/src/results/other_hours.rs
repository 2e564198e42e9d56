//! A widget with hours is two: one while somebody is there and one while nobody is. A look sees one
//! of them, so the look at the other is planned, and what it finds stays with the result.

use crate::handles::CheckActs;
use crate::{Result, Subject};
use jiff::{SignedDuration, Timestamp};
use newtfern_model::job::JobKind;
use newtfern_store::Tx;
use newtfern_verdict::chain::Outcome;
use newtfern_verdict::family::FamilyResult;
use newtfern_verdict::family::other_hours::OtherLook;

/// Title of the rounds of planned looks.
pub const TITLE: &str = "Verify while open and while closed";
/// Name of who starts them.
const WHO: &str = "Newtfern";
/// Suppliers switch by their own clocks: a look follows the change by so much.
const AFTER_CHANGE: SignedDuration = SignedDuration::from_mins(5);

/// What is known of a site's other hours at a look.
pub(super) struct OtherHours {
    /// Whether somebody is there at the look.
    pub staffed: Option<bool>,
    look: Option<OtherLook>,
    /// Something was wrong at the other hours, and is not seen now.
    open: bool,
}

impl CheckActs<'_> {
    /// What is known of the hours that a look at this time does not see.
    pub(super) async fn other_hours(self, subject: &Subject, at: Timestamp) -> Result<OtherHours> {
        let staffed = subject.staffed_at(at);
        let look = match staffed {
            None => None,
            Some(staffed) => {
                let checks = self.acts.store.checks();
                let expectation = subject.prints.in_one();
                let site = subject.site.id;
                checks.last_while(site, !staffed, &expectation).await?
            }
        };
        Ok(OtherHours {
            staffed,
            look,
            open: false,
        })
    }
}

impl OtherHours {
    /// Adds what was wrong at the other hours to the results of this look.
    pub fn remark(&mut self, families: &mut [FamilyResult]) {
        self.open = self.look.as_ref().is_some_and(|look| look.remark(families));
    }

    /// Plans the look at the other hours where one is wanted: none was made by what is expected
    /// now, or it found what is not seen now. Where the chain is broken it waits for the chain.
    pub async fn plan(&self, tx: &mut Tx, subject: &Subject, outcome: Outcome) -> Result<()> {
        let wanted = self.staffed.is_some()
            && matches!(outcome, Outcome::Working | Outcome::AsIntended)
            && (self.look.is_none() || self.open);
        let now = tx.now().await?;
        let at = match wanted {
            false => None,
            // An earlier look that is judged again may be of other hours than these.
            true if subject.staffed_at(now) != self.staffed => Some(now),
            true => {
                let change = subject.widget.next_change(&subject.file.time_zone, now);
                change.map(|c| c + AFTER_CHANGE)
            }
        };
        let site = subject.site.id;
        Ok(tx.plan_job(JobKind::Check, TITLE, WHO, site, at).await?)
    }
}
