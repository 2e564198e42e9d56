//! Every field takes every text: what cannot be kept is told, what was typed is there to mend, and
//! nothing that anybody types is an error of ours.

use crate::forms::{ADMINISTRATION, FORMS};
use crate::house::{Caller, design_form, house};
use newtfern_store::access::people::Role;

const NUL: &str = "a\0b";

/// Names of fields in all forms, and of parameters in all addresses.
const NAMES: &[&str] = &[
    "name",
    "public_name",
    "legal_name",
    "primary",
    "secondary",
    "tokens",
    "url",
    "address",
    "client_id",
    "platform",
    "supplier",
    "consent manager",
    "key",
    "slot",
    "language",
    "country",
    "time zone",
    "contact",
    "budget",
    "token",
    "profile",
    "which",
    "email",
    "role",
    "password",
    "kind",
    "person",
    "site",
    "of",
    "code",
    "next",
    "lens",
    "state",
    "family",
    "q",
    "act",
    "sort",
    "version",
    "placement",
    "by",
    "private_hosts",
    "sample_words",
    "keep_checks",
    "greeting",
    "page_colour",
    "current",
    "again",
];

async fn no_error_of_ours(who: &Caller, path: &str, values: &[&str]) {
    for value in values {
        let fields: Vec<(&str, &str)> = NAMES.iter().map(|n| (*n, *value)).collect();
        let answer = who.post(path, &fields).await;
        let status = answer.status.as_u16();
        let shown: String = value.chars().take(12).collect();
        assert!(status < 500, "{path} with {shown:?}: {status}");
    }
}

#[tokio::test]
async fn no_text_in_a_form_is_an_error_of_ours() {
    let house = house().await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let administrator = house.person(Role::Administrator).await;
    let long = "\u{e9}\u{1}'\"<%_\\".repeat(500);
    let values = ["", NUL, "\u{0}", "-1", "99999999999999999999", &long];
    let own = [
        "/for-client/a%00b",
        "/account/password",
        "/account/second/begin",
        "/account/second/confirm",
        "/account/second/drop",
        "/sign-in",
    ];
    for path in FORMS.into_iter().chain(ADMINISTRATION).chain(own) {
        no_error_of_ours(&administrator, path, &values).await;
    }
    // The site is what it was.
    let kept = house.store().sites().site(site).await.unwrap().unwrap();
    assert_eq!(
        (kept.name.as_str(), kept.key.as_str()),
        ("Site 001", "kite-001")
    );
}

#[tokio::test]
async fn no_text_in_an_address_is_an_error_of_ours() {
    let house = house().await;
    let client = house.client("Lenn Kite Workshop").await;
    house.site(client, 1).await;
    let administrator = house.person(Role::Administrator).await;
    let long = "%C3%A9%25_".repeat(90);
    for value in [
        "a%00b",
        "%00",
        "%FF%FE",
        "-1",
        "99999999999999999999",
        &long,
    ] {
        let asked: Vec<String> = NAMES
            .iter()
            .map(|n| format!("{}={value}", n.replace(' ', "+")))
            .collect();
        let numbers = ["page", "client"].map(|n| format!("{n}=1"));
        let asked = format!("{}&{}", asked.join("&"), numbers.join("&"));
        for path in [
            "/lens/estate",
            "/lens/load",
            "/worklist",
            "/rounds",
            "/clients",
            "/people",
            "/audit",
            "/settings",
            "/sites/export.csv",
            "/sites/new",
            "/sites/1",
            "/sites/1/place",
        ] {
            let answer = administrator.get(&format!("{path}?{asked}")).await;
            assert!(
                answer.status.as_u16() < 500,
                "{path} with {value}: {}",
                answer.text()
            );
        }
        for path in [
            "/lens/",
            "/blobs/aa/",
            "/for-client/",
            "/welcome/",
            "/assets/",
        ] {
            let answer = administrator.get(&format!("{path}{value}")).await;
            assert!(answer.status.as_u16() < 500, "{path}{value}");
        }
    }
}

#[tokio::test]
async fn a_text_that_is_too_long_is_told_and_kept_in_the_form() {
    let house = house().await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let administrator = house.person(Role::Administrator).await;
    let long = "kite ".repeat(30) + "end";
    let token = "abc\u{1}def";
    let profile = newtfern_standins::supplier_profile(80);
    let tokens = format!(r#"{{"name": {{"legal": {{"$value": "{long}"}}}}}}"#);
    let (client, site) = (
        format!("/clients/{client}"),
        format!("/sites/{site}/settings"),
    );
    for (path, fields, why, typed) in [
        (
            &*client,
            vec![("name", &*long)],
            "client&#39;s name is longer than 120",
            &*long,
        ),
        (
            "/clients",
            vec![("name", "New"), ("legal_name", &long)],
            "legal name is longer",
            "New",
        ),
        (
            "/clients",
            vec![("name", "New"), ("public_name", NUL)],
            "public name contains a NUL",
            "New",
        ),
        (
            "/clients",
            vec![("name", "New"), ("tokens", &tokens)],
            "legal name is longer",
            "New",
        ),
        (
            "/people",
            vec![("name", &long), ("email", "a@b.example")],
            "The name is longer",
            &long,
        ),
        (
            "/people",
            vec![("name", NUL), ("email", "a@b.example")],
            "The name contains a NUL",
            "a@b.example",
        ),
        (
            &site,
            vec![("name", "Shop"), ("token", token)],
            "token contains a line end",
            "Shop",
        ),
        (
            "/profiles/supplier/brindle",
            vec![("text", &profile), ("token", token)],
            "token contains a line end",
            "[recognise]",
        ),
    ] {
        let answer = administrator.post(path, &fields).await;
        answer.is(422).has(why).has(typed);
    }
    let mut design = design_form(&[]);
    for (name, value) in &mut design {
        if name == "greeting" {
            *value = format!("{NUL} typed with care");
        }
    }
    let answer = administrator.post_form("/house-style", &design).await;
    answer.is(422).has("contains a NUL").has("typed with care");
    let none = "select count(*) from clients where name = 'New'";
    assert_eq!(house.count(none).await, 0);
}
