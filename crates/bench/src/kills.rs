//! The proof of the queue: real worker processes are killed at random, 100 times over 1,000 real visits,
//! and nothing is lost, nothing is kept twice. Takes about half an hour, so it is made only
//! where it is named: `./run bench kills`.

use crate::say;
use anyhow::{Context, Result, ensure};
use newtfern_core::job::JobKind;
use newtfern_core::private_hosts::PrivateHosts;
use newtfern_core::profile::Supplier;
use newtfern_core::site::SiteFields;
use newtfern_standins::Standins;
use newtfern_standins::estate::SITES;
use newtfern_store::Store;
use newtfern_store::queue::Urgency;
use rand::{Rng, SeedableRng};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// Each is visited on two screens.
const CHECKS: usize = 500;
const KILLS: usize = 100;
const WORKERS: usize = 2;
/// s between two kills, at random.
const BETWEEN: std::ops::Range<f64> = 2.0..22.0;

/// Kills workers while a round is under way, until it is over.
///
/// # Errors
/// Where a visit was lost, or kept twice.
pub async fn measure(
    store: &Store,
    address: &str,
    standins: &Standins,
    supplier: &Supplier,
) -> Result<()> {
    let sites = estate(store, standins, supplier).await?;
    let round = start(store, &sites).await?;
    let folder = tempfile::tempdir()?;
    let seed = std::process::id().into();
    let mut random = rand::rngs::StdRng::seed_from_u64(seed);
    let began = Instant::now();
    let mut workers = Vec::new();
    for _ in 0..WORKERS {
        workers.push(worker(address, folder.path())?);
    }
    let mut killed = 0;
    let mut kill_at = began + Duration::from_secs_f64(random.random_range(BETWEEN));
    while waiting(store).await? > 0 {
        if killed < KILLS && Instant::now() >= kill_at {
            let n = random.random_range(0..WORKERS);
            workers[n].kill()?;
            workers[n].wait()?;
            workers[n] = worker(address, folder.path())?;
            killed += 1;
            kill_at = Instant::now() + Duration::from_secs_f64(random.random_range(BETWEEN));
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    let again = given_up(store).await?;
    if !again.is_empty() {
        start(store, &again).await?;
        while waiting(store).await? > 0 {
            tokio::time::sleep(Duration::from_millis(200)).await;
        }
    }
    for mut worker in workers {
        worker.kill()?;
        worker.wait()?;
    }
    judge(store, round, killed, again.len(), began.elapsed(), seed).await
}

/// Sites in order, each address a page of its own.
async fn estate(store: &Store, standins: &Standins, supplier: &Supplier) -> Result<Vec<i64>> {
    let mut tx = store.begin().await?;
    let text = newtfern_standins::supplier_profile(standins.port);
    tx.put_supplier(supplier, &text).await?;
    tx.set_private_hosts(&PrivateHosts::all()).await?;
    let sheet = newtfern_core::brand::BrandSheet::default();
    let client = tx.add_client("Wendle Tide Mill", &sheet).await?;
    let healthy: Vec<_> = SITES
        .iter()
        .filter(|s| s.fault.is_none() && !s.banner)
        .collect();
    let mut sites = Vec::new();
    for (n, site) in healthy.iter().cycle().take(CHECKS).enumerate() {
        let fields = SiteFields {
            name: format!("{} {n}", site.host),
            url: format!("{}?page={n}", site.address(standins.port)),
            supplier_id: Some(supplier.id.clone()),
            key: site.key(),
            ..SiteFields::default()
        };
        sites.push(tx.add_site(client, &fields).await?);
    }
    tx.commit().await?;
    Ok(sites)
}

async fn start(store: &Store, sites: &[i64]) -> Result<i64> {
    let mut tx = store.begin().await?;
    let round = tx
        .start_round(JobKind::Check, "kills", "bench", sites, Urgency::Round)
        .await?;
    tx.commit().await?;
    Ok(round)
}

fn worker(database: &str, folder: &Path) -> Result<Child> {
    let program = std::env::current_exe()?.with_file_name("newtfern");
    Command::new(&program)
        .args(["worker", "--database", database, "--folder"])
        .arg(folder)
        .env("TMPDIR", folder)
        .env("RUST_LOG", "error")
        .stdout(Stdio::null())
        .spawn()
        .with_context(|| format!("cannot start {}", program.display()))
}

async fn count(store: &Store, sql: &'static str) -> Result<i64> {
    Ok(sqlx::query_scalar(sql).fetch_one(&store.pool).await?)
}

async fn waiting(store: &Store) -> Result<i64> {
    let sql = "select count(*) from jobs where state in ('waiting', 'running')";
    count(store, sql).await
}

/// Sites whose job was killed so often that it was given up: told as that, and started again as a
/// person would.
async fn given_up(store: &Store) -> Result<Vec<i64>> {
    let sql = "select site_id from jobs where state = 'failed' and outcome like 'given up: its worker died%'";
    Ok(sqlx::query_scalar(sql).fetch_all(&store.pool).await?)
}

async fn judge(
    store: &Store,
    round: i64,
    killed: usize,
    again: usize,
    took: Duration,
    seed: u64,
) -> Result<()> {
    let done = count(store, "select count(*) from jobs where state = 'done'").await?;
    let other = count(
        store,
        "select count(*) from jobs where state <> 'done' and outcome not like 'given up: its worker died%'",
    )
    .await?;
    let without = count(
        store,
        "select count(*) from sites s where not exists (select 1 from checks c where c.site_id = s.id)",
    )
    .await?;
    let doubled = count(
        store,
        "select count(*) from (select site_id from checks group by site_id having count(*) > 1) d",
    )
    .await?;
    let visits = count(store, "select count(*) from observations").await?;
    let repeated = count(store, "select count(*) from jobs where attempts > 1").await?;
    say(&format!(
        "queue, round {round}: {killed} workers killed over {visits} visits in {:.0} s (seed {seed}): {done} jobs done, {repeated} of them begun again after a death, {again} given up after three deaths (told so, and started again), {without} sites without a check, {doubled} with two",
        took.as_secs_f64()
    ));
    ensure!(killed == KILLS, "the round ended after {killed} kills");
    ensure!(other == 0, "{other} jobs ended otherwise");
    ensure!(
        without == 0 && doubled == 0,
        "visits were lost or kept twice"
    );
    ensure!(visits == 2 * CHECKS as i64, "{visits} visits are kept");
    ensure!(done == CHECKS as i64, "{done} jobs are done");
    Ok(())
}
