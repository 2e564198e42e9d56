//! Sites from a spreadsheet, and back.

use crate::house::{Caller, house};
use newtfern_core::intake;
use newtfern_store::lists::Filter;
use newtfern_store::people::Role;

/// Brings a file in and gives the page that shows it.
async fn brought(who: &Caller, file: &[u8]) -> String {
    let answer = who.upload("/sites/import", "file", file).await;
    answer.is(303);
    answer.header("location").to_string()
}

#[tokio::test]
async fn each_row_is_shown_first_and_comes_in_or_says_why_not() {
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
    let page = brought(&technician, csv.as_bytes()).await;
    let shown = technician.get(&page).await;
    shown.is(200).has("Take it: 2 new, 1 changed");
    for told in [
        "stands in this file twice",
        "Name: <del>Site 001</del> <ins>There</ins>",
        "private",
        "platform: \u{201c}wattle\u{201d} is unknown; known are",
        "Atlantis",
        "client: it is empty",
    ] {
        shown.has(told);
    }
    assert_eq!(
        house.count("select count(*) from sites").await,
        1,
        "nothing is written yet"
    );
    technician.post(&page, &[]).await.is(303);
    technician
        .get(&page)
        .await
        .has("Taken: 2 added, 1 changed, 0 as they were, 5 refused");
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
    assert!(sites.iter().any(|s| s.name == "There"));
    technician
        .get("/audit")
        .await
        .has("imported sites")
        .has("2 added, 1 changed");
    // Taken once; the same file again changes nothing.
    technician.post(&page, &[]).await.is(422);
    let again = brought(&technician, csv.as_bytes()).await;
    technician
        .get(&again)
        .await
        .has("There is nothing to take in it");
    assert_eq!(house.count("select count(*) from sites").await, 3);
}

/// The refused rows come back with their reasons, and the mended file is taken.
#[tokio::test]
async fn refused_rows_come_back_as_a_file() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let csv = "client,name,address,country,ours\nMill,Good,good.example,GB,1\nMill,Bad,bad.example,Atlantis,2\n";
    let page = brought(&technician, csv.as_bytes()).await;
    technician
        .get(&page)
        .await
        .has("columns that are not known were left out: ours");
    let back = technician.get(&format!("{page}/refused.csv")).await;
    back.has("client,name,address,country,ours,reason")
        .has("Mill,Bad,bad.example,Atlantis,2,country: ")
        .lacks("Good");
    let mended = back.text().replace(",Atlantis,", ",FR,");
    let page = brought(&technician, mended.as_bytes()).await;
    technician.get(&page).await.has("Take it: 1 new, 0 changed");
    let empty = technician.get("/sites/to-fill-in.csv").await;
    empty.has("platform_token").has("tarnwork").has("hedgegate");
    technician
        .upload("/sites/import", "file", &empty.bytes)
        .await
        .is(200)
        .has("there are no rows");
}

/// A client whose name is nearly a known one is asked about, and nothing is taken without an answer.
#[tokio::test]
async fn a_client_that_is_nearly_known_is_asked_about() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    house.client("Lenn Kite Workshop").await;
    let csv = "client,name,address\nLenn Kites Workshop Ltd,Shop,kites.example\n";
    let page = brought(&technician, csv.as_bytes()).await;
    technician
        .get(&page)
        .await
        .has("It is Lenn Kite Workshop")
        .has("A new client");
    technician
        .post(&page, &[])
        .await
        .is(422)
        .has("say first whether");
    let answer = ("is:Lenn Kites Workshop Ltd", "Lenn Kite Workshop");
    technician.post(&page, &[answer]).await.is(303);
    assert_eq!(house.count("select count(*) from clients").await, 1);
    assert_eq!(house.count("select count(*) from sites").await, 1);
}

/// Expectation files go out and come in: what the application has no field for is kept with the site.
#[tokio::test]
async fn expectation_files_go_out_and_come_in() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let text = "address = \"https://kites.example/\"\n\n[[widget]]\nsupplier = \"brindle\"\nkey = \"kite-001\"\non = [\"/shop/**\"]\nnot_on = [\"kind:legal\"]\n\n[[widget.hours]]\ndays = [\"mon\"]\nfrom = \"09:00\"\nto = \"17:30\"\n\n[widget.design]\ncorner = \"top-left\"\n";
    let id: String = client.to_string();
    let answer = technician
        .upload_named(
            "/sites/import",
            &[("client_id", &id)],
            "file",
            "kites.toml",
            text.as_bytes(),
        )
        .await;
    answer.is(303);
    let page = answer.header("location").to_string();
    technician
        .get(&page)
        .await
        .has("Take it: 1 new")
        .has("kites.toml");
    technician.post(&page, &[]).await.is(303);
    let site = house
        .store()
        .site_by_url("https://kites.example/")
        .await
        .unwrap()
        .unwrap();
    let kept = house.store().site(site).await.unwrap().unwrap();
    assert_eq!(
        (kept.client_id, kept.pages_on.as_str()),
        (client, "/shop/**")
    );
    assert_eq!(
        kept.layer()[&newtfern_core::design::Field::Corner],
        "top-left"
    );
    let out = technician
        .get(&format!("/sites/{site}/expectation.toml"))
        .await;
    out.has("from = \"09:00\"")
        .has("corner = \"top-left\"")
        .has("not_on = [\"kind:legal\"]");
    newtfern_core::expectation::Expectation::read(&out.text()).unwrap();
    // All of them in an archive, which comes back in and changes nothing.
    let all = technician.get("/sites/expectations.tar").await;
    let answer = technician
        .upload_named("/sites/import", &[], "file", "expectations.tar", &all.bytes)
        .await;
    let page = answer.header("location").to_string();
    technician
        .get(&page)
        .await
        .has("There is nothing to take in it")
        .has("<b>1</b>\nas it is");
    let broken = technician
        .upload_named("/sites/import", &[], "file", "x.tar", b"no archive at all")
        .await;
    broken.is(200).has("Nothing was imported: x.tar");
}

#[tokio::test]
async fn a_file_that_cannot_be_read_changes_nothing() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    for (file, why) in [
        (&b""[..], "the file is empty"),
        (b"name,address\nShop,kites.example\n", "missing: client"),
        (
            b"client,name,address\nFl\x00gel\xff,Shop,kites.example\n",
            "no text",
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
    let page = brought(&technician, &out.bytes).await;
    technician.post(&page, &[]).await.is(303);
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
    let page = brought(&technician, csv.as_bytes()).await;
    technician.post(&page, &[]).await.is(500);
    technician.get(&page).await.has("the database refused");
    assert_eq!(house.count("select count(*) from sites").await, 0);
    let clients = "select count(*) from clients where name = 'New client'";
    assert_eq!(house.count(clients).await, 0);
    let noted = "select count(*) from audit where act = 'imported sites'";
    assert_eq!(house.count(noted).await, 0);
}

/// Taking a file is cancelled between two parts of it, and then nothing of it was taken.
#[tokio::test]
async fn a_file_that_is_cancelled_is_not_taken() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let rows: String = (0..700)
        .map(|n| format!("Mill,Site {n},https://many{n}.example/\n"))
        .collect();
    let csv = format!("client,name,address\n{rows}");
    let page = brought(&technician, csv.as_bytes()).await;
    technician.get(&page).await.has("Take it: 700 new");
    // The first part waits for this lock, so that the wish to cancel is there before the second.
    let mut lock = house.store().pool.begin().await.unwrap();
    sqlx::query("lock table sites in exclusive mode")
        .execute(&mut *lock)
        .await
        .unwrap();
    let running = "select count(*) from imports where state = 'running'";
    let cancelling = async {
        while house.count(running).await == 0 {
            tokio::task::yield_now().await;
        }
        technician.get(&page).await.has("of 700 rows").has("Cancel");
        let cancel = format!("{page}/cancel");
        technician.post(&cancel, &[]).await.is(303);
        lock.rollback().await.unwrap();
    };
    tokio::join!(technician.post(&page, &[]), cancelling);
    while house.count(running).await > 0 {
        tokio::task::yield_now().await;
    }
    technician
        .get(&page)
        .await
        .has("it was cancelled")
        .has("Take it: 700 new");
    assert_eq!(house.count("select count(*) from sites").await, 0);
    assert_eq!(house.count("select count(*) from clients").await, 0);
}
