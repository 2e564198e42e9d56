//! What happens around a worker while a round is under way: the database stopped and started, its
//! connections cut, no room left for it or for blobs, the blobs' folder read-only, the clock set
//! back, the browser killed. After each, every site has just one check of the round, or its job is
//! told as failed with the cause, and what failed can be made again. Made only where it is named:
//! `./run bench faults`; as root, for it mounts small file systems.

use crate::house::{Process, a_moment, count, estate, lost_and_doubled, round, waiting, worker};
use crate::report::say;
use anyhow::{Context, Result, ensure};
use newtfern_model::profile::Supplier;
use newtfern_standins::Standins;
use newtfern_store::Store;
use newtfern_store::server::local_server::LocalServer;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

const SITES: usize = 12;
/// A round of so few sites is over by then, or something hangs.
const MOST: Duration = Duration::from_secs(400);

struct World {
    store: Store,
    address: String,
    server: LocalServer,
    /// A small file system, where the server keeps its data.
    data: PathBuf,
    sites: Vec<i64>,
}

fn run(program: &str, words: &[&str]) -> Result<()> {
    let output = Command::new(program).args(words).output();
    let output = output.with_context(|| format!("cannot run {program}"))?;
    ensure!(
        output.status.success(),
        "{program} {words:?}: {}",
        String::from_utf8_lossy(&output.stderr)
    );
    Ok(())
}

impl World {
    /// A round with a fault in its midst: `fault` is called once a job has been done.
    async fn round(&mut self, folder: &Path, name: &str, fault: Fault) -> Result<()> {
        sqlx::raw_sql("delete from checks; delete from rounds")
            .execute(&self.store.pool)
            .await?;
        round(&self.store, &self.sites).await?;
        let began = Instant::now();
        let worker = worker(&self.address, folder)?;
        let done = "select count(*) from jobs where state in ('done', 'failed')";
        while count(&self.store, done).await? == 0 {
            ensure!(began.elapsed() < MOST, "{name}: nothing was done");
            a_moment().await;
        }
        self.make(fault, folder, &worker).await?;
        // Asking may fail while the database is away; that is the fault.
        while waiting(&self.store).await.unwrap_or(1) > 0 {
            ensure!(began.elapsed() < MOST, "{name}: the round does not end");
            a_moment().await;
        }
        self.unmake(fault, folder)?;
        let failed = self.failed().await?;
        self.tell(name, &failed, began.elapsed(), folder).await?;
        if !failed.is_empty() {
            let sites: Vec<i64> = failed.iter().map(|(site, _)| *site).collect();
            round(&self.store, &sites).await?;
            while waiting(&self.store).await? > 0 {
                ensure!(
                    began.elapsed() < 2 * MOST,
                    "{name}: the second try does not end"
                );
                a_moment().await;
            }
        }
        drop(worker);
        let (missing, doubled) = lost_and_doubled(&self.store).await?;
        ensure!(
            missing == 0 && doubled == 0,
            "{name}: {missing} sites without a check, {doubled} with two"
        );
        Ok(())
    }

    async fn make(&mut self, fault: Fault, folder: &Path, worker: &Process) -> Result<()> {
        match fault {
            Fault::DatabaseStopped => {
                self.server.restart_after(Duration::from_secs(8))?;
            }
            Fault::ConnectionsCut => {
                for _ in 0..6 {
                    let cut = "select pg_terminate_backend(pid) from pg_stat_activity where pid <> \
                        pg_backend_pid() and datname = current_database()";
                    sqlx::query(cut).execute(&self.store.pool).await?;
                    tokio::time::sleep(Duration::from_secs(2)).await;
                }
            }
            Fault::NoRoomForDatabase => {
                let fill = self.data.join("fill");
                let of = format!("of={}", fill.display());
                let _ = run("dd", &["if=/dev/zero", &of, "bs=64k"]);
                tokio::time::sleep(Duration::from_secs(15)).await;
                std::fs::remove_file(fill)?;
                // Without room for its log it goes down by itself.
                self.server.restart_after(Duration::ZERO)?;
            }
            Fault::NoRoom => {
                let fill = folder.join("blobs/fill");
                // As much as goes in.
                let _ = run(
                    "dd",
                    &["if=/dev/zero", &format!("of={}", fill.display()), "bs=4k"],
                );
            }
            Fault::ReadOnly => {
                let blobs = folder.join("blobs").display().to_string();
                run("mount", &["-o", "remount,ro", &blobs])?;
            }
            Fault::ClockSetBack => {
                // Seen from a clock that was set back, everything that was written down is of
                // later.
                let ahead = "update jobs set lease_until = lease_until + interval '1 hour', \
                    created_at = created_at + interval '1 hour'; \
                    update checks set seen_at = seen_at + interval '1 hour', judged_at = judged_at \
                    + interval '1 hour'; \
                    update standings set at = at + interval '1 hour'";
                sqlx::raw_sql(ahead).execute(&self.store.pool).await?;
            }
            Fault::BrowserKilled => {
                // Through all stages of a visit, again and again.
                for n in 0..14u64 {
                    tokio::time::sleep(Duration::from_millis(300 + n * 211 % 1500)).await;
                    let of = worker.0.id().to_string();
                    let _ = run("pkill", &["-KILL", "-P", &of]);
                }
            }
        }
        Ok(())
    }

    fn unmake(&self, fault: Fault, folder: &Path) -> Result<()> {
        let blobs = folder.join("blobs");
        match fault {
            Fault::NoRoom => Ok(std::fs::remove_file(blobs.join("fill"))?),
            Fault::ReadOnly => run("mount", &["-o", "remount,rw", &blobs.display().to_string()]),
            _ => Ok(()),
        }
    }

    async fn failed(&self) -> Result<Vec<(i64, String)>> {
        let sql = "select site_id, outcome from jobs where state <> 'done'";
        Ok(sqlx::query_as(sql).fetch_all(&self.store.pool).await?)
    }

    async fn tell(
        &self,
        name: &str,
        failed: &[(i64, String)],
        took: Duration,
        folder: &Path,
    ) -> Result<()> {
        let again = count(&self.store, "select count(*) from jobs where attempts > 1").await?;
        say(&format!(
            "fault: {name}: {:.0} s; {} of {SITES} done, {again} begun again, {} failed",
            took.as_secs_f64(),
            SITES - failed.len(),
            failed.len()
        ));
        if let Some((_, why)) = failed.first() {
            say(&format!("    told: {why}"));
        }
        let log = std::fs::read_to_string(folder.join("worker.log")).unwrap_or_default();
        ensure!(
            !log.contains("panicked"),
            "{name}: the worker panicked: {log}"
        );
        std::fs::write(folder.join("worker.log"), "")?;
        Ok(())
    }
}

#[derive(Clone, Copy)]
enum Fault {
    DatabaseStopped,
    ConnectionsCut,
    NoRoomForDatabase,
    NoRoom,
    ReadOnly,
    ClockSetBack,
    BrowserKilled,
}

const FAULTS: &[(&str, Fault)] = &[
    (
        "the database is killed and starts 8 s later",
        Fault::DatabaseStopped,
    ),
    ("all connections are cut, six times", Fault::ConnectionsCut),
    (
        "no room is left for the database for 15 s",
        Fault::NoRoomForDatabase,
    ),
    ("no room is left for blobs", Fault::NoRoom),
    ("the blobs' folder is read-only", Fault::ReadOnly),
    ("the clock is set back an hour", Fault::ClockSetBack),
    ("the browser is killed in each stage", Fault::BrowserKilled),
];

/// Makes each fault in a round of its own.
///
/// # Errors
/// Where a check is missing, is there twice, or a round does not end.
pub async fn measure(standins: &Standins, supplier: &Supplier) -> Result<()> {
    let data = tempfile::tempdir()?;
    let disk = data.path().display().to_string();
    run(
        "mount",
        &["-t", "tmpfs", "-o", "size=400m,mode=755", "newtfern", &disk],
    )?;
    let server = LocalServer::start(&data.path().join("postgresql"))?;
    let address = server.database("newtfern").await?;
    let store = Store::connect(&address).await?;
    store.migrate().await?;
    let sites = estate(&store, standins, supplier, SITES).await?;
    let mut world = World {
        store,
        address,
        server,
        data: data.path().to_path_buf(),
        sites,
    };
    let folder = tempfile::tempdir()?;
    let blobs = folder.path().join("blobs");
    std::fs::create_dir(&blobs)?;
    let place = blobs.display().to_string();
    run(
        "mount",
        &["-t", "tmpfs", "-o", "size=60m", "newtfern", &place],
    )?;
    let mut result = Ok(());
    for (name, fault) in FAULTS {
        result = world.round(folder.path(), name, *fault).await;
        if result.is_err() {
            break;
        }
    }
    drop(world);
    for mounted in [&place, &disk] {
        run("umount", &["-l", mounted])?;
    }
    result
}
