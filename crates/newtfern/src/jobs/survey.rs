//! A survey: the site's pages by HTTP, read with all profiles of the house.

use super::{Progress, Tools};
use anyhow::{Result, bail};
use newtfern_model::survey::read;
use newtfern_probe::crawl::{CrawlOrder, crawl};
use newtfern_standards::observation::FailureKind;
use newtfern_store::results::queue::Job;
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};

/// Pages that are looked at of one site: enough to see each kind and template of a small business's
/// site.
const PAGES: usize = 40;
/// Time for all of it; less than the job may take.
const LIMIT: Duration = Duration::from_secs(150);

/// Looks through a site and keeps what was seen.
pub async fn make(tools: &Tools, job: &Job, progress: &Arc<Progress>) -> Result<()> {
    let at = tools.acts.reads().now().await?;
    let (site, _) = tools.acts.sites().site_and_client(job.site_id).await?;
    let url = site.address()?;
    let order = CrawlOrder {
        site: &url,
        given: &[],
        most: PAGES,
        until: Instant::now() + LIMIT,
    };
    progress.of.store(PAGES, Ordering::Relaxed);
    let crawled = crawl(&tools.crawler, &order, |n| {
        progress.done.store(n, Ordering::Relaxed)
    })
    .await;
    if let Some(first) = crawled.pages.first().filter(|p| !p.is_had()) {
        let why = first.why_not();
        let guarded = first
            .page
            .failure
            .as_ref()
            .is_some_and(|f| f.kind == FailureKind::Guard);
        match guarded {
            true => bail!("{why}: an administrator can allow it in the settings (house rules)"),
            false => bail!("the site could not be loaded: {why}"),
        }
    }
    let profiles = tools.acts.profiles().all().await?;
    let survey = newtfern_heavy::heavy(|| read(&crawled.gathered(&url), &profiles)).await;
    tools.acts.sites().finish_survey(job, at, &survey).await?;
    Ok(())
}
