//! Sites from a spreadsheet, and back.

use crate::house::house;
use newtfern_core::intake;
use newtfern_store::lists::Filter;
use newtfern_store::people::Role;

#[tokio::test]
async fn each_row_comes_in_or_says_why_not() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    house.site(client, 1).await;
    let csv = "\u{feff}Client;Name;Address;Platform;Country;Key\r\n\
        Lenn Kite Workshop;Shop;kites.example;tarnwork;gb;kite-001\r\n\
        Hollin Rink;Rink;https://rink.example/;;;\r\n\
        Lenn Kite Workshop;Twice;https://kites.example/;;;\r\n\
        Lenn Kite Workshop;There;https://site1.example/;;;\r\n\
        Lenn Kite Workshop;Inside;http://10.1.2.3/;;;\r\n\
        Lenn Kite Workshop;Unknown;https://a.example/;wattle;;\r\n\
        Lenn Kite Workshop;Abroad;https://b.example/;;Atlantis;\r\n\
        ;Nobody's;https://c.example/;;;\r\n";
    let answer = technician
        .upload("/sites/import", "file", csv.as_bytes())
        .await;
    answer
        .is(200)
        .has("added to Lenn Kite Workshop")
        .has("added to Hollin Rink");
    for why in [
        "stands in this file twice",
        "is there already",
        "private",
        "is unknown; known are tarnwork",
        "Atlantis",
        "the client is empty",
    ] {
        answer.has(why);
    }
    let (sites, total) = house
        .store()
        .sites(&Filter::default(), 0, 10)
        .await
        .unwrap();
    assert_eq!(total, 3);
    let shop = sites.iter().find(|s| s.name == "Shop").unwrap();
    assert_eq!(
        (
            shop.client_id,
            shop.country.as_str(),
            shop.platform_id.as_deref(),
            shop.supplier_id.as_deref()
        ),
        (client, "GB", Some("tarnwork"), Some("brindle"))
    );
    technician
        .get("/audit")
        .await
        .has("imported sites")
        .has("2 of 8 rows");
    // The same file again adds nothing and is no error.
    technician
        .upload("/sites/import", "file", csv.as_bytes())
        .await
        .is(200)
        .lacks("added to");
    assert_eq!(house.count("select count(*) from sites").await, 3);
}

#[tokio::test]
async fn a_file_that_cannot_be_read_changes_nothing() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    for (file, why) in [
        (&b""[..], "the file is empty"),
        (b"name,address\nShop,kites.example\n", "missing: client"),
        (
            b"client,name,address\nFl\xfcgel,Shop,kites.example\n",
            "no UTF-8",
        ),
        (b"\x89PNG\r\n\x1a\n", "Nothing was imported"),
    ] {
        technician
            .upload("/sites/import", "file", file)
            .await
            .is(200)
            .has(why);
    }
    let long = format!(
        "client,name,address\n{}",
        "Kites,Shop,https://k.example/\n".repeat(intake::MOST_ROWS + 1)
    );
    technician
        .upload("/sites/import", "file", long.as_bytes())
        .await
        .has("more than 10000 rows");
    assert_eq!(
        house.count("select count(*) from sites").await
            + house.count("select count(*) from clients").await,
        0
    );
}

#[tokio::test]
async fn what_goes_out_comes_in_again_and_runs_in_no_spreadsheet() {
    // One story: each part stands on what the one before left behind.
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("=1+1 Sums").await;
    let id = house.site(client, 1).await;
    technician
        .post(
            &format!("/sites/{id}/settings"),
            &[
                ("name", "@shop, \"best\"\nof all"),
                ("languages", "en, no"),
                ("supplier", "brindle"),
                ("consent", "hedgegate"),
                ("slot", "footer-code"),
                ("contact", "Someone"),
                ("budget_ms", "12.5"),
                ("key", "-kite-01"),
            ],
        )
        .await
        .leads();
    let out = technician.get("/sites/export.csv").await;
    assert_eq!(out.header("content-type"), "text/csv; charset=utf-8");
    out.has("'=1+1 Sums")
        .has("\"'@shop, \"\"best\"\"\nof all\"")
        .has("'-kite-01");
    technician
        .post(
            &format!("/sites/{id}/remove"),
            &[("name", &house.store().site(id).await.unwrap().unwrap().name)],
        )
        .await
        .leads();
    technician
        .upload("/sites/import", "file", &out.bytes)
        .await
        .is(200)
        .has("added to =1+1 Sums");
    let (sites, _) = house
        .store()
        .sites(&Filter::default(), 0, 10)
        .await
        .unwrap();
    let back = &sites[0];
    assert_eq!(
        (
            back.client_id,
            back.name.as_str(),
            back.languages.as_str(),
            back.key.as_str()
        ),
        (client, "@shop, \"best\"\nof all", "en, no", "-kite-01")
    );
    assert_eq!(
        (
            back.supplier_id.as_deref(),
            back.consent_id.as_deref(),
            back.slot_id.as_str()
        ),
        (Some("brindle"), Some("hedgegate"), "footer-code")
    );
    assert_eq!((back.contact.as_str(), back.budget_ms), ("Someone", 12.5));
}

/// Where something fails on our side in the middle, nothing of the file is kept: no site, no client.
#[tokio::test]
async fn a_file_is_taken_wholly_or_not_at_all() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    for sql in [
        "create function refuse() returns trigger language plpgsql as $$ begin raise exception 'no room'; end $$",
        "create trigger refuse before insert on sites for each row when (new.name = 'Breaks') execute function refuse()",
    ] {
        sqlx::query(sql).execute(&house.store().pool).await.unwrap();
    }
    let csv = "client,name,address\nNew client,One,one.example\nNew client,Breaks,two.example\n";
    let answer = technician
        .upload("/sites/import", "file", csv.as_bytes())
        .await;
    answer.is(500);
    assert_eq!(house.count("select count(*) from sites").await, 0);
    let clients = "select count(*) from clients where name = 'New client'";
    assert_eq!(house.count(clients).await, 0);
    let noted = "select count(*) from audit where act = 'imported sites'";
    assert_eq!(house.count(noted).await, 0);
}
