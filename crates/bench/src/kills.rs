//! The proof of the queue: real worker processes are killed at random, 100 times over 2,000 real
//! visits, and nothing is lost, nothing is kept twice. Takes about an hour on two cores, so it runs
//! only when it is named: `./run bench kills`.

use crate::house::{a_moment, count, estate, lost_and_doubled, round, waiting, worker};
use crate::report::say;
use anyhow::{Result, ensure};
use newtfern_model::profile::Supplier;
use newtfern_standins::Standins;
use newtfern_store::Store;
use rand::{Rng, SeedableRng};
use std::time::{Duration, Instant};

const CHECKS: usize = 500;
/// Visits of one check: on a desktop, on a phone, at 200 % zoom, and for a visitor who comes again.
const VISITS: usize = 4;
const KILLS: usize = 100;
const WORKERS: usize = 2;
/// Checks after the last of which no more is killed: the round must not be over before the last
/// kill.
const LAST: usize = 450;
/// s from the check that a kill follows to the kill, at random: it meets any stage of a visit.
const AFTER: std::ops::Range<f64> = 0.2..4.0;

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
    let sites = estate(store, standins, supplier, CHECKS).await?;
    let round = round(store, &sites).await?;
    let folder = tempfile::tempdir()?;
    let seed = std::process::id().into();
    let mut random = rand::rngs::StdRng::seed_from_u64(seed);
    let began = Instant::now();
    let mut workers = Vec::new();
    for _ in 0..WORKERS {
        workers.push(worker(address, folder.path())?);
    }
    // Each kill follows so many checks: by the clock alone a fast machine is done before the last.
    let mut follow: Vec<usize> = (0..KILLS).map(|_| random.random_range(0..LAST)).collect();
    follow.sort_unstable();
    let mut killed = 0;
    let mut kill_at = None;
    loop {
        let left = waiting(store).await?;
        if left == 0 {
            break;
        }
        let done = CHECKS - usize::try_from(left)?;
        if kill_at.is_none() && follow.get(killed).is_some_and(|after| done >= *after) {
            kill_at = Some(Instant::now() + Duration::from_secs_f64(random.random_range(AFTER)));
        }
        if kill_at.is_some_and(|at| Instant::now() >= at) {
            let n = random.random_range(0..WORKERS);
            workers[n].kill()?;
            workers[n] = worker(address, folder.path())?;
            (killed, kill_at) = (killed + 1, None);
        }
        a_moment().await;
    }
    let again = given_up(store).await?;
    if !again.is_empty() {
        crate::house::round(store, &again).await?;
        while waiting(store).await? > 0 {
            a_moment().await;
        }
    }
    drop(workers);
    judge(store, round, killed, again.len(), began.elapsed(), seed).await
}

/// Sites whose job was killed so often that it was given up: told as that, and started again as a
/// person would.
async fn given_up(store: &Store) -> Result<Vec<i64>> {
    let sql = "select site_id from jobs where state = 'failed' and outcome like 'given up: \
        its worker died%'";
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
        "select count(*) from jobs where state <> 'done' and outcome not like 'given up: \
        its worker died%'",
    )
    .await?;
    let (without, doubled) = lost_and_doubled(store).await?;
    let visits = count(store, "select count(*) from observations").await?;
    let repeated = count(store, "select count(*) from jobs where attempts > 1").await?;
    say(&format!(
        "queue, round {round}: {killed} workers killed over {visits} visits in {:.0} s (seed \
        {seed}): {done} jobs done, {repeated} of them begun again after a death, {again} given up \
        after three deaths (told so, and started again), {without} sites without a check, \
        {doubled} with two",
        took.as_secs_f64()
    ));
    ensure!(killed == KILLS, "the round ended after {killed} kills");
    ensure!(other == 0, "{other} jobs ended otherwise");
    ensure!(
        without == 0 && doubled == 0,
        "visits were lost or kept twice"
    );
    ensure!(
        visits == (VISITS * CHECKS) as i64,
        "{visits} visits are kept"
    );
    ensure!(done == CHECKS as i64, "{done} jobs are done");
    Ok(())
}
