//! One Chromium process: started from the real binary in a throw-away profile, its connections
//! through our proxy, killed with its whole process group, recycled after many visits or a crash.

use crate::cdp::Cdp;
use crate::guard::Guard;
use crate::pace::{self, Watched};
use crate::proxy::Proxy;
use crate::{ProbeError, io};
use serde_json::{Value, json};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};
use tokio::net::unix::pipe;
use tokio::process::{Child, Command};

/// Flags of every start.
#[rustfmt::skip]
const FLAGS: &[&str] = &[
    "--headless", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--disable-default-apps", "--disable-extensions", "--mute-audio", "--hide-scrollbars",
    "--no-default-browser-check", "--password-store=basic",
    // A timer of a page in the background is slowed; visits are all in the background.
    "--disable-background-timer-throttling", "--disable-backgrounding-occluded-windows",
    "--disable-renderer-backgrounding",
    // What the browser asks its maker of its own accord (found by the proxy's log: sign-in, updates
    // of components) is sent to a port that browsers do not connect to (Fetch Standard, bad ports).
    "--gaia-url=http://127.0.0.1:9", "--google-apis-url=http://127.0.0.1:9",
    "--component-updater=url-source=http://127.0.0.1:9/",
];

/// Flags that let nothing go round the guard: not loopback, not the datagrams of peer connections.
const ONLY_BY_PROXY: [&str; 2] = [
    "--proxy-bypass-list=<-loopback>",
    "--webrtc-ip-handling-policy=disable_non_proxied_udp",
];

/// Names of all switches and features that the browser is given. One that a later browser renames
/// does nothing and says nothing, so a test asks the installed one for each.
pub fn names_given() -> Vec<&'static str> {
    let plain = |flag: &&'static str| {
        let name = flag.trim_start_matches('-');
        name.split('=').next().unwrap_or(name)
    };
    let always = [
        "--disable-features",
        "--proxy-server",
        "--remote-debugging-pipe",
        "--user-data-dir",
        "--no-sandbox",
    ];
    let flags = FLAGS.iter().chain(&ONLY_BY_PROXY).chain(&always);
    let flags: Vec<&'static str> = flags.map(plain).collect();
    flags.into_iter().chain(OFF.iter().copied()).collect()
}

/// Features of the browser that are off; the last two ask its maker for the time, and what a form's
/// fields are. Each visit has a window of its own: a renderer that is started in advance, and those
/// for the pages of its address bar's lists, are started in vain and take more processor time than
/// the visit (counted by process over a minute of visits).
#[rustfmt::skip]
const OFF: &[&str] = &[
    "Translate", "OptimizationHints", "MediaRouter", "DialMediaRouteProvider", "HttpsUpgrades",
    "HttpsFirstBalancedModeAutoEnable", "SpareRendererForSitePerProcess", "WebUIOmniboxPopup",
    "WebUIOmniboxAimPopup", "WebUIOmniboxFullPopup",
    "NetworkTimeServiceQuerying", "AutofillServerCommunication",
];

/// Visits after which a browser is replaced (probing facts: 100 to 200).
const RECYCLE_AFTER: u32 = 150;

/// A browser on a busy machine takes seconds to say its first word.
const START_MS: u64 = 20_000;

/// A running browser with its profile folder.
pub struct Browser {
    /// Connection of the debugging protocol.
    pub cdp: Cdp,
    /// Proxy that is its only way out.
    pub proxy: Proxy,
    /// Product name and version of the browser.
    pub version: String,
    /// User agent of an ordinary browser of its kind.
    pub user_agent: String,
    child: Child,
    group: i32,
    _watched: Watched,
    /// Held open as long as we are there.
    _alive: std::io::PipeWriter,
    _profile: tempfile::TempDir,
    visits: AtomicU32,
}

impl Drop for Browser {
    fn drop(&mut self) {
        kill_group(self.group);
        let _ = self.child.start_kill();
    }
}

/// Ends a whole process group; one that is gone is fine.
fn kill_group(group: i32) {
    if let Some(group) = rustix::process::Pid::from_raw(group) {
        let _ = rustix::process::kill_process_group(group, rustix::process::Signal::KILL);
    }
}

/// Starts the browser with a watcher beside its process group. Standard input and output are the
/// pipes of the debugging protocol, which Chromium wants as 3 and 4; standard error is a pipe that
/// only we hold open: when we are gone, however we went, the watcher's read ends, it ends the group
/// and removes the profile. A killed worker would else leave both behind each time. The first
/// argument is the profile.
const WATCHED: &str = r#"profile=$1; shift
exec 3<&0 4>&1 5<&2 </dev/null >/dev/null 2>"$profile/stderr"
PROFILE=$profile setsid sh -c 'read -r _ <&5; kill -KILL "-$0"; rm -rf -- "$PROFILE"
sleep 1; rm -rf -- "$PROFILE"' "$$" 3<&- 4>&- 2>/dev/null &
exec "$0" "$@" 5<&-"#;

/// The real binary rather than the distribution's wrapper script, which adds flags of its own.
pub fn find() -> Option<PathBuf> {
    let named = std::env::var_os("NEWTFERN_CHROMIUM").map(PathBuf::from);
    let known = [
        "/usr/lib/chromium/chromium",
        "/usr/lib/chromium-browser/chromium-browser",
        "/usr/bin/chromium",
    ];
    named
        .into_iter()
        .chain(known.into_iter().map(PathBuf::from))
        .find(|p| p.is_file())
}

/// Returns the user agent of the installed browser, in the reduced form that all of its kind send:
/// for copies of a page that are had without it. Its program is asked once; without one, a current
/// version is named.
pub fn user_agent() -> &'static str {
    static SAID: std::sync::OnceLock<String> = std::sync::OnceLock::new();
    SAID.get_or_init(|| {
        let asked = find().map(|program| {
            let mut command = std::process::Command::new(program);
            command.arg("--version").stdin(Stdio::null()).output()
        });
        let said = asked.and_then(Result::ok).map(|o| o.stdout);
        let said = String::from_utf8_lossy(&said.unwrap_or_default()).into_owned();
        let major = said
            .split(|c: char| !c.is_ascii_digit())
            .find(|n| !n.is_empty());
        let major = major.unwrap_or("156");
        format!(
            "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) \
            Chrome/{major}.0.0.0 Safari/537.36"
        )
    })
}

fn is_root() -> bool {
    rustix::process::geteuid().is_root()
}

/// Said once in the life of the program.
fn warn_of_root() {
    static SAID: std::sync::Once = std::sync::Once::new();
    SAID.call_once(|| {
        tracing::warn!(
            "running as root, so Chromium runs without its sandbox; use a user of its \
            own for real work"
        );
    });
}

/// The browser's ends of our pipes.
struct Ends {
    commands: std::io::PipeReader,
    answers: std::io::PipeWriter,
    life: std::io::PipeReader,
}

/// The command that starts the browser in its throw-away profile.
fn command(program: &Path, profile: &Path, proxy: &Proxy, ends: Ends) -> Command {
    let mut command = Command::new("/bin/sh");
    command
        .args(["-c", WATCHED])
        .arg(program)
        .arg(profile)
        .args(FLAGS)
        .arg(format!("--disable-features={}", OFF.join(",")))
        .arg(format!("--proxy-server=socks5://{}", proxy.address))
        .args(ONLY_BY_PROXY)
        .arg("--remote-debugging-pipe")
        .arg(format!(
            "--user-data-dir={}",
            profile.join("data").display()
        ))
        .arg("about:blank")
        // Whatever secrets our own environment holds are none of the browser's business.
        .env_clear()
        .env("PATH", "/usr/bin:/bin")
        .env("LANG", "C.UTF-8")
        .env("HOME", profile.join("home"))
        .env("TMPDIR", profile.join("tmp"))
        .stdin(Stdio::from(ends.commands))
        .stdout(Stdio::from(ends.answers))
        .stderr(Stdio::from(ends.life))
        .process_group(0)
        .kill_on_drop(true);
    if is_root() {
        warn_of_root();
        command.arg("--no-sandbox");
    }
    command
}

/// A profile of its own, thrown away with the browser.
fn profile() -> Result<tempfile::TempDir, ProbeError> {
    let profile = tempfile::Builder::new()
        .prefix("newtfern-visit-")
        // Cookies of visits are nobody else's on this machine.
        .permissions(std::fs::Permissions::from_mode(0o700))
        .tempdir()
        .map_err(io("make a browser profile"))?;
    let data = profile.path().join("data");
    for folder in [
        profile.path().join("home"),
        data.join("Default"),
        profile.path().join("tmp"),
    ] {
        std::fs::create_dir_all(folder).map_err(io("make a browser profile"))?;
    }
    // What an ordinary browser stores is wanted, third-party cookies too: fresh contexts block them
    // otherwise.
    let preferences =
        json!({"profile": {"cookie_controls_mode": 0, "block_third_party_cookies": false}});
    std::fs::write(data.join("Default/Preferences"), preferences.to_string())
        .map_err(io("write browser preferences"))?;
    Ok(profile)
}

impl Browser {
    /// Starts a browser whose connections the guard judges. `ca` adds a trust anchor.
    ///
    /// # Errors
    /// Where the program is missing or does not start; its own words are in the error.
    pub async fn launch(guard: &Guard, ca: Option<&Path>) -> Result<Browser, ProbeError> {
        let program = find().ok_or(ProbeError::NoBrowser)?;
        let profile = profile()?;
        if let Some(ca) = ca {
            trust(&profile.path().join("home"), ca).await?;
        }
        let proxy = Proxy::start(guard.clone())
            .await
            .map_err(io("start the guard's proxy"))?;
        let (commands, to) = std::io::pipe().map_err(io("make a pipe"))?;
        let (from, answers) = std::io::pipe().map_err(io("make a pipe"))?;
        let (life, alive) = std::io::pipe().map_err(io("make a pipe"))?;
        let ends = Ends {
            commands,
            answers,
            life,
        };
        let child = command(&program, profile.path(), &proxy, ends)
            .spawn()
            .map_err(io(format!("start {}", program.display())))?;
        let group = child.id().map(|id| id as i32).unwrap_or(0);
        let watched = pace::watch(group);
        let to = pipe::Sender::from_owned_fd(to.into()).map_err(io("use a pipe"))?;
        let from = pipe::Receiver::from_owned_fd(from.into()).map_err(io("use a pipe"))?;
        let cdp = Cdp::over(to, from);
        let version = match settle(&cdp).await {
            Ok(version) => version,
            Err(why) => {
                kill_group(group);
                let log = profile.path().join("stderr");
                let log = std::fs::read_to_string(log).unwrap_or_default();
                // Without a desktop it always misses that one.
                let told = log.lines().rev().filter(|l| !l.contains("dbus"));
                let last: Vec<&str> = told.take(8).collect();
                return Err(ProbeError::BrowserStart {
                    why: why.to_string(),
                    stderr: last.join("\n"),
                });
            }
        };
        let text = |name: &str| version[name].as_str().unwrap_or_default().to_string();
        Ok(Browser {
            version: text("product"),
            user_agent: text("userAgent").replace("HeadlessChrome", "Chrome"),
            cdp,
            proxy,
            child,
            group,
            _watched: watched,
            _alive: alive,
            _profile: profile,
            visits: AtomicU32::new(0),
        })
    }
}

/// The first words with a browser that has just started; its version.
async fn settle(cdp: &Cdp) -> Result<Value, ProbeError> {
    let version = cdp
        .call("", "Browser.getVersion", json!({}), START_MS)
        .await?;
    let deny = json!({"behavior": "deny"});
    cdp.call("", "Browser.setDownloadBehavior", deny, 5000)
        .await?;
    Ok(version)
}

/// Adds a trust anchor to the throw-away home's certificate store, which Chromium on Linux reads.
async fn trust(home: &Path, ca: &Path) -> Result<(), ProbeError> {
    for place in [".pki/nssdb", ".local/share/pki/nssdb"] {
        let folder = home.join(place);
        std::fs::create_dir_all(&folder).map_err(io("make a certificate store"))?;
        let store = format!("sql:{}", folder.display());
        let steps: [&[&str]; 2] = [
            &["-N", "--empty-password"],
            &["-A", "-t", "C,,", "-n", "newtfern", "-i"],
        ];
        for (i, arguments) in steps.iter().enumerate() {
            let mut command = Command::new("certutil");
            command
                .args(["-d", &store])
                .args(*arguments)
                .stdin(Stdio::null());
            if i == 1 {
                command.arg(ca);
            }
            let output = command.output().await.map_err(|e| match e.kind() {
                std::io::ErrorKind::NotFound => ProbeError::Trust(
                    "certutil is missing: install Debian's package libnss3-tools".into(),
                ),
                _ => ProbeError::Trust(e.to_string()),
            })?;
            if !output.status.success() {
                return Err(ProbeError::Trust(
                    String::from_utf8_lossy(&output.stderr).trim().to_string(),
                ));
            }
        }
    }
    Ok(())
}

/// Hands out the running browser and starts another when it is gone or has done its share.
pub struct Pool {
    guard: Guard,
    ca: Option<PathBuf>,
    current: tokio::sync::Mutex<Option<Arc<Browser>>>,
    /// Visits share it; one that must be alone has all of it.
    room: tokio::sync::RwLock<()>,
}

impl Pool {
    /// Starts no browser yet. `ca` adds a trust anchor to each that is started.
    pub fn new(guard: Guard, ca: Option<PathBuf>) -> Pool {
        Pool {
            guard,
            ca,
            current: tokio::sync::Mutex::new(None),
            room: tokio::sync::RwLock::new(()),
        }
    }

    /// The network rule of its browsers.
    pub fn guard(&self) -> &Guard {
        &self.guard
    }

    /// Visits under way keep the old browser until they end.
    ///
    /// # Errors
    /// Where no browser is there or it does not start.
    pub async fn browser(&self) -> Result<Arc<Browser>, ProbeError> {
        let mut current = self.current.lock().await;
        if let Some(browser) = current.as_ref()
            && !browser.cdp.is_gone()
            && browser.visits.fetch_add(1, Ordering::Relaxed) < RECYCLE_AFTER
        {
            return Ok(browser.clone());
        }
        let launch = || Browser::launch(&self.guard, self.ca.as_deref());
        let browser = match launch().await {
            // One that is killed while it starts is started once more.
            Err(ProbeError::BrowserStart { .. }) => launch().await?,
            other => other?,
        };
        let browser = Arc::new(browser);
        *current = Some(browser.clone());
        Ok(browser)
    }

    /// Returns a guard that lets visits run beside others while it is held.
    pub(crate) async fn beside_others(&self) -> tokio::sync::RwLockReadGuard<'_, ()> {
        self.room.read().await
    }

    /// Without another visit of this pool, as long as this is held.
    pub(crate) async fn alone(&self) -> tokio::sync::RwLockWriteGuard<'_, ()> {
        self.room.write().await
    }

    /// Lets the running browser go; visits under way keep it until they end.
    pub async fn close(&self) {
        *self.current.lock().await = None;
    }
}
