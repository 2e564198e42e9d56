//! Rounds: acts on many sites, their progress, their end.

use crate::house::Caller;
use crate::lists::lenses::estate;
use axum::body::Body;
use axum::http::Request;
use futures_util::StreamExt;
use newtfern_model::job::JobKind;
use newtfern_store::results::queue::Urgency;
use serde_json::{Value, json};
use tower::ServiceExt;

/// Starts a round over the whole estate; its page.
async fn verify_all(technician: &Caller) -> String {
    let all = [("kind", "check"), ("all", "yes"), ("lens", "estate")];
    technician.post("/bulk", &all).await.leads().to_string()
}

#[tokio::test]
async fn a_round_has_each_site_once() {
    let (house, technician, sites) = estate(2, 0).await;
    let (one, two) = (sites[0].to_string(), sites[1].to_string());
    let both = format!("{one},{two},{one}");
    let fields = [("kind", "check"), ("site", &one), ("site", &both)];
    technician.post("/bulk", &fields).await.leads();
    assert_eq!(house.count("select count(*) from jobs").await, 2);
}

#[tokio::test]
async fn an_act_on_all_found_goes_to_what_the_filter_finds() {
    let (house, technician, sites) = estate(70, 60).await;
    let all = [
        ("all", "yes"),
        ("lens", "load"),
        ("state", "failing"),
        ("q", "site"),
        ("kind", "check"),
    ];
    let round = technician.post("/bulk", &all).await.leads().to_string();
    technician.get(&round).await.has("Verify: 60 sites");
    assert_eq!(house.count("select count(*) from jobs").await, 60);
    assert_eq!(
        house
            .count(
                "select count(distinct site_id) from jobs j join standings s using (site_id) \
                where s.family = 'load' and s.state = 'failing'"
            )
            .await,
        60
    );

    let ticked = technician
        .post(
            "/bulk",
            &[
                ("kind", "weigh"),
                ("site", &sites[1].to_string()),
                ("site", &format!("{},{},", sites[2], sites[3])),
            ],
        )
        .await;
    technician.get(ticked.leads()).await.has("Weigh: 3 sites");
    // Sites that are gone, and what is no number, start nothing for themselves.
    technician
        .post(
            "/bulk",
            &[
                ("kind", "weigh"),
                ("site", "999999"),
                ("site", "; drop table sites"),
                ("site", &sites[0].to_string()),
            ],
        )
        .await
        .leads();
    assert_eq!(
        house
            .count("select count(*) from jobs where kind = 'weigh'")
            .await,
        4
    );
}

#[tokio::test]
async fn test_talks_beyond_the_months_limit_are_shown_first_and_left_out() {
    let (house, technician, sites) = estate(3, 0).await;
    // Two sites of one client, one of another; each account has one test a month.
    let mut agency = house.store().settings().agency().await.unwrap();
    agency.tests_a_month = 1;
    let mut tx = house.store().begin().await.unwrap();
    tx.set_setting("agency", &json!(agency)).await.unwrap();
    tx.commit().await.unwrap();
    let sites: Vec<String> = sites.iter().map(i64::to_string).collect();
    let mut fields: Vec<(&str, &str)> = vec![("kind", "echo")];
    fields.extend(sites.iter().map(|s| ("site", s.as_str())));
    technician
        .post("/bulk", &fields)
        .await
        .has("Send test messages: 2 of 3 sites")
        .has("0 of 1")
        .has("1, 1 left out");
    assert_eq!(
        house
            .count("select count(*) from jobs where kind = 'echo'")
            .await,
        0
    );
    fields.push(("planned", "yes"));
    let round = technician.post("/bulk", &fields).await;
    technician
        .get(round.leads())
        .await
        .has("2 sites, 1 left out by the limit");
    assert_eq!(
        house
            .count("select count(*) from jobs where kind = 'echo'")
            .await,
        2
    );
}

#[tokio::test]
async fn acts_that_make_no_sense_are_refused() {
    let (house, technician, sites) = estate(1, 0).await;
    technician
        .post("/bulk", &[("kind", "check")])
        .await
        .is(422)
        .has("No sites are selected");
    technician
        .post(
            "/bulk",
            &[("kind", "check"), ("all", "yes"), ("q", "nothing like it")],
        )
        .await
        .is(422)
        .has("No sites are selected");
    technician
        .post(
            "/bulk",
            &[("kind", "polish"), ("site", &sites[0].to_string())],
        )
        .await
        .is(422)
        .has("This action does not exist");
    technician
        .post(&format!("/sites/{}/act", sites[0]), &[("kind", "polish")])
        .await
        .is(422);
    technician
        .post("/sites/999/act", &[("kind", "check")])
        .await
        .is(404);
    technician.post("/rounds/999/cancel", &[]).await.is(404);
    assert_eq!(house.count("select count(*) from rounds").await, 0);
}

#[tokio::test]
async fn a_round_is_shown_job_by_job_and_cancelled() {
    let (house, technician, sites) = estate(3, 0).await;
    let path = verify_all(&technician).await;
    let job = house.store().queue().claim().await.unwrap().unwrap();
    technician
        .get(&path)
        .await
        .has("Cancel remaining sites")
        .has("Site 000");
    technician.get("/lens/estate").await.has("class=\"roundbar");
    let now = technician.get(&format!("{path}/progress")).await;
    let now: Value = serde_json::from_str(&now.text()).unwrap();
    assert_eq!(
        (&now["over"], &now["total"], &now["finished"]),
        (&json!(0), &json!(3), &json!(false))
    );
    technician
        .post(&format!("{path}/cancel"), &[])
        .await
        .leads();
    // What waits ends at once; what runs ends when it next reports.
    assert_eq!(
        house
            .count("select count(*) from jobs where state = 'cancelled'")
            .await,
        2
    );
    assert!(!house.store().queue().renew(&job, None).await.unwrap());
    assert!(sites.contains(&job.site_id));
    technician.get("/audit").await.has("cancelled a round");
    technician.get("/rounds").await.has("Verify: 3 sites");
}

#[tokio::test]
async fn what_failed_in_a_round_is_tried_again_and_nothing_else() {
    let (house, technician, sites) = estate(3, 0).await;
    let path = verify_all(&technician).await;
    technician
        .post(&format!("{path}/again"), &[])
        .await
        .is(422)
        .has("No site failed");
    let mut failed = Vec::new();
    while let Some(job) = house.store().queue().claim().await.unwrap() {
        if failed.len() < 2 {
            let why = "no browser was found";
            house
                .acts()
                .checks()
                .fail_job(&job, why, false)
                .await
                .unwrap();
            failed.push(job.site_id);
        } else {
            let mut tx = house.store().begin().await.unwrap();
            assert!(tx.finish_job(&job, "done").await.unwrap());
            tx.commit().await.unwrap();
        }
    }
    technician
        .get(&path)
        .await
        .has("Retry 2 failed sites")
        .has("no browser was found");
    let anew = technician
        .post(&format!("{path}/again"), &[])
        .await
        .leads()
        .to_string();
    technician.get(&anew).await.has("Verify: 2 sites");
    let id: i64 = anew.rsplit('/').next().unwrap().parse().unwrap();
    let again: Vec<i64> = house
        .store()
        .rounds()
        .round_jobs(id, 0, 10)
        .await
        .unwrap()
        .iter()
        .map(|j| j.site_id)
        .collect();
    assert_eq!((again.len(), sites.len()), (2, 3));
    assert!(failed.iter().all(|s| again.contains(s)));
}

#[tokio::test]
async fn an_act_on_clients_goes_to_all_their_sites() {
    let (house, technician, _) = estate(7, 0).await;
    let clocks = house
        .store()
        .clients()
        .client_by_name("Candlegate Clocks")
        .await
        .unwrap()
        .unwrap()
        .to_string();
    technician
        .get("/clients")
        .await
        .has("Verify all sites of these clients")
        .has(&format!("name=\"of\" value=\"{clocks}\""));
    let path = technician
        .post("/bulk", &[("kind", "check"), ("of", &clocks)])
        .await
        .leads()
        .to_string();
    technician
        .get(&path)
        .await
        .has("Verify: 3 sites")
        .has("Candlegate Clocks")
        .lacks("Marlow Sound Ferries");
    technician
        .get("/rounds?q=verify")
        .await
        .has("Verify: 3 sites");
    technician
        .get("/rounds?q=weigh")
        .await
        .has("No rounds match");
}

#[tokio::test]
async fn progress_reaches_a_listening_page_as_an_event() {
    let (house, technician, sites) = estate(2, 0).await;
    house.app.follow_events();
    let request = Request::get("/events")
        .header("cookie", technician.cookie.clone().unwrap())
        .body(Body::empty())
        .unwrap();
    let answer = house.router().oneshot(request).await.unwrap();
    assert_eq!(answer.headers()["content-type"], "text/event-stream");
    let mut events = answer.into_body().into_data_stream();

    let store = house.store().clone();
    let mut tx = store.begin().await.unwrap();
    let round = tx
        .start_round(JobKind::Check, "two", "test", &sites, Urgency::Round)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let job = store.queue().claim().await.unwrap().unwrap();
    // The listener needs a moment to connect: report until it has heard.
    let heard = loop {
        store.queue().renew(&job, Some((1, 4))).await.unwrap();
        tokio::select! {
            event = events.next() => {
                break String::from_utf8(event.unwrap().unwrap().to_vec()).unwrap()
            }
            () = tokio::time::sleep(std::time::Duration::from_millis(50)) => {}
        }
    };
    assert!(heard.starts_with("event: progress\n"), "{heard}");
    let data: Value = serde_json::from_str(heard.split("data: ").nth(1).unwrap().trim()).unwrap();
    assert_eq!(
        (
            data["round"].as_i64(),
            data["total"].as_i64(),
            data["over"].as_i64(),
            data["finished"].as_bool()
        ),
        (Some(round), Some(2), Some(0), Some(false))
    );
}
