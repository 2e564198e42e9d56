//! What is on a site already: kept when a worker has looked, and taken over by ticking.

use crate::handles::SiteActs;
use crate::{ActError, Actor, Result};
use jiff::Timestamp;
use newtfern_model::survey::Survey;
use newtfern_store::access::people::Role;
use newtfern_store::results::queue::Job;

/// Parts of a survey that a person ticked to be applied.
#[derive(Debug, Clone, Default)]
pub struct TakeOver {
    /// Whether to apply the platform.
    pub platform: bool,
    /// Whether to apply the consent manager.
    pub consent: bool,
    /// Whether to apply the languages.
    pub languages: bool,
    /// A widget, by its place in the survey.
    pub widget: Option<usize>,
}

impl SiteActs<'_> {
    /// Stores a survey and ends its job.
    ///
    /// # Errors
    /// Where the job is another worker's by now, or the database refuses.
    pub async fn finish_survey(self, job: &Job, at: Timestamp, survey: &Survey) -> Result<()> {
        let mut tx = self.acts.store.begin().await?;
        tx.keep_survey(job.site_id, at, survey).await?;
        // A snippet that is there need not be placed.
        tx.refresh(&[job.site_id]).await?;
        let outcome = format!("{} pages read", survey.pages.len());
        if !tx.finish_job(job, &outcome).await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }

    /// Takes what the last surveys of many sites recognised over into their fields. Gives how many
    /// changed, and how many have no survey yet.
    pub async fn take_over_many(
        self,
        actor: &Actor,
        sites: &[i64],
        ticked: &TakeOver,
    ) -> Result<(usize, usize)> {
        actor.may(Role::Technician)?;
        let (mut changed, mut without) = (0, 0);
        for site in sites {
            let Some(survey) = self.acts.store.sites().survey(*site).await? else {
                without += 1;
                continue;
            };
            let seen = survey.seen;
            let here = TakeOver {
                platform: ticked.platform && seen.platform.is_some(),
                consent: ticked.consent && seen.consent.is_some(),
                languages: ticked.languages && !seen.languages.is_empty(),
                widget: None,
            };
            match self.take_over(actor, *site, &here).await {
                Ok(()) => changed += 1,
                // Nothing of it is new for this site.
                Err(ActError::Bad(_)) => {}
                Err(other) => return Err(other),
            }
        }
        Ok((changed, without))
    }

    /// Takes what was ticked of the last survey over into the site's fields.
    ///
    /// # Errors
    /// [`ActError::Bad`] where there is no survey, or nothing is ticked.
    pub async fn take_over(self, actor: &Actor, site: i64, ticked: &TakeOver) -> Result<()> {
        actor.may(Role::Technician)?;
        let bad = |why: &str| ActError::Bad(format!("Nothing was applied: {why}."));
        let survey = self.acts.store.sites().survey(site).await?;
        let survey = survey
            .ok_or_else(|| bad("this site has no survey yet"))?
            .seen;
        let before = self
            .acts
            .store
            .sites()
            .site(site)
            .await?
            .ok_or(ActError::NotFound("site"))?;
        let mut fields = before.fields().clone();
        if ticked.platform {
            let platform = survey
                .platform
                .ok_or_else(|| bad("no platform was recognised"))?;
            if fields.platform_id.as_deref() != Some(&platform.id) {
                fields.slot_id.clear();
            }
            fields.platform_id = Some(platform.id);
        }
        if ticked.consent {
            let consent = survey
                .consent
                .ok_or_else(|| bad("no consent manager was recognised"))?;
            fields.consent_id = Some(consent.id);
        }
        if ticked.languages {
            fields.languages = survey.languages.join(", ");
        }
        if let Some(n) = ticked.widget {
            let widget = survey.widgets.get(n).filter(|w| w.supplier.is_some());
            let widget = widget.ok_or_else(|| bad("the supplier of that widget is unknown"))?;
            fields.supplier_id.clone_from(&widget.supplier);
            fields.key = widget.key.clone().unwrap_or_default();
        }
        if fields == *before.fields() {
            return Err(bad("the site already has all selected values"));
        }
        self.change_site(actor, site, &fields, None, None).await
    }
}
