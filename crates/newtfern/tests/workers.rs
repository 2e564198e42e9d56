//! Worker processes on one database: one is killed in the middle, the other finishes the round.
#![allow(clippy::unwrap_used)]

use newtfern_model::job::JobKind;
use newtfern_model::profile::Supplier;
use newtfern_model::site::SiteFields;
use newtfern_standards::observation::Observation;
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_standins::Standins;
use newtfern_standins::estate::SITES;
use newtfern_store::Store;
use newtfern_store::results::checks::Drawing;
use newtfern_store::results::queue::Urgency;
use newtfern_store::server::scratch;
use newtfern_verdict::brand::BrandSheet;
use newtfern_verdict::family::detail::pages::PageState;
use newtfern_verdict::family::{Detail, Family, Standing};
use std::path::Path;
use std::time::{Duration, Instant};
use tokio::process::{Child, Command};

fn command(database: &str, folder: &Path) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_newtfern"));
    command
        .args(["worker", "--database", database, "--folder"])
        .arg(folder)
        .env("TMPDIR", folder)
        .kill_on_drop(true);
    command
}

fn worker(database: &str, folder: &Path) -> Child {
    command(database, folder).spawn().unwrap()
}

async fn count(store: &Store, sql: &'static str) -> i64 {
    sqlx::query_scalar(sql)
        .fetch_one(&store.pool)
        .await
        .unwrap()
}

/// Processes of the browser whose profile lies in this folder.
fn browsers_in(folder: &Path) -> usize {
    let wanted = format!("--user-data-dir={}", folder.display());
    let lines = std::fs::read_dir("/proc")
        .unwrap()
        .filter_map(|p| std::fs::read(p.ok()?.path().join("cmdline")).ok());
    lines
        .filter(|line| String::from_utf8_lossy(line).contains(&wanted))
        .count()
}

/// Asks until the answer is yes.
async fn until(what: &str, ask: impl AsyncFn() -> bool) {
    let began = Instant::now();
    while !ask().await {
        assert!(
            began.elapsed() < Duration::from_secs(180),
            "waited in vain for: {what}"
        );
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
}

/// The network rule that allows the stand-ins, or not.
fn rule(allow_private: bool) -> PrivateHosts {
    let own = if allow_private { "*.localhost" } else { "" };
    PrivateHosts::read(own).unwrap()
}

/// The stand-ins' sites that are in order, under a network rule.
async fn estate(store: &Store, standins: &Standins, allow_private: bool) -> Vec<i64> {
    let text = newtfern_standins::supplier_profile(standins.port);
    let supplier = Supplier::from_toml(&text).unwrap();
    let mut tx = store.begin().await.unwrap();
    tx.put_supplier(&supplier, &text).await.unwrap();
    tx.set_private_hosts(&rule(allow_private)).await.unwrap();
    let client = tx
        .add_client("Wendle Tide Mill", &BrandSheet::default())
        .await
        .unwrap();
    let mut sites = Vec::new();
    for site in SITES.iter().filter(|s| s.fault.is_none() && !s.banner) {
        let new = SiteFields {
            name: site.host.into(),
            url: site.address(standins.port),
            supplier_id: Some(supplier.id.clone()),
            key: site.key(),
            ..SiteFields::default()
        };
        sites.push(tx.add_site(client, &new).await.unwrap());
    }
    tx.commit().await.unwrap();
    sites
}

/// Pictures are taken in the usual manner only.
fn is_usual(visit: &Observation) -> bool {
    visit.condition.manner.is_usual()
}

/// The usual visits of a site's last check.
async fn usual_visits(store: &Store, site: i64) -> Vec<Observation> {
    let last = store.checks().last_check(site, "check").await;
    let (visits, _) = store
        .checks()
        .evidence_of(&last.unwrap().unwrap())
        .await
        .unwrap();
    visits.into_iter().filter(is_usual).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_killed_worker_loses_no_visit_and_repeats_no_result() {
    // One story: each part stands on what the one before left behind.
    let server =
        std::env::var(scratch::SERVER).expect("NEWTFERN_TEST_DATABASE is not set: run ./run test");
    let (store, database) = scratch::with_address(&server).await.unwrap();

    let standins = Standins::start(0, None).await.unwrap();
    let sites = estate(&store, &standins, true).await;
    let mut tx = store.begin().await.unwrap();
    let round = tx
        .start_round(JobKind::Check, "two", "test", &sites, Urgency::Round)
        .await
        .unwrap();
    tx.commit().await.unwrap();

    let folder = tempfile::tempdir().unwrap();
    let mut first = worker(&database, folder.path());
    let running = "select count(*) from jobs where state = 'running'";
    until("a job under way", async || {
        count(&store, running).await > 0 && browsers_in(folder.path()) > 0
    })
    .await;
    first.kill().await.unwrap();
    until("the end of the killed worker's browser", async || {
        browsers_in(folder.path()) == 0
    })
    .await;
    assert_eq!(
        count(&store, running).await,
        1,
        "the killed worker's job still carries its name"
    );
    // What the clock does after a minute.
    sqlx::query(
        "update jobs set lease_until = now() - interval '1 second' where state = 'running'",
    )
    .execute(&store.pool)
    .await
    .unwrap();

    let mut second = worker(&database, folder.path());
    until("the end of the round", async || {
        count(
            &store,
            "select count(*) from jobs \
            where state in ('waiting', 'running') and not_before is null",
        )
        .await
            == 0
    })
    .await;
    let round = store.rounds().round(round).await.unwrap().unwrap();
    assert_eq!((round.done, round.failed), (2, 0));
    assert_eq!(
        count(&store, "select count(*) from jobs where attempts = 2").await,
        1,
        "the job of the killed worker was made again"
    );
    // Four visits a site: on both screens, enlarged, and for a second time. Each is stored once;
    // their pictures are where the other worker's are.
    assert_eq!(count(&store, "select count(*) from observations").await, 8);
    for (site, standings) in store.sites().standings_of(&sites).await.unwrap() {
        let load = standings.iter().find(|s| s.family == Family::Load).unwrap();
        assert_eq!(
            load.state,
            Standing::Passing,
            "site {site}: {}",
            load.summary
        );
    }
    let pictures =
        newtfern_store::results::blobs::Blobs::folder(&folder.path().join("blobs")).unwrap();
    for visit in usual_visits(&store, sites[0]).await {
        let kept = pictures
            .get(visit.picture.as_deref().unwrap())
            .await
            .unwrap()
            .unwrap();
        assert!(kept.starts_with(b"\x89PNG"));
    }

    // Cancelled, a job that is under way ends within seconds, and nothing of it is kept.
    let mut tx = store.begin().await.unwrap();
    let weighing = tx
        .start_round(JobKind::Weigh, "one", "test", &sites[..1], Urgency::Person)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let loads = "select count(*) from jobs where kind = 'weigh' and progress_done > 0";
    until("a weigh-in under way", async || {
        count(&store, loads).await > 0
    })
    .await;
    let asked = Instant::now();
    let mut tx = store.begin().await.unwrap();
    tx.cancel_round(weighing).await.unwrap();
    tx.commit().await.unwrap();
    until("its end", async || {
        store
            .rounds()
            .round(weighing)
            .await
            .unwrap()
            .unwrap()
            .is_over()
    })
    .await;
    assert!(
        asked.elapsed() < Duration::from_secs(30),
        "{:?}",
        asked.elapsed()
    );
    let kept = "select count(*) from checks where kind = 'weigh'";
    assert_eq!(count(&store, kept).await, 0);

    // Asked to stop, a worker ends by itself and in order.
    let interrupted = Command::new("kill")
        .args(["-INT", &second.id().unwrap().to_string()])
        .status()
        .await
        .unwrap();
    assert!(interrupted.success());
    assert!(second.wait().await.unwrap().success());
}

/// An administrator who changes the network rule does not have to start the workers anew.
#[tokio::test(flavor = "multi_thread")]
async fn the_network_rule_holds_from_the_next_job_on() {
    let server = std::env::var(scratch::SERVER).expect("run ./run test");
    let (store, database) = scratch::with_address(&server).await.unwrap();
    let standins = Standins::start(0, None).await.unwrap();
    let sites = estate(&store, &standins, false).await;
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("log");
    let said = std::fs::File::create(&log).unwrap();
    let bucket = std::env::var("NEWTFERN_TEST_BUCKET").expect("run ./run test");
    let bucket = format!("{bucket}/{}", newtfern_store::fresh_token());
    let mut worker = command(&database, folder.path())
        .env("NEWTFERN_BLOBS", &bucket)
        .stderr(said)
        .spawn()
        .unwrap();
    let look = async |allow: bool| {
        let mut tx = store.begin().await.unwrap();
        tx.set_private_hosts(&rule(allow)).await.unwrap();
        let round = tx
            .start_round(JobKind::Check, "one", "test", &sites[..1], Urgency::Person)
            .await
            .unwrap();
        tx.commit().await.unwrap();
        until("the end of the job", async || {
            store
                .rounds()
                .round(round)
                .await
                .unwrap()
                .unwrap()
                .is_over()
        })
        .await;
        let round = store.rounds().round(round).await.unwrap().unwrap();
        (round.done, round.failed)
    };
    assert_eq!(look(false).await, (0, 1));
    let why: String = sqlx::query_scalar("select outcome from jobs order by id desc limit 1")
        .fetch_one(&store.pool)
        .await
        .unwrap();
    assert!(why.contains("private"), "{why}");
    assert_eq!(look(true).await, (1, 0));
    // What it saw is where other machines find it, and nowhere else.
    let shared = newtfern_store::results::blobs::Blobs::bucket(&bucket).unwrap();
    for visit in usual_visits(&store, sites[0]).await {
        let picture = shared.get(visit.picture.as_deref().unwrap()).await;
        assert!(picture.unwrap().unwrap().starts_with(b"\x89PNG"));
        let html = shared.get(visit.page.html_blob.as_deref().unwrap()).await;
        let html = String::from_utf8(html.unwrap().unwrap().to_vec()).unwrap();
        assert!(
            html.contains("<html") && visit.page.html.is_empty(),
            "{html}"
        );
    }
    assert!(!folder.path().join("blobs").exists());
    assert_eq!(look(false).await, (0, 1));
    worker.kill().await.unwrap();
    // That it runs as root is said once, not at each start of a browser.
    let said = std::fs::read_to_string(&log).unwrap();
    let root = rustix::process::geteuid().is_root();
    let told = said.matches("without its sandbox").count();
    assert_eq!(told, usize::from(root), "{said}");
}

/// A survey needs no browser: the worker looks through the site's pages and keeps what it saw.
#[tokio::test(flavor = "multi_thread")]
async fn a_survey_tells_pages_and_widget_of_a_site() {
    let server =
        std::env::var(scratch::SERVER).expect("NEWTFERN_TEST_DATABASE is not set: run ./run test");
    let (store, database) = scratch::with_address(&server).await.unwrap();
    let standins = Standins::start(0, None).await.unwrap();
    let sites = estate(&store, &standins, true).await;
    let mut tx = store.begin().await.unwrap();
    tx.start_round(JobKind::Survey, "one", "test", &sites[..1], Urgency::Person)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let folder = tempfile::tempdir().unwrap();
    let _worker = worker(&database, folder.path());
    until("the end of the survey", async || {
        store.sites().survey(sites[0]).await.unwrap().is_some()
    })
    .await;
    let seen = store.sites().survey(sites[0]).await.unwrap().unwrap().seen;
    assert_eq!(seen.pages.len(), 4, "{seen:#?}");
    let widget = &seen.widgets[0];
    let told = (widget.supplier.as_deref(), widget.pages, widget.runs);
    assert_eq!(told, (Some("brindle"), 4, 4));
    let (pages, total) = store
        .sites()
        .pages_found(sites[0], None, "", 0, 9)
        .await
        .unwrap();
    assert_eq!((total, pages[0].kind.word()), (4, "home"));
    assert_eq!(browsers_in(folder.path()), 0);
}

/// All pages of a site by the rules of its form: the worker goes there, and what it saw stands in
/// the family of its own, page by page.
#[tokio::test(flavor = "multi_thread")]
async fn all_pages_are_judged_by_the_sites_own_rules() {
    let server =
        std::env::var(scratch::SERVER).expect("NEWTFERN_TEST_DATABASE is not set: run ./run test");
    let (store, database) = scratch::with_address(&server).await.unwrap();
    let standins = Standins::start(0, None).await.unwrap();
    let site = estate(&store, &standins, true).await[0];
    let mut fields = store
        .sites()
        .site(site)
        .await
        .unwrap()
        .unwrap()
        .fields()
        .clone();
    fields.pages_not_on = "/privacy".into();
    let mut tx = store.begin().await.unwrap();
    tx.set_site(site, &fields).await.unwrap();
    tx.start_round(JobKind::Pages, "one", "test", &[site], Urgency::Person)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let folder = tempfile::tempdir().unwrap();
    let _worker = worker(&database, folder.path());
    let last = async || {
        store
            .checks()
            .last_check(site, JobKind::Pages.key())
            .await
            .unwrap()
    };
    until("the end of the look", async || last().await.is_some()).await;
    let drawings = store
        .checks()
        .drawings(&[site], Some(Family::Pages))
        .await
        .unwrap();
    let Some(Drawing::Known(detail)) = drawings.get(&(site, Family::Pages)) else {
        panic!("no drawing: {drawings:?}");
    };
    let Detail::Pages(pages) = detail.as_ref() else {
        panic!("another drawing: {detail:?}");
    };
    let states: Vec<(&str, PageState, Option<&str>)> = pages
        .pages
        .iter()
        .map(|p| {
            let path = p.row.url.as_str().rsplit_once('/').unwrap().1;
            (path, PageState::of(&p.row), p.rule.as_deref())
        })
        .collect();
    assert_eq!(states.len(), 4, "{states:?}");
    assert!(
        states.contains(&("", PageState::Right, Some("/**"))),
        "{states:?}"
    );
    // The platform's footer is on every page, so the one that should be without it has it too much.
    assert!(
        states.contains(&("privacy", PageState::Unwanted, Some("/privacy"))),
        "{states:?}"
    );
    let standings = store.sites().standings_of(&[site]).await.unwrap();
    let stood = standings[&site]
        .iter()
        .find(|s| s.family == Family::Pages)
        .unwrap();
    assert_eq!(stood.state, Standing::Failing);
    assert!(stood.summary.contains("1 unwanted"), "{}", stood.summary);
    assert!(!stood.remedy.is_empty());
    let (_, total) = store
        .sites()
        .pages_found(site, None, "", 0, 9)
        .await
        .unwrap();
    assert_eq!(total, 4);
}
