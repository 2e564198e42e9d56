//! An estate as large as a large agency's: 5,000 sites with the rows of a real check each, and 20
//! findings each.

use anyhow::{Context, Result};
use newtfern_core::assess::{Expectation, Judged};
use newtfern_core::chain::Expect;
use newtfern_core::consent::Region;
use newtfern_core::family::{Family, Standing};
use newtfern_core::finding::{Evidence, Finding, Severity};
use newtfern_core::observation::Observation;
use newtfern_core::pages::PageRules;
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
use newtfern_store::checks::NewCheck;

/// Sites of the estate.
pub const SITES_IN_ALL: i64 = 5000;
/// Findings of each site.
const FINDINGS: usize = 20;

/// A real check of a stand-in: what was seen and what is found in it.
///
/// # Errors
/// Where no browser can be had.
pub async fn one_check(
    standins: &Standins,
    supplier: &Supplier,
) -> Result<(Judged, Vec<Observation>)> {
    let site = SITES.iter().find(|s| s.fault.is_none() && !s.banner);
    let site = site.context("a site in order")?;
    let (url, key) = (url::Url::parse(&site.address(standins.port))?, site.key());
    let guard = Guard::open();
    let (pool, http) = (Pool::new(guard.clone(), None), Http::new(guard, None)?);
    let order = CheckOrder::of(&url, supplier, "bench");
    let evidence = check::run(&pool, &http, &order).await?;
    pool.close().await;
    let layer = newtfern_core::design::Layer::default();
    let design = newtfern_core::design::Design::resolve(&layer, &layer, &layer);
    let region = Region::for_country(&newtfern_store::profiles::regions(), "GB");
    let expectation = Expectation {
        supplier,
        rivals: &[],
        key: &key,
        consent: None,
        design: &design,
        brand: None,
        region: &region,
        rules: &PageRules::default(),
        expect: Expect::Present,
        widget: &newtfern_core::expectation::Widget::of(&supplier.id, &key),
        time_zone: "",
    };
    let at = jiff::Timestamp::now();
    let judged =
        newtfern_core::assess::check(&expectation, &evidence.visits, &evidence.asides, at, None);
    Ok((judged, evidence.visits))
}

/// One finding with the evidence that a real one has.
fn finding(n: usize) -> Finding {
    let codes = newtfern_core::code::Code::ALL;
    let code = codes[n % codes.len()];
    let severity = [Severity::Note, Severity::Warning, Severity::Fault][n % 3];
    let words = "The launcher and the bar of the page overlap (31 % of the launcher).";
    let remedy = "Change the launcher's corner or offsets so that both can be used.";
    let request = Evidence::Request {
        url: format!("https://cdn.brindle.example/part-{n}.js"),
        outcome: "status 200, 48 kB, 210 ms".into(),
    };
    Finding::new(code, severity, words, remedy)
        .with(request)
        .with(Evidence::fact("the launcher's box is 60 x 60 at 1200, 720"))
}

/// The sites and their rows. One site is kept through the store; the others are given copies of its
/// rows by the database itself, every fifth one failing.
///
/// # Errors
/// Where the database refuses.
pub async fn fill(store: &Store, checked: &(Judged, Vec<Observation>)) -> Result<()> {
    let mut families = checked.0.families.clone();
    for (i, a) in families.iter_mut().enumerate() {
        let wanted = if i == 0 {
            FINDINGS - (checked.0.families.len() - 1) * 4
        } else {
            4
        };
        a.findings = (0..wanted).map(|n| finding(n + i * 7)).collect();
    }
    let mut tx = store.begin().await?;
    let sheet = newtfern_core::brand::BrandSheet::default();
    let mut clients = Vec::new();
    for n in 0..200 {
        clients.push(
            tx.add_client(&format!("Client {n:03} of the mills"), &sheet)
                .await?,
        );
    }
    let mut sites = Vec::new();
    for i in 0..SITES_IN_ALL {
        let fields = SiteFields {
            name: format!("Site {i}"),
            url: format!("https://s{i}.example/"),
            ..SiteFields::default()
        };
        let client = clients[(i as usize * 7) % clients.len()];
        sites.push(tx.add_site(client, &fields).await?);
    }
    let now = jiff::Timestamp::now();
    let mut kept = NewCheck::of(sites[0], "check", now, families);
    kept.visits = checked.1.clone();
    let first = tx.keep_check(&kept).await?;
    tx.commit().await?;
    for sql in include_str!("copies.sql").split(";\n") {
        sqlx::query(sqlx::AssertSqlSafe(sql.to_string()))
            .bind(first)
            .execute(&store.pool)
            .await
            .with_context(|| sql.to_string())?;
    }
    let failing: Vec<i64> = sites.iter().copied().step_by(5).skip(1).collect();
    let state = Standing::Failing.key();
    sqlx::query("update standings set state = $2 where site_id = any($1) and family = $3")
        .bind(&failing)
        .bind(state)
        .bind(Family::Load.key())
        .execute(&store.pool)
        .await?;
    let mut tx = store.begin().await?;
    tx.refresh(&sites).await?;
    tx.commit().await?;
    store.tidy().await?;
    sqlx::query("vacuum analyze").execute(&store.pool).await?;
    Ok(())
}
