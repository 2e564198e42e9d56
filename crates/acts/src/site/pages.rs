//! The pages of a site: the look at all of them kept, and page rules shown while they are typed.

use crate::handles::SiteActs;
use crate::results::checks::one;
use crate::site::rules_beside::ExternalRules;
use crate::{ActError, Result, Subject};
use jiff::Timestamp;
use newtfern_heavy::{heavy, within};
use newtfern_model::pages::beside::contradictions;
use newtfern_model::pages::{PageCopy, PageKind, PageRules, RuleEffects, effect};
use newtfern_model::site::MOST_RULES;
use newtfern_model::survey::pages_seen;
use newtfern_standards::typed;
use newtfern_store::results::checks::NewCheck;
use newtfern_store::results::queue::Job;
use newtfern_verdict::family::pages;
use newtfern_verdict::site_check::SiteDiagnosis;
use std::time::Duration;
use url::Url;

/// Pages of the inventory that rules are shown against.
const MOST_SHOWN: i64 = 5_000;
/// Rules are compared with them for no longer.
const COMPARING: Duration = Duration::from_secs(5);

impl SiteActs<'_> {
    /// Ends a look at all pages of a site: judged, stored, its inventory brought up to date.
    ///
    /// # Errors
    /// [`ActError::TakenOver`], or where it cannot be stored; then nothing of it is kept.
    pub async fn finish_pages(
        self,
        job: &Job,
        subject: &Subject,
        at: Timestamp,
        mut told: SiteDiagnosis,
        copies: &[PageCopy],
        beside: &ExternalRules,
    ) -> Result<()> {
        let inventory = heavy(|| pages_seen(copies.iter())).await;
        let known: Vec<(Url, PageKind)> =
            told.pages.iter().map(|p| (p.url.clone(), p.kind)).collect();
        let elsewhere = contradictions(&subject.rules, &beside.rules, &known);
        for gap in &beside.not_looked_at {
            told.diagnosis.verdict.leave_open(gap.clone());
        }
        let assessed = pages::assess(&told, &subject.rules, elsewhere);
        let outcome = assessed.summary.clone();
        let check = NewCheck {
            outcome: outcome.clone(),
            root: told.diagnosis.verdict.root(),
            ..one(job, subject, at, assessed, Vec::new())
        };
        let mut tx = self.acts.store.begin().await?;
        tx.keep_pages(job.site_id, at, &inventory).await?;
        self.acts
            .checks()
            .keep(&mut tx, &check, subject.prints.clone())
            .await?;
        if !tx.finish_job(job, &outcome).await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }

    /// Returns the pages of the inventory that each pattern takes, while rules are typed.
    ///
    /// # Errors
    /// [`ActError::Bad`] where a pattern is none.
    pub async fn show_rules(self, site: i64, on: &str, not_on: &str) -> Result<RuleEffects> {
        let list = |text: &str| {
            let text = typed::text(text, MOST_RULES).map_err(|e| format!("The text {e}."))?;
            PageRules::typed(text).map_err(|e| e.to_string())
        };
        let rules = PageRules::of(
            list(on).map_err(ActError::Bad)?,
            list(not_on).map_err(ActError::Bad)?,
        );
        let rows = self
            .acts
            .store
            .sites()
            .inventory(site, MOST_SHOWN + 1)
            .await?;
        let more = rows.len() as i64 > MOST_SHOWN;
        let pages: Vec<(Url, PageKind)> = rows.into_iter().take(MOST_SHOWN as usize).collect();
        let shown = within(COMPARING, move |stop| {
            effect(&rules, &pages, &|| stop.may_go_on())
        });
        let shown = shown.await.ok().flatten().ok_or_else(|| {
            let why = "Comparing these patterns with all pages takes too long. Replace many \
                patterns by one with * or **.";
            ActError::Bad(why.into())
        })?;
        Ok(RuleEffects { more, ..shown })
    }
}
