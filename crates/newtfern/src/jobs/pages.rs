//! All pages of a site: each by HTTP, a sample of them in a browser.

use super::{Progress, Tools};
use crate::site::{SiteOrder, Step, look};
use anyhow::{Result, bail};
use newtfern_acts::Subject;
use newtfern_heavy::heavy;
use newtfern_standards::observation::ConsentAct;
use newtfern_store::results::queue::Job;
use newtfern_verdict::site_check::{SiteCase, SitePage, judge, rivals, subjects};
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
    let mut profiles = tools.acts.profiles().all().await?;
    profiles.at_hosts(expectation.hosts())?;
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
    let mut looked = look(&tools.for_sites(), &order, |step| {
        let (done, of) = match step {
            Step::Had(n) => (n, PAGES),
            Step::Visit(_, n, of) => (n, of),
        };
        progress.done.store(done, Ordering::Relaxed);
        progress.of.store(of, Ordering::Relaxed);
    })
    .await?;
    if let Some(refused) = looked.refused() {
        bail!("{refused}: an administrator can allow it in the settings (house rules)");
    }
    add_asides(tools, subject, &mut looked.pages).await?;
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
    let sites = tools.acts.sites();
    Ok((sites.finish_pages(job, subject, at, told, &copies, &elsewhere)).await?)
}

/// Adds what a draft and a tag manager's set tell of the address that was given.
async fn add_asides(tools: &Tools, subject: &Subject, pages: &mut [SitePage]) -> Result<()> {
    if let Some(given) = pages.first_mut().and_then(|p| p.visited.first_mut()) {
        let placing = tools.acts.placing();
        let beside = placing.beside(subject, given.visits.all()).await?;
        given.asides.extend(beside);
    }
    Ok(())
}
