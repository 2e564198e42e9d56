//! The store against real PostgreSQL: a database a test. `./run test` gives the server's address in
//! NEWTFERN_TEST_DATABASE (`newtfern admin with-database COMMAND`).
#![allow(clippy::unwrap_used)]

use newtfern_core::brand::Sheet;
use newtfern_core::observation::{Condition, Observation, Viewport};
use newtfern_core::standing::{Family, State};
use newtfern_store::people::Role;
use newtfern_store::queue::Done;
use newtfern_store::sites::{Filter, NewSite};
use newtfern_store::standings::NewStanding;
use newtfern_store::{Store, StoreError, scratch};
use serde_json::json;
use time::{Duration, OffsetDateTime};

async fn fresh() -> Store {
    let server = std::env::var(scratch::SERVER).expect("NEWTFERN_TEST_DATABASE is not set: run ./run test, or newtfern admin with-database cargo test");
    scratch::database(&server).await.unwrap()
}

async fn with_sites(n: usize) -> (Store, Vec<i64>) {
    let store = fresh().await;
    let client = store
        .add_client("Wendle Tide Mill", &Sheet::default())
        .await
        .unwrap();
    let mut ids = Vec::new();
    for i in 0..n {
        let site = NewSite {
            client_id: client,
            name: format!("Site {i}"),
            url: format!("https://mill{i}.example/"),
            ..NewSite::default()
        };
        ids.push(store.add_site(&site).await.unwrap());
    }
    (store, ids)
}

fn seen() -> Observation {
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

fn result() -> Done {
    Done {
        outcome: "working".into(),
        visits: vec![seen()],
        standings: vec![NewStanding {
            family: Family::Load,
            state: State::Passing,
            summary: "holds".into(),
            remedy: String::new(),
            detail: json!({}),
        }],
        ..Done::default()
    }
}

#[tokio::test]
async fn a_killed_worker_loses_nothing_and_repeats_no_result() {
    let (store, sites) = with_sites(1).await;
    store
        .start_round("check", "one", "test", &sites, &json!({}))
        .await
        .unwrap();
    let first = store.claim(&["check"]).await.unwrap().unwrap();
    assert!(
        store.claim(&["check"]).await.unwrap().is_none(),
        "a held job is not given twice"
    );
    // The worker is killed: its lease runs out.
    sqlx::query("update jobs set lease_until = now() - interval '1 second'")
        .execute(&store.pool)
        .await
        .unwrap();
    let second = store
        .claim(&["check"])
        .await
        .unwrap()
        .expect("the job is given again");
    assert_eq!(first.id, second.id);
    assert!(store.finish(&second, &result()).await.unwrap());
    // The first worker was only slow, and comes back with its result.
    assert!(!store.finish(&first, &result()).await.unwrap());
    assert!(!store.renew(&first, None).await.unwrap());
    let stored: i64 = sqlx::query_scalar("select count(*) from observations")
        .fetch_one(&store.pool)
        .await
        .unwrap();
    assert_eq!(stored, 1);
    assert_eq!(
        store.last_visits(sites[0]).await.unwrap()[0]
            .condition
            .viewport,
        Viewport::Phone
    );
}

#[tokio::test]
async fn many_workers_share_a_round_without_overlap() {
    let (store, sites) = with_sites(30).await;
    let round = store
        .start_round("check", "all", "test", &sites, &json!({}))
        .await
        .unwrap();
    let mut workers = tokio::task::JoinSet::new();
    for _ in 0..6 {
        let store = store.clone();
        workers.spawn(async move {
            let mut mine = Vec::new();
            while let Some(job) = store.claim(&["check"]).await.unwrap() {
                assert!(store.finish(&job, &result()).await.unwrap());
                mine.push(job.id);
            }
            mine
        });
    }
    let mut all: Vec<i64> = workers.join_all().await.into_iter().flatten().collect();
    all.sort_unstable();
    let given = all.len();
    all.dedup();
    assert_eq!((given, all.len()), (30, 30));
    let round = store.round(round).await.unwrap().unwrap();
    assert!(round.is_over() && round.done == 30 && round.percent() == 100);
}

#[tokio::test]
async fn a_job_that_kills_its_workers_is_given_up() {
    let (store, sites) = with_sites(1).await;
    store
        .start_round("check", "one", "test", &sites, &json!({}))
        .await
        .unwrap();
    for _ in 0..3 {
        store.claim(&["check"]).await.unwrap().expect("given");
        sqlx::query("update jobs set lease_until = now() - interval '1 second'")
            .execute(&store.pool)
            .await
            .unwrap();
    }
    assert!(store.claim(&["check"]).await.unwrap().is_none());
    let outcome: String = sqlx::query_scalar("select outcome from jobs")
        .fetch_one(&store.pool)
        .await
        .unwrap();
    assert!(outcome.contains("died 3 times"), "{outcome}");
}

#[tokio::test]
async fn a_cancelled_round_stops_what_waits_and_tells_what_runs() {
    let (store, sites) = with_sites(3).await;
    let round = store
        .start_round("weigh", "three", "test", &sites, &json!({}))
        .await
        .unwrap();
    let job = store.claim(&["weigh"]).await.unwrap().unwrap();
    assert!(store.renew(&job, Some((1, 40))).await.unwrap());
    store.cancel_round(round).await.unwrap();
    assert!(
        !store.renew(&job, Some((2, 40))).await.unwrap(),
        "the worker hears of it"
    );
    store.fail(&job, "cancelled", true).await.unwrap();
    assert!(store.claim(&["weigh"]).await.unwrap().is_none());
    let round = store.round(round).await.unwrap().unwrap();
    assert!(round.is_over() && round.done == 0);
}

#[tokio::test]
async fn notices_reach_whoever_listens() {
    let (store, sites) = with_sites(1).await;
    let mut events = newtfern_store::listen(&store.pool).await.unwrap();
    let round = store
        .start_round("check", "one", "test", &sites, &json!({}))
        .await
        .unwrap();
    let job = store.claim(&["check"]).await.unwrap().unwrap();
    store.finish(&job, &result()).await.unwrap();
    let notice: serde_json::Value = serde_json::from_str(
        &tokio::time::timeout(std::time::Duration::from_secs(10), events.next())
            .await
            .unwrap()
            .unwrap(),
    )
    .unwrap();
    assert_eq!(
        (notice["round"].as_i64(), notice["done"].as_bool()),
        (Some(round), Some(true))
    );
}

#[tokio::test]
async fn standings_are_counted_filtered_and_go_stale() {
    let (store, sites) = with_sites(4).await;
    let standing = |state| NewStanding {
        family: Family::Load,
        state,
        summary: String::new(),
        remedy: String::new(),
        detail: json!({}),
    };
    store
        .set_standing(sites[1], &standing(State::Failing))
        .await
        .unwrap();
    store
        .set_standing(sites[2], &standing(State::Passing))
        .await
        .unwrap();
    sqlx::query("update standings set at = now() - interval '8 days' where site_id = $1")
        .bind(sites[2])
        .execute(&store.pool)
        .await
        .unwrap();
    let counts = store.counts().await.unwrap();
    assert_eq!(
        (
            counts[&(Family::Load, State::Failing)],
            counts[&(Family::Load, State::Stale)],
            counts[&(Family::Load, State::NotYet)]
        ),
        (1, 1, 2)
    );
    let stale = Filter {
        family: Some(Family::Load),
        state: Some(State::Stale),
        ..Filter::default()
    };
    assert_eq!(store.site_ids(&stale).await.unwrap(), [sites[2]]);
    let (rows, total) = store
        .sites(
            &Filter {
                worst_in: Some(Family::Load),
                ..Filter::default()
            },
            0,
            2,
        )
        .await
        .unwrap();
    assert_eq!((rows[0].id, rows[1].id, total), (sites[1], sites[2], 4));
    // What is typed is searched as it stands: no wildcards.
    assert_eq!(
        store
            .sites(
                &Filter {
                    search: "mill_.ex".into(),
                    ..Filter::default()
                },
                0,
                9
            )
            .await
            .unwrap()
            .1,
        0
    );
    assert_eq!(
        store
            .sites(
                &Filter {
                    search: "MILL3.ex".into(),
                    ..Filter::default()
                },
                0,
                9
            )
            .await
            .unwrap()
            .1,
        1
    );
}

#[tokio::test]
async fn an_address_is_taken_once() {
    let (store, _) = with_sites(1).await;
    let again = NewSite {
        client_id: 1,
        name: "Again".into(),
        url: "https://mill0.example/".into(),
        ..NewSite::default()
    };
    assert!(matches!(
        store.add_site(&again).await,
        Err(StoreError::Taken { .. })
    ));
    let families: i64 = sqlx::query_scalar("select count(*) from standings")
        .fetch_one(&store.pool)
        .await
        .unwrap();
    assert_eq!(families, Family::ALL.len() as i64, "nothing is half added");
}

#[tokio::test]
async fn sessions_and_links_end() {
    let (store, sites) = with_sites(1).await;
    let person = store
        .add_person("One@Fenwick.example", "One", Role::Viewer, "x")
        .await
        .unwrap();
    let now = OffsetDateTime::now_utc();
    let live = store
        .open_session(person, now + Duration::days(1))
        .await
        .unwrap();
    let old = store
        .open_session(person, now - Duration::seconds(1))
        .await
        .unwrap();
    assert_eq!(
        store.session(&live).await.unwrap().unwrap().person.role(),
        Role::Viewer
    );
    assert!(
        store.session(&old).await.unwrap().is_none()
            && store.session("guess").await.unwrap().is_none()
    );
    store.close_session(&live).await.unwrap();
    assert!(store.session(&live).await.unwrap().is_none());

    let first = store
        .add_handover(
            sites[0],
            "<p>sheet</p>",
            None,
            "One",
            now + Duration::days(1),
        )
        .await
        .unwrap();
    let sheet = store.handover_by_token(&first).await.unwrap().unwrap();
    let second = store
        .renew_link(sheet.id, now + Duration::days(1))
        .await
        .unwrap();
    assert!(
        store.handover_by_token(&first).await.unwrap().is_none(),
        "a new link ends the old one"
    );
    assert!(
        store.accept_handover(sheet.id, "The miller").await.unwrap()
            && !store.accept_handover(sheet.id, "Another").await.unwrap()
    );
    store.withdraw_handover(sheet.id).await.unwrap();
    assert!(store.handover_by_token(&second).await.unwrap().is_none());
    let expired = store
        .renew_link(sheet.id, now - Duration::seconds(1))
        .await
        .unwrap();
    assert!(store.handover_by_token(&expired).await.unwrap().is_none());
}
