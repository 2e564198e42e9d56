//! Handover sheets and the client's link.

use crate::house::{Answer, Caller, House, house};
use jiff::{SignedDuration, Timestamp};
use newtfern_store::access::people::Role;
use newtfern_verdict::family::{Family, Standing};

struct Sheet {
    house: House,
    technician: Caller,
    site: i64,
    id: i64,
}

async fn add(house: &House, site: i64, html: &str, pdf: Option<&str>, until: Timestamp) {
    let mut tx = house.store().begin().await.unwrap();
    tx.add_handover(site, html, pdf, "Some technician", until)
        .await
        .unwrap();
    tx.commit().await.unwrap();
}

async fn sheet() -> Sheet {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Hollin Rink").await;
    let site = house.site(client, 1).await;
    let pdf = house
        .acts()
        .blobs
        .put(b"%PDF-1.7 sheet".to_vec(), "pdf")
        .await
        .unwrap();
    let until = Timestamp::now() + SignedDuration::from_hours(24);
    add(
        &house,
        site,
        "<h1>Proof for the rink</h1>",
        Some(&pdf),
        until,
    )
    .await;
    let id = house.store().handing().handovers(site).await.unwrap()[0].id;
    Sheet {
        house,
        technician,
        site,
        id,
    }
}

impl Sheet {
    async fn link(&self) -> String {
        let answer = self
            .technician
            .post(&format!("/handovers/{}/link", self.id), &[])
            .await;
        let text = answer.is(200).text();
        let at = text.find("/for-client/").expect("a link is shown");
        text[at..].split('"').next().unwrap().to_string()
    }

    async fn state(&self) -> Standing {
        self.house
            .store()
            .sites()
            .standings_of(&[self.site])
            .await
            .unwrap()[&self.site]
            .iter()
            .find(|s| s.family == Family::HandOver)
            .unwrap()
            .state
    }
}

fn gone(answer: &Answer) -> (u16, String) {
    (answer.status.as_u16(), answer.text())
}

#[tokio::test]
async fn the_link_opens_without_an_account_and_the_yes_counts_once() {
    let s = sheet().await;
    let (link, client) = (s.link().await, s.house.stranger());
    let page = client.get(&link).await;
    page.is(200)
        .has("Proof for the rink")
        .has("Confirm that it works");
    // The address is the secret: it must not leak to other sites, nor into search engines.
    assert_eq!(page.header("referrer-policy"), "no-referrer");
    page.has("noindex");
    let pdf = client.get(&format!("{link}/pdf")).await;
    assert_eq!(
        (pdf.header("content-type"), pdf.bytes.starts_with(b"%PDF")),
        ("application/pdf", true)
    );
    // Withdrawn, it must not come out of a cache.
    assert_eq!(pdf.header("cache-control"), "no-store");

    client
        .post(&link, &[("by", "  ")])
        .await
        .is(422)
        .has("Enter your name");
    let long = "Rink ".repeat(30);
    client
        .post(&link, &[("by", &long)])
        .await
        .is(422)
        .has("Your name is longer than 120 characters")
        .has(&format!("value=\"{long}\""));
    assert_eq!(s.state().await, Standing::NotYet);
    assert_eq!(
        client
            .post(&link, &[("by", "Mr <b>Rink</b>")])
            .await
            .leads(),
        link
    );
    client
        .get(&link)
        .await
        .has("Confirmed by Mr &#60;b&#62;Rink")
        .lacks("Confirm that it works");
    assert_eq!(s.state().await, Standing::Passing);
    client.post(&link, &[("by", "Somebody else")]).await.leads();
    client
        .get(&link)
        .await
        .has("Mr &#60;b&#62;Rink")
        .lacks("Somebody else");
    s.technician
        .get("/audit?q=confirmed")
        .await
        .has("confirmed a handover")
        .has("client, by link");
}

#[tokio::test]
async fn links_that_do_not_work_all_say_the_same() {
    let s = sheet().await;
    let client = s.house.stranger();
    let unknown = gone(&client.get(&format!("/for-client/{}", "0".repeat(64))).await);
    assert_eq!(unknown.0, 404);

    let first = s.link().await;
    let second = s.link().await;
    assert_eq!(
        gone(&client.get(&first).await),
        unknown,
        "a new link ends the one before"
    );
    client.get(&second).await.is(200);

    assert_eq!(
        s.technician
            .post(&format!("/handovers/{}/withdraw", s.id), &[])
            .await
            .leads(),
        format!("/sites/{}#hand_over", s.site)
    );
    for path in [second.clone(), format!("{second}/pdf")] {
        assert_eq!(gone(&client.get(&path).await), unknown, "withdrawn");
    }
    assert_eq!(
        gone(&client.post(&second, &[("by", "Late")]).await),
        unknown
    );

    let third = s.link().await;
    client.get(&third).await.is(200);
    sqlx::query("update handovers set expires_at = now() - interval '1 second'")
        .execute(&s.house.store().pool)
        .await
        .unwrap();
    assert_eq!(gone(&client.get(&third).await), unknown, "expired");
    assert_eq!(s.state().await, Standing::NotYet);
}

#[tokio::test]
async fn the_link_is_shown_once_and_only_its_hash_is_kept() {
    let s = sheet().await;
    let link = s.link().await;
    let token = link.rsplit('/').next().unwrap();
    assert_eq!(token.len(), 64);
    for path in [
        format!("/sites/{}", s.site),
        format!("/handovers/{}", s.id),
        "/audit".into(),
    ] {
        s.technician.get(&path).await.is(200).lacks(token);
    }
    let kept: Vec<u8> = sqlx::query_scalar("select token_hash from handovers")
        .fetch_one(&s.house.store().pool)
        .await
        .unwrap();
    assert_eq!(kept, newtfern_store::token_hash(token));
}

#[tokio::test]
async fn people_see_the_sheet_and_its_pdf_and_missing_ones_are_named() {
    let s = sheet().await;
    let viewer = s.house.person(Role::Viewer).await;
    viewer
        .get(&format!("/handovers/{}", s.id))
        .await
        .is(200)
        .has("Proof for the rink");
    viewer
        .get(&format!("/handovers/{}/pdf", s.id))
        .await
        .is(200);
    viewer
        .get("/handovers/999")
        .await
        .is(404)
        .has("This handover sheet does not exist");
    let until = Timestamp::now();
    add(&s.house, s.site, "<p>no paper</p>", None, until).await;
    let bare = s.house.store().handing().handovers(s.site).await.unwrap()[0].id;
    viewer
        .get(&format!("/handovers/{bare}/pdf"))
        .await
        .is(404)
        .has("This PDF does not exist");
    s.technician.post("/handovers/999/link", &[]).await.is(404);
}
