//! Work by hand: the diary, and placing handed to somebody by a link.

use crate::house::house;
use newtfern_store::access::people::Role;
use newtfern_verdict::family::{Family, Standing};

#[tokio::test]
async fn the_diary_keeps_what_was_done_and_tells_the_way_back() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let path = format!("/sites/{site}/diary");
    technician
        .get(&path)
        .await
        .has("No backup is recorded")
        .has("No entries yet");
    let write = async |kind: &str, slot: &str, words: &str| {
        let fields = [("kind", kind), ("slot", slot), ("words", words)];
        technician
            .upload_named(&path, &fields, "photo", "", b"")
            .await
    };
    write("held", "footer-code", "<!-- counter -->")
        .await
        .is(303);
    write("changed", "footer-code", "the snippet at its end")
        .await
        .is(303);
    write("side_effect", "", "the old button is switched off")
        .await
        .is(303);
    write("backup", "", "export of Tuesday").await.is(303);
    write("changed", "", "  ")
        .await
        .is(422)
        .has("Enter a text or add a screenshot");
    write("weather", "", "x").await.is(404);
    technician
        .get(&path)
        .await
        .lacks("No backup is recorded")
        .has("In Site code, end of body: restore exactly this: &#60;!-- counter --&#62;")
        .has("ask the client, then undo: the old button is switched off")
        .has("if all else fails, use the backup: export of Tuesday");
    // A picture of what a slot held is kept and shown; another file is refused with what was typed.
    let fields = [("kind", "held"), ("slot", "footer-code"), ("words", "")];
    technician
        .upload_named(
            &path,
            &fields,
            "photo",
            "slot.png",
            b"\x89PNG\r\n\x1a\nrest",
        )
        .await
        .is(303);
    technician
        .get(&path)
        .await
        .has("Screenshot of the earlier state");
    let fields = [("kind", "held"), ("words", "typed before")];
    technician
        .upload_named(
            &path,
            &fields,
            "photo",
            "slot.svg",
            b"<svg onload=alert(1)>",
        )
        .await
        .is(422)
        .has("PNG or JPEG")
        .has("typed before");
    let viewer = house.person(Role::Viewer).await;
    let fields = [("kind", "note"), ("words", "x")];
    viewer
        .upload_named(&path, &fields, "photo", "", b"")
        .await
        .is(403);
}

/// The address of the link that a page shows, without the host.
fn link_in(page: &str) -> String {
    let at = page.find("/placing/").unwrap();
    let end = page[at..].find(['<', '\n', '"']).unwrap();
    page[at..at + end].to_string()
}

#[tokio::test]
async fn somebody_else_places_by_a_link_asks_and_is_done() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let made = technician
        .post(
            &format!("/sites/{site}/errands"),
            &[("slot", "footer-code"), ("to_whom", "Ada of the web desk")],
        )
        .await;
    made.is(200)
        .has("Hello Ada of the web desk")
        .has("l.js?k=kite-001")
        .has("Check: ");
    let link = link_in(&made.text());
    // Without any session: the steps and the exact code, to nobody's search engine or referrer.
    let stranger = house.stranger();
    let page = stranger.get(&link).await;
    page.is(200)
        .has("Add the chat widget to Site 001")
        .has("&#60;script async src=&#34;http://cdn.brindle.localhost:80/l.js?k=kite-001&#34;")
        .lacks("Sign out");
    assert_eq!(page.header("referrer-policy"), "no-referrer");
    let by = ("by", "Ada <b>");
    stranger
        .post(&format!("{link}/ask"), &[by, ("words", "")])
        .await
        .is(422)
        .has("Enter a question first");
    stranger
        .post(
            &format!("{link}/ask"),
            &[by, ("words", "Which <script> box?")],
        )
        .await
        .is(303);
    stranger
        .get(&link)
        .await
        .has("Which &#60;script&#62; box?")
        .lacks("Ada <b>");
    let place = format!("/sites/{site}/place");
    let shown = technician.get(&place).await;
    shown.has("Which &#60;script&#62; box?");
    // Wherever work is listed it is seen that somebody waits for an answer.
    let (bench, row) = (format!("/sites/{site}"), "/lens/estate");
    for path in ["/worklist", bench.as_str()] {
        technician
            .get(path)
            .await
            .has("Which &#60;script&#62; box?");
    }
    technician.get(row).await.has(">question</a>");
    let errand = house.count("select max(id) from errands").await;
    technician
        .post(
            &format!("/errands/{errand}/answer"),
            &[("words", "The lower one.")],
        )
        .await
        .is(303);
    stranger.get(&link).await.has("The lower one.");
    technician
        .get("/worklist")
        .await
        .lacks("Questions from people");
    technician
        .get(&bench)
        .await
        .lacks("Which &#60;script&#62; box?");
    technician.get(row).await.lacks(">question</a>");
    stranger
        .post(&format!("{link}/done"), &[])
        .await
        .is(422)
        .has("Enter your name");
    stranger.post(&format!("{link}/done"), &[by]).await.is(303);
    stranger.post(&format!("{link}/done"), &[by]).await.is(303);
    // One verification, however often it is said.
    let jobs = "select count(*) from jobs where kind = 'check'";
    assert_eq!(house.count(jobs).await, 1);
    technician.get(&place).await.has("done by Ada &#60;b&#62;");
    // What the check found is told to whoever placed it, in their words.
    stranger
        .get(&link)
        .await
        .has("come back to this page to see the result");
    let failing = "The key is another client's.";
    for (family, standing, words) in [
        (Family::Place, Standing::Failing, failing),
        (Family::Load, Standing::Failing, "It does not start."),
    ] {
        house.stands(site, family, standing, words, None).await;
    }
    stranger
        .get(&link)
        .await
        .has("The code is not right yet.")
        .has("another client&#39;s")
        .lacks("It does not start");
    house
        .stands(site, Family::Place, Standing::Passing, "", None)
        .await;
    stranger.get(&link).await.has("not yours to mend");
    house
        .stands(site, Family::Load, Standing::Passing, "", None)
        .await;
    stranger
        .get(&link)
        .await
        .has("The code is in place and the chat works.");
    technician
        .get(&format!("/sites/{site}/diary"))
        .await
        .has("placed by someone else, by link");
    technician
        .post(&format!("/errands/{errand}/withdraw"), &[])
        .await
        .is(303);
    for path in [link.as_str(), "/placing/unknown"] {
        stranger
            .get(path)
            .await
            .is(404)
            .has("This link does not work");
    }
    stranger.post(&format!("{link}/done"), &[by]).await.is(404);
    stranger
        .post(&format!("{link}/ask"), &[by, ("words", "x")])
        .await
        .is(404);
}

#[tokio::test]
async fn an_old_link_opens_no_more_and_questions_are_bounded() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let bare = house.site(client, 2).await;
    let ids = format!("{site},{bare}");
    let made = technician.post("/bulk/links", &[("sites", &ids)]).await;
    made.is(200);
    assert_eq!(made.text().matches("/placing/").count(), 2);
    let link = link_in(&made.text());
    let stranger = house.stranger();
    sqlx::query(
        "insert into errand_words (errand_id, who, outside, words) select e.id, 'x', \
        true, 'x' from errands e, generate_series(1, 100)",
    )
    .execute(&house.store().pool)
    .await
    .unwrap();
    stranger
        .post(&format!("{link}/ask"), &[("by", "Ada"), ("words", "more")])
        .await
        .is(422)
        .has("This conversation is full");
    sqlx::query("update errands set expires_at = now() - interval '1 second'")
        .execute(&house.store().pool)
        .await
        .unwrap();
    stranger.get(&link).await.is(404);
}
