//! Sites from a spreadsheet, and back.

use crate::house::{Caller, house};
use newtfern_acts::Actor;
use newtfern_model::intake;
use newtfern_store::access::people::Role;
use newtfern_store::estate::lists::Filter;

/// Brings a file in and gives the page that shows it.
pub async fn brought(who: &Caller, file: &[u8]) -> String {
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
    shown.is(200).has("Import 2 new and 1 changed");
    for told in [
        "is in this file twice",
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
        .has("Imported: 2 added, 1 changed, 0 unchanged, 5 refused");
    let (sites, total) = house
        .store()
        .lists()
        .page(&Filter::default(), 0, 10)
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
        .has("This file changes nothing");
    assert_eq!(house.count("select count(*) from sites").await, 3);
}

/// The refused rows come back with their reasons, and the mended file is taken.
#[tokio::test]
async fn refused_rows_come_back_as_a_file() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let csv = "client,name,address,country,ours\nMill,Good,good.example,GB,1\n\
               Mill,Bad,bad.example,Atlantis,2\n";
    let page = brought(&technician, csv.as_bytes()).await;
    technician
        .get(&page)
        .await
        .has("unknown columns were ignored: ours");
    let back = technician.get(&format!("{page}/refused.csv")).await;
    back.has("client,name,address,country,ours,reason")
        .has("Mill,Bad,bad.example,Atlantis,2,country: ")
        .lacks("Good");
    let mended = back.text().replace(",Atlantis,", ",FR,");
    let page = brought(&technician, mended.as_bytes()).await;
    technician
        .get(&page)
        .await
        .has("Import 1 new and 0 changed");
    let empty = technician.get("/sites/to-fill-in.csv").await;
    empty.has("platform_token").has("tarnwork").has("hedgegate");
    technician
        .upload("/sites/import", "file", &empty.bytes)
        .await
        .is(200)
        .has("the file has no rows");
}

/// A client whose name is nearly a known one is asked about, and nothing is taken without an
/// answer.
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
        .has("Use Lenn Kite Workshop")
        .has("Add as a new client");
    technician
        .post(&page, &[])
        .await
        .is(422)
        .has("choose first whether");
    let answer = ("is:Lenn Kites Workshop Ltd", "Lenn Kite Workshop");
    technician.post(&page, &[answer]).await.is(303);
    assert_eq!(house.count("select count(*) from clients").await, 1);
    assert_eq!(house.count("select count(*) from sites").await, 1);
}

/// Expectation files go out and come in: what the application has no field for is kept with the
/// site.
#[tokio::test]
async fn expectation_files_go_out_and_come_in() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let text = "address = \"https://kites.example/\"\n\n[[widget]]\nsupplier = \"brindle\"\nkey \
        = \"kite-001\"\non = [\"/shop/**\"]\nnot_on = [\"kind:legal\"]\n\n[[widget.hours]]\ndays = \
        [\"mon\"]\nfrom = \"09:00\"\nto = \"17:30\"\n\n[widget.design]\ncorner = \"top-left\"\n";
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
        .has("Import 1 new")
        .has("kites.toml");
    technician.post(&page, &[]).await.is(303);
    let site = house
        .store()
        .sites()
        .site_by_url("https://kites.example/")
        .await
        .unwrap()
        .unwrap();
    let kept = house.store().sites().site(site).await.unwrap().unwrap();
    assert_eq!(
        (kept.client_id, kept.pages_on.as_str()),
        (client, "/shop/**")
    );
    assert_eq!(
        kept.layer()[&newtfern_model::design::Field::Corner],
        "top-left"
    );
    let out = technician
        .get(&format!("/sites/{site}/expectation.toml"))
        .await;
    out.has("from = \"09:00\"")
        .has("corner = \"top-left\"")
        .has("not_on = [\"kind:legal\"]");
    newtfern_model::expectation::Expectation::read(&out.text()).unwrap();
    // All of them in an archive, which comes back in and changes nothing.
    let all = technician.get("/sites/expectations.tar").await;
    let answer = technician
        .upload_named("/sites/import", &[], "file", "expectations.tar", &all.bytes)
        .await;
    let page = answer.header("location").to_string();
    technician
        .get(&page)
        .await
        .has("This file changes nothing")
        .has("<b>1</b>\nunchanged");
    let broken = technician
        .upload_named("/sites/import", &[], "file", "x.tar", b"no archive at all")
        .await;
    broken.is(200).has("Nothing was imported: x.tar");
}

/// Files are sent a thousand sites at a time, and rows written five hundred at a time.
#[tokio::test]
async fn files_of_more_sites_than_are_read_at_once_are_whole() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let rows = |client: &str, name: &str| {
        let row = |i: usize| format!("{client},{name} {i},https://s{i}.example/\n");
        let rows: String = (0..1_100).map(row).collect();
        format!("client,name,address\n{rows}")
    };
    for (client, name, told) in [
        ("Lenn Kites", "Shop", "1100 added, 0 changed"),
        ("Hollin Rink", "Store", "0 added, 1100 changed"),
    ] {
        let page = brought(&technician, rows(client, name).as_bytes()).await;
        technician.post(&page, &[]).await.is(303);
        technician.get(&page).await.has(told);
    }
    let sheet = technician.get("/sites/export.csv").await;
    let lines: Vec<String> = sheet.text().lines().map(str::to_string).collect();
    assert_eq!(lines.len(), 1_101);
    assert!(
        lines[1..]
            .iter()
            .all(|l| l.starts_with("Hollin Rink,Store "))
    );
    let files = technician.get("/sites/expectations.tar").await;
    let mut archive = tar::Archive::new(&files.bytes[..]);
    let read = |entry: std::io::Result<tar::Entry<&[u8]>>| {
        let text = std::io::read_to_string(entry.unwrap()).unwrap();
        newtfern_model::expectation::Expectation::read(&text)
            .unwrap()
            .address
    };
    let addresses: std::collections::BTreeSet<String> =
        archive.entries().unwrap().map(read).collect();
    assert_eq!(addresses.len(), 1_100);
    // Each site has its line in the trail, and whoever listens is told of it.
    for told in [
        "select count(*) from audit where act = 'changed a site' and detail ? 'client'",
        "select count(*) from outbox where body->>'act' = 'changed a site'",
    ] {
        assert_eq!(house.count(told).await, 1_100, "{told}");
    }
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
            "not a text file",
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
            &[(
                "name",
                &house.store().sites().site(id).await.unwrap().unwrap().name,
            )],
        )
        .await
        .leads();
    let page = brought(&technician, &out.bytes).await;
    technician.post(&page, &[]).await.is(303);
    let (sites, _) = house
        .store()
        .lists()
        .page(&Filter::default(), 0, 10)
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

/// A token that comes with a site's address belongs to it: it can be used once the platform is
/// known, and only there.
#[tokio::test]
async fn a_token_that_comes_before_its_platform_is_known_is_for_the_sites_own_address() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    house.client("Lenn Kite Workshop").await;
    let csv = "client,name,address,platform_token\n\
        Lenn Kite Workshop,Shop,https://kites.example/,kite-token\n";
    let page = brought(&technician, csv.as_bytes()).await;
    technician.post(&page, &[]).await.is(303);
    let id = house.count("select id from sites").await;
    let origins = house
        .store()
        .clients()
        .token_origins(&format!("site {id} token"))
        .await
        .unwrap();
    assert_eq!(origins, ["https://kites.example"]);
    let actor = Actor::program("test");
    let known = newtfern_model::site::SiteFields {
        platform_id: Some("tarnwork".into()),
        ..house
            .store()
            .sites()
            .site(id)
            .await
            .unwrap()
            .unwrap()
            .fields()
            .clone()
    };
    let acts = house.acts();
    acts.sites()
        .change_site(&actor, id, &known, None, None)
        .await
        .unwrap();
    let token = acts.tokens().site_token(id).await.unwrap();
    assert_eq!(token.as_deref(), Some("kite-token"));
}
