//! Tokens go to confirmed origins only: whoever can write an address could else have a client's
//! token sent to a host of theirs.

use crate::house::{House, house};
use newtfern_acts::Actor;
use newtfern_store::access::people::Role;
use newtfern_store::sealed::client_tokens::TokenKind;

async fn with_account() -> (House, i64, i64) {
    let house = house().await;
    let client = house.client("Wendle Tide Mill").await;
    let site = house.site(client, 1).await;
    let (actor, kind) = (Actor::program("test"), TokenKind::Platform);
    let kept = house.acts().tokens().set_client_token(
        &actor,
        client,
        kind,
        "tarnwork",
        Some("of-the-client"),
    );
    kept.await.unwrap();
    (house, client, site)
}

/// What the outside was given while somebody looked at the page of placing.
async fn sent(house: &House, site: i64) -> (Vec<String>, String) {
    house.stage.tokens.lock().unwrap().clear();
    let page = house
        .acts()
        .placing()
        .place_page(site, 0, None)
        .await
        .unwrap();
    (house.stage.tokens.lock().unwrap().clone(), page.problem)
}

#[tokio::test]
async fn an_accounts_token_is_not_sent_to_an_address_that_somebody_types() {
    let (house, client, site) = with_account().await;
    let technician = house.person(Role::Technician).await;
    assert!(
        sent(&house, site)
            .await
            .0
            .iter()
            .all(|t| t == "of-the-client")
    );
    assert!(!sent(&house, site).await.0.is_empty());
    // A technician gives the site another address.
    let settings = format!("/sites/{site}/settings");
    let form = [
        ("name", "Site 001"),
        ("address", "https://collector.example/"),
        ("platform", "tarnwork"),
        ("supplier", "brindle"),
        ("key", "kite-001"),
    ];
    technician.post(&settings, &form).await.leads();
    let (tokens, page) = sent(&house, site).await;
    assert_eq!(tokens, [""; 0], "nothing is sent");
    assert!(
        page.contains("https://collector.example")
            && page.contains("no administrator has confirmed"),
        "{page}"
    );
    // Nor does a new site get it, by whatever form.
    let new = [
        ("client_id", &*client.to_string()),
        ("name", "New"),
        ("address", "https://other-collector.example/"),
        ("platform", "tarnwork"),
    ];
    technician.post("/sites/new", &new).await.leads();
    let added = house.count("select max(id) from sites").await;
    assert_eq!(house.acts().tokens().site_token(added).await.unwrap(), None);
    // An administrator confirms the one, and not an address that nothing names.
    let administrator = house.person(Role::Administrator).await;
    let path = format!("/clients/{client}/token");
    let confirm = |origin: &'static str| {
        [
            ("for", "platform:tarnwork"),
            ("act", "confirm"),
            ("origin", origin),
        ]
    };
    administrator
        .post(&path, &confirm("https://elsewhere.example"))
        .await
        .is(422)
        .has("no longer goes to https://elsewhere.example");
    administrator
        .post(&path, &confirm("https://collector.example"))
        .await
        .leads();
    assert!(
        sent(&house, site)
            .await
            .0
            .contains(&"of-the-client".to_string())
    );
    assert_eq!(house.acts().tokens().site_token(added).await.unwrap(), None);
}

/// A profile that names another host gets no token that was kept for the one before; a site's own
/// neither.
#[tokio::test]
async fn a_profile_that_leads_elsewhere_gets_no_token() {
    let (house, client, site) = with_account().await;
    let acts = house.acts();
    let actor = Actor::program("test");
    acts.tokens()
        .set_site_token(&actor, site, "its-own")
        .await
        .unwrap();
    let kind = TokenKind::Supplier;
    acts.tokens()
        .set_client_token(&actor, client, kind, "brindle", Some("console"))
        .await
        .unwrap();
    assert_eq!(
        acts.tokens().site_token(site).await.unwrap().as_deref(),
        Some("its-own")
    );
    let console = acts
        .tokens()
        .account_token(client, "brindle")
        .await
        .unwrap();
    assert_eq!(console.as_deref(), Some("console"));
    let platform =
        newtfern_standins::platform_profile().replace("{{origin}}", "https://collector.example");
    let supplier = newtfern_standins::supplier_profile(80).replace(
        "console_read = \"http://console.brindle.localhost:80",
        "console_read = \"https://collector.example",
    );
    assert!(supplier.contains("https://collector.example"), "{supplier}");
    let files = [
        ("tarnwork.toml".to_string(), platform),
        ("brindle.toml".to_string(), supplier),
    ];
    acts.profiles()
        .bring_profiles(&actor, &files)
        .await
        .unwrap();
    assert_eq!(acts.tokens().site_token(site).await.unwrap(), None);
    assert!(sent(&house, site).await.0.is_empty());
    let held = acts
        .tokens()
        .account_token(client, "brindle")
        .await
        .unwrap_err();
    assert!(
        held.to_string().contains("https://collector.example"),
        "{held}"
    );
}

/// A file cannot say that its writer wants a token to go out unencrypted; and what it holds lies
/// nowhere in clear.
#[tokio::test]
async fn tokens_of_files_are_sealed_and_go_to_no_open_address() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let csv = "client,name,address,platform,platform_token\n\
        Mill,Open,http://open.example/,tarnwork,SECRET-ONE\n\
        Mill,Safe,https://safe.example/,tarnwork,SECRET-TWO\n\
        Mill,Odd,https://odd.example/,no-such-platform,SECRET-THREE,one cell too many\n";
    let page = crate::intake::brought(&technician, csv.as_bytes()).await;
    let shown = technician.get(&page).await;
    shown
        .has("http://open.example without encryption")
        .has("enter it in the site")
        .lacks("SECRET");
    let viewer = house.person(Role::Viewer).await;
    let refused = viewer.get(&format!("{page}/refused.csv")).await;
    refused.has("http://open.example/").lacks("SECRET");
    let rows: Vec<Vec<u8>> = sqlx::query_scalar("select sealed from imports")
        .fetch_all(&house.store().pool)
        .await
        .unwrap();
    let clear = |row: &Vec<u8>| String::from_utf8_lossy(row).contains("SECRET");
    assert!(rows.len() == 1 && !rows.iter().any(clear));
    technician.post(&page, &[]).await.leads();
    let id = house
        .count("select id from sites where url = 'https://safe.example/'")
        .await;
    let token = house.acts().tokens().site_token(id).await.unwrap();
    assert_eq!(token.as_deref(), Some("SECRET-TWO"));
    // Taken, it is gone; and the trail names what came by it.
    assert_eq!(
        house
            .count("select count(*) from imports where sealed is not null")
            .await,
        0
    );
    let trail = "select count(*) from audit where act = 'imported sites' and detail::text like \
        '%safe.example%' \
        or act = 'added a client' and subject = 'Mill' or act = 'read a file of sites'";
    assert_eq!(house.count(trail).await, 3);
}
