//! The main computations against sources outside the project; each names its source beside the
//! check.
#![allow(clippy::disallowed_methods)] // tests may read files and run cargo

use newtfern_model::calendar::holidays;
use newtfern_standards::colour::{Lab, Rgb, Vision, ciede2000, palette};
use newtfern_standards::html::{Document, Kind};
use newtfern_standards::policy::{Policies, ResourceKind};
use newtfern_standards::tcf::{ConsentClass, TcString};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use url::Url;

fn json(name: &str) -> Value {
    let path = format!("{}/tests/reference/{name}", env!("CARGO_MANIFEST_DIR"));
    serde_json::from_str(&std::fs::read_to_string(&path).unwrap_or_else(|e| panic!("{path}: {e}")))
        .unwrap_or_else(|e| panic!("{path}: {e}"))
}

/// Sharma, Wu and Dalal (2005), table 1: all 34 pairs, to the four decimals published.
#[test]
fn ciede2000_is_that_of_the_published_pairs() {
    let pairs = include_str!("reference/ciede2000/pairs.csv");
    let mut checked = 0;
    for line in pairs.lines().filter(|l| !l.starts_with('#')) {
        let v: Vec<f64> = line.split(',').map(|x| x.parse().unwrap()).collect();
        let (one, two) = (
            Lab {
                l: v[0],
                a: v[1],
                b: v[2],
            },
            Lab {
                l: v[3],
                a: v[4],
                b: v[5],
            },
        );
        for difference in [ciede2000(one, two), ciede2000(two, one)] {
            assert!(
                (difference - v[6]).abs() < 0.000_05 + 1e-9,
                "{line}: {difference}"
            );
        }
        checked += 1;
    }
    assert_eq!(checked, 34);
}

/// npm culori 4.0.2 (make.mjs): contrast and luminance by WCAG 2, CIELAB under D65. culori's
/// constants for the linear part of sRGB and the white differ in the last digits, hence the
/// tolerances.
#[test]
fn contrast_luminance_and_lab_are_those_of_culori() {
    let expected = json("contrast/expected.json");
    for pair in expected["pairs"].as_array().unwrap() {
        let (a, b) = (
            Rgb::parse(pair["a"].as_str().unwrap()).unwrap(),
            Rgb::parse(pair["b"].as_str().unwrap()).unwrap(),
        );
        assert!(
            (a.contrast(b) - pair["contrast"].as_f64().unwrap()).abs() < 2e-3,
            "{pair}"
        );
        assert!(
            (a.luminance() - pair["luminance"].as_f64().unwrap()).abs() < 1e-5,
            "{pair}"
        );
        let lab = a.lab();
        for (ours, theirs) in [lab.l, lab.a, lab.b]
            .into_iter()
            .zip(pair["lab"].as_array().unwrap())
        {
            assert!(
                (ours - theirs.as_f64().unwrap()).abs() < 0.02,
                "{pair}: {lab:?}"
            );
        }
    }
    for text in expected["texts"].as_array().unwrap() {
        assert_eq!(
            Rgb::parse(text["text"].as_str().unwrap()).unwrap().hex(),
            text["hex"].as_str().unwrap(),
            "{text}"
        );
    }
}

fn rows(text: &str) -> impl Iterator<Item = Vec<&str>> {
    text.lines().map(|l| l.split('\t').collect())
}

/// npm @iabtcf/core (make.mjs): consent strings as its encoder writes and its decoder reads them.
#[test]
fn consent_strings_are_read_as_iabtcf_reads_them() {
    let all = json("tcf/strings.json");
    let all = all.as_array().unwrap();
    assert_eq!(all.len(), 40);
    for one in all {
        let ours = TcString::decode(one["text"].as_str().unwrap()).unwrap();
        let set = |name: &str| -> BTreeSet<u16> {
            let numbers = one[name].as_array().unwrap();
            numbers.iter().map(|n| n.as_u64().unwrap() as u16).collect()
        };
        let theirs = TcString {
            cmp_id: one["cmp"].as_u64().unwrap() as u16,
            language: one["language"].as_str().unwrap().to_uppercase(),
            vendor_list: one["list"].as_u64().unwrap() as u16,
            policy: one["policy"].as_u64().unwrap() as u8,
            special_features: set("features"),
            purposes: set("purposes"),
            legitimate_interests: set("interests"),
            vendors: set("vendors"),
            vendor_interests: set("vendorInterests"),
            publisher_country: one["country"].as_str().unwrap().into(),
            told_of: set("disclosed"),
        };
        assert_eq!(ours, theirs);
        let chat = theirs.purposes.contains(&1);
        assert_eq!(ours.allows(ConsentClass::Functional), chat);
    }
}

/// PyPI icalendar and recurring-ical-events (make.py): whole days by the rules that calendars of
/// holidays use.
#[test]
fn holidays_are_those_of_recurring_ical_events() {
    let day = |text: &str| text.parse().unwrap();
    let calendars =
        include_str!("reference/calendar/cases.ics").split_inclusive("END:VCALENDAR\r\n");
    let mut ours = Vec::new();
    for (n, text) in calendars.enumerate() {
        let read = holidays(text, day("2026-01-01"), day("2029-01-01"), &|| true);
        let days = read.map(|r| r.days).unwrap_or_default();
        ours.extend(days.into_iter().map(|d| (n, String::from(d.on))));
    }
    let theirs: Vec<(usize, String)> = rows(include_str!("reference/calendar/days.tsv"))
        .map(|row| (row[0].parse().unwrap(), row[1].to_string()))
        .collect();
    assert_eq!(ours, theirs);
}

/// npm culori 4.0.2 (make.mjs): oklch, and colours as eyes without one kind of cone see them.
#[test]
fn shades_are_those_of_culori() {
    let mut checked = 0;
    for row in rows(include_str!("reference/colours/shades.tsv")) {
        let colour = Rgb::parse(row[0]).unwrap();
        let wanted: Vec<f64> = row[1..4].iter().map(|v| v.parse().unwrap()).collect();
        let ours = colour.oklch();
        assert!((ours.l - wanted[0]).abs() < 1e-4, "{row:?}: {ours:?}");
        assert!((ours.c - wanted[1]).abs() < 1e-4, "{row:?}: {ours:?}");
        let turn = (ours.h - wanted[2]).abs();
        assert!(
            turn.min(360.0 - turn) < 0.1 || wanted[1] < 0.01,
            "{row:?}: {ours:?}"
        );
        for (vision, seen) in Vision::ALL.into_iter().zip(&row[4..]) {
            let (ours, theirs) = (colour.seen_by(vision), Rgb::parse(seen).unwrap());
            // Rounded once here and twice there.
            assert!(
                ours.difference(theirs) < 1.0,
                "{row:?}: {vision:?} {ours:?}"
            );
        }
        checked += 1;
    }
    assert_eq!(checked, 120);
}

/// PyPI scikit-learn 1.9.1 (make.py): clusters of noisy pixels in CIELAB, and their shares.
#[test]
fn palettes_are_those_of_scikit_learn() {
    let mut pixels = Vec::new();
    for row in rows(include_str!("reference/colours/pixels.tsv")) {
        let v: Vec<usize> = row.iter().map(|v| v.parse().unwrap()).collect();
        let pixel = [v[0] as u8, v[1] as u8, v[2] as u8, 255];
        pixels.extend(std::iter::repeat_n(pixel, v[3]));
    }
    let ours = palette(&pixels);
    let theirs: Vec<Vec<f64>> = rows(include_str!("reference/colours/palette.tsv"))
        .map(|row| row.iter().map(|v| v.parse().unwrap()).collect())
        .collect();
    assert_eq!(ours.len(), theirs.len(), "{ours:?}");
    for v in theirs {
        let centre = Lab {
            l: v[0],
            a: v[1],
            b: v[2],
        };
        let near = ours
            .iter()
            .map(|s| (ciede2000(s.colour.lab(), centre), s.share));
        let (apart, share) = near.min_by(|a, b| a.0.total_cmp(&b.0)).unwrap();
        // Ours is a colour of the picture, theirs a mean of many.
        assert!(
            apart < 3.0 && (share - v[3]).abs() < 1e-4,
            "{v:?}: {apart} {share}"
        );
    }
}

/// WCAG 2, understanding SC 1.4.3 and the definition of contrast ratio: the ends of the scale, and
/// the grey that just passes 4.5 to 1 on white (#767676), beside the one that just does not
/// (#777777).
#[test]
fn contrast_is_that_of_the_worked_examples() {
    let white = Rgb(255, 255, 255);
    assert!((white.contrast(Rgb(0, 0, 0)) - 21.0).abs() < 1e-9);
    assert!((white.contrast(white) - 1.0).abs() < 1e-9);
    assert!(white.contrast(Rgb(0x76, 0x76, 0x76)) >= 4.5);
    assert!(white.contrast(Rgb(0x77, 0x77, 0x77)) < 4.5);
    assert!(
        white.contrast(Rgb(0x94, 0x94, 0x94)) >= 3.0 && white.contrast(Rgb(0x95, 0x95, 0x95)) < 3.0
    );
}

/// Examples of Content Security Policy Level 3 (W3C), section by section: what the text says is
/// blocked or allowed.
#[test]
fn policy_decisions_are_those_of_the_specification() {
    // Long for its table of cases.
    let allows = |policy: &str, asked: ResourceKind, address: &str| {
        Policies::new(Url::parse("https://example.com/").unwrap(), policy).allow(
            asked,
            &Url::parse(address).unwrap(),
            "",
        )
    };
    // 1.1: "script-src 'self'": scripts only from the page's own origin.
    assert!(allows(
        "script-src 'self'",
        ResourceKind::Script,
        "https://example.com/app.js"
    ));
    assert!(!allows(
        "script-src 'self'",
        ResourceKind::Script,
        "https://example.org/app.js"
    ));
    // 6.1.3 default-src: "default-src 'self'; script-src-elem https://example.com" governs script
    // elements by the latter.
    assert!(allows(
        "default-src 'self'; script-src-elem https://example.com",
        ResourceKind::Script,
        "https://example.com/x.js"
    ));
    assert!(!allows(
        "default-src 'self'; script-src https://scripts.example.net",
        ResourceKind::Script,
        "https://example.com/x.js"
    ));
    assert!(allows(
        "default-src 'self'; script-src https://scripts.example.net",
        ResourceKind::Image,
        "https://example.com/x.png"
    ));
    // 6.1.1 child-src, example 22: frames outside the list are blocked.
    assert!(!allows(
        "child-src https://example.com/",
        ResourceKind::Frame,
        "https://not-example.com/"
    ));
    // 6.1.2 connect-src, example 23: fetches and sockets outside the list are blocked.
    assert!(!allows(
        "connect-src https://example.com/",
        ResourceKind::Connection,
        "https://not-example.com/"
    ));
    assert!(!allows(
        "connect-src https://example.com/",
        ResourceKind::Connection,
        "wss://not-example.com/"
    ));
    // 6.1.4 font-src, 6.1.5 frame-src, 6.1.6 img-src, 6.1.14 style-src: the same form.
    assert!(!allows(
        "font-src https://example.com/",
        ResourceKind::Font,
        "https://not-example.com/font"
    ));
    assert!(!allows(
        "frame-src https://example.com/",
        ResourceKind::Frame,
        "https://not-example.com/"
    ));
    assert!(!allows(
        "img-src https://example.com/",
        ResourceKind::Image,
        "https://not-example.com/img"
    ));
    assert!(allows(
        "img-src https://example.com/",
        ResourceKind::Image,
        "https://example.com/img"
    ));
    // 6.7.2.7 "Does url match expression in origin": wildcard hosts match subdomains, not the host
    // itself.
    assert!(allows(
        "script-src https://*.example.net",
        ResourceKind::Script,
        "https://cdn.example.net/x.js"
    ));
    assert!(!allows(
        "script-src https://*.example.net",
        ResourceKind::Script,
        "https://example.net/x.js"
    ));
    // 6.7.2.8 scheme-part match: an insecure expression also matches its secure form, not the other
    // way round.
    assert!(allows(
        "script-src http://example.net",
        ResourceKind::Script,
        "https://example.net/x.js"
    ));
    assert!(!allows(
        "script-src https://example.net",
        ResourceKind::Script,
        "http://example.net/x.js"
    ));
    // 6.7.2.12 path-part match: a path that ends with / matches all below it, another path exactly.
    assert!(allows(
        "script-src https://example.net/js/",
        ResourceKind::Script,
        "https://example.net/js/a/b.js"
    ));
    assert!(!allows(
        "script-src https://example.net/js",
        ResourceKind::Script,
        "https://example.net/js/a.js"
    ));
    // 8.4 nonces: "script-src 'nonce-abc'" lets only elements with that nonce run.
    let nonce = Policies::new(
        Url::parse("https://example.com/").unwrap(),
        "script-src 'nonce-abc'",
    );
    assert!(nonce.allow(
        ResourceKind::Script,
        &Url::parse("https://example.net/x.js").unwrap(),
        "abc"
    ));
    assert!(!nonce.allow(
        ResourceKind::Script,
        &Url::parse("https://example.net/x.js").unwrap(),
        "def"
    ));
    assert!(
        nonce.allow_inline_script("alert(1)", Some("abc"))
            && !nonce.allow_inline_script("alert(1)", None)
    );
}

/// html5lib 1.1 over pages of a Debian documentation package with a snippet put in (make.py): the
/// same elements, comments, scripts and links. What a `template` or a raw-text element holds is
/// compared by its script elements, because html5lib parses with scripting off: `noscript` is left
/// out of that page.
#[test]
fn documents_are_parsed_as_html5lib_does() {
    let expected = json("html/expected.json");
    let pages = expected["pages"].as_array().unwrap();
    assert!(pages.len() >= 12);
    for page in pages {
        let name = page["page"].as_str().unwrap();
        let source = std::fs::read_to_string(format!(
            "{}/tests/reference/html/pages/{name}.html",
            env!("CARGO_MANIFEST_DIR")
        ))
        .unwrap();
        let document = Document::parse(&source);
        let mut counts: BTreeMap<String, u64> = BTreeMap::new();
        let (mut comments, mut scripts) = (0u64, Vec::new());
        for id in document.walk() {
            match &document.nodes[id].kind {
                Kind::Element { name, .. } => {
                    *counts.entry(name.clone()).or_default() += 1;
                    if name == "script" {
                        scripts.push((
                            document.attribute(id, "src").map(str::to_string),
                            document.text(id),
                        ));
                    }
                }
                // html5lib's tree begins at the html element: comments before it are not in it.
                Kind::Comment(_) if document.nodes[id].parent != Some(0) => comments += 1,
                _ => {}
            }
        }
        if name == "noscript" {
            assert!(
                scripts.is_empty(),
                "with scripting on, what noscript holds is text"
            );
            continue;
        }
        let theirs: BTreeMap<String, u64> = page["counts"]
            .as_object()
            .unwrap()
            .iter()
            .map(|(k, v)| (k.clone(), v.as_u64().unwrap()))
            .collect();
        assert_eq!(counts, theirs, "{name}");
        assert_eq!(comments, page["comments"].as_u64().unwrap(), "{name}");
        let theirs: Vec<(Option<String>, String)> = page["scripts"]
            .as_array()
            .unwrap()
            .iter()
            .map(|s| {
                (
                    s["src"].as_str().map(str::to_string),
                    s["text"].as_str().unwrap().to_string(),
                )
            })
            .collect();
        assert_eq!(scripts, theirs, "{name}");
    }
}

/// Python 3.11's `zoneinfo` over the IANA database, 1,200 instants around changes of the clocks in
/// ten zones: `reference/hours/make.py`.
#[test]
fn hours_are_as_zoneinfo_and_a_walk_over_the_days_tell_them() {
    use newtfern_model::expectation::{ClosedDay, Hours, staffed, zone};
    let text = include_str!("reference/hours/cases.tsv");
    let days = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
    let mut counted = 0;
    for line in text.lines() {
        let fields: Vec<&str> = line.split('\t').collect();
        let [place, shifts, closed, at, wanted] = fields[..] else {
            panic!("{line}");
        };
        let hours: Vec<Hours> = shifts
            .split(';')
            .map(|shift| {
                let (of, span) = shift.split_once(' ').unwrap();
                let (from, to) = span.split_once('-').unwrap();
                let of: Vec<&str> = of
                    .split(',')
                    .map(|d| days[d.parse::<usize>().unwrap()])
                    .collect();
                let text = format!("days = {of:?}\nfrom = '{from}'\nto = '{to}'");
                toml::from_str(&text).unwrap()
            })
            .collect();
        let closed: Vec<ClosedDay> = closed
            .split_whitespace()
            .map(|on| toml::from_str(&format!("on = '{on}'")).unwrap())
            .collect();
        let told = staffed(&hours, &closed, &zone(place).unwrap(), at.parse().unwrap());
        assert_eq!(told.to_string(), wanted, "{line}");
        counted += 1;
    }
    assert_eq!(counted, 1_200);
}

/// Protego 0.7.0 of PyPI and robots-parser 3.0.1 of npm over 150 invented files:
/// `reference/robots/`. Where the two agree, so do we; where they do not, we agree with one of
/// them.
#[test]
fn robots_files_are_read_as_reference_parsers_read_them() {
    use newtfern_model::pages::Robots;
    let expected = json("robots/expected.json");
    let paths = expected["paths"].as_array().unwrap().iter();
    let paths: Vec<&str> = paths.filter_map(Value::as_str).collect();
    let (mut agreed, mut parted) = (0, 0);
    for case in expected["cases"].as_array().unwrap() {
        let text = case["text"].as_str().unwrap();
        for (agent, one) in case["protego"].as_object().unwrap() {
            let other = case["robots_parser"][agent].as_str().unwrap();
            let robots = Robots::read(text, agent);
            let verdicts = one.as_str().unwrap().chars().zip(other.chars());
            for (path, (one, other)) in paths.iter().zip(verdicts) {
                let page = Url::parse(&format!("https://kites.example{path}")).unwrap();
                let ours = if robots.allows(&page) { '1' } else { '0' };
                assert!(ours == one || ours == other, "{agent} {path} in\n{text}");
                agreed += usize::from(one == other);
                parted += usize::from(one != other);
            }
        }
    }
    assert_eq!((agreed, parted), (8_075, 25));
}
