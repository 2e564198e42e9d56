//! `./run bench`: speed and memory, beside something outside where there is something to stand beside.
//! Never a test: figures of a shared machine decide nothing by themselves.

use anyhow::{Context, Result};
use axum::body::Body;
use axum::http::Request;
use newtfern_acts::{Acts, Looked, Outside, SlotError, SlotText};
use newtfern_core::family::{Assessed, Detail, Family, Standing};
use newtfern_core::observation::Viewport;
use newtfern_core::placement::Inspector;
use newtfern_core::platform::Platform;
use newtfern_core::profile::Supplier;
use newtfern_core::site::SiteFields;
use newtfern_core::visits::CheckOrder;
use newtfern_probe::browser::Pool;
use newtfern_probe::check;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standins::Standins;
use newtfern_standins::estate::SITES;
use newtfern_store::Store;
use newtfern_store::blobs::Blobs;
use newtfern_store::checks::NewCheck;
use newtfern_store::people::Role;
use newtfern_store::scratch;
use newtfern_store::seal::Sealer;
use newtfern_web::{App, Settings};
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
    estate(&standins, &supplier).await?;
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
    let (ours, found) = time(&mut || {
        with.iter()
            .map(|t| inspector.inspect(t, &page).pieces.len())
            .sum()
    });
    let (skim, _) = time(&mut || {
        texts
            .iter()
            .map(|t| inspector.inspect(t, &page).pieces.len())
            .sum()
    });
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

/// Whole checks of both screens (with pictures and the panel worked) beside a bare Playwright script that
/// opens the same pages on the same screens and waits for the same sign of life.
async fn visits(standins: &Standins, supplier: &Supplier) -> Result<()> {
    // Pages in order without a banner: the widget comes up on each, so that neither side waits in vain.
    let healthy: Vec<Url> = SITES
        .iter()
        .filter(|s| s.fault.is_none() && !s.banner)
        .map(|s| Url::parse(&s.address(standins.port)))
        .collect::<Result<_, _>>()?;
    let urls: Vec<Url> = healthy.iter().cycle().take(8).cloned().collect();
    let guard = Guard {
        allow_private: true,
    };
    let (pool, http) = (Pool::new(guard, None), Http::new(guard, None)?);
    for at_once in [1, 2] {
        let began = Instant::now();
        let mut done = 0;
        for chunk in urls.chunks(at_once) {
            let orders = chunk.iter().map(|url| CheckOrder {
                url,
                supplier,
                consent: None,
                viewports: &[Viewport::Desktop, Viewport::Phone],
                pictures: true,
                stamp: "bench",
            });
            let orders: Vec<CheckOrder> = orders.collect();
            let checks = orders.iter().map(|o| check::run(&pool, &http, o));
            for evidence in futures_util::future::join_all(checks).await {
                done += evidence?.visits.len();
            }
        }
        say(&format!(
            "checks, {at_once} at once, both screens, pictures, panel opened and closed: {:.0} visits a minute",
            done as f64 / began.elapsed().as_secs_f64() * 60.0
        ));
    }
    pool.close().await;
    let script = Path::new("e2e/bare.js");
    if script.exists() {
        let output = std::process::Command::new("node")
            .arg(script)
            .args(urls.iter().map(Url::as_str))
            .output()
            .context("node runs")?;
        say(&format!(
            "bare Playwright script, same pages and screens: {}",
            String::from_utf8_lossy(&output.stdout).trim()
        ));
    }
    Ok(())
}

/// A real check of a stand-in, for its details.
async fn one_check(standins: &Standins, supplier: &Supplier) -> Result<Vec<Assessed>> {
    let site = SITES.iter().find(|s| s.fault.is_none() && !s.banner);
    let site = site.context("a site in order")?;
    let (url, key) = (Url::parse(&site.address(standins.port))?, site.key());
    let guard = Guard {
        allow_private: true,
    };
    let (pool, http) = (Pool::new(guard, None), Http::new(guard, None)?);
    let order = CheckOrder {
        url: &url,
        supplier,
        consent: None,
        viewports: &[Viewport::Desktop, Viewport::Phone],
        pictures: false,
        stamp: "bench",
    };
    let evidence = check::run(&pool, &http, &order).await?;
    pool.close().await;
    let design = newtfern_core::design::Design::resolve(
        &Default::default(),
        &Default::default(),
        &Default::default(),
    );
    let region = newtfern_store::profiles::region_of("GB");
    let expectation = newtfern_core::assess::Expectation {
        supplier,
        rivals: &[],
        key: &key,
        consent: None,
        design: &design,
        brand: None,
        region: &region,
    };
    let judged =
        newtfern_core::assess::check(&expectation, &evidence.visits, &evidence.asides, None);
    Ok(judged.families)
}

/// 5,000 sites, each with the results of a real check; four in five in order.
async fn fill(store: &Store, families: &[Assessed]) -> Result<()> {
    let mut tx = store.begin().await?;
    let sheet = newtfern_core::brand::BrandSheet::default();
    let client = tx.add_client("Wendle Tide Mill", &sheet).await?;
    for i in 0..5000 {
        let fields = SiteFields {
            name: format!("Site {i}"),
            url: format!("https://s{i}.example/"),
            ..SiteFields::default()
        };
        let site = tx.add_site(client, &fields).await?;
        let mut families = families.to_vec();
        if i % 5 == 0 {
            for a in families.iter_mut().filter(|a| a.family == Family::Load) {
                a.standing = Standing::Failing;
            }
        }
        let now = time::OffsetDateTime::now_utc();
        tx.keep_check(&NewCheck::of(site, "check", now, families))
            .await?;
    }
    tx.commit().await?;
    store.tidy().await?;
    sqlx::query("analyze").execute(&store.pool).await?;
    Ok(())
}

/// The Estate page with 5,000 sites, as the server answers it: session, counts, rows, template; and what
/// claiming a job costs beside it.
async fn estate(standins: &Standins, supplier: &Supplier) -> Result<()> {
    let Ok(server) = std::env::var(scratch::SERVER) else {
        say("estate: no database (run ./run bench)");
        return Ok(());
    };
    let store = scratch::database(&server).await?;
    let families = one_check(standins, supplier).await?;
    let drawn = families
        .iter()
        .filter(|a| matches!(a.detail, Some(Detail::Load(_))));
    anyhow::ensure!(drawn.count() == 1, "the check gave no chain to draw");
    fill(&store, &families).await?;
    queue(&store).await?;
    let mut tx = store.begin().await?;
    let person = tx
        .add_person("bench@fenwick.example", "Bench", Role::Viewer, "")
        .await?;
    let until = time::OffsetDateTime::now_utc() + time::Duration::hours(1);
    let session = tx.open_session(person, until).await?;
    tx.commit().await?;
    let folder = tempfile::tempdir()?;
    let sealer = Sealer::from_file(&folder.path().join("seal.key"))?;
    let blobs = Blobs::folder(folder.path())?;
    let acts = Acts::new(store, blobs, sealer, Arc::new(NoOutside));
    let router = newtfern_web::router::router(App::new(acts, Settings::default()));
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

/// Claims and ends of jobs a second, by one worker and by eight, with 5,000 waiting.
async fn queue(store: &Store) -> Result<()> {
    let sites = store.site_ids(&Default::default()).await?;
    for workers in [1, 8] {
        let mut tx = store.begin().await?;
        let kind = newtfern_core::job::JobKind::Preview;
        let urgency = newtfern_store::queue::Urgency::Round;
        let round = tx
            .start_round(kind, "bench", "bench", &sites, urgency)
            .await?;
        tx.commit().await?;
        let began = Instant::now();
        let mut tasks = tokio::task::JoinSet::new();
        for _ in 0..workers {
            let store = store.clone();
            tasks.spawn(async move {
                for _ in 0..800 / workers {
                    let Some(job) = store.claim().await? else {
                        break;
                    };
                    let mut tx = store.begin().await?;
                    tx.finish_job(&job, "bench").await?;
                    tx.commit().await?;
                }
                Ok::<(), newtfern_store::StoreError>(())
            });
        }
        while let Some(done) = tasks.join_next().await {
            done??;
        }
        say(&format!(
            "queue, 5,000 waiting, {workers} claiming: {:.0} jobs a second",
            800.0 / began.elapsed().as_secs_f64()
        ));
        let mut tx = store.begin().await?;
        tx.cancel_round(round).await?;
        tx.commit().await?;
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
