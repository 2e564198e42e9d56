//! Whole checks of both screens, with pictures and the panel worked, beside a bare Playwright
//! script that opens the same pages on the same screens, waits for the same sign of life and takes
//! a picture. Both at the same numbers of sites side by side.

use crate::report::say;
use anyhow::{Context, Result};
use newtfern_model::profile::Supplier;
use newtfern_probe::browser::Pool;
use newtfern_probe::check;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standins::Standins;
use newtfern_standins::estate::SITES;
use newtfern_verdict::visits::CheckOrder;
use std::path::Path;
use std::time::Instant;
use url::Url;

/// Sites side by side.
const AT_ONCE: [usize; 4] = [1, 2, 4, 8];
const BARE: &str = "e2e/bare.js";

/// Visits a minute of both, at each number.
///
/// # Errors
/// Where no browser can be had.
pub async fn measure(standins: &Standins, supplier: &Supplier) -> Result<()> {
    // Pages in order without a banner: the widget comes up on each, so that neither side waits in
    // vain.
    let healthy: Vec<Url> = SITES
        .iter()
        .filter(|s| s.fault.is_none() && !s.banner)
        .map(|s| Url::parse(&s.address(standins.port)))
        .collect::<Result<_, _>>()?;
    let urls: Vec<Url> = healthy.iter().cycle().take(24).cloned().collect();
    let (mut best, mut best_bare) = (0.0_f64, 0.0_f64);
    for at_once in AT_ONCE {
        let ours = checks(&urls, supplier, at_once).await?;
        let bare = bare(&urls, at_once)?;
        (best, best_bare) = (best.max(ours), best_bare.max(bare));
        say(&format!(
            "visits, {at_once} sites at once, both screens, pictures: {ours:.0} a minute with the \
            panel worked; bare Playwright script {bare:.0} (wall time of a check {:.2} \
            times the script's)",
            bare / ours
        ));
    }
    say(&format!(
        "visits, best against best: {best:.0} and {best_bare:.0} a minute, {:.2} times",
        best / best_bare
    ));
    Ok(())
}

async fn checks(urls: &[Url], supplier: &Supplier, at_once: usize) -> Result<f64> {
    let guard = Guard::open();
    let (pool, http) = (Pool::new(guard.clone(), None), Http::new(guard, None)?);
    // Its start belongs to neither side's figure.
    pool.browser().await?;
    let began = Instant::now();
    let mut done = 0;
    let orders = urls.iter().map(|url| CheckOrder {
        pictures: true,
        ..CheckOrder::of(url, supplier, "bench")
    });
    let orders: Vec<CheckOrder> = orders.collect();
    let checks = orders.iter().map(|o| check::run(&pool, &http, o));
    let mut checks =
        futures_util::StreamExt::buffer_unordered(futures_util::stream::iter(checks), at_once);
    while let Some(evidence) = futures_util::StreamExt::next(&mut checks).await {
        done += evidence?.visits.len();
    }
    let minutes = began.elapsed().as_secs_f64() / 60.0;
    pool.close().await;
    Ok(done as f64 / minutes)
}

fn bare(urls: &[Url], at_once: usize) -> Result<f64> {
    if !Path::new(BARE).exists() {
        return Ok(f64::NAN);
    }
    let output = std::process::Command::new("node")
        .args([BARE, &at_once.to_string()])
        .args(urls.iter().map(Url::as_str))
        .output()
        .context("node runs")?;
    let text = String::from_utf8_lossy(&output.stdout);
    text.trim()
        .parse()
        .with_context(|| format!("{BARE}: {}", String::from_utf8_lossy(&output.stderr)))
}
