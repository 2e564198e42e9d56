//! The room of profiles: kept, looked through while typed, tried, brought in and out, with versions
//! and uses.

use crate::house::house;
use newtfern_model::profiles::ProfileKind;
use newtfern_store::access::people::Role;
use newtfern_store::profile::profile_room::NewProfile;
use serde_json::Value;

const SUPPLIER: ProfileKind = ProfileKind::Supplier;

fn quoin() -> &'static str {
    newtfern_standins::rival_profile()
}

#[tokio::test]
async fn a_profile_is_kept_or_comes_back_with_what_is_wrong() {
    // One story: each part stands on what the one before left behind.
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let text = quoin();
    let new = [
        ("kind", "supplier"),
        ("text", text),
        ("token", "console-secret-1"),
    ];
    let to = administrator.post("/profiles/new", &new).await;
    let to = to.leads().to_string();
    assert_eq!(to, "/profiles/supplier/quoin");
    let kept = || async {
        house
            .store()
            .profiles()
            .profile_text(SUPPLIER, "quoin")
            .await
            .unwrap()
    };
    assert_eq!(kept().await.as_deref(), Some(text));
    let sealed = house
        .store()
        .profiles()
        .supplier_token("quoin")
        .await
        .unwrap()
        .unwrap();
    let opened = house.acts().tokens().supplier_token("quoin").await.unwrap();
    assert_eq!(opened.as_deref(), Some("console-secret-1"));
    assert!(!String::from_utf8_lossy(&sealed).contains("console-secret"));
    administrator
        .get(&to)
        .await
        .has("Used by")
        .lacks("console-secret-1");

    // Its id is taken now, and cannot be changed under the sites that name it.
    administrator
        .post("/profiles/new", &new)
        .await
        .is(422)
        .has("already: change that one");
    let note = "# the note I do not want to lose";
    for (from, with, why) in [
        (
            "id = \"quoin\"",
            "id = \"other\"",
            "sites name it by its id",
        ),
        (
            "script_hosts = [",
            "script_hosts = [\"*\", ",
            "is not a host",
        ),
        ("[snippet]", "[snipet]", "The profile was not saved"),
        ("id = \"quoin\"", "id = ", "line"),
    ] {
        let wrong = format!("{}\n{note}", text.replacen(from, with, 1));
        assert!(wrong.contains(with));
        administrator
            .post(&to, &[("text", &wrong)])
            .await
            .is(422)
            .has(why)
            .has(note);
    }
    assert_eq!(kept().await.as_deref(), Some(text));
}

#[tokio::test]
async fn versions_stay_and_come_back_and_what_was_judged_is_stale() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let path = "/profiles/platform/tarnwork";
    let before = house
        .store()
        .profiles()
        .profile_text(ProfileKind::Platform, "tarnwork")
        .await
        .unwrap()
        .unwrap();
    let changed = before.replace(
        "name = \"Plugin CMS (Tarnwork)\"",
        "name = \"Tarnwork, our own words\"",
    );
    administrator
        .post(path, &[("text", &changed), ("why", "shorter")])
        .await
        .leads();
    let page = administrator.get(path).await;
    page.has("Tarnwork, our own words, platform")
        .has(": shorter")
        .has("Restore this version");
    administrator
        .get(&format!("/sites/{site}/settings"))
        .await
        .has("Tarnwork, our own words");
    administrator
        .post(path, &[("text", &before), ("why", "version 1 again")])
        .await
        .leads();
    let versions = house
        .store()
        .profiles()
        .profile_versions(ProfileKind::Platform, "tarnwork", 9)
        .await
        .unwrap();
    let told: Vec<(i32, &str)> = versions
        .iter()
        .map(|v| (v.number, v.why.as_str()))
        .collect();
    assert_eq!(told, [(3, "version 1 again"), (2, "shorter"), (1, "")]);
    // The same text once more is no version.
    administrator.post(path, &[("text", &before)]).await.leads();
    assert_eq!(
        house
            .store()
            .profiles()
            .profile_versions(ProfileKind::Platform, "tarnwork", 9)
            .await
            .unwrap()
            .len(),
        3
    );
    administrator
        .get("/audit?q=profile")
        .await
        .has("changed a profile")
        .has("shorter");
}

#[tokio::test]
async fn the_form_and_the_text_follow_each_other_and_mistakes_are_told_while_typing() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let look = |fields: Vec<(&'static str, String)>| {
        let technician = technician.clone();
        async move {
            let fields: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (*n, v.as_str())).collect();
            let answer = technician.post("/profiles/look", &fields).await;
            serde_json::from_str::<Value>(&answer.text()).unwrap()
        }
    };
    let of = |text: &str| vec![("kind", "supplier".to_string()), ("text", text.to_string())];
    let fine = look(of(quoin())).await;
    assert_eq!(fine["problems"], serde_json::json!([]), "{fine:#}");
    assert_eq!(fine["values"][0], "quoin");
    let mut field = of(quoin());
    field.extend([
        ("field", "alive.launcher".into()),
        ("value", "#quoin >".into()),
    ]);
    let changed = look(field).await;
    assert!(
        changed["text"]
            .as_str()
            .unwrap()
            .contains("launcher = \"#quoin >\"")
    );
    let problems = changed["problems"].to_string();
    assert!(
        problems.contains("alive.launcher has") && problems.contains("is not a selector"),
        "{problems}"
    );
    let odd = look(of(&quoin().replace("script_hosts", "script_host"))).await;
    let problems = odd["problems"].to_string();
    assert!(
        problems.contains("the nearest field is \u{201c}script_hosts\u{201d}"),
        "{odd:#}"
    );
}

#[tokio::test]
async fn a_text_is_tried_on_an_address_before_it_is_kept() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let supplier = newtfern_model::profile::Supplier::from_toml(quoin()).unwrap();
    let page = format!(
        "<!doctype html><body>{}",
        supplier.snippet_for("kites-12345")
    );
    house
        .stage
        .pages
        .lock()
        .unwrap()
        .insert("https://kites.example/".into(), page);
    house
        .stage
        .pages
        .lock()
        .unwrap()
        .insert("https://bare.example/".into(), "<p>hello".into());
    let tried = |address: &'static str| {
        let technician = technician.clone();
        async move {
            let form = [
                ("kind", "supplier"),
                ("text", quoin()),
                ("address", address),
            ];
            technician.post("/profiles/try", &form).await.text()
        }
    };
    assert!(tried("kites.example").await.contains("its snippet"));
    assert!(
        tried("bare.example")
            .await
            .contains("Nothing of this supplier was recognised")
    );
    assert!(
        tried("http://10.0.0.7/")
            .await
            .contains("only an administrator can allow it")
    );
    assert!(tried("gone.example").await.contains("could not be read"));
    assert!(tried("not an address").await.contains("problem"));
}

#[tokio::test]
async fn a_pasted_snippet_gives_a_draft_and_the_key_stays_out_of_it() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let pasted = "Please add <script async src=\u{201d}https://cdn.osier.test/l.js\u{201d} \
        data-key=\u{201d}ab12cd34\u{201d}></script>";
    let draft = administrator
        .post("/profiles/from-snippet", &[("snippet", pasted)])
        .await;
    draft
        .is(200)
        .has("New supplier")
        .has("typographic quotes were made plain")
        .has("The snippet has the key ab12cd34")
        .has("data-key=&#34;{{key}}&#34;")
        .lacks("key = &#34;ab12cd34");
    administrator
        .post("/profiles/from-snippet", &[("snippet", "hello & goodbye")])
        .await
        .is(422)
        .has("there is no code in this")
        .has("hello &#38; goodbye");
}

#[tokio::test]
async fn files_come_in_together_or_not_at_all_and_go_out() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let platform =
        "id = \"own\"\nname = \"Own\"\n[[slot]]\nid = \"a\"\nname = \"A\"\ntakes = \"markup\"\n";
    let broken = platform.replace("takes", "take");
    let answer = administrator
        .upload_all(
            "/profiles/bring",
            "files",
            &[("quoin.toml", quoin()), ("own.toml", &broken)],
        )
        .await;
    answer.is(422).has("Nothing was imported: own.toml");
    assert!(
        house
            .store()
            .profiles()
            .profile_text(SUPPLIER, "quoin")
            .await
            .unwrap()
            .is_none()
    );
    let files = [("quoin.toml", quoin()), ("own.toml", platform)];
    let answer = administrator
        .upload_all("/profiles/bring", "files", &files)
        .await;
    answer.is(200).has("own.toml").has("added");
    let answer = administrator
        .upload_all("/profiles/bring", "files", &files)
        .await;
    answer.is(200).has("unchanged");
    let technician = house.person(Role::Technician).await;
    technician
        .upload_all("/profiles/bring", "files", &files)
        .await
        .is(403);

    let file = technician.get("/profiles/platform/own/file").await;
    assert_eq!(file.text(), platform);
    let all = technician.get("/profiles/all.tar").await;
    assert!(all.text().contains("profiles/platform/own.toml") && all.text().contains(platform));
}

/// Who takes on a site keeps the supplier of its snippet; what other sites rest on stays with
/// administrators.
#[tokio::test]
async fn a_technician_adds_a_supplier_and_changes_none() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    technician
        .get("/profiles")
        .await
        .has("New supplier from a snippet")
        .lacks("New platform");
    technician
        .get("/profiles/new?kind=supplier")
        .await
        .has("Save profile")
        .lacks("Console token");
    let new = [("kind", "supplier"), ("text", quoin())];
    let to = technician.post("/profiles/new", &new).await;
    assert_eq!(to.leads(), "/profiles/supplier/quoin");
    technician
        .get("/profiles/supplier/quoin")
        .await
        .has("readonly")
        .lacks("Save profile");
    let changed = quoin().replace("name = ", "# ours\nname = ");
    let change = [("text", changed.as_str()), ("why", "a note")];
    technician
        .post("/profiles/supplier/quoin", &change)
        .await
        .is(403);
    // Not by the way of a new one either, and not with a token.
    technician
        .post("/profiles/new", &new)
        .await
        .is(422)
        .has("exists already");
    let other = quoin().replace("\"quoin\"", "\"quoin-two\"");
    let with_token = [
        ("kind", "supplier"),
        ("text", other.as_str()),
        ("token", "s3cret-token"),
    ];
    technician.post("/profiles/new", &with_token).await.is(403);
    let region = [("kind", "region"), ("text", "id = \"x\"")];
    technician.post("/profiles/new", &region).await.is(403);
    let viewer = house.person(Role::Viewer).await;
    viewer.post("/profiles/new", &new).await.is(403);
}

#[tokio::test]
async fn what_sites_use_stays_and_the_list_is_found_and_ticked() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let client = house.client("Lenn Kite Workshop").await;
    house.site(client, 1).await;
    administrator
        .post("/profiles/new", &[("kind", "supplier"), ("text", quoin())])
        .await
        .leads();
    administrator
        .get("/profiles?q=quo")
        .await
        .has("/profiles/supplier/quoin")
        .lacks("tarnwork");
    administrator
        .get("/profiles?kind=platform")
        .await
        .has("tarnwork")
        .lacks("/profiles/supplier/");
    administrator
        .get("/profiles?q=nothing-such")
        .await
        .has("No profiles match");
    administrator
        .get("/profiles/platform/tarnwork")
        .await
        .has("Lenn Kite Workshop, ");
    administrator
        .post("/profiles/platform/tarnwork/remove", &[])
        .await
        .is(422)
        .has("1 sites use it");
    administrator
        .post("/profiles/act", &[])
        .await
        .is(422)
        .has("No profiles are selected");
    administrator
        .post(
            "/profiles/act",
            &[
                ("profile", "supplier/quoin"),
                ("profile", "platform/tarnwork"),
            ],
        )
        .await
        .is(422)
        .has("tarnwork: The profile was not removed");
    administrator
        .get("/profiles?q=quoin")
        .await
        .has("No profiles match");
    administrator.get("/profiles/supplier/quoin").await.is(404);
    administrator.get("/profiles/pigeon/quoin").await.is(404);
}

/// A copy has an id of its own; what ships and was not changed follows the next release, what was
/// changed stays.
#[tokio::test]
async fn copies_and_what_ships() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    administrator
        .get("/profiles/new?kind=platform&copy=tarnwork")
        .await
        .has("id = &#34;tarnwork-copy&#34;");
    let text = |name: &str| {
        format!(
            "id = \"mill\"\nname = \"{name}\"\n[[slot]]\nid = \"a\"\nname = \"A\"\ntakes = \
            \"markup\"\n"
        )
    };
    let ship = |name: &'static str| {
        let (store, text) = (house.store().clone(), text(name));
        async move {
            let mut tx = store.begin().await.unwrap();
            let new = NewProfile {
                kind: ProfileKind::Platform,
                id: "mill",
                name,
                text: &text,
            };
            tx.ship_profile(new).await.unwrap();
            tx.commit().await.unwrap();
        }
    };
    let kept = || async {
        house
            .store()
            .profiles()
            .profile_text(ProfileKind::Platform, "mill")
            .await
            .unwrap()
            .unwrap()
    };
    ship("One").await;
    ship("Two").await;
    assert_eq!(kept().await, text("Two"), "nobody changed it");
    let ours = text("Two, in our words");
    administrator
        .post("/profiles/platform/mill", &[("text", &ours)])
        .await
        .leads();
    ship("Three").await;
    assert_eq!(kept().await, ours, "somebody did");
    administrator
        .get("/profiles?q=mill")
        .await
        .has("a newer version is available");
    administrator
        .get("/profiles/platform/mill")
        .await
        .has("A newer version of this profile is available")
        .has("Three");
    administrator
        .post("/profiles/platform/mill/remove", &[])
        .await
        .leads();
    ship("Four").await;
    assert!(
        house
            .store()
            .profiles()
            .profile_text(ProfileKind::Platform, "mill")
            .await
            .unwrap()
            .is_none()
    );
}

/// One visit proposes what the text leaves open; what it says stays, and what keeps us from
/// visiting is told.
#[tokio::test]
async fn a_visit_proposes_what_a_suppliers_text_leaves_open() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let text = "id = \"osier\"\nname = \"Osier\"\n[recognise]\nscript_hosts = \
        [\"cdn.osier.test\"]\n[snippet]\ntemplate = '<script \
        src=\"https://cdn.osier.test/l.js\"></script>'\n";
    let mut seen = newtfern_standards::observation::Observation::default();
    seen.page.final_url = "https://kites.example/".into();
    let panel = newtfern_standards::observation::Request {
        url: "https://app.osier.test/panel".into(),
        kind: newtfern_standards::observation::RequestKind::Document,
        document: "https://cdn.osier.test/l.js".into(),
        ..Default::default()
    };
    seen.requests = vec![panel];
    house
        .stage
        .visits
        .lock()
        .unwrap()
        .insert("https://kites.example/".into(), seen);
    let ask = |address: &'static str| [("kind", "supplier"), ("text", text), ("address", address)];
    let path = "/profiles/propose";
    // A worker makes the visit.
    let acts = house.acts();
    let posted = async |address: &'static str| {
        let form = ask(address);
        let made = async {
            while !acts.profiles().make_asked_visit().await.unwrap() {
                tokio::task::yield_now().await;
            }
        };
        tokio::join!(administrator.post(path, &form), made).0
    };
    posted("https://kites.example/")
        .await
        .is(200)
        .has("alive.frame_hosts: app.osier.test")
        // What pressing the launcher brought, and the page to point at it.
        .has("open.panel: #stage-panel (it came when the launcher was pressed")
        .has("cGljdHVyZQ==")
        .has("[alive]");
    posted("https://nowhere.example/")
        .await
        .is(200)
        .has("no such page on this stage");
    assert_eq!(house.count("select count(*) from asked_visits").await, 0);
    let trail = "select count(*) from audit where act = 'asked for a visit'";
    assert_eq!(house.count(trail).await, 2);
    administrator
        .post(path, &ask("ftp://x"))
        .await
        .has("problem");
}
