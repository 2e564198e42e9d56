//! A thousand visits in one worker: its memory and open files every fifty checks, which must not
//! grow, and its browsers, which are replaced. Made only where it is named: `./run bench endure`.

use crate::house::{a_moment, count, estate, round, waiting, worker};
use crate::report::say;
use anyhow::{Result, ensure};
use newtfern_model::profile::Supplier;
use newtfern_standins::Standins;
use newtfern_store::Store;
use std::collections::BTreeSet;
use std::time::Instant;

/// Each is visited on two screens.
const CHECKS: usize = 500;
const EVERY: i64 = 50;

/// The processes that are the first of a browser: they have a profile and no type.
fn browsers(of: u32) -> BTreeSet<u32> {
    let processes = std::fs::read_dir("/proc").into_iter().flatten().flatten();
    let ids = processes.filter_map(|p| p.file_name().to_str()?.parse::<u32>().ok());
    let read = |id: &u32, file: &str| {
        let bytes = std::fs::read(format!("/proc/{id}/{file}")).unwrap_or_default();
        String::from_utf8_lossy(&bytes).into_owned()
    };
    let ours = |id: &u32| {
        let line = read(id, "cmdline");
        let parent = read(id, "stat");
        let parent = parent.rsplit(')').next().unwrap_or_default().to_string();
        let parent = parent
            .split_whitespace()
            .nth(1)
            .and_then(|p| p.parse().ok());
        line.contains("newtfern-visit-") && !line.contains("--type=") && parent == Some(of)
    };
    ids.filter(ours).collect()
}

/// Visits until a thousand are made.
///
/// # Errors
/// Where a check is missing.
pub async fn measure(
    store: &Store,
    address: &str,
    standins: &Standins,
    supplier: &Supplier,
) -> Result<()> {
    let sites = estate(store, standins, supplier, CHECKS).await?;
    round(store, &sites).await?;
    let folder = tempfile::tempdir()?;
    let began = Instant::now();
    let worker = worker(address, folder.path())?;
    let (mut seen, mut next) = (BTreeSet::new(), EVERY);
    say("endure: checks, MB and open files of the worker, browsers so far");
    while waiting(store).await? > 0 {
        seen.extend(browsers(worker.0.id()));
        let done = count(store, "select count(*) from jobs where state = 'done'").await?;
        if done >= next {
            let (mb, files) = worker.size();
            say(&format!(
                "  {done:4} {mb:6.1} MB {files:4} files {:3} browsers",
                seen.len()
            ));
            next += EVERY;
        }
        a_moment().await;
    }
    let visits = count(store, "select count(*) from observations").await?;
    let (mb, files) = worker.size();
    say(&format!(
        "endure: {visits} visits in one worker in {:.0} s; at the end {mb:.1} MB, {files} \
        files, {} browsers",
        began.elapsed().as_secs_f64(),
        seen.len()
    ));
    ensure!(visits == 2 * CHECKS as i64, "{visits} visits are kept");
    Ok(())
}
