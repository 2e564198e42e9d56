//! Files are taken wholly or not at all, wherever taking them breaks off.

use crate::house::{house, roomy_house};
use crate::intake::brought;
use newtfern_acts::Actor;
use newtfern_store::access::people::Role;
use std::collections::BTreeMap;
use std::pin::pin;
use std::task::Poll;

/// Where something fails on our side in the middle, nothing of the file is kept: no site, no
/// client.
#[tokio::test]
async fn a_file_is_taken_wholly_or_not_at_all() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    for sql in [
        "create function refuse() returns trigger language plpgsql as $$ begin raise exception \
        'no room'; end $$",
        "create trigger refuse before insert on sites for each row when (new.name = 'Breaks') \
        execute function refuse()",
    ] {
        sqlx::query(sql).execute(&house.store().pool).await.unwrap();
    }
    let csv = "client,name,address\nNew client,One,one.example\nNew client,Breaks,two.example\n";
    let page = brought(&technician, csv.as_bytes()).await;
    technician.post(&page, &[]).await.is(500);
    technician.get(&page).await.has("the database refused");
    assert_eq!(house.count("select count(*) from sites").await, 0);
    let clients = "select count(*) from clients where name = 'New client'";
    assert_eq!(house.count(clients).await, 0);
    let noted = "select count(*) from audit where act = 'imported sites'";
    assert_eq!(house.count(noted).await, 0);
}

/// Taking a file is cancelled between two parts of it, and then nothing of it was taken.
#[tokio::test]
async fn a_file_that_is_cancelled_is_not_taken() {
    let house = roomy_house().await;
    let technician = house.person(Role::Technician).await;
    let rows: String = (0..700)
        .map(|n| format!("Mill,Site {n},https://many{n}.example/\n"))
        .collect();
    let csv = format!("client,name,address\n{rows}");
    let page = brought(&technician, csv.as_bytes()).await;
    technician.get(&page).await.has("Import 700 new");
    // The first part waits for this lock, so that the wish to cancel is there before the second.
    let mut lock = house.store().pool.begin().await.unwrap();
    sqlx::query("lock table sites in exclusive mode")
        .execute(&mut *lock)
        .await
        .unwrap();
    let running = "select count(*) from imports where state = 'running'";
    let cancelling = async {
        while house.count(running).await == 0 {
            tokio::task::yield_now().await;
        }
        technician.get(&page).await.has("of 700 rows").has("Cancel");
        let cancel = format!("{page}/cancel");
        technician.post(&cancel, &[]).await.is(303);
        lock.rollback().await.unwrap();
    };
    tokio::join!(technician.post(&page, &[]), cancelling);
    while house.count(running).await > 0 {
        tokio::task::yield_now().await;
    }
    technician
        .get(&page)
        .await
        .has("it was cancelled")
        .has("Import 700 new");
    assert_eq!(house.count("select count(*) from sites").await, 0);
    assert_eq!(house.count("select count(*) from clients").await, 0);
}

/// Ends an act after so many of its steps, as the end of its program would; nothing then comes of
/// it.
async fn broken_off<T>(steps: usize, act: impl Future<Output = T>) -> Option<T> {
    let mut act = pin!(act);
    let mut taken = 0;
    std::future::poll_fn(|context| {
        taken += 1;
        match taken > steps {
            true => Poll::Ready(None),
            false => act.as_mut().poll(context).map(Some),
        }
    })
    .await
}

/// Wherever the program ends, a file is taken wholly or not at all, and can be taken afterwards.
/// What was taken is judged as it now is: no verdict of a design before stays beside a site that
/// changed.
#[tokio::test]
async fn a_file_whose_taking_breaks_off_anywhere_is_taken_wholly_or_not_at_all() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    house.site(client, 1).await;
    let csv = "client,name,address,key\nLenn Kite Workshop,There,https://site1.example/,\n\
        Hollin Rink,Rink,https://rink.example/,rink-0001\n";
    let page = brought(&technician, csv.as_bytes()).await;
    let id = page.rsplit('/').next().unwrap().parse().unwrap();
    let judged = "select count(*) from checks where kind = 'design'";
    let state = async || {
        [
            house.count("select count(*) from sites").await,
            house.count("select count(*) from clients").await,
            house
                .count("select count(*) from sites where name = 'There'")
                .await,
            house.count(judged).await,
            house
                .count("select count(*) from audit where act = 'imported sites'")
                .await,
        ]
    };
    let before = state().await;
    let [sites, clients, _, checks, _] = before;
    for steps in 1.. {
        let actor = Actor::program("test");
        let taking = house
            .acts()
            .imports()
            .take_import(&actor, id, BTreeMap::new());
        let went = broken_off(steps, taking).await;
        // Whoever took it is silent from now on.
        sqlx::query("update imports set beat = now() - interval '1 hour'")
            .execute(&house.store().pool)
            .await
            .unwrap();
        match house
            .count("select count(*) from imports where state = 'done'")
            .await
        {
            0 => {
                assert!(went.is_none(), "{steps}: {:?}", went.map(|w| w.is_ok()));
                assert_eq!(state().await, before, "broken off after {steps} steps");
            }
            _ => {
                let after = [sites + 1, clients + 1, 1, checks + 2, 1];
                assert_eq!(state().await, after, "{steps} steps");
                assert!(steps > 10, "it was broken off at {steps} steps only");
                break;
            }
        }
    }
}
