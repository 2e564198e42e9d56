//! A push over several slots, and over many sites; a widget taken off.

use crate::writing::placing::{OTHERS, SLOT, placing};
use newtfern_store::access::people::Role;

/// Copies in another form or state are replaced in their place, over all slots, told piece by
/// piece; the whole is put back together.
#[tokio::test]
async fn wrong_copies_in_every_slot_are_mended_and_put_back_together() {
    let p = placing().await;
    let key = "https://site1.example/_tarn/slots/extension-key";
    let script = "http://cdn.brindle.localhost:80/l.js?k=kite-001";
    let held = format!(
        "{OTHERS}<!-- off\n<script async src=\"{script}\"></script>\n-->\n<script src='{script}' \
        defer></script>\n"
    );
    p.house.stage.put(SLOT, &held);
    p.house.stage.put(key, "kite-001");
    p.technician
        .get(&p.page)
        .await
        .has("a copy in a comment is replaced with the right code")
        .has("a copy of the code is removed")
        .has("is emptied because it adds a second copy")
        .has("Newtfern has checked all slots");
    assert!(p.push().await.leads().ends_with("done=pushed"));
    assert_eq!(
        p.held(),
        format!("{OTHERS}<script async src=\"{script}\"></script>\n")
    );
    assert_eq!(p.house.stage.held(key), "");
    let last = p.last().await;
    assert_eq!(
        p.house
            .count("select count(distinct batch) from placements")
            .await,
        1
    );
    p.technician.get(&p.page).await.has("Published before");
    p.put_back(last.batch.unwrap()).await.leads();
    assert_eq!(p.held(), held);
    assert_eq!(p.house.stage.held(key), "kite-001");
}

/// Where one of several slots cannot be written, those before it are put back.
#[tokio::test]
async fn a_platform_that_fails_half_way_leaves_the_slots_as_they_were() {
    let p = placing().await;
    let key = "https://site1.example/_tarn/slots/extension-key";
    p.house.stage.put(key, "kite-001");
    let seen = p.seen().await;
    p.house.stage.refuse(key);
    p.push_as_seen(&seen).await.is(422).has("status 500");
    assert_eq!(p.held(), OTHERS);
    assert_eq!(p.house.stage.held(key), "kite-001");
    assert_eq!(p.house.count("select count(*) from placements").await, 0);
}

#[tokio::test]
async fn a_widget_is_taken_off_and_what_was_there_is_kept() {
    let p = placing().await;
    p.push().await.leads();
    let with = p.held();
    let seen = p.seen().await;
    p.technician
        .post(&format!("{}/off", p.page), &[("seen", "another")])
        .await
        .is(422)
        .has("someone else changed the slot in the meantime");
    let off = p
        .technician
        .post(&format!("{}/off", p.page), &[("seen", &seen)])
        .await;
    assert!(off.leads().ends_with("done=off"));
    assert_eq!(p.held(), OTHERS);
    p.technician.get("/audit").await.has("removed a widget");
    // Nobody is told to place again what somebody took off, and no round does it.
    let expected = async || {
        let site = p.page.split('/').nth(2).unwrap();
        let file = format!("/sites/{site}/expectation.toml");
        p.technician.get(&file).await.is(200).text()
    };
    assert!(expected().await.contains("not_on = [\"/**\"]"));
    p.technician
        .get(&p.page)
        .await
        .has("removed the widget from this site on")
        .has("Expect the widget again");
    let site = p.page.split('/').nth(2).unwrap().to_string();
    p.technician
        .post("/bulk/publish", &[("sites", &site)])
        .await
        .is(200)
        .has("so it is left out");
    p.put_back(p.last().await.id).await.leads();
    assert_eq!(p.held(), with);
    assert!(!expected().await.contains("not_on"));
    // Rules that somebody wrote meanwhile stay.
    let again = format!("{}/again", p.page);
    let seen = p.seen().await;
    let off = format!("{}/off", p.page);
    p.technician.post(&off, &[("seen", &seen)]).await.leads();
    p.technician.post(&again, &[]).await.leads();
    assert!(!expected().await.contains("not_on"));
    p.technician.post(&again, &[]).await.is(404);
}

/// Many sites: the differences first, a round that publishes, and one that puts it all back.
#[tokio::test]
async fn many_sites_are_published_to_in_a_round_and_put_back() {
    let p = placing().await;
    let first = p.page.split('/').nth(2).unwrap().to_string();
    let client = p.house.client("Other").await;
    let bare = p.house.site(client, 2).await;
    let sites = format!("{first},{bare}");
    p.technician
        .post("/bulk/publish", &[("sites", &sites)])
        .await
        .is(200)
        .has("Publish to 1 of 2 sites")
        .has("gets the code at its end")
        .has("The site has no platform token")
        .has("Make instruction links for the 1 other");
    assert_eq!(p.held(), OTHERS, "nothing is written yet");
    let round = p
        .technician
        .post("/bulk", &[("sites", &sites), ("kind", "push")])
        .await;
    let round = round.leads();
    let acts = p.house.acts();
    let mut failed = 0;
    while let Some(job) = p.house.store().queue().claim().await.unwrap() {
        if let Err(why) = acts.placing().do_placing(&job).await {
            failed += 1;
            acts.checks()
                .fail_job(&job, &why.to_string(), false)
                .await
                .unwrap();
        }
    }
    assert_eq!(failed, 1, "the site without a token is told");
    assert!(p.held().contains("l.js?k=kite-001"));
    p.technician
        .get(round)
        .await
        .has("published into one slot")
        .has("has no platform token")
        .has("Undo this round");
    let back = p.technician.post(&format!("{round}/put-back"), &[]).await;
    back.leads();
    let job = p.house.store().queue().claim().await.unwrap().unwrap();
    acts.placing().do_placing(&job).await.unwrap();
    assert_eq!(p.held(), OTHERS);
    p.technician
        .post(&format!("{round}/put-back"), &[])
        .await
        .is(422)
        .has("This round has nothing left");
}

/// One supplier is replaced by another where a person says so, and only there.
#[tokio::test]
async fn another_suppliers_code_goes_where_it_is_ticked() {
    let p = placing().await;
    let administrator = p.house.person(Role::Administrator).await;
    let wattle = "id = \"wattle\"\nname = \"Wattle\"\n[recognise]\nscript_hosts = \
        [\"cdn.wattle.test\"]\n[snippet]\ntemplate = '<script async \
        src=\"https://cdn.wattle.test/w.js\"></script>'\n";
    let new = [("kind", "supplier"), ("text", wattle)];
    administrator.post("/profiles/new", &new).await.leads();
    let old = "<script async src=\"https://cdn.wattle.test/w.js\"></script>";
    p.house.stage.put(SLOT, &format!("{OTHERS}{old}\n"));
    p.technician
        .get(&p.page)
        .await
        .has("Also remove the code of Wattle");
    p.push().await.leads();
    assert!(p.held().contains(old), "nobody asked for it to go");
    let seen = p.print().await;
    let fields = [("slot", "footer-code"), ("seen", &*seen), ("others", "go")];
    p.technician
        .post(&format!("{}/push", p.page), &fields)
        .await
        .leads();
    assert!(!p.held().contains("wattle") && p.held().contains("l.js?k=kite-001"));
    assert!(p.held().starts_with(OTHERS));
    p.put_back(p.last().await.batch.unwrap()).await.leads();
    assert!(p.held().contains(old));
}
