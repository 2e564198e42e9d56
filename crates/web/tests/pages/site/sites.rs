//! Adding, changing and removing sites; their designs.

use crate::house::{House, house};
use newtfern_store::access::people::Role;
use newtfern_store::estate::sites::Site;
use newtfern_verdict::family::{Family, Standing};
use serde_json::Value;

pub(crate) async fn only(house: &House, url: &str) -> Site {
    let id = house
        .store()
        .sites()
        .site_by_url(url)
        .await
        .unwrap()
        .expect("the site is there");
    house.store().sites().site(id).await.unwrap().unwrap()
}

#[tokio::test]
async fn a_site_is_added_by_its_address_with_platform_and_name_from_the_page() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await.to_string();
    let answer = technician
        .post(
            "/sites/new",
            &[
                ("client_id", &client),
                ("address", "kites.example"),
                ("supplier", "brindle"),
                ("key", "kite-001"),
                ("country", "no"),
            ],
        )
        .await;
    let site = only(&house, "https://kites.example/").await;
    assert_eq!(answer.leads(), format!("/sites/{}", site.id));
    assert_eq!(
        (
            site.name.as_str(),
            site.platform_id.as_deref(),
            site.country.as_str(),
            site.budget_ms
        ),
        ("Kites for every wind", Some("tarnwork"), "NO", 50.0)
    );
    // Pictures for the design are taken without being asked for.
    let (rounds, _) = house.store().rounds().page("", 0, 10).await.unwrap();
    assert_eq!(
        (rounds.len(), rounds[0].kind.key(), rounds[0].waiting),
        (1, "preview", 1)
    );
    technician
        .get(&format!("/sites/{}", site.id))
        .await
        .has("Kites for every wind")
        .has("Lenn Kite Workshop");
    // Chosen supplier and key settle the first part of the job, nothing else does.
    let standings = house
        .store()
        .sites()
        .standings_of(&[site.id])
        .await
        .unwrap()
        .remove(&site.id)
        .unwrap();
    let passing: Vec<Family> = standings
        .iter()
        .filter(|s| s.state.is_good())
        .map(|s| s.family)
        .collect();
    assert_eq!(passing, [Family::Design]);
}

#[tokio::test]
async fn what_is_refused_says_why_and_loses_nothing() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    house.site(client, 1).await;
    let client = client.to_string();
    let long = "k".repeat(121);
    let good = [
        ("client_id", client.as_str()),
        ("address", "https://new.example/"),
        ("name", "Shop"),
        ("budget_ms", "40"),
        ("country", "GB"),
        ("contact", "Typed with care"),
    ];
    for (field, value, why) in [
        ("address", "ftp://new.example/", "http"),
        ("address", "https://", "ddress"),
        (
            "address",
            "https://site1.example",
            "has this address already",
        ),
        ("address", "http://192.168.0.7/", "private"),
        ("address", "http://mill.localhost/", "private"),
        ("client_id", "", "Choose a client"),
        ("client_id", "999", "Choose a client"),
        ("budget_ms", "lots", "number"),
        ("budget_ms", "-1", "number"),
        ("budget_ms", "NaN", "number"),
        ("country", "Atlantis", "Atlantis"),
        ("name", &long, "longer than 120"),
        ("platform", "gone", "is unknown; known are"),
        ("supplier", "gone", "is unknown; known are"),
        ("consent", "gone", "is unknown; known are"),
    ] {
        let mut fields: Vec<(&str, &str)> =
            good.iter().filter(|(n, _)| *n != field).copied().collect();
        fields.push((field, value));
        let answer = technician.post("/sites/new", &fields).await;
        answer.is(422).has(why).has("Typed with care");
        if field != "address" {
            answer.has("https://new.example/");
        }
    }
    assert_eq!(house.count("select count(*) from sites").await, 1);
    technician.post("/sites/new", &good).await.leads();
}

#[tokio::test]
async fn a_site_that_does_not_answer_is_added_only_when_asked_for() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Tarn Row Canoes").await.to_string();
    *house.stage.problem.lock().unwrap() = Some("The name canoes.example does not resolve.".into());
    let form = [
        ("client_id", client.as_str()),
        ("address", "https://canoes.example/"),
    ];
    technician
        .post("/sites/new", &form)
        .await
        .is(422)
        .has("does not resolve")
        .has("even though it cannot be reached");
    technician
        .post("/sites/new", &[form[0], form[1], ("anyway", "yes")])
        .await
        .leads();
    assert_eq!(
        only(&house, "https://canoes.example/").await.name,
        "canoes.example"
    );
    // The network rule is an administrator's, and no tick gets around it.
    technician
        .post(
            "/sites/new",
            &[form[0], ("address", "http://10.0.0.1/"), ("anyway", "yes")],
        )
        .await
        .is(422)
        .has("private");
    let looked: Value = serde_json::from_slice(
        &technician
            .post("/sites/look", &[("url", "https://canoes.example/")])
            .await
            .is(200)
            .bytes,
    )
    .unwrap();
    assert_eq!(
        looked["problem"],
        "The name canoes.example does not resolve."
    );
}

#[tokio::test]
async fn settings_are_kept_the_token_is_sealed_and_never_shown() {
    // One story: each part stands on what the one before left behind.
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Orrery Hill Observatory").await;
    let id = house.site(client, 1).await;
    let path = format!("/sites/{id}/settings");
    let form = [
        ("name", "Star nights"),
        ("supplier", "brindle"),
        ("key", " star-007 "),
        ("platform", "tarnwork"),
        ("token", "slot-secret-9"),
        ("budget_ms", "12.5"),
        ("address", "https://elsewhere.example/"),
    ];
    technician.post(&path, &form).await.leads();
    let site = house.store().sites().site(id).await.unwrap().unwrap();
    // The address is corrected with the rest.
    assert_eq!(
        (
            site.name.as_str(),
            site.key.as_str(),
            site.budget_ms,
            site.url.as_str()
        ),
        (
            "Star nights",
            "star-007",
            12.5,
            "https://elsewhere.example/"
        )
    );
    assert_eq!(
        house.acts().tokens().site_token(id).await.unwrap().unwrap(),
        "slot-secret-9"
    );
    for page in [
        path.as_str(),
        &format!("/sites/{id}"),
        "/audit",
        "/sites/export.csv",
    ] {
        technician.get(page).await.is(200).lacks("slot-secret-9");
    }
    technician.get(&path).await.has("saved; type to replace");
    // An empty token field keeps the token.
    technician
        .post(&path, &[("name", "Star nights")])
        .await
        .leads();
    assert!(
        house
            .store()
            .sites()
            .site_token(id)
            .await
            .unwrap()
            .is_some()
    );
    // Without a supplier the design is open again.
    let state = house.store().sites().standings_of(&[id]).await.unwrap()[&id]
        .iter()
        .find(|s| s.family == Family::Design)
        .unwrap()
        .state;
    assert_eq!(state, Standing::NotYet);
    technician
        .post(&path, &[("name", ""), ("contact", "Typed with care")])
        .await
        .is(422)
        .has("enter a name for the site")
        .has("Typed with care");
    technician
        .post("/sites/999/settings", &[("name", "x")])
        .await
        .is(404);
}

/// Nothing stays passing after what it rests on has changed.
#[tokio::test]
async fn a_change_makes_stale_what_rested_on_it_and_nothing_else() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Orrery Hill Observatory").await;
    let id = house.site(client, 1).await;
    for family in Family::ALL {
        house
            .stands(id, family, Standing::Passing, "As told.", None)
            .await;
    }
    let path = format!("/sites/{id}/settings");
    let same = [
        ("name", "Star nights"),
        ("supplier", "brindle"),
        ("key", "kite-001"),
        ("platform", "tarnwork"),
    ];
    let stale = async || {
        let all = house
            .store()
            .sites()
            .standings_of(&[id])
            .await
            .unwrap()
            .remove(&id)
            .unwrap();
        let stale = all.iter().filter(|s| s.state == Standing::Stale);
        stale.map(|s| s.family).collect::<Vec<_>>()
    };
    technician.post(&path, &same).await.leads();
    let sheet = [Family::HandOver];
    assert_eq!(stale().await, sheet, "the sheet bears the name");
    let mut form = same.to_vec();
    form.push(("country", "FR"));
    technician.post(&path, &form).await.leads();
    assert_eq!(stale().await, [Family::Consent, Family::HandOver]);
    technician
        .get(&format!("/sites/{id}"))
        .await
        .has("Changed since this check: country of the visitors")
        .has("Changed since this check: name");
    form[2].1 = "kite-002";
    technician.post(&path, &form).await.leads();
    let all = stale().await;
    assert_eq!(all.len(), 9, "all but the design rest on the key: {all:?}");
    technician
        .get("/audit")
        .await
        .has("kite-001")
        .has("kite-002");
}

#[tokio::test]
async fn a_site_goes_only_when_its_name_is_typed() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Orrery Hill Observatory").await;
    let id = house.site(client, 1).await;
    technician
        .post(&format!("/sites/{id}/remove"), &[("name", "site 001")])
        .await
        .is(422)
        .has("Nothing was removed");
    assert!(house.store().sites().site(id).await.unwrap().is_some());
    technician
        .post(&format!("/sites/{id}/remove"), &[("name", "Site 001")])
        .await
        .leads();
    assert!(house.store().sites().site(id).await.unwrap().is_none());
    technician.get(&format!("/sites/{id}")).await.is(404);
    technician.get("/audit").await.has("removed a site");
}

#[tokio::test]
async fn hostile_names_stay_text_everywhere() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("\"><img src=x onerror=alert(1)>").await;
    let id = house.site(client, 1).await;
    technician
        .post(
            &format!("/sites/{id}/settings"),
            &[
                ("name", "</script><script>alert(2)</script>"),
                ("contact", "' onfocus='alert(3)"),
            ],
        )
        .await
        .leads();
    for path in [
        "/lens/estate".to_string(),
        "/worklist".into(),
        "/clients".into(),
        format!("/sites/{id}"),
        format!("/sites/{id}/settings"),
        format!("/sites/{id}/design"),
        format!("/sites/{id}/place"),
    ] {
        technician
            .get(&path)
            .await
            .is(200)
            .lacks("<img src=x")
            .lacks("<script>alert")
            .lacks("' onfocus='");
    }
}
