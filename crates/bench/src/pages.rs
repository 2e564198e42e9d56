//! The pages over a large estate as the server answers them (session, counts, rows, template),
//! beside their own SQL sent through psql in the same run; and what the first page costs on the
//! wire.

use crate::psql;
use crate::report::{percentile, say};
use anyhow::{Context, Result};
use axum::Router;
use axum::body::Body;
use axum::http::Request;
use newtfern_acts::{Acts, AddressReport, Outside, ProposingVisit, SlotError, SlotText};
use newtfern_model::pages::PageCopy;
use newtfern_model::platform::Platform;
use newtfern_model::profile::Supplier;
use newtfern_store::Store;
use newtfern_store::access::people::Role;
use newtfern_store::results::blobs::Blobs;
use newtfern_store::sealed::seal::Sealer;
use newtfern_verdict::family::Family;
use newtfern_web::{App, Settings};
use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::Instant;
use tower::ServiceExt;
use url::Url;

/// Each page is asked for this often.
const TIMES: usize = 40;

/// Measures every lens, the worklist and the bench page.
///
/// # Errors
/// Where a page does not answer.
pub async fn measure(store: &Store, address: &str) -> Result<()> {
    sizes(store).await?;
    let mut log = psql::Log::start(store).await?;
    // Its connections are new ones, so that their statements are logged.
    let logged = Store::connect(address).await?;
    let folder = tempfile::tempdir()?;
    let (quiet, session) = (site(store, folder.path())?, session(store).await?);
    let told = site(&logged, folder.path())?;
    let lenses = Family::ALL.iter().map(|f| f.key());
    let lenses = std::iter::once("estate").chain(lenses);
    let mut paths: Vec<String> = lenses.map(|l| format!("/lens/{l}")).collect();
    let one: i64 = sqlx::query_scalar("select min(id) from sites")
        .fetch_one(&store.pool)
        .await?;
    paths.extend([
        "/lens/estate?state=failing&page=7".into(),
        "/lens/estate?q=site+4&page=2".into(),
        "/worklist".into(),
        format!("/sites/{one}"),
    ]);
    say(
        "pages, 5,000 sites (ms): 95th percentile of the page, of its SQL in psql, \
        their difference; kB",
    );
    for path in &paths {
        log.skip()?;
        get(&told, path, &session, "identity").await?;
        let sql = log.statements()?;
        // psql logs as well; it is not read again.
        let alone = psql::time(address, &sql, TIMES)?;
        let (mut times, mut bytes) = (Vec::new(), 0);
        for _ in 0..TIMES {
            let began = Instant::now();
            bytes = get(&quiet, path, &session, "identity").await?.len();
            times.push(began.elapsed().as_secs_f64() * 1000.0);
        }
        times.sort_by(f64::total_cmp);
        let (page, sql_ms) = (percentile(&times, 0.95), percentile(&alone, 0.95));
        say(&format!(
            "  {path:38} {page:6.1} {sql_ms:6.1} {:6.1}  {:4} kB  ({} statements; medians \
            {:.1} and {:.1})",
            page - sql_ms,
            bytes / 1000,
            sql.len(),
            percentile(&times, 0.5),
            percentile(&alone, 0.5),
        ));
    }
    wire(&quiet, &session).await
}

/// Prints the sizes of the rows, so that the figures can be judged.
async fn sizes(store: &Store) -> Result<()> {
    let (sites, findings, per_visit): (i64, i64, i64) = sqlx::query_as(
        "select (select count(*) from sites), (select count(*) from findings),
            (select (avg(pg_column_size(seen)) + (select sum(pg_column_size(evidence)) from \
            findings) / (select count(*) from observations))::bigint from observations)",
    )
    .fetch_one(&store.pool)
    .await?;
    say(&format!(
        "estate: {sites} sites, {findings} findings, {per_visit} bytes kept of a visit (compressed)"
    ));
    Ok(())
}

async fn session(store: &Store) -> Result<String> {
    let mut tx = store.begin().await?;
    let person = tx
        .add_person("bench@fenwick.example", "Bench", Role::Viewer, "")
        .await?;
    let until = jiff::Timestamp::now() + jiff::SignedDuration::from_hours(1);
    let from = newtfern_store::access::sessions::From::default();
    let session = tx.open_session(person, until, &from, true).await?;
    tx.commit().await?;
    Ok(session)
}

/// The acts over a database, with nothing outside.
pub fn acts(store: &Store, folder: &std::path::Path) -> Result<Acts> {
    let sealer = Sealer::from_file(&folder.join("seal.key"))?;
    Ok(Acts::new(
        store.clone(),
        Blobs::folder(folder)?,
        sealer,
        Arc::new(NoOutside),
    ))
}

fn site(store: &Store, folder: &std::path::Path) -> Result<Router> {
    Ok(newtfern_web::router::router(App::new(
        acts(store, folder)?,
        Settings::default(),
    )))
}

async fn get(router: &Router, path: &str, session: &str, encoding: &str) -> Result<Vec<u8>> {
    let request = Request::builder()
        .uri(path)
        .header("cookie", format!("newtfern={session}"))
        .header("accept-encoding", encoding)
        .body(Body::empty())?;
    let answer = router.clone().oneshot(request).await?;
    let status = answer.status();
    anyhow::ensure!(status == 200, "{path} answers {status}");
    let body = axum::body::to_bytes(answer.into_body(), 10 << 20).await?;
    Ok(body.to_vec())
}

/// The first page with its styles, scripts and pictures, as brotli; fonts apart.
async fn wire(router: &Router, session: &str) -> Result<()> {
    newtfern_web::assets::prepare();
    let plain = get(router, "/lens/estate", session, "identity").await?;
    let html = String::from_utf8(plain)?;
    let named: BTreeSet<&str> = html
        .split("\"/assets/")
        .skip(1)
        .filter_map(|rest| rest.split('"').next())
        .collect();
    let page = get(router, "/lens/estate", session, "br").await?.len();
    let mut parts = vec![format!("page {:.1}", page as f64 / 1000.0)];
    let mut total = page;
    for name in named {
        let path = format!("/assets/{name}");
        let bytes = get(router, &path, session, "br").await?.len();
        total += bytes;
        let plain = name.split('.').next().context("a name")?;
        parts.push(format!("{plain} {:.1}", bytes as f64 / 1000.0));
    }
    say(&format!(
        "first page on the wire, fonts apart: {:.1} kB ({})",
        total as f64 / 1000.0,
        parts.join(", ")
    ));
    Ok(())
}

/// The estate asks nothing of the outside.
struct NoOutside;

#[async_trait::async_trait]
impl Outside for NoOutside {
    async fn look(&self, _: &str, _: &[Platform]) -> AddressReport {
        AddressReport::default()
    }
    async fn page(&self, address: &Url) -> PageCopy {
        PageCopy::lost(address, "nothing is asked of the outside")
    }
    async fn picture(&self, _: &Url) -> Result<Vec<u8>, String> {
        Err("nothing is asked of the outside".into())
    }
    async fn visit(&self, _: &Url, _: &Supplier) -> Result<ProposingVisit, String> {
        Err("nothing is asked of the outside".into())
    }
    async fn read_slot(&self, _: &Url, _: &str) -> Result<SlotText, SlotError> {
        Err(SlotError::Token)
    }
    async fn write_slot(&self, _: &Url, _: &str, _: &SlotText) -> Result<(), SlotError> {
        Err(SlotError::Token)
    }
    async fn call(
        &self,
        _: &str,
        _: &Url,
        _: &str,
        _: Option<&serde_json::Value>,
    ) -> Result<serde_json::Value, SlotError> {
        Err(SlotError::Token)
    }
    async fn publish(&self, _: &Url, _: &str) -> Result<(), SlotError> {
        Err(SlotError::Token)
    }
}
