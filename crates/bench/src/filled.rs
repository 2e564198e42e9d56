//! An estate as large as a large agency's: 5,000 sites with the rows of a real check each, and 20
//! findings each.

use anyhow::{Context, Result};
use newtfern_model::design::{Design, Layer};
use newtfern_model::expectation::{Expectation, Widget};
use newtfern_model::finding::{Evidence, Finding, Severity};
use newtfern_model::job::{CheckKind, JobKind};
use newtfern_model::pages::PageRules;
use newtfern_model::profile::Supplier;
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::region::Region;
use newtfern_model::site::SiteFields;
use newtfern_probe::browser::Pool;
use newtfern_probe::check;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standards::observation::Observation;
use newtfern_standins::Standins;
use newtfern_standins::estate::SITES;
use newtfern_store::Store;
use newtfern_store::results::checks::NewCheck;
use newtfern_verdict::assess::{Assessment, check as judge};
use newtfern_verdict::family::{Family, Standing};
use newtfern_verdict::site_check::{SiteCase, SitePage, Subject, WidgetVisits};
use newtfern_verdict::visits::{CheckOrder, CheckVisits};

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
) -> Result<(Assessment, Vec<Observation>)> {
    let site = SITES.iter().find(|s| s.fault.is_none() && !s.banner);
    let site = site.context("a site in order")?;
    let (url, key) = (url::Url::parse(&site.address(standins.port))?, site.key());
    let guard = Guard::open();
    let (pool, http) = (Pool::new(guard.clone(), None), Http::new(guard, None)?);
    let order = CheckOrder::of(&url, supplier, "bench");
    let evidence = check::run(&pool, &http, &order).await?;
    pool.close().await;
    let region = Region::for_country(&newtfern_store::profile::profiles::regions(), "GB");
    let mut expectation = Expectation::read(&format!("address = '{url}'"))?;
    expectation.widgets.push(Widget::of(&supplier.id, &key));
    expectation.set_design(&Design::of_layer(&Layer::default()));
    let subject = Subject {
        supplier,
        key: Some(&key),
        rules: PageRules::default(),
    };
    let visited = WidgetVisits {
        visits: CheckVisits::of(evidence.visits.clone(), ""),
        asides: evidence.asides,
        ..WidgetVisits::default()
    };
    let case = SiteCase {
        expectation: &expectation,
        subjects: &[subject],
        rivals: &[],
        consent: None,
        region: &region,
        sample_words: &SampleWords::default(),
        states: &[],
        at: jiff::Timestamp::now(),
        pages: &[SitePage::given_alone(&url, visited)],
        gaps: &[],
        closed: &[],
    };
    let judged = judge(&case, None, None);
    Ok((judged, evidence.visits))
}

/// One finding with the evidence that a real one has.
fn finding(n: usize) -> Finding {
    let codes = newtfern_model::code::Code::ALL;
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
pub async fn fill(store: &Store, checked: &(Assessment, Vec<Observation>)) -> Result<()> {
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
    let sheet = newtfern_verdict::brand::BrandSheet::default();
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
    let mut kept = NewCheck::of(sites[0], CheckKind::Job(JobKind::Check), now, families);
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
    store.care().tidy().await?;
    sqlx::query("vacuum analyze").execute(&store.pool).await?;
    Ok(())
}
