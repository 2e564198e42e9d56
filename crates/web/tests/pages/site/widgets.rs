//! Several widgets of one site: added, placed beside each other, checked and taken off one by one.

use crate::writing::placing::{OTHERS, placing};
use newtfern_verdict::family::{Family, Standing};

#[tokio::test]
async fn a_second_inbox_of_a_supplier_is_added_placed_and_taken_off_alone() {
    let p = placing().await;
    let site = p.page.split('/').nth(2).unwrap().to_string();
    let widgets = format!("/sites/{site}/widgets");
    let post = async |fields: &[(&str, &str)]| p.technician.post(&widgets, fields).await;
    let shop = [
        ("supplier", "brindle"),
        ("key", "wendle-shop"),
        ("on", "/shop/**"),
    ];
    p.technician.get(&widgets).await.is(200).has("Add a widget");
    // What cannot be is told, and nothing typed is lost.
    post(&[("supplier", "brindle"), ("key", "?"), ("on", "/shop/**")])
        .await
        .is(422)
        .has("is not a key of Brindle")
        .has("value=\"/shop/**\"");
    post(&[("supplier", "nobody"), ("key", "wendle-shop")])
        .await
        .is(422)
        .has("Choose a supplier from the list.");
    post(&shop).await.leads();
    post(&shop)
        .await
        .is(422)
        .has("a widget with this key already");
    let file = format!("/sites/{site}/expectation.toml");
    let text = p.technician.get(&file).await.text();
    assert_eq!(text.matches("[[widget]]").count(), 2);
    assert!(
        text.contains("key = \"wendle-shop\"\non = [\"/shop/**\"]"),
        "{text}"
    );

    // The rest of it is typed as in a file: a mistake comes back with its line and what was typed.
    let with = |more: &'static str| {
        let at = [("at", "1"), ("more", more)];
        shop.iter().copied().chain(at).collect::<Vec<_>>()
    };
    post(&with("delay_s = 3\n[widget.texts.en]\ntitel = 'Shop'"))
        .await
        .is(422)
        .has("line 3")
        .has("titel = ");
    post(&with("delay_s = 3\n[widget.texts.en]\ntitle = 'Shop'"))
        .await
        .leads();
    let text = p.technician.get(&file).await.text();
    assert!(text.contains("title = \"Shop\""), "{text}");
    // A site is found by the key of any of its widgets.
    p.technician
        .get("/lens/load?q=wendle-shop")
        .await
        .is(200)
        .has(&format!("/sites/{site}"))
        .has("2 widgets");
    // Somebody without an account gets the steps of the second one by a link.
    let asked = [("widget", "1"), ("slot", "footer-code"), ("to_whom", "Jo")];
    let links = format!("/sites/{site}/errands");
    p.technician
        .post(&links, &asked)
        .await
        .is(200)
        .has("wendle-shop");

    // Each is placed beside the other, and placing one again changes nothing of the other.
    p.push().await.leads();
    let first = p.held();
    let second = format!("{}?widget=1", p.page);
    p.technician
        .get(&second)
        .await
        .has("wendle-shop")
        .has("aria-current=\"page\"");
    let push_second = async || {
        let page: i64 = site.parse().unwrap();
        let seen = p
            .house
            .acts()
            .placing()
            .place_page(page, 1, None)
            .await
            .unwrap()
            .print;
        let fields = [("widget", "1"), ("slot", "footer-code"), ("seen", &seen)];
        p.technician
            .post(&format!("{}/push", p.page), &fields)
            .await
    };
    assert!(push_second().await.leads().contains("done=pushed"));
    let both = p.held();
    assert!(
        both.starts_with(&first) && both.contains("wendle-shop"),
        "{both}"
    );
    assert!(p.push().await.leads().contains("done=same"));
    assert!(push_second().await.leads().contains("done=same"));
    assert_eq!(p.held(), both);

    // The value sheet of the second is of its own design.
    let sheet = format!("/sites/{site}/design/sheet?widget=1");
    p.technician.get(&sheet).await.is(200).has("Brindle");
    let none = format!("/sites/{site}/design/sheet?widget=7");
    p.technician.get(&none).await.is(404);

    let seen = p.seen().await;
    let off = [("widget", "1"), ("seen", seen.as_str())];
    p.technician
        .post(&format!("{}/off", p.page), &off)
        .await
        .leads();
    assert_eq!(p.held(), first);
    post(&[("at", "1"), ("remove", "yes")]).await.leads();
    assert_eq!(
        p.technician
            .get(&file)
            .await
            .text()
            .matches("[[widget]]")
            .count(),
        1
    );
    assert!(p.held().starts_with(OTHERS));
}

#[tokio::test]
async fn results_grow_old_when_a_widget_is_added() {
    let p = placing().await;
    let site = p.page.split('/').nth(2).unwrap().to_string();
    let id: i64 = site.parse().unwrap();
    let held = "The chain holds.";
    p.house
        .stands(id, Family::Load, Standing::Passing, held, None)
        .await;
    let stood = async || {
        let all = p.house.store().sites().standings_of(&[id]).await.unwrap();
        let load = all[&id].iter().find(|s| s.family == Family::Load);
        load.unwrap().state
    };
    assert_ne!(stood().await, Standing::Stale);
    let fields = [("supplier", "brindle"), ("key", "wendle-shop")];
    let widgets = format!("/sites/{site}/widgets");
    p.technician.post(&widgets, &fields).await.leads();
    assert_eq!(stood().await, Standing::Stale);
}
