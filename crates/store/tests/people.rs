//! Sites, sessions, links and secrets against real PostgreSQL.
#![allow(clippy::unwrap_used)]

use crate::common::{count, fields, with_sites};
use jiff::{SignedDuration, Timestamp};
use newtfern_store::StoreError;
use newtfern_store::access::people::Role;
use newtfern_store::access::sessions::From;
use newtfern_store::sealed::seal::Sealer;
use newtfern_verdict::family::Family;

#[tokio::test]
async fn an_address_is_taken_once_and_nothing_is_half_added() {
    let (store, _) = with_sites(1).await;
    let mut tx = store.begin().await.unwrap();
    let again = tx.add_site(1, &fields(0)).await;
    assert!(matches!(again, Err(StoreError::Taken { .. })));
    drop(tx);
    let families = count(&store, "select count(*) from standings").await;
    assert_eq!(families, Family::ALL.len() as i64);
}

#[tokio::test]
async fn what_a_site_holds_comes_back_as_it_was_kept() {
    let (store, sites) = with_sites(1).await;
    let mut changed = fields(7);
    changed.languages = "en,no".into();
    changed.budget_ms = 12.5;
    let mut tx = store.begin().await.unwrap();
    tx.set_site(sites[0], &changed).await.unwrap();
    tx.commit().await.unwrap();
    let kept = store.sites().site(sites[0]).await.unwrap().unwrap();
    assert_eq!(kept.fields(), &changed);
}

#[tokio::test]
async fn sessions_end() {
    let (store, _) = with_sites(1).await;
    let now = Timestamp::now();
    let mut tx = store.begin().await.unwrap();
    let person = tx
        .add_person("One@Fenwick.example", "One", Role::Viewer, "x")
        .await
        .unwrap();
    let live = tx
        .open_session(
            person,
            now + SignedDuration::from_hours(24),
            &From::default(),
            true,
        )
        .await
        .unwrap();
    let old = tx
        .open_session(
            person,
            now - SignedDuration::from_secs(1),
            &From::default(),
            true,
        )
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let session = store.people().session(&live).await.unwrap().unwrap();
    assert_eq!(session.person.role(), Role::Viewer);
    assert!(store.people().session(&old).await.unwrap().is_none());
    assert!(store.people().session("guess").await.unwrap().is_none());
    let mut tx = store.begin().await.unwrap();
    tx.close_session(&live).await.unwrap();
    tx.commit().await.unwrap();
    assert!(store.people().session(&live).await.unwrap().is_none());
}

#[tokio::test]
async fn links_end() {
    let (store, sites) = with_sites(1).await;
    let now = Timestamp::now();
    let (soon, past) = (
        now + SignedDuration::from_hours(24),
        now - SignedDuration::from_secs(1),
    );
    let mut tx = store.begin().await.unwrap();
    let first = tx
        .add_handover(sites[0], "<p>sheet</p>", None, "One", soon)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let sheet = store
        .handing()
        .handover_by_token(&first)
        .await
        .unwrap()
        .unwrap();
    let renew = async |until| {
        let mut tx = store.begin().await.unwrap();
        let token = tx.renew_link(sheet.id, until).await.unwrap();
        tx.commit().await.unwrap();
        token
    };
    let works = async |token: &str| {
        store
            .handing()
            .handover_by_token(token)
            .await
            .unwrap()
            .is_some()
    };
    let second = renew(soon).await;
    assert!(
        !works(&first).await && works(&second).await,
        "a new link ends the old one"
    );
    let mut tx = store.begin().await.unwrap();
    assert!(tx.accept_handover(sheet.id, "The miller").await.unwrap());
    assert!(!tx.accept_handover(sheet.id, "Another").await.unwrap());
    tx.withdraw_handover(sheet.id).await.unwrap();
    tx.commit().await.unwrap();
    assert!(!works(&second).await);
    let expired = renew(past).await;
    assert!(!works(&expired).await);
}

/// A sealed secret is bound to its row: moved to another, it does not open.
#[test]
fn a_secret_opens_only_where_it_was_sealed() {
    let folder = tempfile::tempdir().unwrap();
    let sealer = Sealer::from_file(&folder.path().join("key")).unwrap();
    let sealed = sealer.seal("site 1 token", "tide-secret").unwrap();
    assert_eq!(sealer.open("site 1 token", &sealed).unwrap(), "tide-secret");
    assert!(sealer.open("site 2 token", &sealed).is_err());
}
