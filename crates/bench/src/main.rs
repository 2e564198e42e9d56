//! `./run bench`: speed and memory, beside something outside where there is something to stand beside.
//! Never a test: figures of a shared machine decide nothing by themselves.

use anyhow::{Context, Result};
use axum::body::Body;
use axum::http::Request;
use newtfern_core::observation::{Condition, Viewport};
use newtfern_core::placement::Inspector;
use newtfern_core::platform::Platform;
use newtfern_core::profile::Supplier;
use newtfern_probe::browser::Browser;
use newtfern_probe::guard::Guard;
use newtfern_probe::visit::{Plan, visit};
use newtfern_standins::Standins;
use newtfern_standins::estate::SITES;
use newtfern_store::blobs::Blobs;
use newtfern_store::people::Role;
use newtfern_store::scratch;
use newtfern_store::seal::Sealer;
use newtfern_store::sites::NewSite;
use newtfern_web::outside::{Looked, SlotError, SlotText};
use newtfern_web::{App, Outside, Settings};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Instant;
use tower::ServiceExt;
use url::Url;

fn say(text: &str) {
    use std::io::Write;
    let _ = writeln!(std::io::stdout(), "{text}");
}

#[tokio::main]
async fn main() -> Result<()> {
    let standins = Standins::start(0, None).await?;
    let supplier = Supplier::from_toml(&newtfern_standins::supplier_profile(standins.port))?;
    corpus(&supplier)?;
    visits(&standins, &supplier).await?;
    estate().await?;
    say(&format!("peak memory of this process: {:.0} MB", peak_mb()));
    Ok(())
}

/// HTML files below a folder: Debian's documentation packages, or NEWTFERN_CORPUS.
fn pages() -> Vec<PathBuf> {
    let named = std::env::var_os("NEWTFERN_CORPUS").map(PathBuf::from);
    let folders = named.into_iter().chain(
        [
            "/usr/share/doc/postgresql-doc-15/html",
            "/usr/share/doc/python3.11/html",
            "/usr/share/doc",
        ]
        .map(PathBuf::from),
    );
    for folder in folders {
        let mut found = Vec::new();
        collect(&folder, &mut found, 0);
        if found.len() >= 50 {
            return found;
        }
    }
    Vec::new()
}

fn collect(folder: &Path, out: &mut Vec<PathBuf>, depth: usize) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() && depth < 4 {
            collect(&path, out, depth + 1);
        } else if path.extension().is_some_and(|e| e == "html") && out.len() < 2000 {
            out.push(path);
        }
    }
}

fn corpus(supplier: &Supplier) -> Result<()> {
    let files = pages();
    if files.is_empty() {
        say(
            "corpus: no HTML documentation is installed (apt-get install postgresql-doc-15, or set NEWTFERN_CORPUS)",
        );
        return Ok(());
    }
    let texts: Vec<String> = files
        .iter()
        .filter_map(|p| std::fs::read_to_string(p).ok())
        .collect();
    // A snippet in each, so that none is passed over by the first look.
    let with: Vec<String> = texts
        .iter()
        .map(|t| {
            t.replace(
                "</body>",
                &format!("{}</body>", supplier.snippet_for("bench-live")),
            )
        })
        .collect();
    let bytes: usize = with.iter().map(String::len).sum();
    let mb = bytes as f64 / 1e6;
    let page = Url::parse("https://corpus.example/")?;
    let inspector = Inspector::new(supplier, None);
    let time = |work: &mut dyn FnMut() -> usize| {
        let began = Instant::now();
        let found = work();
        (began.elapsed().as_secs_f64(), found)
    };
    let (ours, found) = time(&mut || with.iter().map(|t| inspector.pieces(t, &page).len()).sum());
    let (skim, _) = time(&mut || texts.iter().map(|t| inspector.pieces(t, &page).len()).sum());
    let (lol, scripts) = time(&mut || with.iter().map(|t| lol_scripts(t)).sum());
    say(&format!("corpus: {} pages, {mb:.1} MB", with.len()));
    say(&format!(
        "  inspection, snippet on every page   {:7.1} MB/s  ({found} found)",
        mb / ours
    ));
    say(&format!(
        "  inspection, snippet on no page      {:7.1} MB/s",
        mb / skim
    ));
    say(&format!(
        "  lol_html alone, script elements     {:7.1} MB/s  ({scripts} elements)",
        mb / lol
    ));
    Ok(())
}

fn lol_scripts(text: &str) -> usize {
    let mut n = 0;
    let settings = lol_html::RewriteStrSettings {
        element_content_handlers: vec![lol_html::element!("script", |_| {
            n += 1;
            Ok(())
        })],
        ..lol_html::RewriteStrSettings::new()
    };
    let _ = lol_html::rewrite_str(text, settings);
    n
}

/// Whole visits (with pictures and the panel worked) beside a bare Playwright script over the same pages.
async fn visits(standins: &Standins, supplier: &Supplier) -> Result<()> {
    // Pages in order without a banner: the widget comes up on each, so that neither side waits in vain.
    let healthy: Vec<Url> = SITES
        .iter()
        .filter(|s| s.fault.is_none() && !s.banner)
        .map(|s| Url::parse(&s.address(standins.port)))
        .collect::<Result<_, _>>()?;
    let urls: Vec<Url> = healthy.iter().cycle().take(8).cloned().collect();
    let browser = Browser::launch(
        Guard {
            allow_private: true,
        },
        None,
    )
    .await?;
    for at_once in [1, 2] {
        let began = Instant::now();
        let mut done = 0;
        for chunk in urls.chunks(at_once) {
            let plans: Vec<Plan> = chunk
                .iter()
                .map(|url| Plan {
                    url,
                    condition: Condition {
                        viewport: Viewport::Desktop,
                        ..Condition::default()
                    },
                    supplier,
                    consent: None,
                    page_ms: 20_000,
                    total_ms: 30_000,
                    pictures: true,
                })
                .collect();
            for result in
                futures_util::future::join_all(plans.iter().map(|p| visit(&browser, p))).await
            {
                result?;
                done += 1;
            }
        }
        say(&format!(
            "visits, {at_once} at once (2 s watched, panel opened and closed): {:.0} a minute",
            f64::from(done) / began.elapsed().as_secs_f64() * 60.0
        ));
    }
    let script = Path::new("e2e/bare.js");
    if script.exists() {
        let output = std::process::Command::new("node")
            .arg(script)
            .args(urls.iter().map(Url::as_str))
            .output()
            .context("node runs")?;
        say(&format!(
            "bare Playwright script, same pages: {}",
            String::from_utf8_lossy(&output.stdout).trim()
        ));
    }
    Ok(())
}

/// The Estate page with 5,000 sites, as the server answers it: session, counts, rows, template.
async fn estate() -> Result<()> {
    let Ok(server) = std::env::var(scratch::SERVER) else {
        say("estate: no database (run ./run bench)");
        return Ok(());
    };
    let store = scratch::database(&server).await?;
    let client = store
        .add_client("Wendle Tide Mill", &newtfern_core::brand::Sheet::default())
        .await?;
    for i in 0..5000 {
        store
            .add_site(&NewSite {
                client_id: client,
                name: format!("Site {i}"),
                url: format!("https://s{i}.example/"),
                ..NewSite::default()
            })
            .await?;
    }
    sqlx::query("analyze").execute(&store.pool).await?;
    let person = store
        .add_person("bench@fenwick.example", "Bench", Role::Viewer, "")
        .await?;
    let session = store
        .open_session(
            person,
            time::OffsetDateTime::now_utc() + time::Duration::hours(1),
        )
        .await?;
    let folder = tempfile::tempdir()?;
    let sealer = Sealer::from_file(&folder.path().join("seal.key"))?;
    let app = App::new(
        store,
        Blobs::folder(folder.path())?,
        sealer,
        Arc::new(NoOutside),
        Settings::default(),
    );
    let router = newtfern_web::router::router(app);
    for (what, query) in [
        ("first page", ""),
        ("by state", "?state=not_yet&page=7"),
        ("search", "?q=site+4&page=2"),
    ] {
        let mut times = Vec::new();
        let mut bytes = 0;
        for _ in 0..20 {
            let request = Request::builder()
                .uri(format!("/lens/estate{query}"))
                .header("cookie", format!("newtfern={session}"))
                .body(Body::empty())?;
            let began = Instant::now();
            let answer = router.clone().oneshot(request).await?;
            anyhow::ensure!(
                answer.status() == 200,
                "the estate answers {}",
                answer.status()
            );
            bytes = axum::body::to_bytes(answer.into_body(), 10 << 20)
                .await?
                .len();
            times.push(began.elapsed().as_secs_f64() * 1000.0);
        }
        times.sort_by(f64::total_cmp);
        say(&format!(
            "estate page, 5,000 sites, {what}: median {:.0} ms, worst of 20 {:.0} ms ({} kB)",
            times[10],
            times[19],
            bytes / 1000
        ));
    }
    Ok(())
}

/// The estate asks nothing of the outside.
struct NoOutside;

#[async_trait::async_trait]
impl Outside for NoOutside {
    async fn look(&self, _: &str, _: &[Platform], _: bool) -> Looked {
        Looked::default()
    }
    async fn read_slot(&self, _: &Url, _: &str) -> std::result::Result<SlotText, SlotError> {
        Err(SlotError::Token)
    }
    async fn write_slot(
        &self,
        _: &Url,
        _: &str,
        _: &SlotText,
    ) -> std::result::Result<(), SlotError> {
        Err(SlotError::Token)
    }
}

fn peak_mb() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status
        .lines()
        .find(|l| l.starts_with("VmHWM:"))
        .unwrap_or_default();
    line.split_whitespace()
        .nth(1)
        .and_then(|kb| kb.parse::<f64>().ok())
        .unwrap_or(0.0)
        / 1000.0
}
