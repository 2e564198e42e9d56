//! The public contract of the chain's codes, against the rules that give them, the stand-ins that
//! show them and the records that hold them. What is missing is listed here, so that nothing is
//! missing without being said.
#![allow(clippy::disallowed_methods)] // tests may read files and run cargo
#![allow(clippy::unwrap_used)]

use newtfern_model::code::{Area, Code};
use newtfern_verdict::chain::registry::RULES;
use newtfern_verdict::manners;
use std::collections::BTreeSet;
use std::path::Path;

/// The codes of the contract's table, in its order.
#[rustfmt::skip]
const CONTRACT: &[&str] = &[
    "delivered.dns", "delivered.refused", "delivered.tls", "delivered.timeout", "delivered.status",
    "delivered.not-html", "delivered.redirect-loop", "delivered.elsewhere", "placed.absent",
        "placed.other-page",
    "placed.unpublished", "placed.stale-cache", "placed.as-text", "placed.commented",
        "placed.inert",
    "placed.double-wrapped", "placed.bad-quotes", "placed.truncated", "placed.wrong-type",
        "placed.wrong-key",
    "placed.no-key", "placed.twice", "placed.rival", "placed.altered", "placed.unexpected",
    "placed.tag-missing", "placed.tag-draft", "placed.tag-paused", "placed.tag-rule",
        "placed.tag-other-set",
    "placed.late-delay", "placed.after-end", "placed.blocking", "allowed.policy", "allowed.mixed",
    "allowed.domain", "allowed.country", "allowed.account", "allowed.consent-waits",
        "allowed.consent-stuck",
    "allowed.page-rule", "allowed.hours", "allowed.delay", "fetched.dns", "fetched.refused",
    "fetched.tls", "fetched.timeout", "fetched.status", "fetched.type", "fetched.integrity",
    "fetched.cors", "fetched.cut-off", "fetched.blocked-client", "ran.syntax", "ran.error",
    "ran.clash", "ran.order", "started.frame", "started.socket", "started.service",
    "started.silent", "shown.absent", "shown.hidden", "shown.covered", "shown.outside",
    "shown.empty", "shown.phone", "shown.route-lost", "shown.overlap", "usable.no-open",
    "usable.no-close", "usable.no-name", "usable.no-keyboard", "usable.small-target",
        "usable.new-window",
];

/// Codes of the chain that were added since.
const ADDED: &[&str] = &[
    "placed.framed",
    "placed.leftover",
    "usable.zoom",
    "shown.second-visit",
];

fn names(codes: impl IntoIterator<Item = Code>) -> BTreeSet<&'static str> {
    codes.into_iter().map(Code::name).collect()
}

fn set(of: &[&'static str]) -> BTreeSet<&'static str> {
    of.iter().copied().collect()
}

fn of_the_chain() -> BTreeSet<&'static str> {
    let all = Code::ALL.iter().copied();
    names(all.filter(|c| matches!(c.area(), Area::Chain(_))))
}

#[test]
fn the_codes_of_the_chain_are_those_of_the_contract() {
    let mut agreed = set(CONTRACT);
    agreed.extend(ADDED);
    assert_eq!(of_the_chain(), agreed);
    assert_eq!(
        agreed.len(),
        CONTRACT.len() + ADDED.len(),
        "each is listed once"
    );
}

#[test]
fn every_code_has_a_rule_that_gives_it() {
    let rules = RULES.iter().flat_map(|r| r.codes.iter().copied());
    let given = names(rules.chain(manners::CODES));
    let without: BTreeSet<_> = of_the_chain().difference(&given).copied().collect();
    assert_eq!(without, set(&[]));
}

/// Texts of the tests of a folder, its own folders included.
fn read_all(folder: &Path, into: &mut String) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            read_all(&path, into);
        } else if path.extension().is_some_and(|e| e == "rs") {
            *into += &std::fs::read_to_string(path).unwrap();
        }
    }
}

/// Texts of the tests that look with a real browser, and of the records' list.
fn shown() -> String {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut text = std::fs::read_to_string(here.join("tests/recorded.rs")).unwrap();
    for tests in ["../probe/tests", "../newtfern/tests"] {
        read_all(&here.join(tests), &mut text);
    }
    text
}

/// Codes of other families that no page shows to a browser, with the reason.
const NOT_BY_A_BROWSER: &[(&str, &str)] = &[
    (
        "pages.rules-contradict",
        "rules of the account and of the site are compared as texts",
    ),
    (
        "hours.promise",
        "a promise in the design's words is compared with the design's hours",
    ),
    (
        "echo.no-steps",
        "the profile says nothing of how a message is sent, so nothing is visited",
    ),
];

#[test]
fn every_code_is_shown_to_a_browser() {
    let text = shown();
    let told = |code: &&str| text.contains(&format!("\"{code}\""));
    let mut without = names(Code::ALL.iter().copied());
    without.retain(|c| !told(c));
    let agreed: Vec<&str> = NOT_BY_A_BROWSER.iter().map(|(code, _)| *code).collect();
    assert_eq!(without, set(&agreed), "no page shows these to a browser");
}

/// Text between the brackets of each list of that name.
fn lists<'a>(text: &'a str, name: &str) -> Vec<&'a str> {
    let head = format!("const {name}: ");
    let lists = text.split(head.as_str()).skip(1);
    lists.map(|l| l.split("];").next().unwrap()).collect()
}

#[test]
fn every_code_of_the_chain_has_a_near_miss_in_a_browser() {
    let text = shown();
    let near = lists(&text, "NEAR").concat();
    let mut without = of_the_chain();
    without.retain(|c| !near.contains(&format!("\"{c}\"")));
    assert_eq!(without, BTreeSet::new(), "no page is near to these");
}
