//! What workers bring: results stored with what they settle and the end of their job, in one
//! transaction on one lease; and judging again without a new look.

use crate::handles::CheckActs;
use crate::results::documents;
use crate::{ActError, Actor, Result, Subject, record};
use jiff::Timestamp;
use newtfern_model::job::{CheckKind, JobKind};
use newtfern_standards::observation::{Aside, Observation};
use newtfern_store::Tx;
use newtfern_store::access::people::Role;
use newtfern_store::results::checks::{Check, NewCheck};
use newtfern_store::results::queue::Job;
use newtfern_verdict::assess::Assessment;
use newtfern_verdict::chain::Outcome;
use newtfern_verdict::echo::StopReason;
use newtfern_verdict::family::{
    EarlierLook, Family, FamilyResult, Standing, detail, echo, first_worst, hand_over, weigh, worst,
};
use newtfern_verdict::inputs::Prints;
use newtfern_verdict::site_check::SitePage;
use newtfern_verdict::weigh::{WeighError, WeighIn};
use serde_json::json;
use std::collections::BTreeMap;

/// Evidence of a check, with its pictures stored.
pub struct CheckEvidence {
    /// Beginning of the first visit.
    pub at: Timestamp,
    /// The page of the site's address, as [`Subject::page`] makes it.
    pub page: SitePage,
}

impl CheckEvidence {
    /// Visits and the copies beside them.
    fn into_parts(self) -> (Vec<Observation>, Vec<Aside>) {
        let visited = self.page.visited.into_iter().next().unwrap_or_default();
        (visited.visits.into_all(), visited.asides)
    }
}

/// A handover sheet that was printed.
pub struct MadeSheet<'a> {
    /// Sheet as an HTML page.
    pub html: &'a str,
    /// Blob of the printed one.
    pub pdf: String,
    /// Whether the sheet shows that the widget works.
    pub proven: bool,
    /// Standing of the site in each family that the sheet tells of.
    pub stood: BTreeMap<Family, Standing>,
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
fn in_words(judged: &Assessment) -> String {
    let standing = worst(judged.families.iter().map(|a| a.standing));
    let chain = judged.diagnosis.verdict.outcome().words();
    match judged.diagnosis.verdict.root() {
        Some(root) => format!("{}: {root}", Standing::Failing.words()),
        None if standing == Standing::Failing => {
            let failing = judged.families.iter().find(|a| a.standing == standing);
            let code = failing
                .and_then(|a| first_worst(&a.findings))
                .map(|f| f.code);
            let code = code.map(|c| format!(": {c}")).unwrap_or_default();
            format!("{}{code}", standing.words())
        }
        None => chain.to_string(),
    }
}

impl CheckActs<'_> {
    /// Ends a check: judged, stored, its standings moved.
    ///
    /// # Errors
    /// [`ActError::TakenOver`], or where it cannot be stored; then nothing of it is kept.
    pub async fn finish_check(
        self,
        job: &Job,
        subject: &Subject,
        seen: CheckEvidence,
    ) -> Result<Outcome> {
        let at = seen.at;
        let earlier = self.earlier_look(subject, at).await?;
        let mut judged = subject.judge(&seen.page, at, earlier.as_ref()).await;
        let mut other = self.other_hours(subject, at).await?;
        other.remark(&mut judged.families);
        let outcome = judged.diagnosis.verdict.outcome();
        let words = in_words(&judged);
        let (mut visits, mut asides) = seen.into_parts();
        let mut blobs = pictures(&visits);
        blobs.extend(documents::apart(&self.acts.blobs, &mut visits, &mut asides).await?);
        let check = NewCheck {
            job: Some(job.id),
            expectation: subject.prints.in_one(),
            outcome: words.clone(),
            root: judged.diagnosis.verdict.root(),
            staffed: other.staffed,
            blobs,
            visits,
            asides: asides_json(&asides),
            ..NewCheck::of(
                job.site_id,
                CheckKind::Job(JobKind::Check),
                at,
                judged.families,
            )
        };
        let mut tx = self.acts.store.begin().await?;
        self.keep_and_finish(&mut tx, job, &words, (check, &subject.prints))
            .await?;
        other.plan(&mut tx, subject, outcome).await?;
        tx.commit().await?;
        Ok(outcome)
    }

    /// The look before a time that a new one is compared with.
    async fn earlier_look(self, subject: &Subject, at: Timestamp) -> Result<Option<EarlierLook>> {
        let expectation = subject.prints.in_one();
        let checks = self.acts.store.checks();
        let (site, kind) = (subject.site.id, JobKind::Check.key());
        let Some(check) = checks.to_compare(site, kind, at, &expectation).await? else {
            return Ok(None);
        };
        let codes = checks.codes_of(&[check.id]).await?.remove(&check.id);
        Ok(Some(EarlierLook {
            at: check.seen_at.to_jiff(),
            codes: codes.unwrap_or_default(),
            same_expectation: check.expectation == expectation,
        }))
    }

    /// Stores the result of a weigh-in and ends its job.
    ///
    /// # Errors
    /// As [`CheckActs::finish_check`].
    pub async fn finish_weigh(
        self,
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
        self.end(job, &summary, (check, &subject.prints)).await
    }

    /// Ends a test message.
    ///
    /// # Errors
    /// As [`CheckActs::finish_check`].
    pub async fn finish_echo(
        self,
        job: &Job,
        subject: &Subject,
        at: Timestamp,
        seen: &newtfern_verdict::echo::EchoResult,
    ) -> Result<()> {
        let assessed = echo::assess(seen, &subject.design);
        let summary = assessed.summary.clone();
        let blobs = seen.picture.iter().cloned().collect();
        let mut check = one(job, subject, at, assessed, blobs);
        // Nothing was tried: what a person saw meanwhile stays.
        if seen.stopped_by == Some(StopReason::NoSteps) && self.was_tested(job.site_id).await? {
            check.families.clear();
        }
        self.end(job, &summary, (check, &subject.prints)).await
    }

    /// Returns whether a test message was tried on a site.
    async fn was_tested(self, site: i64) -> Result<bool> {
        let rows = self.acts.store.sites().standings_of(&[site]).await?;
        let mut rows = rows.get(&site).into_iter().flatten();
        Ok(rows.any(|r| r.family == Family::Echo && r.state != Standing::NotYet))
    }

    /// Keeps pictures of a site's page without its widget.
    pub async fn keep_pictures(
        self,
        site: i64,
        desktop: Option<&str>,
        phone: Option<&str>,
    ) -> Result<()> {
        let mut tx = self.acts.store.begin().await?;
        tx.set_previews(site, desktop, phone).await?;
        Ok(tx.commit().await?)
    }

    /// Ends taking pictures for the preview.
    ///
    /// # Errors
    /// As [`CheckActs::finish_check`].
    pub async fn finish_preview(
        self,
        job: &Job,
        desktop: Option<&str>,
        phone: Option<&str>,
    ) -> Result<()> {
        let mut tx = self.acts.store.begin().await?;
        tx.set_previews(job.site_id, desktop, phone).await?;
        if !tx.finish_job(job, "screenshots taken").await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }

    /// Ends making a handover sheet. The link is made, and shown once, when somebody asks for it.
    ///
    /// # Errors
    /// As [`CheckActs::finish_check`].
    pub async fn finish_sheet(
        self,
        job: &Job,
        subject: &Subject,
        sheet: MadeSheet<'_>,
    ) -> Result<()> {
        let MadeSheet { html, pdf, .. } = &sheet;
        let now = self.acts.store.now().await?;
        let mut tx = self.acts.store.begin().await?;
        let until = now + jiff::SignedDuration::from_hours(24 * 30);
        tx.add_handover(job.site_id, html, Some(pdf), "Newtfern", until)
            .await?;
        let detail = detail::hand_over::Detail {
            pdf: Some(pdf.clone()),
            sheet: None,
        };
        let assessed = hand_over::made(sheet.proven, detail);
        let check = one(job, subject, now, assessed, vec![pdf.clone()]);
        let inputs = subject.prints.clone().with_results(&sheet.stood);
        self.keep(&mut tx, &check, inputs).await?;
        if !tx.finish_job(job, "sheet made").await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }

    /// Ends a job as failed, with its reason.
    pub async fn fail_job(self, job: &Job, why: &str, cancelled: bool) -> Result<()> {
        let mut tx = self.acts.store.begin().await?;
        tx.fail_job(job, why, cancelled).await?;
        Ok(tx.commit().await?)
    }

    /// Stores a check and the end of its job together, or nothing.
    async fn end(self, job: &Job, words: &str, (check, inputs): (NewCheck, &Prints)) -> Result<()> {
        let mut tx = self.acts.store.begin().await?;
        self.keep_and_finish(&mut tx, job, words, (check, inputs))
            .await?;
        Ok(tx.commit().await?)
    }

    async fn keep_and_finish(
        self,
        tx: &mut Tx,
        job: &Job,
        words: &str,
        (check, inputs): (NewCheck, &Prints),
    ) -> Result<()> {
        self.keep(tx, &check, inputs.clone()).await?;
        // Dropped uncommitted: the other worker's result stands.
        match tx.finish_job(job, words).await? {
            true => Ok(()),
            false => Err(ActError::TakenOver),
        }
    }

    /// Judges a site's last look again, without a new one: after a change of rules, design or
    /// policy. The time of the look stays. Nothing where there is no look whose visits are kept.
    ///
    /// # Errors
    /// Where something the site names is gone.
    pub async fn judge_again(self, actor: &Actor, site: i64) -> Result<Option<Outcome>> {
        actor.may(Role::Technician)?;
        let subject = self.acts.sites().subject(site).await?;
        let Some(last) = self
            .acts
            .store
            .checks()
            .last_check(site, JobKind::Check.key())
            .await?
        else {
            return Ok(None);
        };
        let (mut visits, asides) = self.acts.store.checks().evidence_of(&last).await?;
        if visits.is_empty() {
            return Ok(None);
        }
        let mut asides: Vec<Aside> = serde_json::from_value(asides)
            .map_err(|e| newtfern_store::error::corrupt("copies beside a page", e))?;
        documents::back(&self.acts.blobs, &mut visits, &mut asides).await?;
        let seen_at = last.seen_at.to_jiff();
        let page = subject.page(visits, asides);
        let mut judged = subject.judge(&page, seen_at, None).await;
        let mut other = self.other_hours(&subject, seen_at).await?;
        other.remark(&mut judged.families);
        let outcome = judged.diagnosis.verdict.outcome();
        let check = NewCheck {
            staffed: other.staffed,
            ..again(&last, site, &subject, judged)
        };
        let inputs = subject.prints.judged_again(&last.inputs.0);
        let mut tx = self.acts.store.begin().await?;
        self.keep(&mut tx, &check, inputs).await?;
        other.plan(&mut tx, &subject, outcome).await?;
        record(&mut tx, actor, "judged again", &subject.site.url, json!({})).await?;
        tx.commit().await?;
        Ok(Some(outcome))
    }
}

/// The check that judging again makes: of the same look, so that no standing looks fresher than it
/// is.
fn again(last: &Check, site: i64, subject: &Subject, judged: Assessment) -> NewCheck {
    // Watching compares looks; the same look again says nothing of change.
    let keeps = |a: &FamilyResult| a.family != Family::Watch;
    let outcome = in_words(&judged);
    let families = judged.families.into_iter().filter(keeps).collect();
    NewCheck {
        judged_from: Some(last.judged_from.unwrap_or(last.id)),
        expectation: subject.prints.in_one(),
        outcome,
        root: judged.diagnosis.verdict.root(),
        ..NewCheck::of(
            site,
            CheckKind::Job(JobKind::Check),
            last.seen_at.to_jiff(),
            families,
        )
    }
}

/// A check that settles one family.
pub(crate) fn one(
    job: &Job,
    subject: &Subject,
    at: Timestamp,
    assessed: FamilyResult,
    blobs: Vec<String>,
) -> NewCheck {
    NewCheck {
        job: Some(job.id),
        expectation: subject.prints.in_one(),
        blobs,
        ..NewCheck::of(job.site_id, CheckKind::Job(job.kind), at, vec![assessed])
    }
}
