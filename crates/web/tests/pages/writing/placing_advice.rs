//! What is missing for a placement, and which slot is advised.

use crate::writing::placing::placing;
use newtfern_store::access::people::Role;

#[tokio::test]
async fn what_is_missing_is_named_with_where_to_enter_it() {
    let p = placing().await;
    let settings = p.page.replace("/place", "/settings");
    p.technician
        .post(&settings, &[("name", "Site 001"), ("platform", "tarnwork")])
        .await
        .leads();
    p.technician
        .get(&p.page)
        .await
        .is(200)
        .has("This site has no supplier and key");
    p.technician
        .post(
            &settings,
            &[
                ("name", "Site 001"),
                ("supplier", "brindle"),
                ("key", "kite-001"),
            ],
        )
        .await
        .leads();
    p.technician
        .get(&p.page)
        .await
        .is(200)
        .has("This site has no platform");
    p.technician
        .post(
            &settings,
            &[
                ("name", "Site 001"),
                ("platform", "tarnwork"),
                ("supplier", "brindle"),
            ],
        )
        .await
        .leads();
    p.technician
        .get(&p.page)
        .await
        .is(200)
        .has("The key is empty");
    let client = p.house.client("Other").await;
    let bare = p.house.site(client, 2).await;
    p.technician
        .get(&format!("/sites/{bare}/place"))
        .await
        .has("Enter the token");
    let seen = p
        .house
        .acts()
        .placing()
        .place_page(bare, 0, None)
        .await
        .unwrap()
        .print;
    p.technician
        .post(
            &format!("/sites/{bare}/place/push"),
            &[("slot", "footer-code"), ("seen", &seen)],
        )
        .await
        .is(422)
        .has("has no platform token");
}

/// The slot that suits is shown first, with what speaks for it; one in which the code cannot live
/// says so before anything is done, and names the better one.
#[tokio::test]
async fn the_better_slot_is_advised_with_reasons() {
    let p = placing().await;
    let administrator = p.house.person(Role::Administrator).await;
    let text = "id = \"mill\"\nname = \"Page mill\"\n\
        [[slot]]\nid = \"editor\"\nname = \"Editor of a page\"\nscope = \"page\"\ntakes = \
        \"markup\"\ndoes = [\"strips\"]\n\
        [[slot]]\nid = \"theme\"\nname = \"Theme code\"\ntakes = \"markup\"\nlost_with_theme = \
        true\npage_rules = \"Open the theme's list of pages.\"\n\
        [[slot]]\nid = \"box\"\nname = \"Code box\"\ntakes = \"markup\"\nundo = \"Take the lines \
        out again.\"\n";
    let new = [("kind", "platform"), ("text", text)];
    administrator.post("/profiles/new", &new).await.leads();
    let settings = p.page.replace("/place", "/settings");
    let chosen = [
        ("name", "Site 001"),
        ("platform", "mill"),
        ("supplier", "brindle"),
        ("key", "kite-001"),
    ];
    p.technician.post(&settings, &chosen).await.leads();
    let shown = p.technician.get(&p.page).await;
    shown
        .has(
            "Advantages of this slot: covers all pages, survives a change of theme, \
            needs no paid plan",
        )
        .has("What can remove the code later: Take the lines out again.")
        .has("not possible with this code")
        .lacks("Recommended slot");
    let editor = p.technician.get(&format!("{}?slot=editor", p.page)).await;
    editor
        .has("removes script elements")
        .has("Recommended slot")
        .has("Code box")
        .lacks("Place it manually");
    let theme = p.technician.get(&format!("{}?slot=theme", p.page)).await;
    theme
        .has("Disadvantages: a change of theme removes the code")
        .has("Place it manually")
        .lacks("list of pages");
    // Page rules are kept in the slot's own list, else at the supplier's console; who places by a
    // link is told so too.
    let ruled = [chosen.as_slice(), &[("not_on", "/legal/**")]].concat();
    p.technician.post(&settings, &ruled).await.leads();
    let told = "Pages without the widget: /legal/**.";
    let theme = p.technician.get(&format!("{}?slot=theme", p.page)).await;
    theme.has("Open the theme&#39;s list of pages.").has(told);
    let code = p.technician.get(&format!("{}?slot=box", p.page)).await;
    code.has("Set the pages in the widget&#39;s settings at Brindle.")
        .has(told);
    let errands = p.page.replace("/place", "/errands");
    let made = p.technician.post(&errands, &[("slot", "theme")]).await;
    made.is(200)
        .has("Open the theme&#39;s list of pages.")
        .has(told);
}
