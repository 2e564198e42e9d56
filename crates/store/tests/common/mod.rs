//! A database of its own for each test, and what the tests put into it.
#![allow(dead_code)]

use jiff::Timestamp;
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteFields;
use newtfern_standards::observation::{Condition, Observation, Viewport};
use newtfern_store::Store;
use newtfern_store::results::checks::NewCheck;
use newtfern_store::results::queue::{Job, Urgency};
use newtfern_store::server::scratch;
use newtfern_verdict::brand::BrandSheet;
use newtfern_verdict::family::{Family, FamilyResult, Standing};

pub async fn fresh() -> Store {
    let server = std::env::var(scratch::SERVER).expect(
        "NEWTFERN_TEST_DATABASE is not set: run \
        ./run test, or newtfern admin with-database cargo test",
    );
    scratch::database(&server).await.unwrap()
}

pub fn fields(i: usize) -> SiteFields {
    SiteFields {
        name: format!("Site {i}"),
        url: format!("https://mill{i}.example/"),
        ..SiteFields::default()
    }
}

pub async fn with_sites(n: usize) -> (Store, Vec<i64>) {
    let store = fresh().await;
    let mut tx = store.begin().await.unwrap();
    let client = tx
        .add_client("Wendle Tide Mill", &BrandSheet::default())
        .await
        .unwrap();
    let mut ids = Vec::new();
    for i in 0..n {
        ids.push(tx.add_site(client, &fields(i)).await.unwrap());
    }
    tx.commit().await.unwrap();
    (store, ids)
}

pub fn seen() -> Observation {
    Observation {
        url: "https://mill0.example/".into(),
        final_html: "a\u{0}b".into(),
        condition: Condition {
            viewport: Viewport::Phone,
            ..Condition::default()
        },
        ..Observation::default()
    }
}

pub fn assessed(family: Family, standing: Standing, summary: &str) -> FamilyResult {
    FamilyResult {
        family,
        standing,
        summary: summary.into(),
        remedy: String::new(),
        findings: vec![],
        detail: None,
    }
}

pub fn check(site: i64, at: Timestamp, families: Vec<FamilyResult>) -> NewCheck {
    NewCheck {
        visits: vec![seen()],
        ..NewCheck::of(
            site,
            newtfern_model::job::CheckKind::Job(newtfern_model::job::JobKind::Check),
            at,
            families,
        )
    }
}

/// Keeps a check; gives its id.
pub async fn keep(store: &Store, new: &NewCheck) -> i64 {
    let mut tx = store.begin().await.unwrap();
    let id = tx.keep_check(new).await.unwrap();
    tx.commit().await.unwrap();
    id
}

/// How a site stands in a family, with its words.
pub async fn stands(store: &Store, site: i64, family: Family) -> (Standing, String) {
    let all = store
        .sites()
        .standings_of(&[site])
        .await
        .unwrap()
        .remove(&site)
        .unwrap();
    let found = all.into_iter().find(|s| s.family == family).unwrap();
    (found.state, found.summary)
}

pub async fn round(store: &Store, kind: JobKind, sites: &[i64], urgency: Urgency) -> i64 {
    let mut tx = store.begin().await.unwrap();
    let id = tx
        .start_round(kind, "some", "test", sites, urgency)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    id
}

/// What a worker does with a result: the check and the end of the job together, or nothing.
pub async fn finish(store: &Store, job: &Job) -> bool {
    let load = assessed(Family::Load, Standing::Passing, "holds");
    let mut new = check(job.site_id, Timestamp::now(), vec![load]);
    new.job = Some(job.id);
    let mut tx = store.begin().await.unwrap();
    tx.keep_check(&new).await.unwrap();
    let held = tx.finish_job(job, "working").await.unwrap();
    if held {
        tx.commit().await.unwrap();
    }
    held
}

pub async fn count(store: &Store, sql: &'static str) -> i64 {
    sqlx::query_scalar(sql)
        .fetch_one(&store.pool)
        .await
        .unwrap()
}

pub async fn run(store: &Store, sql: &'static str) {
    sqlx::query(sql).execute(&store.pool).await.unwrap();
}
