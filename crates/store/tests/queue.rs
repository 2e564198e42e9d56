//! The queue against real PostgreSQL: leases, turns, cancelling, notices.
#![allow(clippy::unwrap_used)]

use crate::common::{count, finish, round, run, with_sites};
use newtfern_model::job::JobKind::{self, Check, Preview, Weigh};
use newtfern_store::results::queue::Urgency;
use newtfern_verdict::family::{Family, Standing};

const OVER: &str = "update jobs set lease_until = now() - interval '1 second'";

#[tokio::test]
async fn a_killed_worker_loses_nothing_and_repeats_no_result() {
    let (store, sites) = with_sites(1).await;
    round(&store, Check, &sites, Urgency::Round).await;
    let first = store.queue().claim().await.unwrap().unwrap();
    assert!(
        store.queue().claim().await.unwrap().is_none(),
        "a held job is not given twice"
    );
    // The worker is killed: its lease runs out.
    run(&store, OVER).await;
    let second = store
        .queue()
        .claim()
        .await
        .unwrap()
        .expect("the job is given again");
    assert_eq!(first.id, second.id);
    assert!(finish(&store, &second).await);
    // The first worker was only slow, and comes back with its result.
    assert!(!finish(&store, &first).await);
    assert!(
        !store.queue().renew(&first, None).await.unwrap()
            && !store.queue().is_wanted(&first).await.unwrap()
    );
    assert_eq!(count(&store, "select count(*) from observations").await, 1);
    assert_eq!(count(&store, "select count(*) from checks").await, 1);
}

#[tokio::test]
async fn many_workers_share_a_round_without_overlap() {
    let (store, sites) = with_sites(30).await;
    let id = round(&store, Check, &sites, Urgency::Round).await;
    let mut workers = tokio::task::JoinSet::new();
    for _ in 0..6 {
        let store = store.clone();
        workers.spawn(async move {
            let mut mine = Vec::new();
            while let Some(job) = store.queue().claim().await.unwrap() {
                assert!(finish(&store, &job).await);
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
    let round = store.rounds().round(id).await.unwrap().unwrap();
    assert!(round.is_over() && round.done == 30 && round.percent() == 100);
}

/// Whoever asks: a site that is named twice is visited once.
#[tokio::test]
async fn a_round_has_each_site_once_in_the_order_in_which_they_were_named() {
    let (store, sites) = with_sites(3).await;
    let named = [sites[2], sites[0], sites[2], sites[0], sites[1]];
    round(&store, Check, &named, Urgency::Round).await;
    assert_eq!(count(&store, "select count(*) from jobs").await, 3);
    let mut claimed = Vec::new();
    while let Some(job) = store.queue().claim().await.unwrap() {
        claimed.push(job.site_id);
    }
    assert_eq!(claimed, [sites[2], sites[0], sites[1]]);
}

#[tokio::test]
async fn a_job_that_kills_its_workers_is_given_up() {
    let (store, sites) = with_sites(1).await;
    round(&store, Check, &sites, Urgency::Round).await;
    for _ in 0..3 {
        store.queue().claim().await.unwrap().expect("given");
        run(&store, OVER).await;
    }
    assert!(store.queue().claim().await.unwrap().is_none());
    let outcome: String = sqlx::query_scalar("select outcome from jobs")
        .fetch_one(&store.pool)
        .await
        .unwrap();
    assert!(outcome.contains("died 3 times"), "{outcome}");
}

#[tokio::test]
async fn a_job_given_back_was_not_tried() {
    let (store, sites) = with_sites(1).await;
    round(&store, Check, &sites, Urgency::Round).await;
    for _ in 0..5 {
        let job = store
            .queue()
            .claim()
            .await
            .unwrap()
            .expect("given, however often it was given back");
        store.queue().give_back(&job).await.unwrap();
        assert!(!store.queue().is_wanted(&job).await.unwrap());
    }
}

/// What a person waits for goes first; rounds take turns, so that a small one does not wait for the
/// end of a large one; what nobody waits for comes last.
#[tokio::test]
async fn people_go_first_rounds_take_turns_and_idle_work_waits() {
    let (store, sites) = with_sites(6).await;
    round(&store, Preview, &sites[..1], Urgency::Idle).await;
    let large = round(&store, Check, &sites[..4], Urgency::Round).await;
    let small = round(&store, Weigh, &sites[..2], Urgency::Round).await;
    let person = round(&store, Check, &sites[5..], Urgency::Person).await;
    let mut order: Vec<(i64, JobKind)> = Vec::new();
    while let Some(job) = store.queue().claim().await.unwrap() {
        order.push((job.round_id, job.kind));
    }
    let rounds: Vec<i64> = order.iter().map(|(r, _)| *r).collect();
    assert_eq!(rounds[0], person);
    assert_eq!(rounds[1..5], [large, small, large, small]);
    assert_eq!(rounds[5..7], [large, large]);
    assert_eq!(order[7].1, Preview);
}

#[tokio::test]
async fn a_waiting_job_knows_how_many_are_before_it() {
    let (store, sites) = with_sites(3).await;
    round(&store, Check, &sites, Urgency::Round).await;
    let last = store
        .rounds()
        .job_under_way(sites[2])
        .await
        .unwrap()
        .unwrap();
    assert_eq!(
        (
            last.state.word(),
            store.rounds().ahead_of(last.id).await.unwrap()
        ),
        ("waiting", 2)
    );
    round(&store, Check, &sites[..1], Urgency::Person).await;
    assert_eq!(store.rounds().ahead_of(last.id).await.unwrap(), 3);
}

#[tokio::test]
async fn one_site_is_not_visited_twice_at_a_time() {
    let (store, sites) = with_sites(1).await;
    round(&store, Check, &sites, Urgency::Round).await;
    round(&store, Check, &sites, Urgency::Round).await;
    let first = store.queue().claim().await.unwrap().unwrap();
    assert!(
        store.queue().claim().await.unwrap().is_none(),
        "the other round's job waits"
    );
    assert!(finish(&store, &first).await);
    assert!(store.queue().claim().await.unwrap().is_some());
}

#[tokio::test]
async fn a_cancelled_round_stops_what_waits_and_tells_what_runs() {
    let (store, sites) = with_sites(3).await;
    let id = round(&store, Weigh, &sites, Urgency::Round).await;
    let job = store.queue().claim().await.unwrap().unwrap();
    assert!(store.queue().renew(&job, Some((1, 40))).await.unwrap());
    let mut tx = store.begin().await.unwrap();
    tx.cancel_round(id).await.unwrap();
    tx.commit().await.unwrap();
    assert!(
        !store.queue().renew(&job, Some((2, 40))).await.unwrap(),
        "the worker hears of it"
    );
    assert!(!store.queue().is_wanted(&job).await.unwrap());
    let mut tx = store.begin().await.unwrap();
    tx.fail_job(&job, "cancelled", true).await.unwrap();
    tx.commit().await.unwrap();
    assert!(store.queue().claim().await.unwrap().is_none());
    let round = store.rounds().round(id).await.unwrap().unwrap();
    assert!(round.is_over() && round.done == 0);
}

/// A notice tells of what is committed, and only then.
#[tokio::test]
async fn notices_reach_whoever_listens_once_they_are_true() {
    let (store, sites) = with_sites(1).await;
    let mut events = store.reads().listen().await.unwrap();
    let mut undone = store.begin().await.unwrap();
    undone
        .tell("progress", serde_json::json!({"round": 999}))
        .await
        .unwrap();
    drop(undone);
    let id = round(&store, Check, &sites, Urgency::Round).await;
    let job = store.queue().claim().await.unwrap().unwrap();
    assert!(finish(&store, &job).await);
    let mut done = false;
    while !done {
        let text = tokio::time::timeout(std::time::Duration::from_secs(30), events.next())
            .await
            .expect("a notice")
            .unwrap();
        let notice: serde_json::Value = serde_json::from_str(&text).unwrap();
        assert_eq!(notice["round"].as_i64(), Some(id), "{notice}");
        done = notice["done"].as_bool() == Some(true);
    }
}

/// Fifty deaths over five hundred jobs, each at another point: before a result, with a result that
/// is not committed, and after the commit. Nothing is lost and nothing is there twice. (A real
/// process is killed in the program's own tests; here the deaths are many.)
#[tokio::test]
async fn fifty_deaths_over_five_hundred_jobs_lose_and_double_nothing() {
    let (store, sites) = with_sites(500).await;
    let id = round(&store, Check, &sites, Urgency::Round).await;
    let mut workers = tokio::task::JoinSet::new();
    for worker in 0..4i64 {
        let store = store.clone();
        workers.spawn(async move {
            let mut deaths = 0;
            while let Some(job) = store.queue().claim().await.unwrap() {
                // Every tenth job dies once, in one of three ways; the others are done.
                let first: bool = sqlx::query_scalar("select attempts = 1 from jobs where id = $1")
                    .bind(job.id)
                    .fetch_one(&store.pool)
                    .await
                    .unwrap();
                if !first || job.site_id % 10 != 0 {
                    assert!(finish(&store, &job).await, "worker {worker}");
                    continue;
                }
                deaths += 1;
                match (job.site_id / 10) % 3 {
                    0 => {}
                    1 => {
                        // Dies with everything written and nothing committed.
                        let load = crate::common::assessed(Family::Load, Standing::Passing, "lost");
                        let at = jiff::Timestamp::now();
                        let mut new = crate::common::check(job.site_id, at, vec![load]);
                        new.job = Some(job.id);
                        let mut tx = store.begin().await.unwrap();
                        tx.keep_check(&new).await.unwrap();
                        assert!(tx.finish_job(&job, "lost").await.unwrap());
                        drop(tx);
                    }
                    _ => assert!(finish(&store, &job).await),
                }
                sqlx::query(
                    "update jobs set lease_until = now() - interval '1 second' where id = \
                    $1 and state = 'running'",
                )
                .bind(job.id)
                .execute(&store.pool)
                .await
                .unwrap();
            }
            deaths
        });
    }
    let deaths: i32 = workers.join_all().await.into_iter().sum();
    assert_eq!(deaths, 50);
    let round = store.rounds().round(id).await.unwrap().unwrap();
    assert_eq!((round.done, round.failed, round.waiting), (500, 0, 0));
    assert_eq!(count(&store, "select count(*) from checks").await, 500);
    assert_eq!(
        count(&store, "select count(distinct job_id) from checks").await,
        500
    );
    let passing = "select count(*) from standings where family = 'load' and state = 'passing'";
    assert_eq!(count(&store, passing).await, 500);
}

#[tokio::test]
async fn what_the_database_kept_from_its_end_waits_again_and_is_given_up_with_its_reason() {
    let (store, sites) = with_sites(1).await;
    let id = round(&store, Check, &sites, Urgency::Round).await;
    for left in [2, 1, 0] {
        let job = store.queue().claim().await.unwrap().unwrap();
        store
            .queue()
            .try_again(&job, "it was stopped")
            .await
            .unwrap();
        // What it stores now comes too late.
        assert!(!finish(&store, &job).await);
        let round = store.rounds().round(id).await.unwrap().unwrap();
        assert_eq!(round.is_over(), left == 0, "{left} tries are left");
    }
    let said = "select count(*) from jobs where state = 'failed' and outcome = 'it was stopped'";
    assert_eq!(count(&store, said).await, 1);
}

/// All times that were written down are an hour ahead then.
#[tokio::test]
async fn a_clock_that_is_set_back_keeps_no_job_from_being_taken_back() {
    let (store, sites) = with_sites(1).await;
    round(&store, Check, &sites, Urgency::Round).await;
    let first = store.queue().claim().await.unwrap().unwrap();
    run(
        &store,
        "update jobs set lease_until = lease_until + interval '1 hour'",
    )
    .await;
    let second = store.queue().claim().await.unwrap().unwrap();
    assert_eq!(first.id, second.id);
    assert!(finish(&store, &second).await && !finish(&store, &first).await);
}

/// Codes of PostgreSQL's documentation, appendix A.
#[tokio::test]
async fn a_connection_that_is_cut_is_passing_and_a_refusal_is_not() {
    let (store, _) = with_sites(1).await;
    let cut = async |sql: &'static str| {
        let asked = sqlx::query(sql).execute(&store.pool).await;
        let source = asked.unwrap_err();
        let doing = "asking";
        newtfern_store::StoreError::Database { doing, source }.is_passing()
    };
    assert!(cut("select pg_terminate_backend(pg_backend_pid())").await);
    assert!(!cut("select 1 / 0").await);
    assert!(!cut("select nothing").await);
    assert!(store.now().await.is_ok(), "the next one has its own");
}

#[tokio::test]
async fn a_planned_job_waits_for_its_time_and_replaces_the_one_before() {
    let (store, sites) = with_sites(2).await;
    let plan = async |site: i64, hours: Option<i64>| {
        let mut tx = store.begin().await.unwrap();
        let now = tx.now().await.unwrap();
        let at = hours.map(|h| now + jiff::SignedDuration::from_hours(h));
        tx.plan_job(Check, "Later", "Newtfern", site, at)
            .await
            .unwrap();
        tx.commit().await.unwrap();
    };
    let counts = "select count(*) from jobs";
    plan(sites[0], Some(5)).await;
    plan(sites[0], Some(3)).await;
    plan(sites[1], Some(8)).await;
    assert_eq!(count(&store, counts).await, 2, "one a site");
    assert_eq!(
        count(&store, "select count(*) from rounds").await,
        1,
        "one a day"
    );
    assert!(store.queue().claim().await.unwrap().is_none());
    // Nothing is under way, and nobody is told so.
    assert!(store.rounds().active_round().await.unwrap().is_none());
    assert!(
        store
            .rounds()
            .job_under_way(sites[0])
            .await
            .unwrap()
            .is_none()
    );
    let (id, at) = store
        .rounds()
        .planned_look(sites[0])
        .await
        .unwrap()
        .unwrap();
    let round = store.rounds().round(id).await.unwrap().unwrap();
    assert_eq!(round.planned_for, Some(at));
    // What is asked for meanwhile does not wait for it.
    let asked = crate::common::round(&store, Check, &sites[..1], Urgency::Round).await;
    let job = store.queue().claim().await.unwrap().unwrap();
    assert_eq!(job.round_id, asked);
    assert!(finish(&store, &job).await);
    run(
        &store,
        "update jobs set not_before = now() - interval '1 second'",
    )
    .await;
    let due = store.queue().claim().await.unwrap().unwrap();
    assert_eq!((due.round_id, due.site_id), (id, sites[0]));
    plan(sites[1], None).await;
    assert!(
        store.queue().claim().await.unwrap().is_none(),
        "not wanted any more"
    );
}
