//! The design at the supplier, palettes, the house style's reach, the line-up.

use crate::house::{House, house};
use crate::writing::placing::placing;
use newtfern_acts::Actor;
use newtfern_model::job::{CheckKind, JobKind};
use newtfern_standards::observation::{
    DeliveredPage, Observation, Request, RequestKind, StorageKind, StoredItem, VERSION,
};
use newtfern_store::access::people::Role;
use newtfern_store::results::checks::NewCheck;
use newtfern_store::sealed::client_tokens::TokenKind;
use serde_json::{Value, json};
use std::sync::atomic::Ordering;

const CONSOLE: &str = "http://console.brindle.localhost/api/settings?key=kite-001";

/// What a console holds that differs from the design in three settings.
fn differing() -> Value {
    json!({"title": "John Doe", "greeting": "Hello! How can we help?", "button_colour": "#2F6B4F",
        "icon_colour": "white", "header_colour": "#d98c2b", "header_text": "#ffffff",
            "corner": "bottom-left",
        "offset_x": 20, "offset_y": 20, "prompt": "Left as it is", "prompt_delay_s": 5,
        "notice_text": "Before you write, please read how we treat your \
                        data.", "notice_link": "/privacy",
        "answer_colour": "#e9ede9", "answer_words": "#222222", "mark": "shown"})
}

/// A site whose supplier has a console that holds other settings, with a token for it.
pub async fn at_the_supplier(house: &House) -> i64 {
    let client = house.client("Wendle Tide Mill").await;
    let site = house.site(client, 1).await;
    let settings = &house.stage.settings;
    settings.lock().unwrap().insert(CONSOLE.into(), differing());
    let (actor, kind) = (Actor::program("test"), TokenKind::Supplier);
    let kept = house
        .acts()
        .tokens()
        .set_client_token(&actor, client, kind, "brindle", Some("own"));
    kept.await.unwrap();
    site
}

#[tokio::test]
async fn a_design_is_written_at_the_supplier_with_its_difference_first_and_put_back() {
    let p = placing().await;
    let (stage, technician) = (&p.house.stage, &p.technician);
    let id: i64 = p.page.split('/').nth(2).unwrap().parse().unwrap();
    let sheet = format!("/sites/{id}/design/sheet");
    let settings = differing();
    stage
        .settings
        .lock()
        .unwrap()
        .insert(CONSOLE.into(), settings.clone());
    // Without a token the difference is not known, and the sheet to type from is there.
    let told = technician.get(&sheet).await;
    told.is(200)
        .has("has no token for Brindle")
        .has("Opening words");
    let client = p.house.acts().sites().subject(id).await.unwrap().client.id;
    p.house
        .acts()
        .tokens()
        .set_client_token(
            &Actor::program("test"),
            client,
            TokenKind::Supplier,
            "brindle",
            Some("own"),
        )
        .await
        .unwrap();

    let told = technician.get(&sheet).await;
    told.is(200)
        .has("Write 3 settings")
        .has("John Doe")
        .has("bottom-left");
    technician.post(&sheet, &[("act", "write")]).await.leads();
    let now = || stage.settings.lock().unwrap()[CONSOLE].clone();
    assert_eq!(now()["corner"], "bottom-right");
    // Numbers stay numbers, and what the design leaves empty is nobody's wish.
    assert_eq!(
        (&now()["offset_x"], &now()["prompt"]),
        (&json!(20), &json!("Left as it is"))
    );
    technician
        .get(&sheet)
        .await
        .has("all settings at Brindle match the design");

    technician
        .post(&sheet, &[("act", "put_back")])
        .await
        .leads();
    assert_eq!(now(), settings);
    technician.get(&sheet).await.has("undone");
    technician
        .post(&sheet, &[("act", "put_back")])
        .await
        .is(422)
        .has("All settings written to this supplier");

    // A console that takes everything and keeps nothing is found out by reading back.
    stage.deaf.store(true, Ordering::Relaxed);
    technician
        .post(&sheet, &[("act", "write")])
        .await
        .is(422)
        .has("still shows different ones for");
}

#[tokio::test]
async fn palettes_are_told_by_area_and_a_torn_picture_is_refused() {
    let p = placing().await;
    let colours = |pixels: String| {
        let technician = p.technician.clone();
        async move {
            let form = vec![("pixels".to_string(), pixels)];
            let answer = technician.post_form("/palette", &form).await;
            answer.is(200);
            serde_json::from_slice::<Value>(&answer.bytes).unwrap()
        }
    };
    let picture = "1f5f7aff".repeat(30) + &"e3c27aff".repeat(10) + &"00000000".repeat(40);
    let told = colours(picture).await;
    assert_eq!(
        told["shades"],
        json!([{"colour": "#1f5f7a", "share": 75.0}, {"colour": "#e3c27a", "share": 25.0}])
    );
    let torn = colours("1f5f7".into()).await;
    assert_eq!(torn["problem"], "The picture could not be read.");
}

#[tokio::test]
async fn the_house_style_says_how_many_sites_take_each_value() {
    let p = placing().await;
    let before = p.technician.get("/house-style").await.is(200).text();
    let of = |text: &str, label: &str| -> String {
        let at = text.find(&format!(">{label}</label>")).unwrap();
        let from = text[at..].find("class=\"from\">").unwrap() + at + 13;
        text[from..from + 12]
            .trim()
            .chars()
            .take_while(|c| *c != '\n')
            .collect()
    };
    assert!(
        of(&before, "Corner").starts_with("1 site"),
        "{}",
        of(&before, "Corner")
    );
    let id: i64 = p.page.split('/').nth(2).unwrap().parse().unwrap();
    let own = crate::house::design_form(&[("corner", "top-left")]);
    p.technician
        .post_form(&format!("/sites/{id}/design"), &own)
        .await
        .leads();
    let after = p.technician.get("/house-style").await.text();
    assert!(
        of(&after, "Corner").starts_with("0 sites"),
        "{}",
        of(&after, "Corner")
    );
    assert!(of(&after, "Offset from the side, px").starts_with("1 site"));
}

#[tokio::test]
async fn what_a_clients_widgets_have_in_common_reaches_its_sites_and_tokens_come_in() {
    let p = placing().await;
    let id: i64 = p.page.split('/').nth(2).unwrap().parse().unwrap();
    let client = p.house.acts().sites().subject(id).await.unwrap().client.id;
    let page = format!("/clients/{client}");
    let sheet = [
        ("name", "Wendle Tide Mill"),
        ("widget_corner", "bottom-left"),
        ("widget_greeting", "Welcome to the mill!"),
    ];
    p.technician.post(&page, &sheet).await.leads();
    p.technician.get(&page).await.has("Welcome to the mill!");
    let design = format!("/sites/{id}/design");
    p.technician.get(&design).await.has("Welcome to the mill!");
    let told = p.technician.get(&format!("{page}/tokens.json")).await;
    told.has("\"widget\"").has("bottom-left");
    let wrong = [("name", "Wendle Tide Mill"), ("widget_corner", "middle")];
    p.technician
        .post(&page, &wrong)
        .await
        .is(422)
        .has("must be one of: bottom-right");

    // A file with one value changes that value alone; one with a mistake changes nothing.
    let take = format!("/sites/{id}/design/tokens");
    let tokens = r##"{"widget": {"title": {"$value": "Ask the miller"},
        "corner": {"$value": "bottom-left"}}}"##;
    p.technician
        .post(&take, &[("tokens", tokens)])
        .await
        .leads();
    let site = p.house.store().sites().site(id).await.unwrap().unwrap();
    let own: Vec<&str> = site.layer().keys().map(|f| f.key()).collect();
    assert_eq!(own, ["title"], "the corner comes from the client already");
    let wrong = r#"{"widget": {"hue": {"$value": 1}}}"#;
    p.technician
        .post(&take, &[("tokens", wrong)])
        .await
        .is(422)
        .has("widget.hue does not belong");
}

#[tokio::test]
async fn a_look_that_is_kept_has_timelines_and_a_table_for_the_privacy_notice() {
    let p = placing().await;
    let id: i64 = p.page.split('/').nth(2).unwrap().parse().unwrap();
    let (lines, table) = (
        format!("/sites/{id}/timelines"),
        format!("/sites/{id}/privacy.csv"),
    );
    // Nothing is told of a site that was never looked at.
    p.technician.get(&lines).await.is(404);
    p.technician.get(&table).await.is(404);
    let seen = Observation {
        version: VERSION,
        url: "https://site1.example/".into(),
        page: DeliveredPage {
            status: Some(200),
            ..DeliveredPage::default()
        },
        requests: vec![Request {
            url: "http://cdn.brindle.localhost/l.js?k=kite-001".into(),
            kind: RequestKind::Script,
            start_ms: 120.0,
            end_ms: Some(180.0),
            ..Request::default()
        }],
        stored: vec![StoredItem {
            kind: StorageKind::Cookie,
            place: "site1.example".into(),
            name: "brindle_visitor".into(),
            expires_s: Some(2_592_000.0),
            ..StoredItem::default()
        }],
        ..Observation::default()
    };
    let mut look = NewCheck::of(
        id,
        CheckKind::Job(JobKind::Check),
        jiff::Timestamp::now(),
        vec![],
    );
    look.visits = vec![seen];
    let mut tx = p.house.store().begin().await.unwrap();
    tx.keep_check(&look).await.unwrap();
    tx.commit().await.unwrap();
    let actor = Actor::program("test");
    p.house
        .acts()
        .checks()
        .judge_again(&actor, id)
        .await
        .unwrap();
    p.technician
        .get(&lines)
        .await
        .is(200)
        .has("desktop, no choice made")
        .has("120 ms, requests: script http://cdn.brindle.localhost/l.js");
    let told = p.technician.get(&table).await;
    told.is(200)
        .has("connection,cdn.brindle.localhost")
        .has("cookie,brindle_visitor,site1.example,30 days,2592000");
}

/// The preview's own picture is fetched here: the pages load nothing from elsewhere.
#[tokio::test]
async fn a_picture_of_pixels_is_handed_on_as_data_and_nothing_else() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let ask = async |base, address| {
        technician
            .post("/picture", &[("base", base), ("address", address)])
            .await
    };
    let shown = ask("https://kites.example/", "/ida.png").await;
    shown.is(200).has("data:image/png;base64,iVBORw0KGgp");
    for (base, address, why) in [
        (
            "https://kites.example/",
            "/code.svg",
            "not a PNG, JPEG, GIF or WebP",
        ),
        ("https://kites.example/", "/gone.png", "status 404"),
        ("", "/ida.png", "not a web address"),
        ("", "file:///etc/passwd", "not a web address"),
    ] {
        ask(base, address)
            .await
            .is(200)
            .has(why)
            .lacks("data:image");
    }
    let viewer = house.person(Role::Viewer).await;
    viewer
        .post("/picture", &[("address", "https://kites.example/ida.png")])
        .await
        .is(403);
}
