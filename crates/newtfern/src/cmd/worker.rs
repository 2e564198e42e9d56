//! `newtfern worker`: makes the visits that wait in the database; any number on any machines.

use crate::house::{House, Place, open};
use crate::jobs::{self, Progress, Tools};
use anyhow::Result;
use newtfern_probe::browser::Pool;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_store::queue::{Job, LEASE_S};

const BEAT_S: f64 = 3.0;
// The lease outlasts several renewals.
const _: () = assert!(LEASE_S > 3.0 * 5.0 * BEAT_S);
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::Duration;
use tokio::sync::watch;

#[derive(clap::Args)]
pub struct Args {
    #[command(flatten)]
    place: Place,
    /// Sites checked at once; each makes two visits at a time
    #[arg(long, default_value_t = 1)]
    at_once: usize,
}

pub async fn run(args: Args) -> Result<ExitCode> {
    let house = open(&args.place).await?;
    let (stop, stopped) = watch::channel(false);
    let worker = tokio::spawn(work(house, args.at_once, stopped));
    super::asked_to_stop().await;
    tracing::info!("stopping after the visits under way");
    let _ = stop.send(true);
    worker.await??;
    Ok(ExitCode::SUCCESS)
}

/// Weigh-ins want the machine for themselves: the worker does nothing else meanwhile.
const SHARED: &[&str] = &["check", "echo", "preview", "sheet"];
const ALONE: &[&str] = &["weigh"];

pub async fn work(house: House, at_once: usize, mut stopped: watch::Receiver<bool>) -> Result<()> {
    let guard = Guard {
        allow_private: house.store.allow_private().await?,
    };
    let tools = Arc::new(Tools {
        http: Http::new(guard, None)?,
        pool: Arc::new(Pool::new(guard, None)),
        house,
    });
    let mut woken = newtfern_store::listen_for_jobs(&tools.house.store.pool).await?;
    let mut running = tokio::task::JoinSet::new();
    while !*stopped.borrow() {
        let free = running.len() < at_once.max(1);
        match if free {
            begin(&tools, &mut running).await
        } else {
            Ok(false)
        } {
            Ok(true) => continue,
            Ok(false) => {}
            // A database that restarts must not end its workers.
            Err(error) => tracing::warn!("no job could be claimed, trying again: {error}"),
        }
        tokio::select! {
            _ = stopped.changed() => {}
            Some(_) = running.join_next(), if !running.is_empty() => {}
            // A notice wakes at once; the clock finds jobs of workers that died.
            notice = woken.next(), if free => {
                if notice.is_err() {
                    tokio::time::sleep(Duration::from_secs(1)).await;
                    if let Ok(anew) = newtfern_store::listen_for_jobs(&tools.house.store.pool).await {
                        woken = anew;
                    }
                }
            }
            _ = tokio::time::sleep(Duration::from_secs(5)) => {}
        }
    }
    while running.join_next().await.is_some() {}
    tools.pool.close().await;
    Ok(())
}

/// Takes the next job; false where none waits.
async fn begin(
    tools: &Arc<Tools>,
    running: &mut tokio::task::JoinSet<()>,
) -> newtfern_store::Result<bool> {
    if let Some(job) = tools.house.store.claim(SHARED).await? {
        let tools = tools.clone();
        running.spawn(async move { perform(&tools, job).await });
        return Ok(true);
    }
    if running.is_empty()
        && let Some(job) = tools.house.store.claim(ALONE).await?
    {
        perform(tools, job).await;
        return Ok(true);
    }
    Ok(false)
}

async fn perform(tools: &Arc<Tools>, job: Job) {
    let progress = Arc::new(Progress::default());
    let heart = tokio::spawn(heartbeat(tools.clone(), job.clone(), progress.clone()));
    let outcome = jobs::run(tools, &job, &progress).await;
    heart.abort();
    let cancelled = progress.cancelled.load(Ordering::Relaxed);
    let stored = match outcome {
        Ok(done) => tools.house.store.finish(&job, &done).await.map(|held| {
            if !held {
                tracing::warn!(
                    "job {} was taken over by another worker; its result here is dropped",
                    job.id
                );
            }
        }),
        Err(error) => {
            tracing::warn!("job {} ({}): {error:#}", job.id, job.kind);
            tools
                .house
                .store
                .fail(&job, &format!("{error:#}"), cancelled)
                .await
        }
    };
    // While the program stops, what was under way is left to the next start.
    if let Err(error) = stored
        && !tools.house.store.pool.is_closed()
    {
        tracing::error!("job {}: {error}", job.id);
    }
}

/// Keeps the lease while the job runs, and hears of a cancelled round.
async fn heartbeat(tools: Arc<Tools>, job: Job, progress: Arc<Progress>) {
    let mut last = (0, 0);
    let mut beats = 0u32;
    loop {
        tokio::time::sleep(Duration::from_secs_f64(BEAT_S)).await;
        beats += 1;
        let now = (
            progress.done.load(Ordering::Relaxed) as i32,
            progress.of.load(Ordering::Relaxed) as i32,
        );
        // Progress is told at once, the lease is renewed every fifth beat.
        if now == last && !beats.is_multiple_of(5) {
            continue;
        }
        let told = (now != last).then_some(now);
        last = now;
        match tools.house.store.renew(&job, told).await {
            Ok(true) => {}
            Ok(false) => progress.cancelled.store(true, Ordering::Relaxed),
            Err(error) => tracing::warn!("job {}: the lease could not be renewed: {error}", job.id),
        }
    }
}
