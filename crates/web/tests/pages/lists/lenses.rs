//! Lenses, the worklist and the bench.

use crate::house::{Caller, House, house};
use newtfern_store::access::people::Role;
use newtfern_verdict::family::{Detail, Family, STALE_AFTER_S, Standing};
use std::collections::HashSet;

/// `n` sites of two clients; the first `failing` of them fail in loading.
pub async fn estate(n: usize, failing: usize) -> (House, Caller, Vec<i64>) {
    let house = house().await;
    let clients = [
        house.client("Marlow Sound Ferries").await,
        house.client("Candlegate Clocks").await,
    ];
    let mut sites = Vec::new();
    for i in 0..n {
        let id = house.site(clients[i % 2], i).await;
        set(
            &house,
            id,
            Family::Load,
            if i < failing {
                Standing::Failing
            } else {
                Standing::Passing
            },
            "As told.",
        )
        .await;
        sites.push(id);
    }
    let technician = house.person(Role::Technician).await;
    (house, technician, sites)
}

pub async fn set(house: &House, site: i64, family: Family, standing: Standing, summary: &str) {
    house.stands(site, family, standing, summary, None).await;
}

#[tokio::test]
async fn many_sites_come_in_pages_worst_first_each_once() {
    let (_house, technician, sites) = estate(120, 3).await;
    let mut seen = Vec::new();
    for page in 1..=3 {
        seen.extend(
            technician
                .get(&format!("/lens/load?page={page}"))
                .await
                .is(200)
                .rows(),
        );
    }
    assert_eq!(seen.len(), 120);
    assert_eq!(seen.iter().collect::<HashSet<_>>().len(), 120);
    let failing: HashSet<String> = sites[..3].iter().map(i64::to_string).collect();
    assert_eq!(seen[..3].iter().cloned().collect::<HashSet<_>>(), failing);
    technician
        .get("/lens/load?page=3")
        .await
        .has("101")
        .has("120");
    assert_eq!(
        technician.get("/lens/load?page=99&q=site").await.leads(),
        "/lens/load?q=site&page=3"
    );
    assert_eq!(
        technician
            .get("/lens/load?page=-4")
            .await
            .is(200)
            .rows()
            .len(),
        50
    );
    technician.get("/lens/load?page=soon").await.is(400);
}

/// The Estate's own order is that of the worst a site has in any family.
#[tokio::test]
async fn the_estate_begins_with_the_worst_whatever_family_it_is_in() {
    let (house, technician, sites) = estate(6, 0).await;
    let last = sites[5];
    set(
        &house,
        last,
        Family::Consent,
        Standing::Failing,
        "It stores early.",
    )
    .await;
    let rows = technician.get("/lens/estate").await.rows();
    assert_eq!(rows[0], last.to_string(), "{rows:?}");
    let failing = technician.get("/lens/estate?state=failing").await.rows();
    assert_eq!(failing, [last.to_string()]);
}

/// Words are found together, whichever of name, client, address, key, supplier or code each stands
/// in.
#[tokio::test]
async fn several_words_are_found_together() {
    let (_house, technician, sites) = estate(12, 0).await;
    let found = async |q: &str| technician.get(&format!("/lens/estate?q={q}")).await.rows();
    assert_eq!(
        found("candlegate+site7.example").await,
        [sites[7].to_string()]
    );
    assert_eq!(found("kite-003+brindle").await, [sites[3].to_string()]);
    assert!(found("ferries+site7.example").await.is_empty());
}

#[tokio::test]
async fn search_state_and_client_narrow_together_and_search_words_are_no_patterns() {
    let (house, technician, sites) = estate(40, 10).await;
    let ferries = house
        .store()
        .clients()
        .client_by_name("Marlow Sound Ferries")
        .await
        .unwrap()
        .unwrap();
    assert_eq!(
        technician
            .get("/lens/load?state=failing")
            .await
            .rows()
            .len(),
        10
    );
    assert_eq!(
        technician
            .get(&format!("/lens/load?state=failing&client={ferries}"))
            .await
            .rows()
            .len(),
        5
    );
    assert_eq!(
        technician.get("/lens/load?q=site7.ex").await.rows(),
        [sites[7].to_string()]
    );
    assert_eq!(
        technician
            .get("/lens/load?q=CANDLEGATE&state=failing")
            .await
            .rows()
            .len(),
        5
    );
    technician
        .get("/lens/load?q=%25")
        .await
        .has("No sites match");
    technician
        .get("/lens/load?q=site_1")
        .await
        .has("No sites match");
    // A state that does not exist filters nothing, as if it were not chosen.
    assert_eq!(
        technician
            .get("/lens/load?state=splendid")
            .await
            .rows()
            .len(),
        40
    );
    technician.get("/lens/attic").await.is(404);
}

#[tokio::test]
async fn old_results_become_stale_in_rows_filters_and_counts_alike() {
    let (house, technician, sites) = estate(4, 0).await;
    sqlx::query("update standings set at = now() - interval '400 days' where site_id = $1")
        .bind(sites[2])
        .execute(&house.store().pool)
        .await
        .unwrap();
    // What a worker asks for each minute.
    house.store().care().age(STALE_AFTER_S).await.unwrap();
    assert_eq!(
        technician.get("/lens/load?state=stale").await.rows(),
        [sites[2].to_string()]
    );
    assert_eq!(
        technician
            .get("/lens/load?state=passing")
            .await
            .rows()
            .len(),
        3
    );
    assert_eq!(
        technician.get("/lens/load").await.rows()[0],
        sites[2].to_string()
    );
    let counts = house.store().sites().counts().await.unwrap();
    assert_eq!(
        (
            counts[&(Some(Family::Load), Standing::Stale)],
            counts[&(Some(Family::Load), Standing::Passing)]
        ),
        (1, 3)
    );
}

#[tokio::test]
async fn the_worklist_batches_what_is_next_with_one_button_a_batch() {
    let (house, technician, sites) = estate(20, 0).await;
    // Everything passes but one thing each: five to weigh, five with a failing placement, the rest
    // done.
    for (i, site) in sites.iter().enumerate() {
        for family in Family::ALL {
            set(&house, *site, family, Standing::Passing, "").await;
        }
        match i {
            0..5 => set(&house, *site, Family::Weigh, Standing::NotYet, "").await,
            5..10 => {
                set(
                    &house,
                    *site,
                    Family::Place,
                    Standing::Failing,
                    "The snippet is not in the page.",
                )
                .await
            }
            // A sheet that waits for the client's yes is a person's to send: no button makes
            // another.
            10 => {
                let waits = newtfern_verdict::family::hand_over::made(true, Default::default());
                house
                    .looked(*site, jiff::Timestamp::now(), vec![waits])
                    .await;
            }
            _ => {}
        }
    }
    let page = technician.get("/worklist").await;
    page.is(200)
        .has("Verify for 5 sites")
        .has("Weigh for 5 sites")
        .has("The snippet is not in the page.");
    let text = page.text();
    assert!(
        text.find("Verify for 5 sites").unwrap() < text.find("Weigh for 5 sites").unwrap(),
        "failing comes first"
    );
    page.has("Send the link to the client.")
        .lacks("Handover sheets");
    technician
        .get(&format!("/sites/{}", sites[10]))
        .await
        .has("href=\"#hand_over\">Show sheets")
        .lacks("Make handover sheet<");
    for site in &sites[11..] {
        page.lacks(&format!("/sites/{site}\""));
    }
}

#[tokio::test]
async fn a_bench_shows_every_family_before_and_after_its_first_result() {
    let (house, technician, sites) = estate(1, 0).await;
    let path = format!("/sites/{}", sites[0]);
    let page = technician.get(&path).await;
    for family in Family::ALL {
        page.has(&format!("id=\"{}\"", family.key()))
            .has(family.label());
    }
    // A result of an older shape is shown by its summary, and says so, instead of failing the page.
    let seen = newtfern_verdict::echo::EchoResult::default();
    let old = Detail::Echo(Box::new(seen));
    house
        .stands(
            sites[0],
            Family::Echo,
            Standing::Undecided,
            "Sent long ago.",
            Some(old),
        )
        .await;
    sqlx::query("update drawings set version = 1")
        .execute(&house.store().pool)
        .await
        .unwrap();
    technician.get(&path).await.is(200).has("Sent long ago.");
    technician
        .get("/lens/echo")
        .await
        .is(200)
        .has("Sent long ago.");
    technician
        .get("/sites/999")
        .await
        .is(404)
        .has("This site does not exist");
}

/// What suppliers cost alone stands side by side, by the weigh-ins of the sites that have them.
#[tokio::test]
async fn suppliers_are_compared_by_what_was_weighed_alone() {
    use newtfern_verdict::weigh::{Measured, OwnLoad, conclude};
    let (house, technician, sites) = estate(3, 0).await;
    technician
        .get("/suppliers-by-weight")
        .await
        .has("No weigh-ins yet")
        .has("Not measured on an empty page yet: Brindle");
    for (site, ms) in sites.iter().zip([8.0, 12.0]) {
        let load = |thread_ms| OwnLoad {
            thread_ms,
            up: true,
            ..OwnLoad::default()
        };
        let measured = Measured {
            own: vec![load(40.0); 8],
            empty: vec![load(ms); 4],
            ..Measured::default()
        };
        let weighed = conclude("https://kites.example/", 1, &measured, 50.0).unwrap();
        let assessed = newtfern_verdict::family::weigh::assess(&weighed);
        house
            .stands(
                *site,
                Family::Weigh,
                assessed.standing,
                "Weighed.",
                assessed.detail,
            )
            .await;
    }
    technician
        .get("/suppliers-by-weight")
        .await
        .has("<th>Brindle</th>")
        .has("10.0 ms")
        .has("8.0 to 12.0 ms")
        .has("<td data-l=\"Sites\">2</td>")
        .lacks("Not measured on an empty page");
    technician
        .get("/lens/weigh")
        .await
        .has("href=\"/suppliers-by-weight\"");
}
