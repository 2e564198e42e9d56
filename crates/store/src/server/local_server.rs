//! A PostgreSQL server of our own for the demo and the tests: its own data folder, no port of the
//! network, only a socket in a folder that nobody else can enter (it trusts whoever reaches it),
//! never as root, and no system cluster is touched.

use crate::{Result, StoreError};
use std::os::unix::fs::PermissionsExt;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// Reason why a PostgreSQL of our own does not run.
#[derive(Debug, thiserror::Error)]
pub enum ServerError {
    /// Debian's package is not installed.
    #[error("PostgreSQL's server programs were not found: install Debian's package postgresql")]
    NotInstalled,
    /// PostgreSQL does not run as root, and there is no user for it.
    #[error(
        "no user to run PostgreSQL as: it must not run as root, and there is no user named postgres"
    )]
    NoUser,
    /// A program of the server ended with an error.
    #[error("PostgreSQL could not be {act}: {why}")]
    Failed {
        /// Step that failed, as a clause.
        act: &'static str,
        /// Message of the program.
        why: String,
    },
}

/// A running server, which stops when this is dropped.
pub struct LocalServer {
    /// Held as long as we live: a server that runs on a folder without it was left behind.
    _owner: std::fs::File,
    child: Child,
    socket: tempfile::TempDir,
    folder: PathBuf,
}

fn failed(act: &'static str) -> impl Fn(std::io::Error) -> ServerError {
    move |e| ServerError::Failed {
        act,
        why: e.to_string(),
    }
}

/// The newest installed version's programs.
fn programs() -> Option<PathBuf> {
    let mut found: Vec<(u32, PathBuf)> = std::fs::read_dir("/usr/lib/postgresql")
        .ok()?
        .flatten()
        .filter_map(|e| Some((e.file_name().to_str()?.parse().ok()?, e.path().join("bin"))))
        .filter(|(_, p)| p.join("initdb").exists() && p.join("postgres").exists())
        .collect();
    found.sort();
    found.pop().map(|(_, p)| p)
}

/// A client program of PostgreSQL: of the newest installed version, or the one on the path.
pub(crate) fn client_program(name: &str) -> Option<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let on_path = std::env::split_paths(&path).map(|folder| folder.join(name));
    let newest = programs().into_iter().map(|bin| bin.join(name));
    newest.chain(on_path).find(|p| p.is_file())
}

/// Returns who runs it: ourselves, or the user `postgres` when we are root.
fn owner() -> std::result::Result<Option<(u32, u32)>, ServerError> {
    if !rustix::process::geteuid().is_root() {
        return Ok(None);
    }
    let users = std::fs::read_to_string("/etc/passwd").map_err(|_| ServerError::NoUser)?;
    let line = users
        .lines()
        .find(|l| l.starts_with("postgres:"))
        .ok_or(ServerError::NoUser)?;
    let fields: Vec<&str> = line.split(':').collect();
    match (
        fields.get(2).and_then(|u| u.parse().ok()),
        fields.get(3).and_then(|g| g.parse().ok()),
    ) {
        (Some(uid), Some(gid)) => Ok(Some((uid, gid))),
        _ => Err(ServerError::NoUser),
    }
}

fn command(program: &Path, as_user: Option<(u32, u32)>) -> Command {
    let mut command = Command::new(program);
    command
        .stdin(Stdio::null())
        .current_dir("/")
        .env("LC_ALL", "C.UTF-8");
    if let Some((uid, gid)) = as_user {
        command.uid(uid).gid(gid);
    }
    command
}

/// Makes a folder that only the server's user can enter.
fn private(folder: &Path, user: Option<(u32, u32)>) -> std::io::Result<()> {
    std::fs::create_dir_all(folder)?;
    if let Some((uid, gid)) = user {
        std::os::unix::fs::chown(folder, Some(uid), Some(gid))?;
    }
    std::fs::set_permissions(folder, std::fs::Permissions::from_mode(0o700))
}

/// Makes an empty cluster.
fn init(bin: &Path, user: Option<(u32, u32)>, data: &Path) -> std::result::Result<(), ServerError> {
    let output = command(&bin.join("initdb"), user)
        .arg("-D")
        .arg(data)
        .args(["-U", "newtfern", "-A", "trust", "-E", "UTF8"])
        .args(["--locale=C.UTF-8", "--no-sync"])
        .output()
        .map_err(failed("set up"))?;
    if output.status.success() {
        return Ok(());
    }
    Err(ServerError::Failed {
        act: "set up",
        why: String::from_utf8_lossy(&output.stderr).trim().to_string(),
    })
}

/// Takes a folder for ourselves, for as long as the file is open.
fn own(folder: &Path) -> std::result::Result<std::fs::File, ServerError> {
    let lock = std::fs::File::options()
        .create(true)
        .truncate(false)
        .write(true)
        .open(folder.join("owner.lock"))
        .map_err(failed("given its folder"))?;
    match lock.try_lock() {
        Ok(()) => Ok(lock),
        Err(std::fs::TryLockError::WouldBlock) => Err(not_started(format!(
            "another program uses {}: stop it first",
            folder.display()
        ))),
        Err(std::fs::TryLockError::Error(error)) => Err(failed("given its folder")(error)),
    }
}

/// Ends the server that a program of ours left behind on this data when it was killed.
fn stop_left_behind(data: &Path) {
    let running = || {
        let text = std::fs::read_to_string(data.join("postmaster.pid")).ok()?;
        let id: i32 = text.lines().next()?.trim().parse().ok()?;
        let line = std::fs::read(format!("/proc/{id}/cmdline")).ok()?;
        let line = String::from_utf8_lossy(&line).into_owned();
        // A number may be another program's by now.
        let is_its = line.contains("postgres") && line.contains(&*data.to_string_lossy());
        rustix::process::Pid::from_raw(id).filter(|_| is_its)
    };
    let began = Instant::now();
    while let Some(id) = running() {
        let signal = match began.elapsed() < Duration::from_secs(15) {
            true => rustix::process::Signal::INT,
            false => rustix::process::Signal::QUIT,
        };
        let _ = rustix::process::kill_process(id, signal);
        if began.elapsed() > Duration::from_secs(30) {
            return;
        }
        std::thread::sleep(Duration::from_millis(100));
    }
}

fn not_started(why: String) -> ServerError {
    let act = "started";
    ServerError::Failed { act, why }
}

impl LocalServer {
    /// `folder` is ours alone; it is made where it is missing. A second start on the same folder
    /// keeps its data.
    ///
    /// # Errors
    /// [`ServerError`], with the server's own words.
    pub fn start(folder: &Path) -> std::result::Result<LocalServer, ServerError> {
        let bin = programs().ok_or(ServerError::NotInstalled)?;
        let user = owner()?;
        private(folder, user).map_err(failed("given its folder"))?;
        let held = own(folder)?;
        let data = folder.join("data");
        stop_left_behind(&data);
        if !data.join("PG_VERSION").exists() {
            init(&bin, user, &data)?;
        }
        // A socket's path may be no longer than 107 bytes, and folders can be deep: a short one of
        // ours.
        let socket = tempfile::Builder::new()
            .prefix("newtfern-pg-")
            .tempdir()
            .map_err(failed("given its socket folder"))?;
        private(socket.path(), user).map_err(failed("given its socket folder"))?;
        let child = Self::run(&bin, user, folder, &data, socket.path())?;
        Ok(LocalServer {
            _owner: held,
            child,
            socket,
            folder: folder.to_path_buf(),
        })
    }

    /// Returns the last lines of its log.
    pub fn last_words(&self) -> String {
        let text = std::fs::read_to_string(self.folder.join("server.log")).unwrap_or_default();
        let lines: Vec<&str> = text.lines().rev().take(12).collect();
        lines.into_iter().rev().collect::<Vec<_>>().join("\n")
    }

    /// Starts it and waits until it takes connections.
    fn run(
        bin: &Path,
        user: Option<(u32, u32)>,
        folder: &Path,
        data: &Path,
        socket: &Path,
    ) -> std::result::Result<Child, ServerError> {
        let log = folder.join("server.log");
        let out = std::fs::File::create(&log).map_err(failed("given a log"))?;
        let err = out.try_clone().map_err(failed("given a log"))?;
        let mut child = command(&bin.join("postgres"), user)
            .arg("-D")
            .arg(data)
            .args(["-c", "listen_addresses=", "-c"])
            .arg(format!("unix_socket_directories={}", socket.display()))
            .args(["-c", "max_connections=60", "-c", "fsync=on"])
            .args(["-c", "shared_buffers=64MB"])
            .stdout(out)
            .stderr(err)
            // A group of its own: Ctrl-C reaches us first, and we stop it in order.
            .process_group(0)
            .spawn()
            .map_err(failed("started"))?;
        let began = Instant::now();
        loop {
            let text = std::fs::read_to_string(&log).unwrap_or_default();
            if text.contains("database system is ready to accept connections") {
                return Ok(child);
            }
            if child.try_wait().map_err(failed("started"))?.is_some() {
                let last: Vec<&str> = text.lines().rev().take(6).collect();
                return Err(not_started(last.join("; ")));
            }
            if began.elapsed() > Duration::from_secs(60) {
                let _ = child.kill();
                return Err(not_started("it was not ready after 60 s".into()));
            }
            std::thread::sleep(Duration::from_millis(30));
        }
    }

    /// Kills it without a word, as a machine's memory guard would, and starts it again after a
    /// while.
    ///
    /// # Errors
    /// [`ServerError`], with the server's own words.
    pub fn restart_after(&mut self, wait: Duration) -> std::result::Result<(), ServerError> {
        let bin = programs().ok_or(ServerError::NotInstalled)?;
        let folder = self.folder.clone();
        // SIGQUIT is the server's own word for ending at once; its children go with it.
        self.signal(rustix::process::Signal::QUIT);
        self.child.wait().map_err(failed("stopped"))?;
        std::thread::sleep(wait);
        let data = folder.join("data");
        self.child = Self::run(&bin, owner()?, &folder, &data, self.socket.path())?;
        Ok(())
    }

    /// Leaves the server running and the folder to nobody, as a program does that is killed. For
    /// tests.
    #[doc(hidden)]
    pub fn leave_behind(self) {
        let this = std::mem::ManuallyDrop::new(self);
        let _ = this._owner.unlock();
    }

    fn signal(&self, signal: rustix::process::Signal) {
        let id = i32::try_from(self.child.id()).unwrap_or(0);
        if let Some(id) = rustix::process::Pid::from_raw(id) {
            let _ = rustix::process::kill_process(id, signal);
        }
    }

    /// The address of one of its databases.
    pub fn address(&self, database: &str) -> String {
        // libpq and SQLx read a host that begins with a slash as the socket's folder.
        let socket = self.socket.path().to_string_lossy();
        let mut encoded = url::form_urlencoded::Serializer::new(String::new());
        let host = encoded.append_pair("host", &socket).finish();
        // libpq reads a plus as a plus.
        let host = host.replace('+', "%20");
        format!("postgres://newtfern@localhost/{database}?{host}")
    }

    /// Makes a database where it is missing and gives its address.
    ///
    /// # Errors
    /// [`ServerError`] or a connection that fails.
    pub async fn database(&self, name: &str) -> Result<String> {
        use sqlx::{ConnectOptions, Connection};
        let mut server = sqlx::postgres::PgConnectOptions::new()
            .socket(self.socket.path())
            .username("newtfern")
            .database("postgres")
            .connect()
            .await
            .map_err(StoreError::Connect)?;
        let there: Option<i32> = sqlx::query_scalar("select 1 from pg_database where datname = $1")
            .bind(name)
            .fetch_optional(&mut server)
            .await
            .map_err(StoreError::Connect)?;
        if there.is_none() {
            // A name cannot be a parameter; ours are plain words.
            let plain: String = name
                .chars()
                .filter(|c| c.is_ascii_alphanumeric() || *c == '_')
                .collect();
            sqlx::query(sqlx::AssertSqlSafe(format!("create database {plain}")))
                .execute(&mut server)
                .await
                .map_err(StoreError::Connect)?;
        }
        let _ = server.close().await;
        Ok(self.address(name))
    }
}

impl Drop for LocalServer {
    fn drop(&mut self) {
        // SIGINT asks for a fast, orderly stop: connections end, data is written.
        self.signal(rustix::process::Signal::INT);
        let began = Instant::now();
        while began.elapsed() < Duration::from_secs(15) {
            if !matches!(self.child.try_wait(), Ok(None)) {
                break;
            }
            std::thread::sleep(Duration::from_millis(30));
        }
        let _ = self.child.kill();
    }
}
