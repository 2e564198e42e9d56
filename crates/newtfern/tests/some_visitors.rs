//! What only some visitors meet: those who refuse and go on, those on phones, those of a second
//! language; and a button that holds the widget back where a site asks nobody.
#![allow(clippy::unwrap_used)]

use crate::outside::{Outside, codes};
use newtfern_model::platform::{Platform, fit};
use newtfern_model::profile::{ConsentManager, Supplier};
use serde_json::Value;

const CLICK: &str = include_str!("../../../profiles/consent/click-to-load.toml");
const MANAGED: &str = "country = 'GB'\nconsent = 'hedgegate'\n---";

async fn outside() -> Outside {
    Outside::of(newtfern_standins::supplier_profile, "gustkites-live").await
}

fn at(outside: &Outside, host: &str) -> String {
    format!("http://{host}.localhost:{}/", outside.standins.port)
}

/// The finding of a code, with its evidence.
fn found<'a>(told: &'a Value, code: &str) -> &'a Value {
    let all = told["findings"].as_array().unwrap();
    let found = all.iter().find(|f| f["code"] == code);
    found.unwrap_or_else(|| panic!("no {code}: {told:#}"))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_refusal_that_the_next_page_forgets_is_told_with_that_page() {
    let outside = outside().await;
    let states = ["--states", "untouched,refused"];
    let site = at(&outside, "locks.reedwater");
    let (code, told) = outside
        .check(&site, "reedwater-live", MANAGED, &states)
        .await;
    assert_eq!(code, 0, "{told:#}");
    let found = found(&told, "consent.after-refusal");
    let evidence = found["evidence"].to_string();
    assert!(
        evidence.contains("on the next page, ") && evidence.contains("/visit"),
        "{evidence}"
    );
    assert!(found["remedy"].as_str().unwrap().contains("refusal"));
    // A banner that remembers is right on the next page too.
    let site = at(&outside, "guides.reedwater");
    let (_, told) = outside
        .check(&site, "reedwater-live", MANAGED, &states)
        .await;
    assert!(!codes(&told).contains(&"consent.after-refusal"), "{told:#}");
    assert_eq!(told["not_looked_at"], serde_json::json!([]), "{told:#}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_held_back_for_desktops_and_open_for_phones_is_told_of_phones() {
    let outside = outside().await;
    let states = ["--states", "untouched,granted"];
    let site = at(&outside, "cards.inkwell");
    let (_, told) = outside.check(&site, "inkwell-live", MANAGED, &states).await;
    let early = found(&told, "consent.request-early");
    assert!(
        early["summary"]
            .as_str()
            .unwrap()
            .contains("on phones alone"),
        "{early}"
    );
    let site = at(&outside, "inkwell");
    let (_, told) = outside.check(&site, "inkwell-live", MANAGED, &states).await;
    assert!(!codes(&told).contains(&"consent.request-early"), "{told:#}");
}

#[tokio::test(flavor = "multi_thread")]
async fn visitors_of_a_second_language_without_the_snippet_are_told() {
    let outside = outside().await;
    let site = at(&outside, "isles.skerrin");
    let both = "languages = ['en', 'cy']\n---";
    let (_, told) = outside.check(&site, "skerrin-live", both, &[]).await;
    let absent = found(&told, "placed.absent");
    assert!(absent.to_string().contains("cy"), "{absent}");
    let english = "languages = ['en']\n---";
    let (code, told) = outside.check(&site, "skerrin-live", english, &[]).await;
    assert_eq!((code, codes(&told)), (0, vec![]), "{told:#}");
}

/// The code that a platform's slot for markup gets for a site without a consent manager.
fn click_to_load(profile: &str, key: &str) -> String {
    let supplier = Supplier::from_toml(profile).unwrap();
    let manager = ConsentManager::from_toml(CLICK).unwrap();
    let platform = Platform::from_toml(newtfern_standins::platform_profile()).unwrap();
    let slot = platform.slot("footer-code").unwrap();
    fit(&supplier, key, slot, Some(&manager)).unwrap().code
}

#[tokio::test(flavor = "multi_thread")]
async fn a_button_that_loads_the_widget_holds_it_back_until_it_is_pressed() {
    let outside = outside().await;
    outside.add_profile("click-to-load.toml", CLICK);
    let profile = newtfern_standins::supplier_profile(outside.standins.port);
    let page = outside
        .page(&click_to_load(&profile, "gustkites-live"))
        .await;
    let site = "country = 'GB'\nconsent = 'click-to-load'\n---";
    let states = ["--states", "untouched,granted"];
    let (code, told) = outside.check(&page, "gustkites-live", site, &states).await;
    assert_eq!(
        (code, told["outcome"].as_str()),
        (0, Some("as_intended")),
        "{told:#}"
    );
    assert_eq!(codes(&told), ["allowed.consent-waits"], "{told:#}");
    let cells = told["consent"]["cells"].as_array().unwrap();
    let before = cells.iter().filter(|c| c["state"] == "untouched");
    assert!(
        before.clone().count() > 0 && before.clone().all(|c| c["count"] == 0),
        "{told:#}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_frame_of_the_supplier_before_the_decision_is_told_and_another_frame_is_not() {
    let outside = outside().await;
    let port = outside.standins.port;
    let held = "<script type='text/plain' data-hedge='functional'></script>";
    let framed = |host: &str| {
        format!("{held}<iframe title=Chat src='http://{host}.localhost:{port}/'></iframe>")
    };
    let site = "country = 'GB'\nconsent = 'none'\n---";
    let states = ["--states", "untouched"];
    let page = outside.page(&framed("app.brindle")).await;
    let (_, told) = outside.check(&page, "gustkites-live", site, &states).await;
    let early = found(&told, "consent.frame-early");
    assert!(
        early["evidence"].to_string().contains("app.brindle"),
        "{early}"
    );
    assert!(!early["remedy"].as_str().unwrap().is_empty());
    let page = outside.page(&framed("kites.inkwell")).await;
    let (_, told) = outside.check(&page, "gustkites-live", site, &states).await;
    assert!(!codes(&told).contains(&"consent.frame-early"), "{told:#}");
}
