//! Whole sites as real visits saw them, evaluated again without a browser: consent states, hours,
//! texts and looks against an expectation file. `record.sh` made the records; each holds its
//! profiles and the codes that it had.
#![allow(clippy::disallowed_methods)] // tests may read files and run cargo
#![allow(clippy::unwrap_used)]

use newtfern_model::code::Code;
use newtfern_model::expectation::Expectation;
use newtfern_model::finding::{NotChecked, Severity};
use newtfern_model::profiles::Profiles;
use newtfern_model::region::Region;
use newtfern_standards::observation::ConsentAct;
use newtfern_verdict::site_check::{SiteCase, SitePage, judge, rivals, subjects};
use serde::Deserialize;
use std::collections::BTreeSet;

#[derive(Deserialize)]
struct Record {
    expectation: String,
    profiles: Vec<(String, String)>,
    states: Vec<ConsentAct>,
    at: jiff::Timestamp,
    pages: Vec<SitePage>,
    gaps: Vec<NotChecked>,
    codes: Vec<Code>,
}

/// Codes of the contract's second part, and those that came to them since.
#[rustfmt::skip]
const SECOND: &[&str] = &[
    "consent.request-early", "consent.cookie-early", "consent.storage-early", "consent.frame-early",
    "consent.after-refusal", "consent.gpc-ignored", "consent.lingers", "consent.never-starts",
        "consent.no-refusal",
    "brand.text-differs", "brand.text-missing", "brand.sample-text", "brand.variable",
        "brand.language",
    "brand.notice-missing", "brand.notice-link", "brand.prompt-late", "brand.channel",
        "brand.start", "brand.form",
    "brand.launcher-colour", "brand.header-colour", "brand.corner", "brand.offset",
        "brand.contrast", "brand.stands-out",
    "brand.size", "brand.typeface", "brand.fields", "brand.picture", "brand.bubble-colour",
        "brand.part",
    "brand.direction", "brand.motion", "usable.zoom", "shown.second-visit", "shown.absent",
        "consent.notice-silent",
    "pages.missing", "pages.not-reached",
    "hours.open-out-of-hours", "hours.staffed-but-away", "allowed.hours", "allowed.delay",
        "placed.unexpected",
];

fn records() -> Vec<(String, Record)> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/recorded/visitors");
    let mut out = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        let text = std::fs::read_to_string(&path).unwrap();
        let record = serde_json::from_str(&text).unwrap_or_else(|e| panic!("{name}: {e}"));
        out.push((name, record));
    }
    out
}

#[test]
fn every_record_gets_the_codes_that_its_visits_had() {
    let mut shown: BTreeSet<&str> = BTreeSet::new();
    for (name, record) in records() {
        let mut profiles = Profiles::default();
        for (file, text) in &record.profiles {
            profiles.add(file, text).unwrap();
        }
        let expectation = Expectation::read(&record.expectation).unwrap();
        let consent = expectation
            .consent_id()
            .map(|id| profiles.consent(id).unwrap());
        let told = judge(&SiteCase {
            expectation: &expectation,
            subjects: &subjects(&expectation, &profiles).unwrap(),
            rivals: &rivals(&expectation, &profiles),
            consent,
            region: &Region::for_country(&profiles.regions, &expectation.country),
            sample_words: &profiles.sample_words,
            states: &record.states,
            at: record.at,
            pages: &record.pages,
            gaps: &record.gaps,
            closed: &[],
        });
        let found = &told.diagnosis.verdict.findings();
        let codes: Vec<Code> = found.iter().map(|f| f.code).collect();
        assert_eq!(codes, record.codes, "{name}");
        for f in found.iter().filter(|f| f.severity >= Severity::Fault) {
            assert!(!f.remedy.is_empty(), "{name}: {f:?}");
        }
        shown.extend(codes.iter().map(|c| c.name()));
    }
    let missing: Vec<_> = SECOND.iter().filter(|c| !shown.contains(**c)).collect();
    assert!(missing.is_empty(), "no record shows {missing:?}");
}
