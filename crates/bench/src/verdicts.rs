//! Verdicts on a quiet machine and on a starved one: the same, or undecided, and never another
//! cause. Busy processes of a higher priority than the browser's take the processors, so that a
//! visit takes several times as long. `NEWTFERN_BENCH_SITES` names how many of the stand-in sites
//! are checked.

use crate::report::say;
use anyhow::{Context, Result, bail};
use futures_util::{StreamExt, TryStreamExt, stream};
use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_probe::browser::Pool;
use newtfern_probe::check;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standins::Standins;
use newtfern_standins::estate::{SITES, Site};
use newtfern_verdict::chain::{Case, Outcome, diagnose};
use newtfern_verdict::visits::CheckOrder;
use std::process::{Child, Command, Stdio};
use std::time::Instant;
use url::Url;

/// Variable with the number of sites.
const SOME: &str = "NEWTFERN_BENCH_SITES";

/// Sites that are checked at once, as a worker does.
const AT_ONCE: usize = 2;

/// Busy processes, stopped when this is dropped.
struct Busy(Vec<Child>);

impl Busy {
    /// Two for each processor, before the browser in the kernel's queue where that is allowed.
    fn start() -> Result<Busy> {
        let processors = std::thread::available_parallelism()?.get();
        let one = || {
            Command::new("nice")
                .args(["-n", "-10", "sh", "-c", "while :; do :; done"])
                .stderr(Stdio::null())
                .spawn()
        };
        let busy: Result<Vec<Child>, _> = (0..processors * 2).map(|_| one()).collect();
        Ok(Busy(busy?))
    }
}

impl Drop for Busy {
    fn drop(&mut self) {
        for child in &mut self.0 {
            // It may have ended by itself; either way it is waited for.
            let _ = child.kill();
            let _ = child.wait();
        }
    }
}

/// A verdict and how long it took, s.
struct Told {
    outcome: Outcome,
    words: String,
    took_s: f64,
}

async fn told(pool: &Pool, http: &Http, site: &Site, port: u16) -> Result<Told> {
    let supplier = Supplier::from_toml(&site.maker.profile(port))?;
    let supplier = supplier.at_host(&site.supplier_host(port));
    let manager = match site.manager() {
        Some("thornlatch") => Some(newtfern_standins::second_consent_profile()),
        Some(_) => Some(newtfern_standins::consent_profile()),
        None => None,
    };
    let manager = manager.map(ConsentManager::from_toml).transpose()?;
    let url = Url::parse(&site.address(port))?;
    let order = CheckOrder {
        consent: manager.as_ref(),
        ..CheckOrder::of(&url, &supplier, "bench")
    };
    let began = Instant::now();
    let seen = check::run(pool, http, &order).await?;
    let key = site.key();
    let verdict = diagnose(&Case {
        supplier: &supplier,
        rivals: &[],
        key: Some(&key),
        expect: Expect::Present,
        consent: manager.as_ref(),
        visits: &seen.visits,
        asides: &seen.asides,
        siblings: &[],
    })
    .verdict;
    let root = verdict.root().map_or(String::new(), |r| format!(": {r}"));
    Ok(Told {
        outcome: verdict.outcome(),
        words: format!("{}{root}", verdict.outcome().words()),
        took_s: began.elapsed().as_secs_f64(),
    })
}

/// Checks the stand-in sites twice and prints both verdicts of each.
///
/// # Errors
/// Where no browser can be had, and where a starved check tells another cause.
pub async fn measure(standins: &Standins) -> Result<()> {
    let most = std::env::var(SOME).ok().and_then(|n| n.parse().ok());
    let sites = &SITES[..SITES.len().min(most.unwrap_or(SITES.len()))];
    let guard = Guard::open();
    let (pool, http) = (Pool::new(guard.clone(), None), Http::new(guard, None)?);
    let check = |site| told(&pool, &http, site, standins.port);
    let quiet = stream::iter(sites).map(check).buffered(AT_ONCE);
    let quiet: Vec<Told> = quiet.try_collect().await?;
    let busy = Busy::start()?;
    let (mut same, mut open, mut other) = (0, 0, Vec::new());
    let (mut before_s, mut after_s) = (0.0, 0.0);
    say("site | quiet | starved | verdict");
    let mut starved = stream::iter(sites).map(check).buffered(AT_ONCE);
    for (site, quiet) in sites.iter().zip(&quiet) {
        let starved = starved
            .try_next()
            .await?
            .context("a site was not checked")?;
        (before_s, after_s) = (before_s + quiet.took_s, after_s + starved.took_s);
        let verdict = match () {
            () if starved.words == quiet.words => {
                same += 1;
                "the same"
            }
            () if starved.outcome == Outcome::Unchecked => {
                open += 1;
                "undecided"
            }
            () => {
                other.push(site.host);
                "ANOTHER"
            }
        };
        say(&format!(
            "{} | {} ({:.0} s) | {} ({:.0} s) | {verdict}",
            site.host, quiet.words, quiet.took_s, starved.words, starved.took_s
        ));
    }
    drop((starved, busy));
    pool.close().await;
    say(&format!(
        "verdicts: {same} the same, {open} undecided, {} another cause; a starved check took {:.1} \
        times as long",
        other.len(),
        after_s / before_s.max(1.0)
    ));
    match other.is_empty() {
        true => Ok(()),
        false => bail!("another cause was told of {}", other.join(", ")),
    }
}
