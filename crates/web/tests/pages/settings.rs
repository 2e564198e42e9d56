//! Administration: people, roles, the network rule, the house style, the audit trail.

use crate::forms::ADMINISTRATION;
use crate::house::{design_form, house};
use newtfern_model::site::SiteFields;
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_store::access::people::Role;

#[tokio::test]
async fn only_administrators_administer() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    for path in ADMINISTRATION {
        let kind = match path {
            "/profiles/new" => "region",
            _ => "lock",
        };
        technician
            .post(path, &[("private_hosts", "10.0.0.7"), ("kind", kind)])
            .await
            .is(403)
            .has("Only an administrator");
    }
    let list = house.store().settings().private_hosts().await.unwrap();
    assert_eq!(list, PrivateHosts::none());
    technician.get("/profiles").await.lacks("New platform");
    technician.get("/people").await.lacks("Add a person");
}

#[tokio::test]
async fn the_network_rule_is_changed_and_the_change_is_in_the_audit_trail() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    administrator
        .post(
            "/settings",
            &[
                ("private_hosts", "10.0.3.9/24\r\n*.Stage.example"),
                ("keep_checks", "30"),
            ],
        )
        .await
        .leads();
    let list = house.store().settings().private_hosts().await.unwrap();
    assert_eq!(list.to_string(), "10.0.3.0/24\n*.stage.example");
    // A line that is none changes nothing, and what was typed is there to mend.
    administrator
        .post(
            "/settings",
            &[("private_hosts", "10.0.3.0/99"), ("keep_checks", "30")],
        )
        .await
        .is(422)
        .has("10.0.3.0/99\u{201d} is neither a host nor a network")
        .has(">10.0.3.0/99</textarea>");
    assert_eq!(
        house.store().settings().private_hosts().await.unwrap(),
        list
    );
    // Sample texts are kept in the same way: one a line, its language first.
    let samples = |text| [("keep_checks", "30"), ("sample_words", text)];
    administrator
        .post("/settings", &samples("cy: Enw eich cwmni\r\n"))
        .await
        .leads();
    let kept = house.store().settings().sample_words().await.unwrap();
    assert_eq!(kept.to_string(), "cy: Enw eich cwmni\n");
    administrator
        .post("/settings", &samples("Enw eich cwmni"))
        .await
        .is(422)
        .has("\u{201c}Enw eich cwmni\u{201d} is no sample text")
        .has(">Enw eich cwmni</textarea>");
    assert_eq!(house.store().settings().sample_words().await.unwrap(), kept);
    administrator
        .post("/settings", &[("keep_checks", "12")])
        .await
        .leads();
    assert_eq!(house.store().settings().keep_checks().await.unwrap(), 12);
    for typed in ["", "1", "many", "100000"] {
        administrator
            .post("/settings", &[("keep_checks", typed)])
            .await
            .is(422)
            .has("from 2 to 1000");
    }
    let list = house.store().settings().private_hosts().await.unwrap();
    assert_eq!(list, PrivateHosts::none());
    administrator
        .get("/audit?q=rules")
        .await
        .has("changed the house rules")
        .has("Some administrator");
    administrator
        .get("/audit?q=r_les")
        .await
        .lacks("changed the house rules");
}

#[tokio::test]
async fn people_are_added_with_a_role_and_a_password_that_is_hashed() {
    // One story: each part stands on what the one before left behind.
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let ada = [
        ("name", "Ada Fenwick"),
        ("email", "Ada@Fenwick.example"),
        ("password", "fern and sallow"),
        ("role", "technician"),
    ];
    administrator.post("/people", &ada).await.leads();
    let kept = house
        .store()
        .people()
        .person_by_email("ada@fenwick.example")
        .await
        .unwrap()
        .unwrap();
    assert_eq!(
        (kept.role(), kept.password_hash.starts_with("$argon2id$")),
        (Role::Technician, true)
    );
    house
        .stranger()
        .post(
            "/sign-in",
            &[
                ("email", "ada@fenwick.example"),
                ("password", "fern and sallow"),
            ],
        )
        .await
        .leads();

    // Each refusal keeps what was typed, and never shows the password again.
    for (fields, why) in [
        (
            [
                ("name", "Bo"),
                ("email", "ada@fenwick.example"),
                ("password", "fern and sallow"),
            ],
            "A person with the e-mail address",
        ),
        (
            [
                ("name", "Bo"),
                ("email", "bo@fenwick.example"),
                ("password", "short"),
            ],
            "12 characters or more",
        ),
        (
            [
                ("name", "Bo"),
                ("email", "bo"),
                ("password", "fern and sallow"),
            ],
            "an e-mail address",
        ),
        (
            [
                ("name", " "),
                ("email", "bo@fenwick.example"),
                ("password", "fern and sallow"),
            ],
            "Enter a name and an e-mail address",
        ),
    ] {
        administrator
            .post("/people", &fields)
            .await
            .is(422)
            .has(why)
            .has(&format!("value=\"{}\"", fields[1].1))
            .lacks("fern and sallow");
    }
    assert_eq!(house.store().people().all().await.unwrap().len(), 2);
}

#[tokio::test]
async fn a_role_changes_at_once_and_nobody_changes_their_own() {
    let house = house().await;
    let (administrator, viewer) = (
        house.person(Role::Administrator).await,
        house.person(Role::Viewer).await,
    );
    viewer.post("/bulk", &[]).await.is(403);
    let number = viewer.id.to_string();
    let role = |role: &'static str| [("person", number.clone()), ("role", role.to_string())];
    let set = |fields: [(&'static str, String); 2]| {
        let administrator = administrator.clone();
        async move {
            let fields: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (*n, v.as_str())).collect();
            administrator.post("/people/role", &fields).await
        }
    };
    set(role("technician")).await.leads();
    // What they may do is asked anew: they sign in once more.
    assert_eq!(
        viewer.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    let again = house.signed_in(viewer.id).await;
    again
        .post("/bulk", &[("kind", "check")])
        .await
        .is(422)
        .has("No sites are selected");
    let own = [
        ("person", administrator.id.to_string()),
        ("role", "viewer".to_string()),
    ];
    set(own).await.is(422).has("your own role");
    // A role that does not exist gives the least.
    set(role("emperor")).await.leads();
    house
        .signed_in(viewer.id)
        .await
        .post("/bulk", &[])
        .await
        .is(403);
}

#[tokio::test]
async fn the_house_style_reaches_every_design_and_a_wrong_value_keeps_the_rest() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    technician
        .post_form(
            "/house-style",
            &design_form(&[
                ("greeting", "Write to the workshop"),
                ("button_colour", "#204060"),
            ]),
        )
        .await
        .leads();
    technician
        .get(&format!("/sites/{site}/design"))
        .await
        .has("Write to the workshop")
        .has("#204060");
    let wrong = design_form(&[
        ("greeting", "A greeting I do not want to lose"),
        ("button_colour", "bluish"),
    ]);
    technician
        .post_form("/house-style", &wrong)
        .await
        .is(422)
        .has("A greeting I do not want to lose")
        .has("bluish");
    technician
        .get(&format!("/sites/{site}/design"))
        .await
        .has("Write to the workshop");
}

/// Whoever listens on the way could use it: the person is told before it is kept.
#[tokio::test]
async fn a_token_that_would_go_out_unencrypted_is_kept_only_after_a_warning() {
    let house = house().await;
    let client = house.client("Lenn Kite Workshop").await;
    let administrator = house.person(Role::Administrator).await;
    let site = SiteFields {
        name: "Old shop".into(),
        url: "http://old.kites.example/".into(),
        platform_id: Some(house.platform.id.clone()),
        ..SiteFields::default()
    };
    let mut tx = house.store().begin().await.unwrap();
    let id = tx.add_site(client, &site).await.unwrap();
    tx.commit().await.unwrap();
    let path = format!("/sites/{id}/settings");
    let mut form = vec![
        ("name", "Old shop"),
        ("platform", &*house.platform.id),
        ("token", "abc"),
    ];
    let refused = administrator.post(&path, &form).await;
    refused
        .is(422)
        .has("http://old.kites.example without encryption")
        .has("name=\"unencrypted\"");
    assert!(
        house
            .store()
            .sites()
            .site_token(id)
            .await
            .unwrap()
            .is_none()
    );
    form.push(("unencrypted", "yes"));
    administrator.post(&path, &form).await.leads();
    assert!(
        house
            .store()
            .sites()
            .site_token(id)
            .await
            .unwrap()
            .is_some()
    );

    let profile = newtfern_standins::supplier_profile(80).replace("localhost:80", "example");
    assert!(profile.contains("console_read = \"http://"), "{profile}");
    let id = newtfern_model::profile::Supplier::from_toml(&profile)
        .unwrap()
        .id;
    let mut form = vec![("text", &*profile), ("token", "abc"), ("kind", "supplier")];
    let path = format!("/profiles/supplier/{id}");
    let refused = administrator.post(&path, &form).await;
    refused
        .is(422)
        .has("without encryption, and others could read it");
    assert!(
        house
            .store()
            .profiles()
            .supplier_token(&id)
            .await
            .unwrap()
            .is_none()
    );
    form.push(("unencrypted", "yes"));
    administrator.post(&path, &form).await.leads();
    assert!(
        house
            .store()
            .profiles()
            .supplier_token(&id)
            .await
            .unwrap()
            .is_some()
    );
}
