//! A site's own design values, and the numbers beside them.

use crate::house::{design_form, house};
use newtfern_store::access::people::Role;
use serde_json::{Value, json};

#[tokio::test]
async fn a_design_takes_the_sites_own_values_and_says_where_the_others_come_from() {
    // One story: each part stands on what the one before left behind.
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = technician
        .post(
            "/clients",
            &[("name", "Lenn Kite Workshop"), ("primary", "#8a1c2b")],
        )
        .await
        .leads()
        .rsplit('/')
        .next()
        .unwrap()
        .parse()
        .unwrap();
    let id = house.site(client, 1).await;
    let path = format!("/sites/{id}/design");
    technician
        .get(&path)
        .await
        .has("#8a1c2b")
        .has("brand sheet")
        .has("house style");
    // The brand's colour and name come from above, so that only the greeting is the site's own.
    let brand = [
        ("button_colour", "#8a1c2b"),
        ("header_colour", "#8a1c2b"),
        ("title", "Lenn Kite Workshop"),
        ("own_bubble", "#8a1c2b"),
    ];
    technician
        .post_form(
            &path,
            &design_form(&[
                brand[0],
                brand[1],
                brand[2],
                brand[3],
                ("greeting", "Hello, kite flyer!"),
            ]),
        )
        .await
        .leads();
    let layer = house
        .store()
        .sites()
        .site(id)
        .await
        .unwrap()
        .unwrap()
        .layer()
        .clone();
    assert_eq!(
        layer
            .iter()
            .map(|(f, v)| (f.key(), v.as_str()))
            .collect::<Vec<_>>(),
        [("greeting", "Hello, kite flyer!")]
    );

    for (field, value) in [
        ("offset_x", "-4"),
        ("button_colour", "red-ish"),
        ("notice_link", "javascript:alert(1)"),
        ("prompt_delay_s", "soon"),
    ] {
        technician
            .post_form(
                &path,
                &design_form(&[("greeting", "Typed with care"), (field, value)]),
            )
            .await
            .is(422)
            .has("Typed with care")
            .has(&format!("{value}\""));
    }
    assert_eq!(
        house
            .store()
            .sites()
            .site(id)
            .await
            .unwrap()
            .unwrap()
            .layer(),
        &layer
    );
}

/// Contrast of black and white is 21 to 1, of equal colours 1 to 1 (WCAG 2.2, relative luminance);
/// #767676 on white is the known grey that just passes 4.5.
#[tokio::test]
async fn the_numbers_beside_a_design_follow_the_form() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let path = format!("/sites/{}/design/numbers", house.site(client, 1).await);
    let numbers = |button: &'static str, text: &'static str, page: &'static str| {
        let mut form = design_form(&[("button_colour", button), ("icon_colour", text)]);
        form.push(("page_colour".into(), page.into()));
        let (technician, path) = (technician.clone(), path.clone());
        async move {
            serde_json::from_slice::<Value>(&technician.post_form(&path, &form).await.is(200).bytes)
                .unwrap()
        }
    };
    let row = |n: &Value, key: &str| {
        let rows = n["rows"].as_array().unwrap();
        rows.iter().find(|r| r["key"] == key).unwrap().clone()
    };
    let n = numbers("#000000", "#ffffff", "#000000").await;
    let (text, page) = (row(&n, "icon_on_button"), row(&n, "button_on_page"));
    assert!(
        text["words"].as_str().unwrap().starts_with("21.0 to 1"),
        "{n}"
    );
    assert!(
        page["words"].as_str().unwrap().starts_with("1.0 to 1"),
        "{n}"
    );
    assert_eq!(
        (&text["weak"], &page["weak"]),
        (&json!(false), &json!(true))
    );
    // What is weak has a colour to take.
    assert_eq!(page["take"]["field"], "button_colour");
    let passes = numbers("#949494", "#ffffff", "#ffffff").await;
    assert_eq!(row(&passes, "icon_on_button")["weak"], false);
    let weak = numbers("#959595", "#ffffff", "#ffffff").await;
    assert_eq!(row(&weak, "icon_on_button")["weak"], true);
    assert!(
        numbers("teal-ish", "#ffffff", "#ffffff").await["problem"]
            .as_str()
            .unwrap()
            .contains("teal-ish")
    );
}
