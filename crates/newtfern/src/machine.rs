//! Whoever weighs has the machine for themselves: workers of one machine agree by two file locks.
//! Visits share the first; a weigh-in takes it alone. The second says that somebody wants it alone,
//! so that visits that keep coming cannot keep a weigh-in waiting for ever.

use anyhow::{Context, Result};
use std::fs::{File, TryLockError};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Held while something runs; let go when dropped, also by a process that dies.
pub struct MachineLock {
    _machine: File,
    _wish: Option<File>,
}

/// The folder of the locks: one that no other user of the machine can enter, since whoever can open
/// a lock file can hold it.
///
/// # Errors
/// Where there is no such folder.
pub fn folder() -> Result<PathBuf> {
    let named = |name: &str| std::env::var_os(name).map(PathBuf::from);
    let us = rustix::process::geteuid();
    let places = [
        // What systemd gives a service, and what it gives somebody who is signed in.
        named("RUNTIME_DIRECTORY"),
        named("XDG_RUNTIME_DIR").map(|f| f.join("newtfern")),
        us.is_root().then(|| PathBuf::from("/run/newtfern")),
        named("HOME").map(|f| f.join(".cache/newtfern")),
        Some(std::env::temp_dir().join(format!("newtfern-{}", us.as_raw()))),
    ];
    let places: Vec<PathBuf> = places.into_iter().flatten().collect();
    let ours = places.iter().find(|place| is_private(place));
    ours.cloned().with_context(|| {
        let tried: Vec<String> = places.iter().map(|p| p.display().to_string()).collect();
        format!(
            "no folder for this machine's locks: none of {} is, or can be made, this user's \
            alone (mode 0700)",
            tried.join(", ")
        )
    })
}

/// Ours, and nobody else enters it; it is made where it is missing.
fn is_private(folder: &Path) -> bool {
    use std::os::unix::fs::{DirBuilderExt, MetadataExt};
    let mut builder = std::fs::DirBuilder::new();
    // Where another made it first, that is found out below.
    let _ = builder.recursive(true).mode(0o700).create(folder);
    std::fs::symlink_metadata(folder).is_ok_and(|found| {
        let ours = found.uid() == rustix::process::geteuid().as_raw();
        found.is_dir() && ours && found.mode() & 0o077 == 0
    })
}

fn open(folder: &Path, name: &str) -> Result<File> {
    let path = folder.join(format!("{name}.lock"));
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

/// Takes the machine's lock beside other visits.
pub async fn shared(folder: &Path) -> Result<MachineLock> {
    let (wish, machine) = (open(folder, "wish")?, open(folder, "machine")?);
    wait(|| wish.try_lock_shared()).await?;
    wait(|| machine.try_lock_shared()).await?;
    Ok(MachineLock {
        _machine: machine,
        _wish: None,
    })
}

/// Takes the machine's lock with no other visit of ours beside it.
pub async fn alone(folder: &Path) -> Result<MachineLock> {
    let (wish, machine) = (open(folder, "wish")?, open(folder, "machine")?);
    wait(|| wish.try_lock()).await?;
    wait(|| machine.try_lock()).await?;
    Ok(MachineLock {
        _machine: machine,
        _wish: Some(wish),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use futures_util::FutureExt;

    /// Ready at the first look, without waiting.
    fn at_once(folder: &Path, want_alone: bool) -> Option<MachineLock> {
        match want_alone {
            true => alone(folder).now_or_never()?.ok(),
            false => shared(folder).now_or_never()?.ok(),
        }
    }

    /// Whoever can open a lock file can hold it.
    #[test]
    fn locks_lie_where_nobody_else_enters() {
        use std::os::unix::fs::PermissionsExt;
        let folder = tempfile::tempdir().unwrap();
        let new = folder.path().join("a/b");
        assert!(is_private(&new));
        let mode = std::fs::metadata(&new).unwrap().permissions().mode();
        assert_eq!(mode & 0o777, 0o700);
        // One that others enter, and one that leads elsewhere.
        std::fs::set_permissions(&new, std::fs::Permissions::from_mode(0o755)).unwrap();
        assert!(!is_private(&new));
        let link = folder.path().join("link");
        std::os::unix::fs::symlink(folder.path(), &link).unwrap();
        assert!(!is_private(&link));
        assert!(is_private(&super::folder().unwrap()));
        // Another user's: only root can make one.
        if rustix::process::geteuid().is_root() {
            let theirs = folder.path().join("theirs");
            std::fs::create_dir(&theirs).unwrap();
            std::fs::set_permissions(&theirs, std::fs::Permissions::from_mode(0o700)).unwrap();
            std::os::unix::fs::chown(&theirs, Some(65_534), None).unwrap();
            assert!(!is_private(&theirs));
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
