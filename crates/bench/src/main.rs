//! `./run bench`: speed and memory, beside something outside where there is something to stand beside.
//! Never a test: figures of a shared machine decide nothing by themselves.

mod corpus;
mod endure;
mod faults;
mod filled;
mod hostile;
mod house;
mod intake;
mod kills;
mod load;
mod pages;
mod psql;
mod queue;
mod visits;
mod weigh;

use anyhow::{Context, Result};
use newtfern_core::profile::Supplier;
use newtfern_standins::Standins;
use newtfern_store::{Store, scratch};

/// One line of the table.
fn say(text: &str) {
    use std::io::Write;
    let _ = writeln!(std::io::stdout(), "{text}");
}

/// The value below which this share of the sorted values lies.
fn percentile(sorted: &[f64], share: f64) -> f64 {
    let last = sorted.len().saturating_sub(1);
    let at = (last as f64 * share).round() as usize;
    sorted.get(at).copied().unwrap_or(f64::NAN)
}

/// Parts can be named: `./run bench pages queue`.
#[tokio::main]
async fn main() -> Result<()> {
    let named: Vec<String> = std::env::args().skip(1).collect();
    let wanted = |part: &str| named.is_empty() || named.iter().any(|n| n == part);
    let standins = Standins::start(0, None).await?;
    let supplier = Supplier::from_toml(&newtfern_standins::supplier_profile(standins.port))?;
    if wanted("corpus") {
        corpus::measure(&supplier)?;
    }
    if wanted("hostile") {
        hostile::measure(&supplier)?;
    }
    if wanted("visits") {
        visits::measure(&standins, &supplier).await?;
    }
    if wanted("pages") || wanted("queue") {
        let (store, address) = fresh().await?;
        filled::fill(&store, &filled::one_check(&standins, &supplier).await?).await?;
        if wanted("pages") {
            pages::measure(&store, &address).await?;
        }
        if wanted("queue") {
            queue::measure(&store).await?;
        }
    }
    if wanted("intake") {
        let (store, _) = fresh().await?;
        let folder = tempfile::tempdir()?;
        intake::measure(&pages::acts(&store, folder.path())?).await?;
    }
    long(&named, &standins, &supplier).await?;
    say(&format!("peak memory of this process: {:.0} MB", peak_mb()));
    Ok(())
}

/// A new database with its address.
async fn fresh() -> Result<(Store, String)> {
    let server = std::env::var(scratch::SERVER).context("no database (run ./run bench)")?;
    Ok(scratch::with_address(&server).await?)
}

/// What takes minutes is made only where it is named.
async fn long(named: &[String], standins: &Standins, supplier: &Supplier) -> Result<()> {
    let wanted = |part: &str| named.iter().any(|n| n == part);
    if wanted("load") {
        let (store, address) = fresh().await?;
        filled::fill(&store, &filled::one_check(standins, supplier).await?).await?;
        load::measure(&store, &address).await?;
    }
    if wanted("kills") {
        let (store, address) = fresh().await?;
        kills::measure(&store, &address, standins, supplier).await?;
    }
    if wanted("endure") {
        let (store, address) = fresh().await?;
        endure::measure(&store, &address, standins, supplier).await?;
    }
    if wanted("weigh") {
        weigh::measure().await?;
    }
    if wanted("faults") {
        faults::measure(standins, supplier).await?;
    }
    Ok(())
}

fn peak_mb() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status
        .lines()
        .find(|l| l.starts_with("VmHWM:"))
        .unwrap_or_default();
    line.split_whitespace()
        .nth(1)
        .and_then(|kb| kb.parse::<f64>().ok())
        .unwrap_or(0.0)
        / 1000.0
}
