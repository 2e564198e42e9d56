//! Whoever weighs has the machine for themselves: workers of one machine agree by two file locks. Visits
//! share the first; a weigh-in takes it alone. The second says that somebody wants it alone, so that
//! visits that keep coming cannot keep a weigh-in waiting for ever.

use anyhow::{Context, Result};
use std::fs::{File, TryLockError};
use std::path::Path;
use std::time::Duration;

/// Held while something runs; let go when dropped, also by a process that dies.
pub struct Held {
    _machine: File,
    _wish: Option<File>,
}

fn open(folder: &Path, name: &str) -> Result<File> {
    let owner = rustix::process::getuid().as_raw();
    let path = folder.join(format!("newtfern-{owner}-{name}.lock"));
    File::options()
        .create(true)
        .truncate(false)
        .write(true)
        .open(&path)
        .with_context(|| format!("cannot open the lock {}", path.display()))
}

/// The kernel tells nobody when a lock is free: it is asked for again.
async fn wait(try_it: impl Fn() -> Result<(), TryLockError>) -> Result<()> {
    loop {
        match try_it() {
            Ok(()) => return Ok(()),
            Err(TryLockError::WouldBlock) => tokio::time::sleep(Duration::from_millis(50)).await,
            Err(TryLockError::Error(error)) => return Err(error).context("cannot take a lock"),
        }
    }
}

/// Beside other visits.
pub async fn shared(folder: &Path) -> Result<Held> {
    let (wish, machine) = (open(folder, "wish")?, open(folder, "machine")?);
    wait(|| wish.try_lock_shared()).await?;
    wait(|| machine.try_lock_shared()).await?;
    Ok(Held {
        _machine: machine,
        _wish: None,
    })
}

/// Nothing else of ours on this machine.
pub async fn alone(folder: &Path) -> Result<Held> {
    let (wish, machine) = (open(folder, "wish")?, open(folder, "machine")?);
    wait(|| wish.try_lock()).await?;
    wait(|| machine.try_lock()).await?;
    Ok(Held {
        _machine: machine,
        _wish: Some(wish),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use futures_util::FutureExt;

    /// Ready at the first look, without waiting.
    fn at_once(folder: &Path, want_alone: bool) -> Option<Held> {
        match want_alone {
            true => alone(folder).now_or_never()?.ok(),
            false => shared(folder).now_or_never()?.ok(),
        }
    }

    #[tokio::test]
    async fn visits_share_and_a_weigh_in_is_alone() {
        let folder = tempfile::tempdir().unwrap();
        let folder = folder.path();
        let (one, two) = (
            at_once(folder, false).unwrap(),
            at_once(folder, false).unwrap(),
        );
        assert!(at_once(folder, true).is_none(), "visits are under way");
        drop((one, two));
        let weighing = at_once(folder, true).unwrap();
        assert!(at_once(folder, false).is_none() && at_once(folder, true).is_none());
        drop(weighing);
        assert!(at_once(folder, false).is_some());
    }

    #[tokio::test]
    async fn a_weigh_in_that_waits_goes_before_new_visits() {
        let folder = tempfile::tempdir().unwrap();
        let folder = folder.path();
        let visit = at_once(folder, false).unwrap();
        let mut waiting = Box::pin(alone(folder));
        assert!(futures_util::poll!(&mut waiting).is_pending());
        assert!(
            at_once(folder, false).is_none(),
            "a new visit must not overtake"
        );
        drop(visit);
        assert!(waiting.await.is_ok());
    }
}
