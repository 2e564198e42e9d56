//! `newtfern worker`: makes the visits that wait in the database; any number on any machines.

use crate::config::{Place, open};
use crate::http_clients::HttpClients;
use crate::jobs::{self, Progress, Tools};
use crate::machine;
use anyhow::{Result, bail};
use newtfern_acts::Acts;
use newtfern_probe::pace;
use newtfern_store::results::queue::{Job, LEASE_S};
use newtfern_verdict::family::STALE_AFTER_S;
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};
use tokio::sync::watch;
use tokio::task::JoinSet;

/// A cancelled round stops within two beats.
const BEAT: Duration = Duration::from_secs(2);
/// The lease is renewed this often; it outlasts several renewals.
const RENEW: Duration = Duration::from_secs(6);
const _: () = assert!(LEASE_S > 3.0 * 6.0);
/// Notices wake a worker at once; the clock finds jobs of workers that died.
const LOOK_AGAIN: Duration = Duration::from_secs(5);
const CARE: Duration = Duration::from_secs(60);
/// History is pruned every so many cares.
const PRUNE_EVERY: u64 = 60;

#[derive(clap::Args)]
pub struct Args {
    #[command(flatten)]
    place: Place,
    /// Sites checked at once; each makes two visits at a time
    #[arg(long, default_value_t = 1)]
    at_once: usize,
}

pub async fn run(args: Args) -> Result<ExitCode> {
    let acts = open(&args.place).await?;
    let (stop, stopped) = watch::channel(false);
    let worker = tokio::spawn(work(acts, args.at_once, stopped));
    super::asked_to_stop().await;
    tracing::info!("stopping; what is under way is given back");
    let _ = stop.send(true);
    worker.await??;
    Ok(ExitCode::SUCCESS)
}

pub async fn work(acts: Acts, at_once: usize, mut stopped: watch::Receiver<bool>) -> Result<()> {
    let ways = Arc::new(HttpClients::default());
    let care = tokio::spawn(take_care(acts.clone()));
    let mut woken = acts.queue().listen().await?;
    let mut running = JoinSet::new();
    // Somebody looks at the page and waits for it: one such visit goes beside the jobs.
    let mut asked = JoinSet::new();
    while !*stopped.borrow() {
        if asked.is_empty() {
            match acts.queue().has_asked_visit().await {
                Ok(true) => {
                    let acts = acts.clone();
                    asked.spawn(async move { visit_asked(&acts).await });
                }
                Ok(false) => {}
                Err(error) => tracing::warn!("no visit could be looked for: {error}"),
            }
        }
        let free = running.len() < at_once.max(1);
        if free {
            match acts.queue().claim().await {
                Ok(Some(job)) => {
                    let (ways, acts, stopped) = (ways.clone(), acts.clone(), stopped.clone());
                    running.spawn(async move { perform(&ways, &acts, job, stopped).await });
                    continue;
                }
                Ok(None) => {}
                // A database that restarts must not end its workers.
                Err(error) => tracing::warn!("no job could be claimed, trying again: {error}"),
            }
        }
        tokio::select! {
            _ = stopped.changed() => {}
            Some(_) = running.join_next(), if !running.is_empty() => {}
            Some(_) = asked.join_next(), if !asked.is_empty() => {}
            notice = woken.next(), if free || asked.is_empty() => {
                if notice.is_err() {
                    tokio::time::sleep(Duration::from_secs(1)).await;
                    if let Ok(anew) = acts.queue().listen().await {
                        woken = anew;
                    }
                }
            }
            _ = tokio::time::sleep(LOOK_AGAIN) => {}
        }
    }
    while running.join_next().await.is_some() {}
    while asked.join_next().await.is_some() {}
    care.abort();
    ways.close().await;
    Ok(())
}

/// Makes a visit that somebody waits for, beside other visits of this machine.
async fn visit_asked(acts: &Acts) {
    let made = async {
        let _machine = machine::shared(&machine::folder()?).await?;
        acts.profiles().make_asked_visit().await?;
        anyhow::Ok(())
    };
    if let Err(error) = made.await {
        tracing::warn!("a visit that was asked for could not be made: {error:#}");
    }
}

/// End of a job.
#[derive(Debug, PartialEq)]
enum End {
    Done,
    Failed(String),
    /// The database was out of reach: nothing of it says anything of the site.
    Again(String),
    Cancelled,
    Stopped,
}

/// Does one job from claim to end.
async fn perform(ways: &Arc<HttpClients>, acts: &Acts, job: Job, stopped: watch::Receiver<bool>) {
    let progress = Arc::new(Progress::default());
    let work = {
        let (ways, acts) = (ways.clone(), acts.clone());
        let (job, progress) = (job.clone(), progress.clone());
        async move {
            let folder = machine::folder()?;
            let _machine = match job.kind.is_alone() {
                true => machine::alone(&folder).await?,
                false => machine::shared(&folder).await?,
            };
            // The network rule as it is now, not as it was when the worker started.
            let tools = Tools::now(&ways, &acts).await?;
            let most = Duration::from_secs(job.kind.most_s());
            within(most, jobs::run(&tools, &job, &progress)).await
        }
    };
    let end = end_of(work, heartbeat(acts, &job, &progress), stopped).await;
    keep(acts, &job, end).await;
}

/// The time of a job's own work is bounded; waiting for the machine, and what other work keeps from
/// its browser, are not counted.
async fn within(most: Duration, work: impl Future<Output = Result<()>>) -> Result<()> {
    let done = pace::within(most, work).await;
    done.unwrap_or_else(|pace::Late| {
        let most = most.as_secs();
        bail!("not done after {most} s and given up; nothing is known from it. Try again")
    })
}

/// Does the work as a task of its own, so that a mistake of ours in it ends the job and not the
/// worker; ends it when the round is cancelled (which ends `unwanted`) or the worker stops.
async fn end_of(
    work: impl Future<Output = Result<()>> + Send + 'static,
    unwanted: impl Future<Output = ()>,
    mut stopped: watch::Receiver<bool>,
) -> End {
    let task = tokio::spawn(work);
    let abort = task.abort_handle();
    let end = tokio::select! {
        ended = task => match ended {
            Ok(Ok(())) => End::Done,
            Ok(Err(error)) if is_passing(&error) => End::Again(in_words(&error)),
            Ok(Err(error)) => End::Failed(in_words(&error)),
            Err(error) if error.is_panic() => End::Failed(
                "a mistake in our own program ended it; nothing is known from it. Tell your \
                administrator the time of day".into(),
            ),
            Err(_) => End::Cancelled,
        },
        () = unwanted => End::Cancelled,
        _ = stopped.wait_for(|s| *s) => End::Stopped,
    };
    abort.abort();
    end
}

/// Keeps how a job ended.
async fn keep(acts: &Acts, job: &Job, end: End) {
    let queue = acts.queue();
    let stored = match end {
        End::Done => Ok(()),
        End::Failed(why) => {
            tracing::warn!("job {} ({}): {why}", job.id, job.kind.key());
            acts.checks().fail_job(job, &why, false).await
        }
        End::Again(why) => {
            tracing::warn!("job {} waits again: {why}", job.id);
            queue.try_again(job, &why).await.map_err(Into::into)
        }
        End::Cancelled => acts.checks().fail_job(job, "cancelled", true).await,
        End::Stopped => queue.give_back(job).await.map_err(Into::into),
    };
    // Where even that cannot be stored the lease runs out and the job waits again.
    if let Err(error) = stored
        && !acts.reads().is_closed()
    {
        tracing::error!("job {}: {error}", job.id);
    }
}

/// The error and its causes; one that says its cause already is not followed by it again.
fn in_words(error: &anyhow::Error) -> String {
    let mut words = String::new();
    for cause in error.chain().map(ToString::to_string) {
        if words.is_empty() {
            words = cause;
        } else if !words.contains(&cause) {
            words += &format!(": {cause}");
        }
    }
    words
}

fn is_passing(error: &anyhow::Error) -> bool {
    let act = error.downcast_ref::<newtfern_acts::ActError>();
    let store = error.downcast_ref::<newtfern_store::StoreError>();
    act.is_some_and(|e| e.is_passing()) || store.is_some_and(|e| e.is_passing())
}

/// Keeps the lease while the job runs and tells its progress; ends when the job is no longer wanted
/// here.
async fn heartbeat(acts: &Acts, job: &Job, progress: &Progress) {
    let mut last = (0, 0);
    let mut renewed = Instant::now();
    loop {
        tokio::time::sleep(BEAT).await;
        let done = progress.done.load(Ordering::Relaxed) as i32;
        let now = (done, progress.of.load(Ordering::Relaxed) as i32);
        let told = (now != last).then_some(now);
        let due = renewed.elapsed() >= RENEW;
        let wanted = match due || told.is_some() {
            true => acts.queue().renew(job, told).await,
            false => acts.queue().is_wanted(job).await,
        };
        match wanted {
            Ok(true) => {
                last = now;
                if due || told.is_some() {
                    renewed = Instant::now();
                }
            }
            Ok(false) => return,
            Err(error) => tracing::warn!("job {}: the lease could not be renewed: {error}", job.id),
        }
    }
}

/// Does what the clock asks for: results grow old, counts are summed up, old checks go with their
/// pictures.
async fn take_care(acts: Acts) {
    let mut every = tokio::time::interval(CARE);
    for turn in 0u64.. {
        every.tick().await;
        if let Err(error) = care(&acts, turn.is_multiple_of(PRUNE_EVERY)).await
            && !acts.reads().is_closed()
        {
            tracing::warn!("what the clock asks for could not be done: {error:#}");
        }
    }
}

async fn care(acts: &Acts, prune: bool) -> Result<()> {
    let care = acts.care();
    care.age(STALE_AFTER_S).await?;
    care.tidy().await?;
    acts.writes().settle_broken().await?;
    if prune {
        let keep = acts.reads().settings().keep_checks().await?;
        for key in care.prune(keep).await? {
            acts.blobs.remove(&key).await?;
        }
        acts.sites().forget_removals().await?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use anyhow::anyhow;
    use std::future::{pending, ready};

    /// Returns the end of work that nobody cancels, in a worker that is asked to stop or not.
    async fn end(
        work: impl Future<Output = Result<()>> + Send + 'static,
        unwanted: impl Future<Output = ()>,
        stop: bool,
    ) -> End {
        let (_stop, stopped) = watch::channel(stop);
        end_of(work, unwanted, stopped).await
    }

    #[tokio::test]
    async fn each_end_of_a_job_is_told() {
        assert_eq!(end(ready(Ok(())), pending(), false).await, End::Done);
        let mistake = async { panic!("a port of 99999") };
        let End::Failed(why) = end(mistake, pending(), false).await else {
            panic!("a mistake of ours is told as one");
        };
        assert!(why.starts_with("a mistake in our own program"), "{why}");
        let endless = within(Duration::from_millis(5), pending());
        let End::Failed(why) = end(endless, pending(), false).await else {
            panic!("what takes too long is given up");
        };
        assert!(why.contains("given up"), "{why}");
        assert_eq!(end(pending(), ready(()), false).await, End::Cancelled);
        assert_eq!(end(pending(), pending(), true).await, End::Stopped);
    }

    #[test]
    fn a_cause_is_told_once() {
        let error = anyhow!("no space")
            .context("cannot write: no space")
            .context("job 7");
        assert_eq!(in_words(&error), "job 7: cannot write: no space");
    }
}
