//! Many sites at once: one value with its differences first, another client, removed and brought
//! back; clients merged; tokens entered once.

use crate::house::house;
use jiff::Timestamp;
use newtfern_model::code::Code;
use newtfern_model::expectation::first_widget;
use newtfern_model::finding::Finding;
use newtfern_store::access::people::Role;
use newtfern_store::sealed::client_tokens::TokenKind;
use newtfern_verdict::family::{Family, FamilyResult, Standing};

fn failing() -> FamilyResult {
    let finding = Finding::broken(Code::PlacedAbsent, "It is not there.", "Place it.");
    FamilyResult {
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
        .has("No sites are selected");
    technician
        .post("/bulk/change", &[("sites", &ids)])
        .await
        .is(200)
        .has("Edit 3 sites");
    let country = [
        ("sites", ids.as_str()),
        ("field", "country"),
        ("value", "NO"),
    ];
    technician
        .post("/bulk/change", &country)
        .await
        .has("Change 3 sites");
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
        .has("cannot have this. Nothing was changed")
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
    // Back to the list they came from, with its filter; nowhere else.
    for (from, to) in [
        (
            "/lens/load?state=failing&page=1",
            "/lens/load?state=failing&page=1",
        ),
        ("https://elsewhere.test/lens/", "/lens/estate"),
        ("//elsewhere.test/lens/", "/lens/estate"),
        ("/lens/\\elsewhere.test", "/lens/estate"),
    ] {
        let fields = [country.as_slice(), &[("act", "set"), ("from", from)]].concat();
        let answer = technician.post("/bulk/act", &fields).await;
        assert_eq!(answer.leads(), to, "{from}");
    }
    let viewer = house.person(Role::Viewer).await;
    viewer
        .post("/bulk/act", &[("sites", &ids), ("act", "remove")])
        .await
        .is(403);
}

/// Hours, delay and channels of many sites by one line each; then those of one site for others.
#[tokio::test]
async fn hours_and_channels_are_set_for_many_sites_and_copied_from_one() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let sites = [
        house.site(client, 1).await,
        house.site(client, 2).await,
        house.site(client, 3).await,
    ];
    let with_hours = "select count(*) from sites where beyond like '%09:00%'";
    let (both, first) = (list(&sites[..2]), list(&sites[..1]));
    let post = async |path: &str, sites: &str, more: &[(&str, &str)]| {
        let mut fields = vec![("sites", sites)];
        fields.extend_from_slice(more);
        technician.post(path, &fields).await
    };
    let hours = [
        ("field", "hours"),
        ("value", "Mon to Fri 9:00 to 17:30; sat 10:00-14:00"),
    ];
    post("/bulk/change", &both, &hours)
        .await
        .has("mon-fri 09:00-17:30; sat 10:00-14:00")
        .has("Change 2 sites");
    assert_eq!(house.count(with_hours).await, 0);
    let set = [hours[0], hours[1], ("act", "set")];
    post("/bulk/act", &both, &set).await.is(303);
    assert_eq!(house.count(with_hours).await, 2);
    let told = "select count(*) from audit where act = 'changed a site' and detail -> 'hours' ->> \
        'after' = 'mon-fri 09:00-17:30; sat 10:00-14:00'";
    assert_eq!(house.count(told).await, 2);
    // The same again changes nothing.
    post("/bulk/change", &both, &hours)
        .await
        .has("These sites are like this already.");

    let channels = [
        ("field", "channels"),
        ("value", "phone 01632 960123"),
        ("act", "set"),
    ];
    post("/bulk/act", &both, &channels)
        .await
        .is(422)
        .has("country")
        .has("Nothing was changed");
    let channels = [
        ("field", "channels"),
        ("value", "phone +44 1632 960 123"),
        ("act", "set"),
    ];
    post("/bulk/act", &first, &channels).await.is(303);
    let zone = [
        ("field", "time_zone"),
        ("value", "Europe/London"),
        ("act", "set"),
    ];
    post("/bulk/act", &first, &zone).await.is(303);

    let third = list(&sites[2..]);
    let from = house.store().sites().site(sites[0]).await.unwrap().unwrap();
    let copy = |as_at: &'static str| {
        [
            ("act", "copy"),
            ("as_at", as_at),
            ("copy", "hours"),
            ("copy", "channels"),
            ("copy", "time_zone"),
        ]
    };
    post("/bulk/change", &third, &copy(""))
        .await
        .has("Enter the site to copy from.");
    post("/bulk/change", &third, &copy("nowhere at all"))
        .await
        .has("No site is called");
    post("/bulk/change", &third, &copy("Lenn"))
        .await
        .has("3 sites match")
        .has("enter the address");
    let copied = [("act", "copy"), ("as_at", from.url.as_str())];
    post("/bulk/change", &third, &copied)
        .await
        .has("Tick at least one value");
    let ticked = [
        ("copy", "hours"),
        ("copy", "channels"),
        ("copy", "time_zone"),
    ];
    post(
        "/bulk/change",
        &third,
        &[copied.as_slice(), &ticked].concat(),
    )
    .await
    .has("3 values as at")
    .has("tel:+441632960123")
    .has("Europe/London")
    .has("name=\"v-hours\" value=\"mon-fri 09:00-17:30; sat 10:00-14:00\"")
    .has("Change 1 site<");
    let confirmed = [
        ("act", "set"),
        ("v-hours", "mon-fri 09:00-17:30; sat 10:00-14:00"),
        ("v-channels", "phone tel:+441632960123"),
        ("v-time_zone", "Europe/London"),
    ];
    post("/bulk/act", &third, &confirmed).await.is(303);
    let site = house.store().sites().site(sites[2]).await.unwrap().unwrap();
    assert_eq!(site.time_zone, "Europe/London");
    let widget = first_widget(site.fields(), &site.beyond).unwrap();
    assert_eq!((widget.hours.len(), widget.channels.len()), (2, 1));
    assert_eq!(widget.channels[0].target, "tel:+441632960123");
}

/// A value of the design over many sites: where each value comes from is told, and setting back
/// brings the layer above again.
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
        .has("Change 2 sites");
    assert_eq!(house.count(own).await, 0);
    post("/bulk/act", &[("value", "bottom-left"), ("act", "set")])
        .await
        .is(303);
    assert_eq!(house.count(own).await, 2);
    let stale = "select count(*) from audit where act = 'changed a design'";
    assert_eq!(house.count(stale).await, 2);
    post("/bulk/change", &[("back", "yes")])
        .await
        .has("Corner: reset")
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
        .tokens()
        .set_site_token(&actor, sites[0], "kept-token")
        .await
        .unwrap();
    let mut tx = house.store().begin().await.unwrap();
    let until = jiff::Timestamp::now() + jiff::SignedDuration::from_hours(24);
    tx.add_handover(sites[0], "<h1>Proof</h1>", None, "Somebody", until)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let sheet = house.store().handing().handovers(sites[0]).await.unwrap()[0].id;
    let link = technician
        .post(&format!("/handovers/{sheet}/link"), &[])
        .await;
    let link = link.is(200).text();
    let link = &link[link.find("/for-client/").unwrap()..];
    let link = link.split('"').next().unwrap();
    let stranger = house.stranger();
    stranger.get(link).await.is(200).has("Proof");
    // A design is judged anew when it comes back: the house style may be another by then.
    let all = "select md5(string_agg(t, '|' order by t)) from (\
        select to_jsonb(s)::text as t from sites s union all \
        select to_jsonb(s)::text from standings s where family <> 'design' union all \
        select to_jsonb(h)::text from handovers h union all \
        select (to_jsonb(c) - 'job_id')::text from checks c where kind <> 'design' union all \
        select to_jsonb(f)::text from findings f where family <> 'design' \
        union all select to_jsonb(d)::text from drawings d union all select to_jsonb(o)::text from \
        observations o \
        union all select to_jsonb(p)::text from pages p) x";
    // Judged once, as it will be when they come back.
    let plain = newtfern_model::design::Layer::new();
    let acts = house.acts();
    acts.clients()
        .change_house_style(&actor, &plain, None)
        .await
        .unwrap();
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
    stranger.get(link).await.is(404);
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
        .has("another site now has the address");
    assert_eq!(house.count("select count(*) from sites").await, 1);
    let mut tx = house.store().begin().await.unwrap();
    tx.remove_site(taken).await.unwrap();
    tx.commit().await.unwrap();
    technician
        .post("/removed", &[("removal", &removal)])
        .await
        .is(303);
    assert_eq!(print().await, before);
    stranger.get(link).await.is(200).has("Proof");
    let token = house.acts().tokens().site_token(sites[0]).await.unwrap();
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
    house.store().care().forget_removals().await.unwrap();
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
    let of = async |id| {
        house
            .store()
            .sites()
            .site(id)
            .await
            .unwrap()
            .unwrap()
            .client_id
    };
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
        .has("Move or remove them first");
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
    let opened = async || house.acts().tokens().site_token(site).await.unwrap();
    // Where it may go is an administrator's to say.
    assert_eq!(opened().await, None);
    let page = format!("/clients/{client}");
    let told = technician.get(&page).await;
    told.has("Remove").has("Not sent to").lacks("of-the-client");
    let administrator = house.person(Role::Administrator).await;
    let confirm = [
        ("for", "platform:tarnwork"),
        ("act", "confirm"),
        ("origin", "https://site1.example"),
    ];
    technician.post(&path, &confirm).await.is(403);
    administrator.post(&path, &confirm).await.is(303);
    assert_eq!(opened().await.as_deref(), Some("of-the-client"));
    technician
        .get(&page)
        .await
        .has("Sent to <code>https://site1.example");
    // The site's own goes before.
    let actor = newtfern_acts::Actor::program("test");
    house
        .acts()
        .tokens()
        .set_site_token(&actor, site, "its-own")
        .await
        .unwrap();
    assert_eq!(opened().await.as_deref(), Some("its-own"));
    technician
        .post(&path, &[("for", "supplier:brindle"), ("token", "account")])
        .await
        .is(303);
    let account = async || house.acts().tokens().account_token(client, "brindle").await;
    let held = account().await.unwrap_err().to_string();
    assert!(held.contains("no administrator has confirmed"), "{held}");
    administrator
        .post(&path, &[("for", "supplier:brindle"), ("token", "account")])
        .await
        .is(303);
    assert_eq!(account().await.unwrap().as_deref(), Some("account"));
    technician
        .post(&path, &[("for", "platform:tarnwork"), ("act", "remove")])
        .await
        .is(303);
    let left = house
        .store()
        .clients()
        .client_token(client, TokenKind::Platform, "tarnwork")
        .await
        .unwrap();
    assert!(left.is_none());
}

/// An address is corrected with its history, and the inventory of pages begins anew at another
/// host.
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
        .has("has this address already");
    technician
        .post(&path, &to("http://10.0.0.1/"))
        .await
        .is(422)
        .has("private");
    let actor = newtfern_acts::Actor::program("test");
    let set = house
        .acts()
        .tokens()
        .set_site_token(&actor, site, "for-the-old-host");
    set.await.unwrap();
    technician
        .post(&path, &to("https://www.kites.example/"))
        .await
        .is(303);
    // A token that was entered for another host is not sent to this one.
    let token = house.store().sites().site_token(site).await.unwrap();
    assert!(token.is_none());
    let kept = house.store().sites().site(site).await.unwrap().unwrap();
    assert_eq!(kept.url, "https://www.kites.example/");
    technician
        .get(&path)
        .await
        .has("https://site1.example/ (changed by");
    let (pages, total) = house
        .store()
        .sites()
        .pages_found(site, None, "", 0, 9)
        .await
        .unwrap();
    assert_eq!(
        (total, pages[0].url.as_str()),
        (1, "https://www.kites.example/")
    );
}
