//! What workers bring: results stored with what they settle and the end of their job, in one
//! transaction on one lease; and judging again without a new look.

use crate::{ActError, Actor, Acts, Result, Subject, documents, record};
use jiff::Timestamp;
use newtfern_core::assess::Judged;
use newtfern_core::chain::{Aside, Outcome};
use newtfern_core::family::{Assessed, Family, Standing, echo, hand_over, weigh, worst};
use newtfern_core::job::JobKind;
use newtfern_core::observation::Observation;
use newtfern_core::weigh::{WeighError, WeighIn};
use newtfern_store::checks::{Check, NewCheck};
use newtfern_store::queue::Job;
use serde_json::json;

/// What a check saw, with its pictures kept.
pub struct Seen {
    /// When the first visit began.
    pub at: Timestamp,
    pub visits: Vec<Observation>,
    pub asides: Vec<Aside>,
}

fn asides_json(asides: &[Aside]) -> serde_json::Value {
    serde_json::to_value(asides).unwrap_or_default()
}

/// Blob keys that visits refer to.
fn pictures(visits: &[Observation]) -> Vec<String> {
    let keys = visits.iter().flat_map(|v| {
        [&v.picture, &v.launcher_picture, &v.panel_picture]
            .into_iter()
            .flatten()
    });
    keys.cloned().collect()
}

/// The outcome of a job in a few words: how the site stands in what it settled, worst first.
fn in_words(judged: &Judged) -> String {
    let standing = worst(judged.families.iter().map(|a| a.standing));
    let chain = judged.diagnosis.outcome.words();
    match judged.diagnosis.root {
        Some(root) => format!("{}: {root}", Standing::Failing.words()),
        None if standing == Standing::Failing => {
            let failing = judged.families.iter().find(|a| a.standing == standing);
            let code = failing.and_then(|a| a.findings.first()).map(|f| f.code);
            let code = code.map(|c| format!(": {c}")).unwrap_or_default();
            format!("{}{code}", standing.words())
        }
        None => chain.to_string(),
    }
}

impl Acts {
    /// Ends a check: judged, stored, its standings moved.
    ///
    /// # Errors
    /// [`ActError::TakenOver`], or where it cannot be stored; then nothing of it is kept.
    pub async fn finish_check(
        &self,
        job: &Job,
        subject: &Subject,
        mut seen: Seen,
    ) -> Result<Outcome> {
        let before = self.codes_before(job.site_id, seen.at).await?;
        let judged = subject
            .judge(&seen.visits, &seen.asides, seen.at, before.as_ref())
            .await;
        let outcome = judged.diagnosis.outcome;
        let words = in_words(&judged);
        let mut blobs = pictures(&seen.visits);
        blobs.extend(documents::apart(&self.blobs, &mut seen.visits, &mut seen.asides).await?);
        let check = NewCheck {
            job: Some(job.id),
            expectation: subject.expectation().print(),
            outcome: words.clone(),
            root: judged.diagnosis.root,
            blobs,
            visits: seen.visits,
            asides: asides_json(&seen.asides),
            ..NewCheck::of(job.site_id, JobKind::Check.key(), seen.at, judged.families)
        };
        self.end(job, &words, vec![check]).await?;
        Ok(outcome)
    }

    /// Codes of the look before a time.
    async fn codes_before(
        &self,
        site: i64,
        at: Timestamp,
    ) -> Result<Option<std::collections::BTreeSet<newtfern_core::code::Code>>> {
        let last = self.store.last_check(site, JobKind::Check.key()).await?;
        let Some(last) = last.filter(|c| c.seen_at.to_jiff() < at) else {
            return Ok(None);
        };
        Ok(self.store.codes_of(&[last.id]).await?.remove(&last.id))
    }

    /// Ends a weigh-in.
    ///
    /// # Errors
    /// As [`Acts::finish_check`].
    pub async fn finish_weigh(
        &self,
        job: &Job,
        subject: &Subject,
        at: Timestamp,
        weighed: &std::result::Result<WeighIn, WeighError>,
    ) -> Result<()> {
        let assessed = match weighed {
            Ok(weighed) => weigh::assess(weighed),
            Err(why) => weigh::unweighed(why),
        };
        let summary = assessed.summary.clone();
        let check = one(job, subject, at, assessed, Vec::new());
        self.end(job, &summary, vec![check]).await
    }

    /// Ends a test message.
    ///
    /// # Errors
    /// As [`Acts::finish_check`].
    pub async fn finish_echo(
        &self,
        job: &Job,
        subject: &Subject,
        at: Timestamp,
        seen: &newtfern_core::echo::Seen,
    ) -> Result<()> {
        let assessed = echo::assess(seen, &subject.design);
        let summary = assessed.summary.clone();
        let blobs = seen.picture.iter().cloned().collect();
        let check = one(job, subject, at, assessed, blobs);
        self.end(job, &summary, vec![check]).await
    }

    /// Ends taking pictures for the preview.
    ///
    /// # Errors
    /// As [`Acts::finish_check`].
    pub async fn finish_preview(
        &self,
        job: &Job,
        desktop: Option<&str>,
        phone: Option<&str>,
    ) -> Result<()> {
        let mut tx = self.store.begin().await?;
        tx.set_previews(job.site_id, desktop, phone).await?;
        if !tx.finish_job(job, "pictures taken").await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }

    /// Ends making a handover sheet. The link is made, and shown once, when somebody asks for it.
    ///
    /// # Errors
    /// As [`Acts::finish_check`].
    pub async fn finish_sheet(
        &self,
        job: &Job,
        subject: &Subject,
        html: &str,
        pdf: String,
        proven: bool,
    ) -> Result<()> {
        let now = self.store.now().await?;
        let mut tx = self.store.begin().await?;
        let until = now + jiff::SignedDuration::from_hours(24 * 30);
        tx.add_handover(job.site_id, html, Some(&pdf), "Newtfern", until)
            .await?;
        let detail = hand_over::Detail {
            pdf: Some(pdf.clone()),
            sheet: None,
        };
        let assessed = hand_over::made(proven, detail);
        let check = one(job, subject, now, assessed, vec![pdf]);
        tx.keep_check(&check).await?;
        if !tx.finish_job(job, "sheet made").await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }

    /// Ends a job as failed, with its reason.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn fail_job(&self, job: &Job, why: &str, cancelled: bool) -> Result<()> {
        let mut tx = self.store.begin().await?;
        tx.fail_job(job, why, cancelled).await?;
        Ok(tx.commit().await?)
    }

    /// Stores checks and the end of their job together, or nothing.
    async fn end(&self, job: &Job, words: &str, checks: Vec<NewCheck>) -> Result<()> {
        let mut tx = self.store.begin().await?;
        for check in &checks {
            tx.keep_check(check).await?;
        }
        if !tx.finish_job(job, words).await? {
            // Dropped uncommitted: the other worker's result stands.
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }

    /// Judges a site's last look again, without a new one: after a change of rules, design or policy.
    /// The time of the look stays. Nothing where there is no look whose visits are kept.
    ///
    /// # Errors
    /// Where something the site names is gone.
    pub async fn judge_again(&self, actor: &Actor, site: i64) -> Result<Option<Outcome>> {
        let subject = self.subject(site).await?;
        let Some(last) = self.store.last_check(site, JobKind::Check.key()).await? else {
            return Ok(None);
        };
        let (mut visits, asides) = self.store.evidence_of(&last).await?;
        if visits.is_empty() {
            return Ok(None);
        }
        let mut asides: Vec<Aside> = serde_json::from_value(asides)
            .map_err(|e| newtfern_store::sites::corrupt("copies beside a page", e))?;
        documents::back(&self.blobs, &mut visits, &mut asides).await?;
        let judged = subject
            .judge(&visits, &asides, last.seen_at.to_jiff(), None)
            .await;
        let outcome = judged.diagnosis.outcome;
        let check = again(&last, site, &subject, judged);
        let mut tx = self.store.begin().await?;
        tx.keep_check(&check).await?;
        record(&mut tx, actor, "judged again", &subject.site.url, json!({})).await?;
        tx.commit().await?;
        Ok(Some(outcome))
    }
}

/// The check that judging again makes: of the same look, so that no standing looks fresher than it is.
fn again(last: &Check, site: i64, subject: &Subject, judged: Judged) -> NewCheck {
    // Watching compares looks; the same look again says nothing of change.
    let keeps = |a: &Assessed| a.family != Family::Watch;
    let outcome = in_words(&judged);
    let families = judged.families.into_iter().filter(keeps).collect();
    NewCheck {
        judged_from: Some(last.judged_from.unwrap_or(last.id)),
        expectation: subject.expectation().print(),
        outcome,
        root: judged.diagnosis.root,
        ..NewCheck::of(site, JobKind::Check.key(), last.seen_at.to_jiff(), families)
    }
}

/// A check that settles one family.
pub(crate) fn one(
    job: &Job,
    subject: &Subject,
    at: Timestamp,
    assessed: Assessed,
    blobs: Vec<String>,
) -> NewCheck {
    NewCheck {
        job: Some(job.id),
        expectation: subject.expectation().print(),
        blobs,
        ..NewCheck::of(job.site_id, job.kind.key(), at, vec![assessed])
    }
}
