//! What was seen before: judged again, and gone with its site.

use crate::house::house;
use jiff::{SignedDuration, Timestamp};
use newtfern_acts::Actor;
use newtfern_model::job::{CheckKind, JobKind};
use newtfern_standards::observation::{Observation, VERSION};
use newtfern_store::access::people::Role;
use newtfern_store::results::checks::NewCheck;

/// A better check over an old look makes a new verdict, not a fresh look.
#[tokio::test]
async fn judging_again_keeps_the_time_of_the_visit() {
    let house = house().await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let long_ago = Timestamp::now() - SignedDuration::from_hours(24 * 40);
    let mut look = NewCheck::of(site, CheckKind::Job(JobKind::Check), long_ago, vec![]);
    look.visits = vec![Observation {
        version: VERSION,
        url: "https://site1.example/".into(),
        ..Observation::default()
    }];
    let mut tx = house.store().begin().await.unwrap();
    let first = tx.keep_check(&look).await.unwrap();
    tx.commit().await.unwrap();
    let actor = Actor::program("test");
    let outcome = house
        .acts()
        .checks()
        .judge_again(&actor, site)
        .await
        .unwrap();
    assert!(outcome.is_some());
    let last = house
        .store()
        .checks()
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
    let fresh = "select count(*) from standings where check_id is not null and at > now() - \
        interval '1 day'";
    assert_eq!(house.count(fresh).await, 0);
}

/// Pictures of clients' sites do not stay on the disk when the site is gone; one that another site
/// has too does.
#[tokio::test]
async fn a_removed_site_takes_its_pictures_along() {
    let house = house().await;
    let client = house.client("Lenn Kite Workshop").await;
    let sites = [house.site(client, 1).await, house.site(client, 2).await];
    let blobs = &house.acts().blobs;
    let own = blobs.put(b"own".to_vec(), "png").await.unwrap();
    let shared = blobs.put(b"shared".to_vec(), "png").await.unwrap();
    for site in sites {
        let mut look = NewCheck::of(
            site,
            CheckKind::Job(JobKind::Check),
            Timestamp::now(),
            vec![],
        );
        look.blobs = vec![shared.clone()];
        if site == sites[0] {
            look.blobs.push(own.clone());
        }
        let mut tx = house.store().begin().await.unwrap();
        tx.keep_check(&look).await.unwrap();
        tx.commit().await.unwrap();
    }
    let technician = house.person(Role::Technician).await;
    let path = format!("/sites/{}/remove", sites[0]);
    technician
        .post(&path, &[("name", "Site 001")])
        .await
        .leads();
    assert_eq!(house.count("select count(*) from sites").await, 1);
    // It can be brought back for a while, with its pictures.
    assert!(blobs.get(&own).await.unwrap().is_some());
    house.acts().sites().forget_removals().await.unwrap();
    assert!(blobs.get(&own).await.unwrap().is_some());
    sqlx::query("update removals set at = now() - interval '31 days'")
        .execute(&house.store().pool)
        .await
        .unwrap();
    house.acts().sites().forget_removals().await.unwrap();
    assert!(blobs.get(&own).await.unwrap().is_none());
    assert!(blobs.get(&shared).await.unwrap().is_some());
}
