//! Many sites at once: one value with its differences first, another client, removed and brought back;
//! clients merged; tokens entered once.

use crate::house::house;
use jiff::Timestamp;
use newtfern_core::code::Code;
use newtfern_core::family::{Assessed, Family, Standing};
use newtfern_core::finding::Finding;
use newtfern_store::client_tokens::TokenKind;
use newtfern_store::people::Role;

fn failing() -> Assessed {
    let finding = Finding::broken(Code::PlacedAbsent, "It is not there.", "Place it.");
    Assessed {
        family: Family::Place,
        standing: Standing::Failing,
        summary: "It is not there.".into(),
        remedy: "Place it.".into(),
        findings: vec![finding],
        detail: None,
    }
}

fn list(ids: &[i64]) -> String {
    let ids: Vec<String> = ids.iter().map(i64::to_string).collect();
    ids.join(",")
}

#[tokio::test]
async fn one_value_is_set_for_many_sites_all_or_none() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let mut sites = Vec::new();
    for n in 1..=3 {
        sites.push(house.site(client, n).await);
    }
    let ids = list(&sites);
    technician
        .post("/bulk/change", &[])
        .await
        .is(422)
        .has("No site is ticked");
    technician
        .post("/bulk/change", &[("sites", &ids)])
        .await
        .is(200)
        .has("Change 3 sites");
    let country = [
        ("sites", ids.as_str()),
        ("field", "country"),
        ("value", "NO"),
    ];
    technician
        .post("/bulk/change", &country)
        .await
        .has("Set it for 3 sites");
    assert_eq!(
        house
            .count("select count(*) from sites where country <> ''")
            .await,
        0
    );
    technician
        .post(
            "/bulk/act",
            &[country.as_slice(), &[("act", "set")]].concat(),
        )
        .await
        .is(303);
    assert_eq!(
        house
            .count("select count(*) from sites where country = 'NO'")
            .await,
        3
    );
    // A value that one of them cannot have is told with the site, and none gets it.
    let key = [("sites", ids.as_str()), ("field", "key"), ("value", "!")];
    technician
        .post("/bulk/change", &key)
        .await
        .has("cannot have it: nothing is set")
        .has("form of a key");
    technician
        .post("/bulk/act", &[key.as_slice(), &[("act", "set")]].concat())
        .await
        .is(422)
        .has("Nothing was changed");
    // Names and addresses are each site's own.
    technician
        .post(
            "/bulk/act",
            &[
                ("sites", &ids),
                ("field", "name"),
                ("value", "x"),
                ("act", "set"),
            ],
        )
        .await
        .is(422);
    let viewer = house.person(Role::Viewer).await;
    viewer
        .post("/bulk/act", &[("sites", &ids), ("act", "remove")])
        .await
        .is(403);
}

/// A value of the design over many sites: where each value comes from is told, and setting back brings the layer
/// above again.
#[tokio::test]
async fn one_value_of_the_design_is_set_for_many_sites_and_set_back() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let ids = list(&[house.site(client, 1).await, house.site(client, 2).await]);
    let with = |more: &[(&'static str, &'static str)]| {
        let mut fields = vec![("sites", ids.clone()), ("field", "design.corner".into())];
        fields.extend(more.iter().map(|(n, v)| (*n, v.to_string())));
        fields
    };
    let post = async |path: &str, more: &[(&'static str, &'static str)]| {
        let fields = with(more);
        let fields: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (*n, v.as_str())).collect();
        technician.post(path, &fields).await
    };
    let own = "select count(*) from sites where adjustments ->> 'corner' = 'bottom-left'";
    post("/bulk/change", &[("value", "middle")])
        .await
        .has("must be one of: bottom-right");
    post("/bulk/change", &[("value", "bottom-left")])
        .await
        .has("bottom-right (house style)")
        .has("bottom-left (this site)")
        .has("Set it for 2 sites");
    assert_eq!(house.count(own).await, 0);
    post("/bulk/act", &[("value", "bottom-left"), ("act", "set")])
        .await
        .is(303);
    assert_eq!(house.count(own).await, 2);
    let stale = "select count(*) from audit where act = 'changed a design'";
    assert_eq!(house.count(stale).await, 2);
    post("/bulk/change", &[("back", "yes")])
        .await
        .has("Corner: set back")
        .has("bottom-right (house style)");
    post("/bulk/act", &[("back", "yes"), ("act", "set")])
        .await
        .is(303);
    assert_eq!(house.count(own).await, 0);
}

#[tokio::test]
async fn what_was_removed_comes_back_as_it_was() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let other = house.client("Hollin Rink").await;
    let sites = [house.site(client, 1).await, house.site(client, 2).await];
    house
        .looked(sites[0], Timestamp::now(), vec![failing()])
        .await;
    let actor = newtfern_acts::Actor::program("test");
    house
        .acts()
        .set_site_token(&actor, sites[0], "kept-token")
        .await
        .unwrap();
    let all = "select md5(string_agg(t, '|' order by t)) from (\
        select to_jsonb(s)::text as t from sites s union all select to_jsonb(s)::text from standings s \
        union all select (to_jsonb(c) - 'job_id')::text from checks c union all select to_jsonb(f)::text from findings f \
        union all select to_jsonb(d)::text from drawings d union all select to_jsonb(o)::text from observations o \
        union all select to_jsonb(p)::text from pages p) x";
    let print = async || -> Option<String> {
        sqlx::query_scalar(all)
            .fetch_one(&house.store().pool)
            .await
            .unwrap()
    };
    let before = print().await;
    let ids = list(&sites);
    let answer = technician
        .post("/bulk/act", &[("sites", &ids), ("act", "remove")])
        .await;
    answer.is(303);
    assert_eq!(house.count("select count(*) from sites").await, 0);
    assert_eq!(house.count("select count(*) from checks").await, 0);
    let shown = technician.get(answer.header("location")).await;
    shown.has("2 sites").has("Lenn Kite Workshop, Site 001");
    let removal = house
        .count("select max(id) from removals")
        .await
        .to_string();
    // An address that another site has by now keeps all of it from coming back.
    let taken = house.site(other, 2).await;
    technician
        .post("/removed", &[("removal", &removal)])
        .await
        .is(422)
        .has("is the address of another site by now");
    assert_eq!(house.count("select count(*) from sites").await, 1);
    let mut tx = house.store().begin().await.unwrap();
    tx.remove_site(taken).await.unwrap();
    tx.commit().await.unwrap();
    technician
        .post("/removed", &[("removal", &removal)])
        .await
        .is(303);
    assert_eq!(print().await, before);
    let token = house.acts().site_token(sites[0]).await.unwrap();
    assert_eq!(token.as_deref(), Some("kept-token"));
    technician
        .post("/removed", &[("removal", &removal)])
        .await
        .is(404);
    // After its time it is forgotten.
    technician
        .post("/bulk/act", &[("sites", &ids), ("act", "remove")])
        .await
        .is(303);
    sqlx::query("update removals set at = now() - interval '31 days'")
        .execute(&house.store().pool)
        .await
        .unwrap();
    house.store().forget_removals().await.unwrap();
    assert_eq!(house.count("select count(*) from removed_sites").await, 0);
}

#[tokio::test]
async fn sites_move_and_clients_merge() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let other = house.client("Hollin Rink").await;
    let sites = [house.site(client, 1).await, house.site(client, 2).await];
    let to = other.to_string();
    let moved = [
        ("sites", &*list(&sites[..1])),
        ("act", "move"),
        ("client_id", &to),
    ];
    technician.post("/bulk/act", &moved).await.is(303);
    let of = async |id| house.store().site(id).await.unwrap().unwrap().client_id;
    assert_eq!(of(sites[0]).await, other);
    technician
        .post("/bulk/act", &[moved[0], moved[1]])
        .await
        .is(422)
        .has("Choose the client");
    let path = format!("/clients/{client}");
    technician
        .post(&format!("{path}/remove"), &[])
        .await
        .is(422)
        .has("move or remove them first");
    technician
        .post(&format!("{path}/merge"), &[("into", &client.to_string())])
        .await
        .is(422)
        .has("another client");
    technician
        .post(&format!("{path}/merge"), &[("into", &to)])
        .await
        .is(303);
    assert_eq!(of(sites[1]).await, other);
    technician.get(&path).await.is(404);
    technician
        .get("/audit")
        .await
        .has("merged a client")
        .has("moved sites");
}

#[tokio::test]
async fn a_clients_token_opens_the_interfaces_of_all_its_sites() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let path = format!("/clients/{client}/token");
    technician
        .post(&path, &[("token", "x")])
        .await
        .is(422)
        .has("Choose the platform");
    technician
        .post(
            &path,
            &[("for", "platform:tarnwork"), ("token", "of-the-client")],
        )
        .await
        .is(303);
    let opened = async || house.acts().site_token(site).await.unwrap();
    assert_eq!(opened().await.as_deref(), Some("of-the-client"));
    technician
        .get(&format!("/clients/{client}"))
        .await
        .has("let it go")
        .lacks("of-the-client");
    // The site's own goes before.
    let actor = newtfern_acts::Actor::program("test");
    house
        .acts()
        .set_site_token(&actor, site, "its-own")
        .await
        .unwrap();
    assert_eq!(opened().await.as_deref(), Some("its-own"));
    technician
        .post(&path, &[("for", "supplier:brindle"), ("token", "account")])
        .await
        .is(303);
    let account = house.acts().account_token(client, "brindle").await.unwrap();
    assert_eq!(account.as_deref(), Some("account"));
    technician
        .post(&path, &[("for", "platform:tarnwork"), ("act", "remove")])
        .await
        .is(303);
    let left = house
        .store()
        .client_token(client, TokenKind::Platform, "tarnwork")
        .await
        .unwrap();
    assert!(left.is_none());
}

/// An address is corrected with its history, and the inventory of pages begins anew at another host.
#[tokio::test]
async fn an_address_is_corrected_and_where_it_was_stays_known() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    house.site(client, 2).await;
    let path = format!("/sites/{site}/settings");
    let to = |address: &'static str| [("name", "Shop"), ("address", address)];
    technician
        .post(&path, &to("https://site2.example/"))
        .await
        .is(422)
        .has("is there already");
    technician
        .post(&path, &to("http://10.0.0.1/"))
        .await
        .is(422)
        .has("private");
    let actor = newtfern_acts::Actor::program("test");
    let set = house
        .acts()
        .set_site_token(&actor, site, "for-the-old-host");
    set.await.unwrap();
    technician
        .post(&path, &to("https://www.kites.example/"))
        .await
        .is(303);
    // A token that was entered for another host is not sent to this one.
    let token = house.store().site_token(site).await.unwrap();
    assert!(token.is_none());
    let kept = house.store().site(site).await.unwrap().unwrap();
    assert_eq!(kept.url, "https://www.kites.example/");
    technician
        .get(&path)
        .await
        .has("https://site1.example/ (corrected by");
    let (pages, total) = house
        .store()
        .pages_found(site, None, "", 0, 9)
        .await
        .unwrap();
    assert_eq!(
        (total, pages[0].url.as_str()),
        (1, "https://www.kites.example/")
    );
}
