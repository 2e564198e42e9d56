//! Ways in that once worked: each must stay shut.

use crate::house::{Caller, House, house, roomy_house};
use newtfern_acts::Actor;
use newtfern_store::access::people::Role;

/// The version that a page's form was made from.
async fn version(who: &Caller, page: &str) -> String {
    let text = who.get(page).await.text();
    let rest = text.split("name=\"version\" value=\"").nth(1).unwrap();
    rest.split('"').next().unwrap().to_string()
}

/// Two people have a form open: the second to save sees what the first saved, beside what was
/// typed, and decides.
async fn stale_tab(
    who: &Caller,
    page: &str,
    post: &str,
    first: &[(&str, &str)],
    second: &[(&str, &str)],
    (theirs, yours): (&str, &str),
) {
    let version = version(who, page).await;
    let with = |form: &[(&str, &str)], version: &str| -> Vec<(String, String)> {
        let form = form
            .iter()
            .chain([("version", version)].iter())
            .copied()
            .collect::<Vec<_>>();
        form.into_iter()
            .map(|(n, v)| (n.to_string(), v.to_string()))
            .collect()
    };
    who.post_form(post, &with(first, &version)).await.leads();
    let refused = who.post_form(post, &with(second, &version)).await;
    refused
        .is(422)
        .has("this was changed after you opened it")
        .has(theirs)
        .has(yours);
    // Nothing was overwritten, and the form that came back is of what is saved now.
    let text = refused.text();
    let now = text.split("name=\"version\" value=\"").nth(1).unwrap();
    let now = now.split('"').next().unwrap();
    assert_ne!(now, version, "{page}");
    who.post_form(post, &with(second, now)).await.leads();
}

#[tokio::test]
async fn stale_tabs_do_not_overwrite() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Wendle Tide Mill").await;
    let site = house.site(client, 1).await;
    let settings = format!("/sites/{site}/settings");
    let of = |contact: &'static str, on: &'static str| {
        vec![
            ("name", "Site 001"),
            ("platform", "tarnwork"),
            ("supplier", "brindle"),
            ("key", "kite-001"),
            ("contact", contact),
            ("on", on),
        ]
    };
    stale_tab(
        &technician,
        &settings,
        &settings,
        &of("ida@mill.example", "/shop/**"),
        &of("post@mill.example", "/visit/**"),
        ("ida@mill.example", "/visit/**"),
    )
    .await;
    let sheet = format!("/clients/{client}");
    let of = |name: &'static str| vec![("name", "Wendle Tide Mill"), ("public_name", name)];
    stale_tab(
        &technician,
        &sheet,
        &sheet,
        &of("The Tide Mill"),
        &of("Wendle Mill"),
        ("The Tide Mill", "Wendle Mill"),
    )
    .await;
    let design = format!("/sites/{site}/design");
    stale_tab(
        &technician,
        &design,
        &design,
        &[("title", "Ask the miller")],
        &[("title", "Ask us")],
        ("Ask the miller", "Ask us"),
    )
    .await;
    stale_tab(
        &technician,
        "/house-style",
        "/house-style",
        &[("greeting", "Good day")],
        &[("greeting", "Hello there")],
        ("Good day", "Hello there"),
    )
    .await;
    let intended = format!("/sites/{site}/intended");
    let hours = |from: &'static str| {
        vec![
            ("days-0", "mon"),
            ("from-0", from),
            ("to-0", "17:30"),
            ("delay", "0"),
            ("outside_hours", "message"),
        ]
    };
    stale_tab(
        &technician,
        &intended,
        &intended,
        &hours("08:00"),
        &hours("10:00"),
        ("mon 08:00-17:30", "mon 10:00-17:30"),
    )
    .await;
    let administrator = house.person(Role::Administrator).await;
    let text = newtfern_standins::platform_profile();
    let (first, second) = (format!("# first\n{text}"), format!("# second\n{text}"));
    let page = format!("/profiles/platform/{}", house.platform.id);
    stale_tab(
        &administrator,
        &page,
        &page,
        &[("text", &first), ("kind", "platform")],
        &[("text", &second), ("kind", "platform")],
        ("# first", "# second"),
    )
    .await;
}

/// Of many who save the same form at once, one does.
#[tokio::test]
async fn of_twelve_who_save_at_once_one_does() {
    let house = roomy_house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Wendle Tide Mill").await;
    let page = format!("/clients/{client}");
    let version = version(&technician, &page).await;
    let save = |n: usize| {
        let (who, page, version) = (technician.clone(), page.clone(), version.clone());
        async move {
            let form = [
                ("name".to_string(), "Wendle Tide Mill".to_string()),
                ("public_name".to_string(), format!("Mill {n}")),
                ("version".to_string(), version),
            ];
            who.post_form(&page, &form).await.status()
        }
    };
    let saved = futures_util::future::join_all((0..12).map(save)).await;
    assert_eq!(saved.iter().filter(|s| **s == 303).count(), 1, "{saved:?}");
    assert_eq!(saved.iter().filter(|s| **s == 422).count(), 11, "{saved:?}");
}

/// Nine people change many sites at once, over two connections: nobody holds one and waits for
/// another.
#[tokio::test]
async fn many_bulk_changes_at_once_all_end() {
    let house = crate::house::house_of_two().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Wendle Tide Mill").await;
    let mut sites = Vec::new();
    for n in 1..=12 {
        sites.push(house.site(client, n).await.to_string());
    }
    let change = |n: usize| {
        let who = technician.clone();
        let mut form = vec![("sites".to_string(), sites.join(","))];
        let (field, value) = match n % 3 {
            0 => ("country", "NO"),
            1 => ("languages", "en, cy"),
            _ => ("on", "/shop/**"),
        };
        for (name, value) in [("field", field), ("value", value), ("act", "set")] {
            form.push((name.into(), value.into()));
        }
        async move { who.post_form("/bulk/act", &form).await.status() }
    };
    let all = futures_util::future::join_all((0..9).map(change)).await;
    assert!(all.iter().all(|s| *s < 400), "{all:?}");
    // None of them took back what another set.
    let kept = "select count(*) from sites where country = 'NO' and languages = 'en, cy' and \
        pages_on = '/shop/**'";
    assert_eq!(house.count(kept).await, 12);
}

/// Choosing a password is made to be costly, so only who has a link may have it done.
#[tokio::test]
async fn a_stranger_without_a_link_costs_nothing() {
    let house = roomy_house().await;
    let stranger = house.stranger();
    let ask = |n: usize| {
        let who = stranger.clone();
        async move {
            let path = format!("/welcome/{n:064}");
            who.post(&path, &[("new", "a long enough password")])
                .await
                .status()
        }
    };
    let told = futures_util::future::join_all((0..300).map(ask)).await;
    assert!(told.iter().all(|s| *s == 404), "{told:?}");
}

async fn errand(house: &House, technician: &Caller) -> (i64, String) {
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let made = technician
        .post(
            &format!("/sites/{site}/errands"),
            &[("slot", "footer-code"), ("to", "Ida")],
        )
        .await
        .text();
    let at = made.find("/placing/").unwrap();
    let link = made[at..].split(['"', '<', '&', ' ', '\n']).next().unwrap();
    (site, link.to_string())
}

/// Whoever has a link may give any name: it is told as that, "done" is said once, and words have
/// their number.
#[tokio::test]
async fn a_link_for_placing_speaks_for_nobody_else() {
    let house = roomy_house().await;
    let technician = house.person(Role::Technician).await;
    let (site, link) = errand(&house, &technician).await;
    let done = |n: usize| {
        let (who, link) = (house.stranger(), link.clone());
        async move {
            let by = if n == 0 {
                "Some technician"
            } else {
                "Newtfern"
            };
            who.post(&format!("{link}/done"), &[("by", by)])
                .await
                .status()
        }
    };
    let told = futures_util::future::join_all((0..12).map(done)).await;
    assert!(told.iter().all(|s| *s < 400), "{told:?}");
    assert_eq!(
        house
            .count("select count(*) from rounds where kind = 'check'")
            .await,
        1
    );
    assert_eq!(house.count("select count(*) from diary").await, 1);
    let named = "select count(*) from diary where who like '%, by a link'";
    assert_eq!(house.count(named).await, 1);
    let named = "select count(*) from rounds where kind = 'check' and who like '%, by a link'";
    assert_eq!(house.count(named).await, 1);
    // Of many who write at once no more are taken than the number.
    sqlx::query(
        "insert into errand_words (errand_id, who, outside, words) select e.id, 'x', true, \
        'x' from errands e, generate_series(1, 97)",
    )
    .execute(&house.store().pool)
    .await
    .unwrap();
    let ask = |_: usize| {
        let (who, link) = (house.stranger(), link.clone());
        async move {
            let form = [("by", "Ida"), ("words", "Which page?")];
            who.post(&format!("{link}/ask"), &form).await.status()
        }
    };
    futures_util::future::join_all((0..12).map(ask)).await;
    assert_eq!(house.count("select count(*) from errand_words").await, 100);
    technician
        .get(&format!("/sites/{site}/diary"))
        .await
        .has("by a link");
}

/// Two people may bear one name, and one may be called as the program is: the trail tells them
/// apart.
#[tokio::test]
async fn the_trail_names_people_by_their_address_too() {
    let house = house().await;
    let id = house
        .add_person(
            "n@fenwick.example",
            "Newtfern",
            Role::Administrator,
            "no hash",
        )
        .await;
    let named = house.signed_in(id).await;
    named.post("/clients", &[("name", "Mill")]).await.leads();
    named.get("/sites/export.csv").await.is(200);
    named.get("/profiles/all.tar").await.is(200);
    let trail = "select count(*) from audit where who = 'Newtfern (n@fenwick.example)' \
        and act in ('added a client', 'exported')";
    assert_eq!(house.count(trail).await, 3);
    named
        .get("/audit")
        .await
        .has("Newtfern (n@fenwick.example)");
    named.post("/sign-out", &[]).await.leads();
    let out = "select count(*) from audit where act = 'signed out'";
    assert_eq!(house.count(out).await, 1);
}

#[tokio::test]
async fn what_nobody_has_is_told_as_that() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    for path in [
        "/profiles/supplier/%00",
        "/sites/%00",
        "/lens/estate?q=%00",
        "/audit?q=a%00b",
    ] {
        administrator.get(path).await.is(404);
    }
    // A file for a client that was removed meanwhile.
    let file = [("client_id", "987654")];
    let told = administrator
        .upload_named(
            "/sites/import",
            &file,
            "file",
            "a.toml",
            b"address = \"https://a.example/\"\n",
        )
        .await;
    told.has("client was removed");
    // A round of sites that are not there.
    let round = [("sites", "987654"), ("kind", "check")];
    administrator.post("/bulk", &round).await.is(404);
    assert_eq!(house.count("select count(*) from rounds").await, 0);
}

/// Two administrators who demote each other at once: one of them stays.
#[tokio::test]
async fn two_who_demote_each_other_leave_one() {
    for _ in 0..4 {
        let house = roomy_house().await;
        let acts = house.acts();
        let one = house
            .add_person("a@fenwick.example", "A", Role::Administrator, "x")
            .await;
        let two = house
            .add_person("b@fenwick.example", "B", Role::Administrator, "x")
            .await;
        let actor = Actor::program("test");
        let (first, second) = tokio::join!(
            acts.people().set_role(&actor, one, two, Role::Viewer),
            acts.people().set_role(&actor, two, one, Role::Viewer),
        );
        let failed = [first, second].into_iter().filter_map(Result::err);
        let failed: Vec<String> = failed.map(|e| e.to_string()).collect();
        assert_eq!(failed.len(), 1, "{failed:?}");
        assert!(
            failed[0].contains("This is the last administrator"),
            "{failed:?}"
        );
    }
}
