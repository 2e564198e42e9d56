//! `./run bench`: speed and memory, beside something outside where there is something to stand
//! beside. Never a test: figures of a shared machine decide nothing by themselves.

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
mod report;
mod verdicts;
mod visits;
mod weigh;

use anyhow::{Context, Result};
use newtfern_model::profile::Supplier;
use newtfern_standins::Standins;
use newtfern_store::Store;
use newtfern_store::server::scratch;
use report::{peak_mb, say};

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
        intake::measure(&store, &pages::acts(&store, folder.path())?).await?;
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

/// Runs the long benchmarks, which are made only when they are named.
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
    if wanted("verdicts") {
        verdicts::measure(standins).await?;
    }
    if wanted("weigh") {
        weigh::measure().await?;
    }
    if wanted("faults") {
        faults::measure(standins, supplier).await?;
    }
    Ok(())
}
