//! All pages of a site: each by HTTP, a sample of them in a browser.

use super::{Progress, Tools};
use crate::site::{SiteOrder, Step, look};
use anyhow::{Result, bail};
use newtfern_acts::Subject;
use newtfern_heavy::heavy;
use newtfern_standards::observation::ConsentAct;
use newtfern_store::results::queue::Job;
use newtfern_verdict::site_check::{SiteCase, judge, rivals, subjects};
use newtfern_verdict::visits::guarded;
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::Duration;

/// Pages that are looked at of one site.
const PAGES: usize = 60;
/// Time for all of it; less than the job may take.
const LIMIT: Duration = Duration::from_secs(300);

/// Looks at all pages and keeps what was seen.
pub async fn look_at(
    tools: &Tools,
    job: &Job,
    subject: &Subject,
    progress: &Arc<Progress>,
) -> Result<()> {
    let at = tools.acts.reads().now().await?;
    let expectation = subject.file.clone();
    let profiles = tools.acts.profiles().all().await?;
    let subjects = subjects(&expectation, &profiles)?;
    let stamp = newtfern_store::fresh_token();
    let order = SiteOrder {
        expectation: &expectation,
        url: &subject.url,
        subjects: &subjects,
        known: profiles.suppliers.first(),
        consent: subject.consent.as_ref(),
        manners: false,
        notice: false,
        states: &[ConsentAct::Untouched, ConsentAct::Granted],
        pages: PAGES,
        limit: LIMIT,
        stamp: &stamp,
    };
    let ways = tools.for_sites();
    let count = |done: usize, of: usize| {
        progress.done.store(done, Ordering::Relaxed);
        progress.of.store(of, Ordering::Relaxed);
    };
    let mut looked = look(&ways, &order, |step| match step {
        Step::Had(n) => count(n, PAGES),
        Step::Visit(_, n, of) => count(n, of),
    })
    .await?;
    let given = looked.pages.iter().take(1).flat_map(|p| &p.visited);
    if let Some(refused) = given.into_iter().find_map(|v| guarded(v.visits.all())) {
        bail!("{refused}: an administrator can allow it in the settings (house rules)");
    }
    // What a draft and a tag manager's set tell of the address that was given.
    if let Some(given) = looked.pages.first_mut().and_then(|p| p.visited.first_mut()) {
        let beside = tools
            .acts
            .placing()
            .beside(subject, given.visits.all())
            .await?;
        given.asides.extend(beside);
    }
    let elsewhere = tools.acts.sites().rules_beside(subject).await?;
    let rivals = rivals(&expectation, &profiles);
    let told = heavy(|| {
        judge(&SiteCase {
            expectation: &expectation,
            subjects: &subjects,
            rivals: &rivals,
            consent: subject.consent.as_ref(),
            region: &subject.region,
            sample_words: &profiles.sample_words,
            states: &[],
            at,
            pages: &looked.pages,
            gaps: &looked.gaps,
            closed: &looked.closed,
        })
    })
    .await;
    let copies: Vec<_> = looked.pages.into_iter().map(|p| p.copy).collect();
    tools
        .acts
        .sites()
        .finish_pages(job, subject, at, told, &copies, &elsewhere)
        .await?;
    Ok(())
}
