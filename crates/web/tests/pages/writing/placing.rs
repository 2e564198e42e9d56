//! The fitted snippet and the push through a platform's interface.

use crate::house::{Caller, House, house};
use newtfern_acts::SlotError;
use newtfern_store::access::people::Role;

pub const SLOT: &str = "https://site1.example/_tarn/slots/footer-code";
pub const OTHERS: &str = "<!-- visitors -->\n<script src=\"/count.js\"></script>\n";

pub struct Placing {
    pub house: House,
    pub technician: Caller,
    pub page: String,
}

pub async fn placing() -> Placing {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Wendle Tide Mill").await;
    let site = house.site(client, 1).await;
    let actor = newtfern_acts::Actor::program("test");
    house
        .acts()
        .tokens()
        .set_site_token(&actor, site, "slot-token")
        .await
        .unwrap();
    house.stage.put(SLOT, OTHERS);
    Placing {
        page: format!("/sites/{site}/place"),
        house,
        technician,
    }
}

impl Placing {
    /// The print of what the slots hold, as the page's form sends it.
    pub async fn seen(&self) -> String {
        let text = self.technician.get(&self.page).await.text();
        text.split("name=\"seen\" value=\"")
            .nth(1)
            .and_then(|t| t.split('"').next())
            .unwrap_or_default()
            .to_string()
    }

    pub async fn push(&self) -> crate::house::Answer {
        let seen = self.print().await;
        self.push_as_seen(&seen).await
    }

    /// Pushes what was seen as the slots' print.
    pub async fn push_as_seen(&self, seen: &str) -> crate::house::Answer {
        self.technician
            .post(
                &format!("{}/push", self.page),
                &[("slot", "footer-code"), ("seen", seen)],
            )
            .await
    }

    /// The same, where the page offers no form.
    pub async fn print(&self) -> String {
        let site: i64 = self.page.split('/').nth(2).unwrap().parse().unwrap();
        self.house
            .acts()
            .placing()
            .place_page(site, 0, None)
            .await
            .unwrap()
            .print
    }

    pub async fn put_back(&self, placement: i64) -> crate::house::Answer {
        self.technician
            .post(
                &format!("{}/back", self.page),
                &[("placement", &placement.to_string())],
            )
            .await
    }

    pub async fn last(&self) -> newtfern_store::writing::placements::Placement {
        let site: i64 = self.page.split('/').nth(2).unwrap().parse().unwrap();
        self.house
            .store()
            .writing()
            .placements(site)
            .await
            .unwrap()
            .remove(0)
    }

    pub fn held(&self) -> String {
        self.house.stage.held(SLOT)
    }
}

#[tokio::test]
async fn a_push_adds_ours_keeps_others_and_twice_is_once() {
    let p = placing().await;
    p.technician
        .get(&p.page)
        .await
        .has("<span class=\"same\">")
        .has("<span class=\"added\">+ &#60;script async")
        .has("/count.js");
    assert!(p.push().await.leads().ends_with("done=pushed"));
    let first = p.held();
    assert!(
        first.starts_with(OTHERS) && first.matches("l.js?k=kite-001").count() == 1,
        "{first}"
    );
    assert!(p.push().await.leads().ends_with("done=same"));
    assert_eq!(
        (
            p.held(),
            p.house.count("select count(*) from placements").await
        ),
        (first, 1)
    );
    assert!(
        p.house
            .stage
            .tokens
            .lock()
            .unwrap()
            .iter()
            .all(|t| t == "slot-token")
    );
    p.technician.get("/audit").await.has("published a snippet");
}

#[tokio::test]
async fn a_new_key_replaces_our_own_copy() {
    let p = placing().await;
    p.push().await.leads();
    let settings = p.page.replace("/place", "/settings");
    p.technician
        .post(
            &settings,
            &[
                ("name", "Site 001"),
                ("platform", "tarnwork"),
                ("supplier", "brindle"),
                ("key", "kite-777"),
            ],
        )
        .await
        .leads();
    p.push().await.leads();
    assert!(
        p.held().starts_with(OTHERS)
            && p.held().contains("kite-777")
            && !p.held().contains("kite-001"),
        "{}",
        p.held()
    );
}

#[tokio::test]
async fn what_stood_there_can_be_put_back_once() {
    let p = placing().await;
    p.push().await.leads();
    let placement = p.last().await;
    assert_eq!(
        (placement.before_text.as_str(), placement.who.as_str()),
        (OTHERS, "Some technician")
    );
    assert!(
        p.put_back(placement.id)
            .await
            .leads()
            .ends_with("done=back")
    );
    assert_eq!(p.held(), OTHERS);
    p.put_back(placement.id).await.is(404);
    p.put_back(999).await.is(404);
}

#[tokio::test]
async fn putting_back_takes_only_ours_out_of_what_others_wrote_since() {
    let p = placing().await;
    p.push().await.leads();
    let since = format!("{}<!-- opening hours -->\n", p.held());
    p.house.stage.put(SLOT, &since);
    p.put_back(p.last().await.id).await.leads();
    assert!(
        p.held().starts_with(OTHERS)
            && p.held().contains("opening hours")
            && !p.held().contains("l.js"),
        "{}",
        p.held()
    );
}

#[tokio::test]
async fn nothing_is_put_back_over_what_is_no_longer_ours() {
    let p = placing().await;
    p.push().await.leads();
    p.house.stage.put(SLOT, "<!-- emptied by the client -->");
    p.put_back(p.last().await.id)
        .await
        .is(422)
        .has("after it was published here");
    assert_eq!(p.held(), "<!-- emptied by the client -->");
}

#[tokio::test]
async fn a_slot_that_changed_since_it_was_shown_must_be_looked_at_again() {
    let p = placing().await;
    let seen = p.seen().await;
    p.house.stage.put(SLOT, "<!-- somebody was here -->");
    let late = p
        .technician
        .post(
            &format!("{}/push", p.page),
            &[("slot", "footer-code"), ("seen", &seen)],
        )
        .await;
    late.is(422)
        .has("someone else changed the slot in the meantime");
    assert_eq!(p.held(), "<!-- somebody was here -->");
    assert_eq!(p.house.count("select count(*) from placements").await, 0);
}

#[tokio::test]
async fn what_would_swallow_the_code_is_told_before_anything_is_pushed() {
    let p = placing().await;
    for held in [
        "<p>Open daily</p>\n<!-- winter hours",
        "<script>\ncount();",
        "<style>.hours { color: red }",
        "<textarea>",
        "<noscript>",
    ] {
        p.house.stage.put(SLOT, held);
        p.technician
            .get(&p.page)
            .await
            .has("would swallow the code")
            .lacks(">Publish to site</button>");
        let seen = p.print().await;
        p.push_as_seen(&seen)
            .await
            .is(422)
            .has("would swallow the code");
        assert_eq!(p.held(), held);
    }
    // An element that is merely open swallows nothing.
    p.house.stage.put(SLOT, "<div class=\"footer\">");
    assert!(p.push().await.leads().ends_with("done=pushed"));
}

#[tokio::test]
async fn an_interface_that_fails_is_told_in_words_and_nothing_is_lost() {
    let p = placing().await;
    let seen = p.seen().await;
    for (error, why) in [
        (SlotError::Token, "refuses the token"),
        (
            SlotError::Unreachable("connection refused".into()),
            "cannot be reached: connection refused",
        ),
        (SlotError::Status(503), "status 503"),
    ] {
        *p.house.stage.failing.lock().unwrap() = Some(error);
        p.technician
            .get(&p.page)
            .await
            .is(200)
            .has(why)
            .has("Put the code below")
            .lacks(">Publish to site</button>");
        p.push_as_seen(&seen).await.is(422);
    }
    *p.house.stage.failing.lock().unwrap() = None;
    assert_eq!(
        (
            p.held().as_str(),
            p.house
                .count("select count(*) from placements where put_back_at is null")
                .await
        ),
        (OTHERS, 0)
    );
}

#[tokio::test]
async fn each_slot_gets_the_form_that_survives_it() {
    let p = placing().await;
    let of = |slot: &'static str| {
        let (technician, path) = (p.technician.clone(), format!("{}?slot={slot}", p.page));
        async move { technician.get(&path).await }
    };
    of("footer-code")
        .await
        .has("&#60;script async src=&#34;http://cdn.brindle.localhost:80/l.js?k=kite-001&#34;");
    of("extension-key")
        .await
        .has("<pre class=\"code\" x-ref=\"code\">kite-001</pre>");
    of("script-box")
        .await
        .has("Code as the slot writes it into the page")
        .lacks("x-ref=\"code\">&#60;script");
    // An unknown slot shows the first, and is refused for a push.
    of("attic").await.has("Site code, end of body");
    p.technician
        .post(
            &format!("{}/push", p.page),
            &[("slot", "attic"), ("seen", &p.print().await)],
        )
        .await
        .is(422)
        .has("does not have this slot");
}

#[tokio::test]
async fn a_key_field_holds_the_key_alone() {
    let p = placing().await;
    let slot = "https://site1.example/_tarn/slots/extension-key";
    p.house.stage.put(slot, "old-key-9");
    p.technician
        .get(&format!("{}?slot=extension-key", p.page))
        .await
        .has("old-key-9");
    let seen = p.print().await;
    p.technician
        .post(
            &format!("{}/push", p.page),
            &[("slot", "extension-key"), ("seen", &seen)],
        )
        .await
        .leads();
    assert_eq!(p.house.stage.held(slot), "kite-001");
    p.put_back(p.last().await.id).await.leads();
    assert_eq!(p.house.stage.held(slot), "old-key-9");
}

#[tokio::test]
async fn a_consent_manager_gates_the_snippet() {
    let p = placing().await;
    let settings = p.page.replace("/place", "/settings");
    p.technician
        .post(
            &settings,
            &[
                ("name", "Site 001"),
                ("platform", "tarnwork"),
                ("supplier", "brindle"),
                ("key", "kite-001"),
                ("consent", "hedgegate"),
            ],
        )
        .await
        .leads();
    p.push().await.leads();
    let manager = p
        .house
        .store()
        .profiles()
        .consent_manager("hedgegate")
        .await
        .unwrap()
        .unwrap();
    assert!(
        p.held().contains(&format!(
            "<script type=\"{}\" {}=\"chat\"",
            manager.gating.script_type, manager.gating.attribute
        )),
        "{}",
        p.held()
    );
    // Script text waits in the manager's call; where the slot writes the code itself a person goes
    // to the manager.
    let boxed = p
        .technician
        .get(&format!("{}?slot=script-box", p.page))
        .await;
    boxed
        .has("window.hedgegateWaiting || []).push([&#34;chat&#34;, function () {")
        .lacks("In the consent manager");
    let field = p
        .technician
        .get(&format!("{}?slot=extension-key", p.page))
        .await;
    field
        .has("In the consent manager")
        .has("cdn.brindle.localhost\napp.brindle.localhost")
        .has("They stand there under the category chat.")
        .has("First follow the consent manager")
        .lacks("{{hosts}}");
}
