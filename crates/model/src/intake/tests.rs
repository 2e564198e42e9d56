use super::*;
use crate::expectation::Expectation;
use crate::profile::Supplier;
use crate::profile::tests::{SAMPLE, sample};
use crate::site::SiteChoices;
use newtfern_standards::address;
use newtfern_standards::private_hosts::PrivateHosts;
use std::collections::{BTreeMap, HashMap};

/// What becomes of a file where these sites and clients are there.
fn planned(
    sheet: &Sheet,
    known: SiteChoices,
    sites: &[ExistingSite],
    clients: &[&str],
) -> (Vec<PlannedRow>, Vec<Question>) {
    answered(sheet, known, sites, clients, &BTreeMap::new())
}

fn answered(
    sheet: &Sheet,
    known: SiteChoices,
    sites: &[ExistingSite],
    clients: &[&str],
    answers: &BTreeMap<String, String>,
) -> (Vec<PlannedRow>, Vec<Question>) {
    let by_address = sites.iter().map(|s| (s.fields.url.clone(), s.clone()));
    let by_address: HashMap<String, ExistingSite> = by_address.collect();
    let clients: Vec<String> = clients.iter().map(|c| c.to_string()).collect();
    plan(
        sheet,
        &Estate {
            known,
            sites: &by_address,
            clients: &clients,
            private: &PrivateHosts::none(),
            client: Some("Files"),
            usual: &SiteFields::default(),
            answers,
        },
    )
}

fn rows(file: &str, known: SiteChoices) -> Vec<PlannedRow> {
    planned(&read(file.as_bytes()).unwrap(), known, &[], &[]).0
}

fn why(row: &PlannedRow) -> &str {
    row.refused().unwrap_or_else(|| panic!("{row:?} is taken"))
}

#[test]
fn every_row_is_accepted_or_comes_back_with_its_reason_by_column() {
    let file = "\u{feff}Name;Client;Address;Country\nHome;Tide \
        Mill;tidemill.example;gb\nShop;;x.example;GB\nBad;Mill;ftp://x.example;\nAgain;Mill;\
        https://tidemill.example/;\nLand;Mill;y.example;Britain\n;Mill;z.example;\nIn;Mill;\
        http://10.0.0.7/;\n";
    let rows = rows(file, SiteChoices::default());
    let lines: Vec<u64> = rows.iter().map(|r| r.line).collect();
    assert_eq!(lines, [2, 3, 4, 5, 6, 7, 8]);
    let first = &rows[0].fields;
    assert_eq!(rows[0].what, RowPlan::Add);
    assert_eq!(
        (first.url.as_str(), first.country.as_str()),
        ("https://tidemill.example/", "GB")
    );
    assert_eq!(why(&rows[1]), "client: it is empty");
    assert!(why(&rows[2]).starts_with("address: ") && why(&rows[2]).contains("ftp"));
    assert!(why(&rows[3]).contains("twice"));
    assert!(why(&rows[4]).starts_with("country: ") && why(&rows[4]).contains("ISO 3166-1"));
    assert_eq!(why(&rows[5]), "name: it is empty");
    assert!(why(&rows[6]).contains("private"), "{}", why(&rows[6]));
}

/// Of two headings alike the first counts, and thousands alike cost no more than thousands.
#[test]
fn headings_that_are_there_twice_are_read_once() {
    let many = ",contact".repeat(30_000);
    let cells = ",later".repeat(30_000);
    let file = format!("client,name,address,contact{many}\nMill,Shop,mill.example,first{cells}\n");
    assert_eq!(
        rows(&file, SiteChoices::default())[0].fields.contact,
        "first"
    );
}

#[test]
fn rows_name_what_the_house_knows_and_every_mistake_of_a_row_is_told() {
    let file = "client,name,address,supplier,key,consent,budget_ms\n\
        Mill,A,a.example,,abcd-0001,,\nMill,B,b.example,example,abcd-0002,hedge,12.5\n\
        Mill,C,c.example,,,,\n\
        Mill,D,d.example,wattle,abcd-0003,,\nMill,E,e.example,,,fence,lots\n";
    let supplier = sample();
    let known = SiteChoices {
        suppliers: &[&supplier],
        consents: &["hedge"],
        ..SiteChoices::default()
    };
    let all = rows(file, known);
    assert_eq!(all[0].fields.supplier_id.as_deref(), Some("example"));
    assert_eq!(all[1].fields.budget_ms, 12.5);
    assert_eq!(all[2].fields.supplier_id, None);
    assert!(
        why(&all[3]).contains("known are example"),
        "{}",
        why(&all[3])
    );
    let both = why(&all[4]);
    assert!(
        both.contains("consent: ") && both.contains("known are hedge"),
        "{both}"
    );
    assert!(
        both.contains("budget_ms: ") && both.contains("number of ms"),
        "{both}"
    );
    // With two suppliers nobody guesses whose key it is.
    let other = Supplier::from_toml(&SAMPLE.replace("\"example\"", "\"wattle\"")).unwrap();
    let two = SiteChoices {
        suppliers: &[&supplier, &other],
        ..known
    };
    assert_eq!(rows(file, two)[0].fields.supplier_id, None);
}

#[test]
fn a_file_without_its_columns_is_refused_whole() {
    let missing = IntakeError::Columns("client, name, address".into());
    assert_eq!(read(b"a,b\n1,2\n"), Err(missing));
    assert_eq!(read(b""), Err(IntakeError::Empty));
    assert_eq!(read(b"\x89PNG\r\n\x1a\n\x00\x01"), Err(IntakeError::NoText));
    let long = format!("client,name,address\n{}", "a,b,c\n".repeat(MOST_ROWS + 1));
    assert_eq!(read(long.as_bytes()), Err(IntakeError::TooLong(MOST_ROWS)));
}

/// What spreadsheet programs write: UTF-16 with its mark, Windows-1252 without one, a line that
/// names the separator, tabs.
#[test]
fn files_of_spreadsheet_programs_are_read_as_they_are() {
    let wanted = "F\u{e4}hre";
    let plain = format!("client\tname\taddress\n{wanted}\tHome\tferry.example\n");
    let utf16: Vec<u8> = std::iter::once(0xfeff_u16)
        .chain(plain.encode_utf16())
        .flat_map(u16::to_le_bytes)
        .collect();
    let old = b"client;name;address\r\nF\xe4hre;Home;ferry.example\r\n".to_vec();
    let named = format!("sep=|\r\nclient|name|address\r\n{wanted}|Home|ferry.example\r\n");
    for (bytes, remark) in [
        (utf16, Some("UTF-16LE")),
        (old, Some("Windows-1252")),
        (named.into_bytes(), None),
    ] {
        let sheet = read(&bytes).unwrap();
        assert_eq!(sheet.rows[0].cells.as_ref().unwrap().client, wanted);
        let told = sheet.remarks.join(" ");
        assert_eq!(remark.is_some(), !told.is_empty(), "{told}");
        assert!(remark.is_none_or(|r| told.contains(r)), "{told}");
    }
}

fn kept(id: i64, client: &str, name: &str, host: &str) -> ExistingSite {
    let fields = SiteFields {
        name: name.into(),
        url: address::parse(host).unwrap().to_string(),
        contact: "Mill keeper".into(),
        ..SiteFields::default()
    };
    ExistingSite {
        id,
        client: client.into(),
        fields,
        beyond: String::new(),
    }
}

#[test]
fn a_known_address_is_a_change_and_what_has_no_column_stays() {
    let sites = [
        kept(7, "Tide Mill", "Home", "mill.example"),
        kept(8, "Tide Mill", "Shop", "shop.mill.example"),
    ];
    let file = "client,name,address,country\nTide Mill,Home,mill.example,GB\nTide \
        Mill,Shop,shop.mill.example,\nRink,Shop,shop.mill.example/x,\n";
    let sheet = read(file.as_bytes()).unwrap();
    let (rows, _) = planned(&sheet, SiteChoices::default(), &sites, &["Tide Mill"]);
    let RowPlan::Change { id: 7, changes } = &rows[0].what else {
        panic!("{:?}", rows[0].what);
    };
    assert_eq!(changes.len(), 1);
    assert_eq!(
        (changes[0].label, changes[0].after.as_str()),
        ("Country of the visitors", "GB")
    );
    assert_eq!(rows[0].fields.contact, "Mill keeper");
    assert_eq!(rows[1].what, RowPlan::Same { id: 8 });
    assert_eq!(rows[2].what, RowPlan::Add);
    // Another client moves the site; an empty cell under a column empties the field.
    let moved = "client,name,address,contact\nRink,Home,mill.example,\n";
    let sheet = read(moved.as_bytes()).unwrap();
    let (rows, asked) = planned(
        &sheet,
        SiteChoices::default(),
        &sites,
        &["Tide Mill", "Rink"],
    );
    let RowPlan::Change { changes, .. } = &rows[0].what else {
        panic!("{:?}", rows[0].what);
    };
    let labels: Vec<&str> = changes.iter().map(|c| c.label).collect();
    assert_eq!(labels, ["Client", "Contact"]);
    assert!(asked.is_empty());
}

#[test]
fn a_client_that_is_nearly_known_is_asked_about_and_the_answer_holds() {
    let file = "client,name,address\nTide Mil,A,a.example\nTide \
        Mil,B,b.example\nOther,C,c.example\ntide mill,D,d.example\n";
    let sheet = read(file.as_bytes()).unwrap();
    let (rows, asked) = planned(&sheet, SiteChoices::default(), &[], &["Tide Mill"]);
    assert_eq!(
        asked,
        [Question {
            given: "Tide Mil".into(),
            near: "Tide Mill".into(),
            rows: 2
        }]
    );
    assert_eq!(rows[3].client, "Tide Mill");
    let answers = BTreeMap::from([("Tide Mil".to_string(), "Tide Mill".to_string())]);
    let (rows, asked) = answered(
        &sheet,
        SiteChoices::default(),
        &[],
        &["Tide Mill"],
        &answers,
    );
    assert!(asked.is_empty());
    assert_eq!(rows[0].client, "Tide Mill");
}

#[test]
fn refused_rows_come_back_and_are_taken_once_they_are_mended() {
    let file = "client,name,address,mine\nMill,A,a.example,x\nMill,\"B, C\",ftp://b,y\n";
    let sheet = read(file.as_bytes()).unwrap();
    assert!(sheet.remarks[0].contains("mine"));
    let (rows, _) = planned(&sheet, SiteChoices::default(), &[], &[]);
    let back = refused(&sheet, &rows);
    let lines: Vec<&str> = back.lines().collect();
    assert_eq!(lines[0], "client,name,address,mine,reason");
    assert!(lines[1].starts_with("Mill,\"B, C\",ftp://b,y,"), "{back}");
    assert_eq!(lines.len(), 2);
    let mended = back.replace("ftp://b", "b.example");
    let sheet = read(mended.as_bytes()).unwrap();
    assert_eq!(
        planned(&sheet, SiteChoices::default(), &[], &[]).0[0].what,
        RowPlan::Add
    );
}

#[test]
fn the_empty_spreadsheet_names_what_each_column_takes_and_reads_as_nothing() {
    let supplier = sample();
    let known = SiteChoices {
        suppliers: &[&supplier],
        platforms: &["plugin-cms", "theme-shop"],
        consents: &["hedge"],
    };
    let text = template(known);
    assert!(text.contains("plugin-cms") && text.contains("theme-shop") && text.contains("hedge"));
    let sheet = read(text.as_bytes()).unwrap();
    assert!(sheet.rows.is_empty());
    assert!(sheet.remarks[0].contains("notes"), "{:?}", sheet.remarks);
    let filled = format!("{text}Mill,Home,mill.example,plugin-cms\n");
    assert_eq!(
        rows(&filled, known)[0].fields.platform_id.as_deref(),
        Some("plugin-cms")
    );
}

#[test]
fn a_token_comes_in_and_never_goes_out() {
    let file = "client,name,address,platform_token\nMill,A,a.example,s3cret\n\
                Mill,B,b.example,two\u{1}lines\n";
    let all = rows(file, SiteChoices::default());
    assert_eq!(all[0].token.as_deref(), Some("s3cret"));
    assert!(
        why(&all[1]).starts_with("platform_token: "),
        "{}",
        why(&all[1])
    );
    let out = write(&[SiteRow {
        client: all[0].client.clone(),
        widget: None,
        site: all[0].fields.clone(),
    }]);
    assert!(!out.contains("s3cret") && !out.contains("token"));
}

#[test]
fn expectation_files_are_sites_too() {
    let file = |host: &str, more: &str| {
        (
            format!("{host}.toml"),
            format!("address = 'https://{host}/'\n{more}"),
        )
    };
    let supplier = sample();
    let known = SiteChoices {
        suppliers: &[&supplier],
        ..SiteChoices::default()
    };
    let widget = "[[widget]]\nsupplier = 'example'\nkey = 'abcd-0001'\nnot_on = \
        ['/legal/**']\ndelay_s = 3\n";
    let texts = [
        file("new.example", widget),
        file("mill.example", ""),
        file("bad.example", "colour = 'red'"),
    ];
    let sheet = files(&texts).unwrap();
    let sites = [kept(7, "Tide Mill", "Home", "mill.example")];
    let (rows, _) = planned(&sheet, known, &sites, &["Tide Mill", "Files"]);
    assert_eq!(rows[0].what, RowPlan::Add);
    assert_eq!(rows[0].client, "Files");
    assert_eq!(rows[0].fields.name, "new.example");
    assert_eq!(rows[0].fields.pages_not_on, "/legal/**");
    // What a file does not speak of stays: its name and contact.
    assert_eq!(rows[1].what, RowPlan::Same { id: 7 });
    assert!(why(&rows[2]).contains("colour"), "{}", why(&rows[2]));
}

/// Cells with what a widget is meant to do go into the site's file and leave the rest of it.
#[test]
fn cells_with_hours_and_channels_change_the_file_beside_the_fields() {
    let supplier: Supplier = sample();
    let suppliers = [&supplier];
    let known = SiteChoices {
        suppliers: &suppliers,
        ..SiteChoices::default()
    };
    let head = "client,name,address,supplier,key,hours,delay,channels\n";
    let cells = format!("{},ab12cd34", supplier.id);
    let file = format!(
        "{head}Mill,New,new.example,{cells},mon-fri 9:00-17:00,2 min,mail desk@mill.example\n\
        Mill,Kept,kept.example,{cells},sat 10:00-12:00,,\n\
        Mill,Same,same.example,{cells},,,\n\
        Mill,Wrong,wrong.example,{cells},whenever,,\n\
        Mill,None,none.example,,,mon 9:00-17:00,,\n\
        Mill,Bare,bare.example,,,,,\n"
    );
    let existing = |id: i64, name: &str, beyond: &str| ExistingSite {
        id,
        client: "Mill".into(),
        fields: SiteFields {
            name: name.into(),
            url: format!("https://{}.example/", name.to_lowercase()),
            supplier_id: Some(supplier.id.clone()),
            key: "ab12cd34".into(),
            ..SiteFields::default()
        },
        beyond: beyond.into(),
    };
    let beyond = format!(
        "address = 'https://kept.example/'\n[[widget]]\nsupplier = '{}'\ndelay_s = 3\n\
        [widget.design]\nlauncher_colour = '#0b7285'\n",
        supplier.id
    );
    let sites = [existing(1, "Kept", &beyond), existing(2, "Same", "")];
    let (rows, _) = planned(&read(file.as_bytes()).unwrap(), known, &sites, &["Mill"]);
    let widget = |row: &PlannedRow| {
        let file = row.beyond.as_ref().unwrap();
        assert_eq!(file.file(), None, "its design is not taken from cells");
        Expectation::read(file.text()).unwrap().widgets.remove(0)
    };
    let new = widget(&rows[0]);
    assert_eq!(rows[0].what, RowPlan::Add);
    assert_eq!((new.hours.len(), new.delay_s), (1, Some(120.0)));
    assert_eq!(new.channels[0].target, "mailto:desk@mill.example");
    let RowPlan::Change { changes, .. } = &rows[1].what else {
        panic!("{:?}", rows[1]);
    };
    let told: Vec<(&str, &str, &str)> = changes
        .iter()
        .map(|c| (c.label, c.before.as_str(), c.after.as_str()))
        .collect();
    assert_eq!(
        told,
        [
            ("Hours", "", "sat 10:00-12:00"),
            ("Delay after page load", "3 s", "")
        ]
    );
    assert_eq!(
        widget(&rows[1])
            .design
            .get(crate::design::Field::ButtonColour),
        Some("#0b7285")
    );
    assert_eq!(rows[2].what, RowPlan::Same { id: 2 });
    assert!(why(&rows[3]).starts_with("hours: ") && why(&rows[3]).contains("such as mon-fri"));
    assert_eq!(why(&rows[4]), "hours: choose a supplier for the site first");
    assert_eq!((&rows[5].what, &rows[5].beyond), (&RowPlan::Add, &None));
    // What goes out comes back as the same.
    let site = |row: &PlannedRow| SiteRow {
        client: row.client.clone(),
        site: row.fields.clone(),
        widget: Some(widget(row)),
    };
    let out = write(&[site(&rows[0]), site(&rows[1])]);
    let mut kept = [existing(3, "New", ""), existing(1, "Kept", "")];
    kept[0].beyond = rows[0].beyond.as_ref().unwrap().text().into();
    kept[1].beyond = rows[1].beyond.as_ref().unwrap().text().into();
    let (again, _) = planned(&read(out.as_bytes()).unwrap(), known, &kept, &["Mill"]);
    assert_eq!(again[0].what, RowPlan::Same { id: 3 });
    assert_eq!(again[1].what, RowPlan::Same { id: 1 });
}

fn a_row(client: &str, name: &str) -> SiteRow {
    SiteRow {
        client: client.into(),
        widget: None,
        site: SiteFields {
            name: name.into(),
            url: "https://kites.example/".into(),
            ..SiteFields::default()
        },
    }
}

/// The row that a file holds, as it would be added.
fn only(text: &str) -> SiteRow {
    let row = rows(text, SiteChoices::default()).remove(0);
    assert_eq!(row.what, RowPlan::Add, "{row:?}");
    SiteRow {
        client: row.client,
        widget: None,
        site: row.fields,
    }
}

#[test]
fn what_is_written_is_read_back() {
    let plain = a_row("Kite, \"Works\"", "Home");
    let formula = a_row("=1+1", "'quoted'");
    for row in [plain, formula] {
        assert_eq!(only(&write(std::slice::from_ref(&row))), row);
    }
    assert!(write(&[a_row("=1+1", "x")]).contains("'=1+1"));
    assert!(write(&[a_row("\u{ff1d}1+1", "x")]).contains("'\u{ff1d}1+1"));
}

proptest::proptest! {
    /// Any bytes: an error or rows, each with its line; never a panic.
    #[test]
    fn any_file_is_answered(bytes in proptest::collection::vec(proptest::num::u8::ANY, 0..300),
        head in proptest::bool::ANY) {
        let mut file = if head { b"client,name,address,key\n".to_vec() } else { vec![] };
        file.extend(bytes);
        if let Ok(sheet) = read(&file) {
            let known = SiteChoices { platforms: &["plugin-cms"], ..SiteChoices::default() };
            let (rows, _) = planned(&sheet, known, &[], &["Tide Mill"]);
            proptest::prop_assert!(rows.windows(2).all(|w| w[0].line <= w[1].line), "{rows:?}");
            read(refused(&sheet, &rows).as_bytes()).unwrap();
        }
    }

    /// What people write into cells, separators and quotes included, comes back as it was.
    #[test]
    fn cells_survive_writing_and_reading(client in "[ -~\u{e9}]{1,20}", name in "[=+@a-z\",;'-][ \
        -~]{0,20}", contact in "[ -~]{0,20}") {
        let clean = |s: &str| s.trim().to_string();
        let mut row = a_row(&clean(&client), &clean(&name));
        row.site.contact = clean(&contact);
        let apostrophe = |s: &str| s.starts_with('\'');
        proptest::prop_assume!(!row.client.is_empty() && !row.site.name.is_empty());
        proptest::prop_assume!(!row.client.starts_with('#'));
        proptest::prop_assume!(![&row.client, &row.site.name, &row.site.contact].iter().any(|s
            | apostrophe(s)));
        proptest::prop_assert_eq!(only(&write(std::slice::from_ref(&row))), row);
    }
}
