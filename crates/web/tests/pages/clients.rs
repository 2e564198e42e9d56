//! Clients, their brand sheets and logos.

use crate::house::{House, house};
use newtfern_standards::colour::Rgb;
use newtfern_store::access::people::Role;
use serde_json::{Value, json};

async fn sheet(house: &House, id: i64) -> newtfern_verdict::brand::BrandSheet {
    house
        .store()
        .clients()
        .client(id)
        .await
        .unwrap()
        .unwrap()
        .sheet()
        .unwrap()
}

fn id_of(location: &str) -> i64 {
    location.rsplit('/').next().unwrap().parse().unwrap()
}

#[tokio::test]
async fn a_client_is_added_with_its_brand_sheet() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let form = [
        ("name", "Marlow Sound Ferries"),
        ("primary", "#0b4f6c"),
        ("secondary", "rgb(1, 186, 239)"),
        ("legal_name", "Marlow Sound Ferry Co. Ltd"),
    ];
    let id = id_of(technician.post("/clients", &form).await.leads());
    let kept = sheet(&house, id).await;
    assert_eq!(
        (kept.primary, kept.secondary),
        (Some(Rgb(11, 79, 108)), Some(Rgb(1, 186, 239)))
    );
    assert_eq!(
        (kept.public_name.as_str(), kept.legal_name.as_str()),
        ("Marlow Sound Ferries", "Marlow Sound Ferry Co. Ltd")
    );
    technician
        .get(&format!("/clients/{id}"))
        .await
        .has("#0b4f6c")
        .has("#01baef");
    technician
        .get("/audit?q=added")
        .await
        .has("Marlow Sound Ferries");
}

#[tokio::test]
async fn a_refused_form_says_why_and_loses_nothing() {
    // Long for its table of cases.
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let id = house.client("Orrery Hill Observatory").await;
    let long = "o".repeat(121);
    for (fields, why) in [
        (
            [
                ("name", ""),
                ("primary", "#123456"),
                ("public_name", "Typed with care"),
            ],
            "Enter a name for the client",
        ),
        (
            [
                ("name", long.as_str()),
                ("primary", "#123456"),
                ("public_name", "Typed with care"),
            ],
            "longer than 120",
        ),
        (
            [
                ("name", "Other"),
                ("primary", "midnight-ish"),
                ("public_name", "Typed with care"),
            ],
            "Primary colour",
        ),
        (
            [
                ("name", "Orrery Hill Observatory"),
                ("primary", "#123456"),
                ("public_name", "Typed with care"),
            ],
            "exists already",
        ),
    ] {
        let answer = technician.post("/clients", &fields).await;
        answer
            .is(422)
            .has(why)
            .has("Typed with care")
            .has(&format!("value=\"{}\"", fields[1].1));
    }
    house.client("Other").await;
    // The same for a change, where the name of another client is the likeliest mistake.
    technician
        .post(
            &format!("/clients/{id}"),
            &[("name", "Other"), ("legal_name", "Typed with care")],
        )
        .await
        .is(422)
        .has("exists already")
        .has("Typed with care");
    technician
        .post(
            &format!("/clients/{id}"),
            &[("name", "Observatory"), ("primary", "nope")],
        )
        .await
        .is(422)
        .has("nope");
    assert_eq!(
        house
            .store()
            .clients()
            .client(id)
            .await
            .unwrap()
            .unwrap()
            .name,
        "Orrery Hill Observatory"
    );
    technician
        .post("/clients/999", &[("name", "x")])
        .await
        .is(404);
}

/// The Design Tokens format (W3C Community Group): `$value` and `$type`, colours as strings.
#[tokio::test]
async fn design_tokens_come_in_and_go_out() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let tokens = json!({"color": {"primary": {"$type": "color", "$value": "#8a1c2b"}}}).to_string();
    let id = id_of(
        technician
            .post(
                "/clients",
                &[
                    ("name", "Quillmark Print Studio"),
                    ("primary", "#000000"),
                    ("tokens", &tokens),
                ],
            )
            .await
            .leads(),
    );
    assert_eq!(
        sheet(&house, id).await.primary.map(Rgb::hex).as_deref(),
        Some("#8a1c2b")
    );
    let out = technician.get(&format!("/clients/{id}/tokens.json")).await;
    assert!(out.header("content-disposition").contains("attachment"));
    let back: Value = serde_json::from_slice(&out.bytes).unwrap();
    let again = newtfern_verdict::brand::BrandSheet::from_tokens(&back.to_string()).unwrap();
    assert_eq!(again.primary, sheet(&house, id).await.primary);
    technician
        .post(
            &format!("/clients/{id}"),
            &[
                ("name", "Quillmark Print Studio"),
                ("tokens", "{\"color\": "),
            ],
        )
        .await
        .is(422)
        .has("The design tokens cannot be used")
        .has("{&#34;color&#34;: ");
}

#[tokio::test]
async fn a_logo_is_told_by_its_bytes_and_an_svg_cannot_run_script() {
    // Long for its table of cases.
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let id = house.client("Candlegate Clocks").await;
    let path = format!("/clients/{id}/logo");
    let svg = b"<svg xmlns=\"http://www.w3.org/2000/svg\"><script>alert(1)</script></svg>";
    technician.upload(&path, "logo", svg).await.leads();
    let client = house.store().clients().client(id).await.unwrap().unwrap();
    let shown = technician
        .get(&format!("/blobs/{}", client.logo.unwrap()))
        .await;
    assert_eq!(shown.header("content-type"), "image/svg+xml");
    assert!(
        shown.header("content-security-policy").contains("sandbox")
            && !shown
                .header("content-security-policy")
                .contains("script-src")
    );
    assert_eq!(shown.bytes, svg);
    technician
        .upload(&path, "logo", b"\x89PNG\r\n\x1a\nrest")
        .await
        .leads();
    assert_eq!(
        house
            .store()
            .clients()
            .client(id)
            .await
            .unwrap()
            .unwrap()
            .logo_type
            .as_deref(),
        Some("image/png")
    );

    technician
        .upload(&path, "logo", b"<html><svg onload=alert(1)>")
        .await
        .is(422)
        .has("PNG, JPEG or SVG");
    technician.upload(&path, "logo", b"").await.is(422);
    technician
        .upload(&path, "logo", &vec![0; 7 << 20])
        .await
        .is(422)
        .has("larger than 5 MB");
    technician
        .upload("/clients/999/logo", "logo", svg)
        .await
        .is(404);
    assert_eq!(
        house
            .store()
            .clients()
            .client(id)
            .await
            .unwrap()
            .unwrap()
            .logo_type
            .as_deref(),
        Some("image/png")
    );
}

#[tokio::test]
async fn the_list_is_searched_and_paged_and_what_people_typed_is_never_markup() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    for n in 0..60 {
        house.client(&format!("Ferry {n:02}")).await;
    }
    house.client("<script>alert(1)</script>").await;
    house.client("100% Ice_Rink").await;
    technician
        .get("/clients")
        .await
        .has("&#60;script&#62;alert(1)")
        .lacks("<script>alert");
    technician
        .get("/clients?q=ferry&page=2")
        .await
        .has("Ferry 59")
        .lacks("Ferry 10");
    // Search words are words, not patterns.
    technician
        .get("/clients?q=%25")
        .await
        .has("100% Ice_Rink")
        .lacks("Ferry 00");
    technician
        .get("/clients?q=e_R")
        .await
        .has("100% Ice_Rink")
        .lacks("Ferry 00");
    // A page past the end leads to the last one.
    assert_eq!(
        technician.get("/clients?q=ferry&page=9").await.leads(),
        "/clients?q=ferry&page=2"
    );
}
