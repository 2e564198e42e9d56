//! Checks, findings and standings against real PostgreSQL: what is kept, what replaces what, what
//! grows old and what goes.
#![allow(clippy::unwrap_used)]

use crate::common::{assessed, check, count, keep, run, stands, with_sites};
use jiff::{SignedDuration, Timestamp};
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::Viewport;
use newtfern_store::estate::lists::{Filter, Order};
use newtfern_store::results::checks::Drawing;
use newtfern_verdict::echo::EchoResult;
use newtfern_verdict::family::{Detail, Family, FamilyResult, STALE_AFTER_S, Standing};

fn broken(code: Code, summary: &str) -> Finding {
    Finding::broken(code, summary, "Fix it.").with(Evidence::fact("seen \u{0} so"))
}

fn failing(family: Family, finding: Finding) -> FamilyResult {
    FamilyResult {
        findings: vec![finding],
        ..assessed(family, Standing::Failing, "fails")
    }
}

#[tokio::test]
async fn a_look_that_is_older_replaces_nothing() {
    let (store, sites) = with_sites(1).await;
    let now = Timestamp::now();
    let newer = vec![assessed(Family::Load, Standing::Passing, "newer")];
    keep(&store, &check(sites[0], now, newer)).await;
    // A slow worker comes back late with what it saw before.
    let older = vec![
        assessed(Family::Load, Standing::Failing, "older"),
        assessed(Family::Brand, Standing::Passing, "first look"),
    ];
    keep(
        &store,
        &check(sites[0], now - SignedDuration::from_mins(5), older),
    )
    .await;
    assert_eq!(
        stands(&store, sites[0], Family::Load).await,
        (Standing::Passing, "newer".into())
    );
    assert_eq!(
        stands(&store, sites[0], Family::Brand).await.0,
        Standing::Passing
    );
    assert_eq!(
        store.checks().page(sites[0], 0, 9).await.unwrap().len(),
        2,
        "both are in the history"
    );
}

/// A clock was an hour ahead, and was set right: what is seen from then on counts at once.
#[tokio::test]
async fn a_look_from_the_future_is_replaced_by_one_of_now() {
    let (store, sites) = with_sites(1).await;
    let ahead = Timestamp::now() + SignedDuration::from_hours(1);
    let future = vec![assessed(Family::Load, Standing::Passing, "ahead")];
    keep(&store, &check(sites[0], ahead, future)).await;
    let now = store.now().await.unwrap();
    let seen = vec![assessed(Family::Load, Standing::Failing, "now")];
    keep(&store, &check(sites[0], now, seen)).await;
    assert_eq!(
        stands(&store, sites[0], Family::Load).await,
        (Standing::Failing, "now".into())
    );
}

#[tokio::test]
async fn findings_visits_and_drawings_come_back_as_they_were_kept() {
    let (store, sites) = with_sites(1).await;
    let mut echo = assessed(Family::Echo, Standing::Passing, "answered");
    echo.detail = Some(Detail::Echo(Box::new(EchoResult {
        text: "Hello\u{0}".into(),
        ..EchoResult::default()
    })));
    let load = failing(Family::Load, broken(Code::ShownHidden, "It is hidden."));
    let now = Timestamp::now();
    keep(&store, &check(sites[0], now, vec![load, echo])).await;
    let found = store.checks().findings(sites[0]).await.unwrap();
    let finding = &found[&Family::Load][0];
    assert_eq!(
        (finding.code, finding.remedy.as_str()),
        (Code::ShownHidden, "Fix it.")
    );
    assert_eq!(finding.evidence.len(), 1);
    let last = store
        .checks()
        .last_check(sites[0], "check")
        .await
        .unwrap()
        .unwrap();
    let (visits, _) = store.checks().evidence_of(&last).await.unwrap();
    assert_eq!(visits[0].condition.viewport, Viewport::Phone);
    // What a page sends may hold what a database cannot.
    assert_eq!(visits[0].final_html, "a\u{fffd}b");
    let drawings = store
        .checks()
        .drawings(&sites, Some(Family::Echo))
        .await
        .unwrap();
    match &drawings[&(sites[0], Family::Echo)] {
        Drawing::Known(detail) => {
            assert!(matches!(detail.as_ref(), Detail::Echo(s) if s.text == "Hello\u{fffd}"))
        }
        Drawing::Older => panic!("it was kept just now"),
    }
    run(&store, "update drawings set version = 1").await;
    let drawings = store.checks().drawings(&sites, None).await.unwrap();
    assert!(matches!(
        drawings[&(sites[0], Family::Echo)],
        Drawing::Older
    ));
}

#[tokio::test]
async fn results_grow_old_and_what_they_rest_on_can_change() {
    let (store, sites) = with_sites(2).await;
    let now = Timestamp::now();
    let old = now - SignedDuration::from_secs(STALE_AFTER_S + 60);
    let load = || vec![assessed(Family::Load, Standing::Passing, "holds")];
    keep(&store, &check(sites[0], old, load())).await;
    keep(&store, &check(sites[1], now, load())).await;
    assert_eq!(store.care().age(STALE_AFTER_S).await.unwrap(), 1);
    assert_eq!(
        stands(&store, sites[0], Family::Load).await,
        (Standing::Stale, "Seen long ago: holds".into())
    );
    assert_eq!(
        stands(&store, sites[1], Family::Load).await.0,
        Standing::Passing
    );
    assert_eq!(
        store.care().age(STALE_AFTER_S).await.unwrap(),
        0,
        "once is enough"
    );
    let mut tx = store.begin().await.unwrap();
    let old = [Family::Load, Family::Echo].map(|f| (sites[1], f, "The key changed.".to_string()));
    tx.make_old(&old).await.unwrap();
    tx.commit().await.unwrap();
    assert_eq!(
        stands(&store, sites[1], Family::Load).await,
        (Standing::Stale, "The key changed.".into())
    );
    assert_eq!(
        stands(&store, sites[1], Family::Echo).await.0,
        Standing::NotYet,
        "never looked at"
    );
}

#[tokio::test]
async fn counts_filters_and_order_tell_the_same() {
    // One story: each part stands on what the one before left behind.
    let (store, sites) = with_sites(4).await;
    let now = Timestamp::now();
    let load = failing(Family::Load, broken(Code::ShownHidden, "It is hidden."));
    keep(&store, &check(sites[1], now, vec![load])).await;
    let passing = vec![assessed(Family::Load, Standing::Passing, "holds")];
    keep(&store, &check(sites[2], now, passing)).await;
    for tidied in [false, true] {
        if tidied {
            store.care().tidy().await.unwrap();
        }
        let counts = store.sites().counts().await.unwrap();
        let of = |family, standing| counts.get(&(family, standing)).copied().unwrap_or(0);
        assert_eq!(of(Some(Family::Load), Standing::Failing), 1);
        assert_eq!(of(Some(Family::Load), Standing::Passing), 1);
        assert_eq!(of(Some(Family::Load), Standing::NotYet), 2);
        // A site's own state is the worst of its families.
        assert_eq!(
            (of(None, Standing::Failing), of(None, Standing::NotYet)),
            (1, 3)
        );
    }
    let ids = async |filter: Filter| store.lists().site_ids(&filter).await.unwrap();
    let state = |state| Filter {
        state: Some(state),
        ..Filter::default()
    };
    assert_eq!(ids(state((None, Standing::Failing))).await, [sites[1]]);
    assert_eq!(
        ids(state((Some(Family::Load), Standing::Passing))).await,
        [sites[2]]
    );
    let words = |search: &str| Filter {
        search: search.into(),
        ..Filter::default()
    };
    // Words are searched as they stand, without wildcards, and codes are found.
    assert!(ids(words("mill_.ex")).await.is_empty());
    assert_eq!(ids(words("MILL3.ex")).await, [sites[3]]);
    assert_eq!(ids(words("shown.hidden mill")).await, [sites[1]]);
    let worst = Filter {
        order: Order::Worst,
        ..Filter::default()
    };
    let (rows, total) = store.lists().page(&worst, 0, 2).await.unwrap();
    assert_eq!(
        (rows[0].id, rows[0].state(), total),
        (sites[1], Standing::Failing, 4)
    );
    let family = Filter {
        order: Order::WorstIn(Family::Load),
        ..Filter::default()
    };
    let (rows, _) = store.lists().page(&family, 0, 9).await.unwrap();
    assert_eq!((rows[0].id, rows[3].id), (sites[1], sites[2]));
    // A site that goes takes its counts along.
    let mut tx = store.begin().await.unwrap();
    tx.remove_site(sites[1]).await.unwrap();
    tx.commit().await.unwrap();
    let counts = store.sites().counts().await.unwrap();
    assert_eq!(
        counts.get(&(None, Standing::Failing)).copied().unwrap_or(0),
        0
    );
}

#[tokio::test]
async fn old_checks_go_with_their_pictures_but_not_what_is_rested_on() {
    let (store, sites) = with_sites(1).await;
    let start = Timestamp::now();
    let mut ids = Vec::new();
    for i in 0..5i64 {
        let families = match i {
            0 => vec![assessed(Family::Brand, Standing::Passing, "rested on")],
            _ => vec![assessed(Family::Load, Standing::Passing, "holds")],
        };
        let mut new = check(sites[0], start + SignedDuration::from_secs(i), families);
        new.blobs = vec![format!("pictures/{i}.png"), "pictures/shared.png".into()];
        ids.push(keep(&store, &new).await);
    }
    sqlx::query("update checks set pinned = true where id = $1")
        .bind(ids[1])
        .execute(&store.pool)
        .await
        .unwrap();
    let gone = store.care().prune(2).await.unwrap();
    assert_eq!(
        gone,
        ["pictures/2.png"],
        "the shared picture is still another's"
    );
    let left: Vec<i64> = store
        .checks()
        .page(sites[0], 0, 9)
        .await
        .unwrap()
        .iter()
        .map(|c| c.id)
        .collect();
    assert_eq!(left, [ids[4], ids[3], ids[1], ids[0]]);
    assert_eq!(count(&store, "select count(*) from observations").await, 4);
    assert_eq!(stands(&store, sites[0], Family::Brand).await.1, "rested on");
}

#[tokio::test]
async fn the_worklist_batches_sites_by_what_is_next() {
    let (store, sites) = with_sites(5).await;
    let now = Timestamp::now();
    for (i, site) in sites.iter().enumerate() {
        let mut families: Vec<FamilyResult> = Family::ALL
            .into_iter()
            .map(|f| assessed(f, Standing::Passing, ""))
            .collect();
        let at = |family| Family::ALL.into_iter().position(|f| f == family).unwrap();
        match i {
            0 => {
                families[at(Family::Load)] =
                    failing(Family::Load, broken(Code::ShownHidden, "It is hidden."));
            }
            1 | 2 => {
                families[at(Family::Weigh)] = assessed(Family::Weigh, Standing::NotYet, "");
            }
            // More sites fail here, but what fails at the first does its client more harm.
            3 | 4 => {
                let finding = broken(Code::BrandLauncherColour, "It is another colour.");
                families[at(Family::Brand)] = failing(Family::Brand, finding);
            }
            _ => {}
        }
        keep(&store, &check(*site, now, families)).await;
    }
    let found = store.lists().worklist(1, 0, 9).await.unwrap();
    let batches = found.batches;
    assert_eq!((found.kinds, found.sites, batches.len()), (3, 5, 3));
    assert_eq!(
        (batches[0].family, batches[0].state),
        (Family::Load, Standing::Failing)
    );
    assert_eq!((batches[1].family, batches[1].sites), (Family::Brand, 2));
    assert_eq!((batches[2].family, batches[2].sites), (Family::Weigh, 2));
    assert_eq!(batches[2].first.0.len(), 1, "no more than asked for");
    let next = Filter {
        next: Some((Family::Weigh, batches[2].cause.clone())),
        ..Filter::default()
    };
    assert_eq!(store.lists().site_ids(&next).await.unwrap(), sites[1..3]);
    let worst = Filter {
        order: Order::Worst,
        ..Filter::default()
    };
    let (rows, _) = store.lists().page(&worst, 0, 9).await.unwrap();
    let ids: Vec<i64> = rows.iter().map(|s| s.id).collect();
    assert_eq!(ids, [sites[0], sites[3], sites[4], sites[1], sites[2]]);
}

/// Rows that came from an earlier version have no next action: starting gives them one, or the
/// worklist would say that nothing is to be done.
#[tokio::test]
async fn programs_that_start_together_do_not_stop_each_other() {
    let (store, sites) = with_sites(80).await;
    for _ in 0..4 {
        run(
            &store,
            "update sites set next_family = null, next_state = null, next_act = null, \
            next_cause = null",
        )
        .await;
        let start = |store: newtfern_store::Store| async move { store.migrate().await };
        let starts = (0..6).map(|_| start(store.clone()));
        for started in starts.collect::<tokio::task::JoinSet<_>>().join_all().await {
            started.unwrap();
        }
        // The same beside acts on many sites in another order.
        let mut backwards = sites.clone();
        backwards.reverse();
        let note = async |order: &[i64]| {
            let mut tx = store.begin().await.unwrap();
            tx.refresh(order).await.unwrap();
            tx.commit().await.unwrap();
        };
        tokio::join!(note(&sites), note(&backwards), note(&sites));
    }
    let listed = store.lists().worklist(1, 0, 9).await.unwrap().sites;
    assert_eq!(listed, sites.len() as i64);
}

#[tokio::test]
async fn sites_of_an_earlier_version_are_on_the_worklist() {
    let (store, sites) = with_sites(2).await;
    run(
        &store,
        "update sites set next_family = null, next_state = null, next_act = null, \
            next_cause = null",
    )
    .await;
    assert_eq!(store.lists().worklist(1, 0, 9).await.unwrap().sites, 0);
    store.migrate().await.unwrap();
    assert_eq!(
        store.lists().worklist(1, 0, 9).await.unwrap().sites,
        sites.len() as i64
    );
}

/// Versions before the list of private addresses knew all or none.
#[tokio::test]
async fn who_allowed_all_private_addresses_still_does() {
    let step = include_str!("../migrations/0006_private_hosts.sql");
    for allowed in [true, false] {
        let store = crate::common::fresh().await;
        let mut tx = store.begin().await.unwrap();
        let kept = allowed.into();
        tx.set_setting("allow_private", &kept).await.unwrap();
        tx.commit().await.unwrap();
        sqlx::raw_sql(step).execute(&store.pool).await.unwrap();
        let list = store.settings().private_hosts().await.unwrap();
        for inside in ["10.0.0.7", "fd00::1"] {
            assert_eq!(list.allow("x.example", inside.parse().unwrap()), allowed);
        }
        assert_eq!(
            store.settings().setting("allow_private").await.unwrap(),
            None
        );
    }
}
