//! Judging again what was seen before.

use crate::house::house;
use jiff::{SignedDuration, Timestamp};
use newtfern_acts::Actor;
use newtfern_core::observation::{Observation, VERSION};
use newtfern_store::checks::NewCheck;

/// A better check over an old look makes a new verdict, not a fresh look.
#[tokio::test]
async fn judging_again_keeps_the_time_of_the_visit() {
    let house = house().await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let long_ago = Timestamp::now() - SignedDuration::from_hours(24 * 40);
    let mut look = NewCheck::of(site, "check", long_ago, vec![]);
    look.visits = vec![Observation {
        version: VERSION,
        url: "https://site1.example/".into(),
        ..Observation::default()
    }];
    let mut tx = house.store().begin().await.unwrap();
    let first = tx.keep_check(&look).await.unwrap();
    tx.commit().await.unwrap();
    let actor = Actor::program("test");
    let outcome = house.acts().judge_again(&actor, site).await.unwrap();
    assert!(outcome.is_some());
    let last = house
        .store()
        .last_check(site, "check")
        .await
        .unwrap()
        .unwrap();
    assert_eq!((last.judged_from, last.id == first), (Some(first), false));
    let seen = last.seen_at.to_jiff();
    assert!(
        seen.duration_since(long_ago).as_millis().abs() < 2,
        "{seen}"
    );
    let fresh = "select count(*) from standings where check_id is not null and at > now() - interval '1 day'";
    assert_eq!(house.count(fresh).await, 0);
}
