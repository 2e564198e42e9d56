//! Placing through a tag manager: its set shown, the tag mended and published, put back.

use crate::house::{House, house};
use newtfern_standards::observation::{Observation, Purpose};
use newtfern_store::access::people::Role;
use newtfern_store::sealed::client_tokens::TokenKind;
use serde_json::json;

const PROFILE: &str = "id = \"wickerset\"\nname = \"Wickerset\"\n[sets]\nhosts = \
    [\"tags.wickerset.test\"]\n\
    patterns = ['/set/(?P<set>WK-[0-9]+)']\nread = \"https://tags.wickerset.test/api/{{set}}\"\n\
    write = \"https://tags.wickerset.test/api/{{set}}\"\npublish = \
    \"https://tags.wickerset.test/api/{{set}}/publish\"\n\
    [[slot]]\nid = \"html-tag\"\nname = \"A tag of the kind HTML\"\ntakes = \"markup\"\n";

/// The settings of a site whose widget comes through the set WK-1.
const CHOSEN: [(&str, &str); 5] = [
    ("name", "Site 001"),
    ("supplier", "brindle"),
    ("key", "kite-001"),
    ("tag_manager", "wickerset"),
    ("tag_set", "WK-1"),
];

/// A site whose pages load the set WK-1, with a token for it.
async fn with_set(house: &House) -> i64 {
    let administrator = house.person(Role::Administrator).await;
    let new = [("kind", "platform"), ("text", PROFILE)];
    administrator.post("/profiles/new", &new).await.leads();
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let actor = newtfern_acts::Actor::program("test");
    let kind = TokenKind::Platform;
    let set = house.acts().tokens().set_client_token(
        &actor,
        client,
        kind,
        "wickerset",
        Some("tag-token"),
    );
    set.await.unwrap();
    let counter =
        json!({"id": "count", "name": "Counter", "html": "<script src=/count.js></script>"});
    let mut tags = house.stage.tags.lock().unwrap();
    tags.versions = vec![json!([counter])];
    tags.set = json!({"id": "WK-1", "version": 7, "tags": [counter], "published": {"version": 1,
        "tags": [counter]}});
    site
}

/// The same, with supplier, key and set chosen.
pub async fn chosen(house: &House) -> i64 {
    let site = with_set(house).await;
    let technician = house.person(Role::Technician).await;
    let settings = format!("/sites/{site}/settings");
    technician.post(&settings, &CHOSEN).await.leads();
    site
}

#[tokio::test]
async fn a_tag_is_placed_published_as_a_version_and_put_back() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let site = with_set(&house).await;
    let settings = format!("/sites/{site}/settings");
    let with = |more: [(&'static str, &'static str); 2]| [CHOSEN.as_slice(), &more].concat();
    let chosen = with([("platform", "tarnwork"), ("not_on", "/legal/**")]);
    technician.post(&settings, &chosen).await.leads();
    let place = format!("/sites/{site}/place");
    technician
        .get(&place)
        .await
        .has("Place it with Wickerset, set <code>WK-1</code>")
        .has("a new tag with the code is added")
        .has("all pages, not on /legal/**");
    let publish = format!("/sites/{site}/tags/publish");
    technician
        .post(&publish, &[("seen", "6")])
        .await
        .is(422)
        .has("someone else changed the slot in the meantime");
    assert!(
        technician
            .post(&publish, &[("seen", "7")])
            .await
            .leads()
            .ends_with("done=pushed")
    );
    {
        let tags = house.stage.tags.lock().unwrap();
        let live = tags.set["published"]["tags"].as_array().unwrap();
        assert_eq!(live.len(), 2, "others' tags stay: {live:?}");
        assert!(
            live[1]["html"]
                .as_str()
                .unwrap()
                .contains("l.js?k=kite-001")
        );
        assert_eq!(live[1]["not_on"][0], "/legal/**");
    }
    technician
        .get(&place)
        .await
        .has("The published tag is correct");
    assert!(
        technician
            .post(&publish, &[("seen", "8")])
            .await
            .leads()
            .ends_with("done=same")
    );
    let last = house
        .store()
        .writing()
        .placements(site)
        .await
        .unwrap()
        .remove(0);
    let back = [("placement", &*last.batch.unwrap().to_string())];
    technician
        .post(&format!("{place}/back"), &back)
        .await
        .leads();
    let live = house.stage.tags.lock().unwrap().set["published"]["tags"].clone();
    assert_eq!(live.as_array().unwrap().len(), 1);
    // A rule by kind is nothing that a tag manager knows.
    let by_kind = with([("platform", "tarnwork"), ("not_on", "kind:legal")]);
    technician.post(&settings, &by_kind).await.leads();
    technician
        .get(&place)
        .await
        .has("a tag manager does not know");
}

/// A site whose widget comes through its set is part of a round as others are, and of putting it
/// back.
#[tokio::test]
async fn a_round_that_is_put_back_publishes_the_set_that_was_there() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let site = with_set(&house).await;
    let settings = format!("/sites/{site}/settings");
    technician.post(&settings, &CHOSEN).await.leads();
    let acts = house.acts();
    let all = async || {
        while let Some(job) = house.store().queue().claim().await.unwrap() {
            acts.placing().do_placing(&job).await.unwrap();
        }
    };
    let site = site.to_string();
    let push = [("sites", &*site), ("kind", "push")];
    let round = technician.post("/bulk", &push).await;
    all().await;
    let live = || house.stage.tags.lock().unwrap().set["published"]["tags"].clone();
    assert_eq!(live().as_array().unwrap().len(), 2);
    let back = format!("{}/put-back", round.leads());
    technician.post(&back, &[]).await.leads();
    all().await;
    assert_eq!(live().as_array().unwrap().len(), 1, "{}", live());
}

#[tokio::test]
async fn an_exported_set_is_looked_at_and_what_is_none_is_told() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let site = with_set(&house).await;
    let settings = format!("/sites/{site}/settings");
    technician.post(&settings, &CHOSEN).await.leads();
    let path = format!("/sites/{site}/tags/file");
    let set = json!({"id": "WK-1", "tags": [{"id": "a", "name": "Talk \
        <b>", "html": "<i>", "paused": true}]});
    technician
        .upload(&path, "set", set.to_string().as_bytes())
        .await
        .is(200)
        .has("Talk &#60;b&#62;")
        .has("paused")
        .lacks("Publish a new version");
    technician
        .upload(&path, "set", b"{}")
        .await
        .is(200)
        .has("this is not a set of tags");
}

/// A check of a page without the snippet brings what the set says along, and the verdict names the
/// cause.
#[tokio::test]
async fn what_the_set_says_goes_beside_a_visit() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let site = with_set(&house).await;
    let settings = format!("/sites/{site}/settings");
    technician.post(&settings, &CHOSEN).await.leads();
    let subject = house.acts().sites().subject(site).await.unwrap();
    let mut seen = Observation::default();
    seen.page.status = Some(200);
    seen.page.html = "<body><script src=https://tags.wickerset.test/set/WK-1.js></script>".into();
    let beside = house
        .acts()
        .placing()
        .beside(&subject, &[seen.clone()])
        .await
        .unwrap();
    assert_eq!(beside.len(), 1);
    assert_eq!(beside[0].purpose, Purpose::TagSet);
    assert!(
        beside[0].html.contains("\"loaded\":[\"WK-1\"]"),
        "{}",
        beside[0].html
    );
    // A page that has the snippet needs no explanation.
    seen.page.html = subject.supplier.snippet_for("kite-001");
    assert!(
        house
            .acts()
            .placing()
            .beside(&subject, &[seen])
            .await
            .unwrap()
            .is_empty()
    );
}
