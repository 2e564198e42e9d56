//! What other users of the machine, and the pages that are visited, must not get from the browser:
//! a way in, and our environment.
#![allow(clippy::unwrap_used)]

use newtfern_probe::browser::Browser;
use newtfern_probe::guard::Guard;
use newtfern_probe::proxy::Proxy;
use newtfern_probe::visit::visit;
use std::collections::HashSet;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};
use url::Url;

/// Processes of browsers that visits started, our own ones among them.
fn browsers() -> Vec<PathBuf> {
    let processes = std::fs::read_dir("/proc").unwrap().flatten();
    let numbered = processes
        .map(|p| p.path())
        .filter(|p| p.join("cmdline").exists());
    let visits = |p: &PathBuf| {
        let line = std::fs::read(p.join("cmdline")).unwrap_or_default();
        String::from_utf8_lossy(&line).contains("newtfern-visit-")
    };
    numbered.filter(visits).collect()
}

/// Inodes of the sockets that listen for connections of the network (proc(5): state 0A).
fn listening() -> HashSet<String> {
    let tables = ["/proc/net/tcp", "/proc/net/tcp6"];
    let texts = tables
        .iter()
        .filter_map(|t| std::fs::read_to_string(t).ok());
    let mut found = HashSet::new();
    for text in texts {
        for line in text.lines().skip(1) {
            let fields: Vec<&str> = line.split_whitespace().collect();
            if fields.get(3) == Some(&"0A") {
                found.extend(fields.get(9).map(|inode| format!("socket:[{inode}]")));
            }
        }
    }
    found
}

#[tokio::test(flavor = "multi_thread")]
async fn the_browser_opens_no_port_and_does_not_know_our_environment() {
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    assert!(!browser.version.is_empty());
    // Copies that are had without it are asked for in the same name.
    let major = |agent: &str| {
        let version = agent.split("Chrome/").nth(1).unwrap().to_string();
        version.split('.').next().unwrap().to_string()
    };
    let plain = newtfern_probe::browser::user_agent();
    assert_eq!(major(plain), major(&browser.user_agent), "{plain}");
    // Cargo gives its tests this one; a worker has its database's address and more.
    assert!(std::env::var_os("CARGO_MANIFEST_DIR").is_some());
    let listening = listening();
    let mut looked_at = 0;
    for process in browsers() {
        let Ok(environment) = std::fs::read(process.join("environ")) else {
            continue; // it has ended
        };
        let environment = String::from_utf8_lossy(&environment).into_owned();
        assert!(!environment.contains("CARGO_"), "{environment}");
        for file in std::fs::read_dir(process.join("fd"))
            .into_iter()
            .flatten()
            .flatten()
        {
            let target = std::fs::read_link(file.path()).unwrap_or_default();
            let target = target.to_string_lossy().into_owned();
            assert!(
                !listening.contains(&target),
                "{} listens",
                process.display()
            );
        }
        looked_at += 1;
    }
    assert!(looked_at >= 2, "{looked_at} processes");
}

/// What the guard's proxy answers a greeting that another process sends; that process runs as
/// `user`.
fn greeting(port: u16, user: u32) -> Vec<u8> {
    use std::os::unix::process::CommandExt;
    let ask = format!(
        "exec 3<>/dev/tcp/127.0.0.1/{port}; printf '\\005\\001\\000' >&3; head -c 2 <&3; true"
    );
    let mut command = std::process::Command::new("bash");
    command.args(["-c", &ask]).uid(user).current_dir("/");
    command.output().unwrap().stdout
}

#[tokio::test(flavor = "multi_thread")]
async fn the_guards_proxy_is_no_way_out_for_other_users() {
    let proxy = Proxy::start(Guard::open()).await.unwrap();
    let port = proxy.address.port();
    let us = rustix::process::geteuid();
    assert_eq!(greeting(port, us.as_raw()), [5, 0]);
    // To become somebody else takes root.
    if us.is_root() {
        assert_eq!(greeting(port, 65534), [0u8; 0]);
    }
}

/// What goes through the proxy, by its own log.
#[derive(Clone, Default)]
struct Log(Arc<Mutex<Vec<u8>>>);

impl std::io::Write for Log {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.lock().unwrap().extend_from_slice(bytes);
        Ok(bytes.len())
    }
    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// A visit tells nobody but the page's own hosts; the browser's maker is not asked for anything.
#[tokio::test(flavor = "multi_thread")]
async fn a_visit_asks_the_pages_hosts_and_nobody_else() {
    let log = Log::default();
    let written = log.clone();
    tracing_subscriber::fmt()
        .with_env_filter("newtfern_probe::proxy=debug")
        .with_ansi(false)
        .with_writer(move || written.clone())
        .init();
    let page = "<!doctype html><form><input type=password autocomplete=current-password><input \
        name=email></form>";
    let router = axum::Router::new().fallback(async move || axum::response::Html(page));
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    tokio::spawn(async move { axum::serve(listener, router).await });
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let supplier = crate::single::supplier(4000, "");
    let url = Url::parse(&format!("http://page.localhost:{port}/")).unwrap();
    let plan = crate::single::plan(&url, &supplier, 8_000, 20_000);
    visit(&browser, &plan).await.unwrap();
    let text = String::from_utf8(log.0.lock().unwrap().clone()).unwrap();
    let asked: Vec<&str> = text.lines().filter(|l| l.contains("asked for")).collect();
    assert!(!asked.is_empty());
    // Other tests of this program run beside it, with stand-ins at names of their own.
    let ours = |l: &str| l.contains(".localhost:");
    let strange: Vec<&&str> = asked.iter().filter(|l| !ours(l)).collect();
    assert!(strange.is_empty(), "{strange:?}");
}

/// The page says so when its peer connection has no further way to try.
static GATHERED: tokio::sync::Notify = tokio::sync::Notify::const_new();

/// A peer connection (W3C WebRTC) asks a server of the page's choice how it is seen from there, by
/// UDP (RFC 8489): that would go round every rule about addresses.
#[tokio::test(flavor = "multi_thread")]
async fn a_page_sends_no_datagram_past_the_guard() {
    let inside = tokio::net::UdpSocket::bind("127.0.0.1:0").await.unwrap();
    let port = inside.local_addr().unwrap().port();
    let page = format!(
        "<!doctype html><script>const pc = new RTCPeerConnection({{iceServers: [{{urls: \
        ['stun:127.0.0.1:{port}', 'stun:localhost:{port}']}}]}}); pc.createDataChannel('x'); \
        pc.onicegatheringstatechange = () => pc.iceGatheringState === 'complete' && \
        fetch('/gathered'); pc.createOffer().then((o) => pc.setLocalDescription(o));</script>"
    );
    let router = axum::Router::new().fallback(async move |request: axum::extract::Request| {
        if request.uri().path() == "/gathered" {
            GATHERED.notify_one();
        }
        axum::response::Html(page)
    });
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let at = listener.local_addr().unwrap().port();
    tokio::spawn(async move { axum::serve(listener, router).await });
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let supplier = crate::single::supplier(20_000, "");
    let url = Url::parse(&format!("http://page.localhost:{at}/")).unwrap();
    let plan = crate::single::plan(&url, &supplier, 20_000, 60_000);
    let seen = async { tokio::join!(visit(&browser, &plan), GATHERED.notified()) };
    let mut bytes = [0; 64];
    let came = tokio::select! {
        _ = seen => inside.try_recv_from(&mut bytes).ok(),
        came = inside.recv_from(&mut bytes) => came.ok(),
    };
    assert!(came.is_none(), "a datagram went past the guard: {came:?}");
}

/// A switch that a later browser renames is passed over without a word.
#[test]
fn this_browser_knows_every_switch_and_feature_that_it_is_given() {
    let program = newtfern_probe::browser::find().unwrap();
    let names = newtfern_probe::browser::names_given();
    let unknown: Vec<&&str> = names
        .iter()
        .filter(|name| {
            let mut grep = std::process::Command::new("grep");
            let asked = grep.args(["-aqFe", name]).arg(&program).status();
            !asked.unwrap().success()
        })
        .collect();
    assert!(unknown.is_empty(), "{unknown:?}");
}

/// Cookies of visits are nobody else's, and nothing stays when we are killed.
#[tokio::test(flavor = "multi_thread")]
async fn the_profile_is_ours_alone_and_goes_with_us() {
    use std::os::unix::fs::PermissionsExt;
    let profiles = || {
        let folder = std::fs::read_dir(std::env::temp_dir()).unwrap().flatten();
        let ours = folder.filter(|f| {
            f.file_name()
                .to_string_lossy()
                .starts_with("newtfern-visit-")
        });
        ours.map(|f| f.path()).collect::<HashSet<PathBuf>>()
    };
    let before = profiles();
    let browser = Browser::launch(&Guard::open(), None).await.unwrap();
    let new: Vec<PathBuf> = profiles().difference(&before).cloned().collect();
    for profile in &new {
        let mode = std::fs::metadata(profile).map(|m| m.permissions().mode() & 0o777);
        assert!(
            mode.is_err() || mode.unwrap() == 0o700,
            "{}",
            profile.display()
        );
    }
    assert!(!new.is_empty());
    drop(browser);
}
