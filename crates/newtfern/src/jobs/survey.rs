//! A survey: the site's pages by HTTP, read with all profiles of the house.

use super::{Progress, Tools};
use anyhow::{Result, bail};
use newtfern_core::observation::FailureKind;
use newtfern_core::survey::read;
use newtfern_probe::crawl::{CrawlOrder, crawl};
use newtfern_store::queue::Job;
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};
use url::Url;

/// Pages that are looked at of one site: enough to see each kind and template of a small business's site.
const PAGES: usize = 40;
/// For all of it; less than the job may take.
const LIMIT: Duration = Duration::from_secs(150);

/// Looks through a site and keeps what was seen.
pub async fn make(tools: &Tools, job: &Job, progress: &Arc<Progress>) -> Result<()> {
    let at = tools.acts.store.now().await?;
    let (site, _) = tools.acts.site_and_client(job.site_id).await?;
    let url = Url::parse(&site.url)?;
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
            false => bail!("the site could not be had: {why}"),
        }
    }
    let profiles = tools.acts.profiles().await?;
    let survey = newtfern_heavy::heavy(|| read(&crawled.gathered(&url), &profiles)).await;
    tools.acts.finish_survey(job, at, &survey).await?;
    Ok(())
}
