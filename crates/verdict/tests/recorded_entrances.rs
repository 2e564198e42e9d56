//! The application and `check --site` judge alike: the visits of whole sites, as they were
//! recorded, through both entrances.
#![allow(clippy::disallowed_methods)] // tests may read files and run cargo
#![allow(clippy::unwrap_used)]

use jiff::Timestamp;
use newtfern_model::code::{Area, Code};
use newtfern_model::design::{Design, Layer};
use newtfern_model::expectation as file;
use newtfern_model::finding::NotChecked;
use newtfern_model::profiles::Profiles;
use newtfern_model::region::Region;
use newtfern_standards::observation::ConsentAct;
use newtfern_verdict::assess::check;
use newtfern_verdict::family::Family;
use newtfern_verdict::site_check::{SiteCase, SitePage, judge, rivals, subjects};
use serde::Deserialize;
use std::collections::BTreeSet;

#[derive(Deserialize)]
struct Record {
    expectation: String,
    profiles: Vec<(String, String)>,
    states: Vec<ConsentAct>,
    at: Timestamp,
    pages: Vec<SitePage>,
    gaps: Vec<NotChecked>,
}

#[test]
fn both_entrances_give_the_same_codes() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/recorded/visitors");
    let (mut compared, mut wrong) = (0, Vec::new());
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        let text = std::fs::read_to_string(&path).unwrap();
        let record: Record = serde_json::from_str(&text).unwrap();
        let mut profiles = Profiles::default();
        for (file, text) in &record.profiles {
            profiles.add(file, text).unwrap();
        }
        // As a site of the application takes the file in, and gives it out again.
        let mut expected = file::Expectation::read(&record.expectation).unwrap();
        let none = Layer::new();
        let above = Design::resolve(&none, &none, &none);
        let design = Design::resolve(&none, &none, &expected.own_values(&above));
        expected.set_design(&design);
        if expected.widgets.is_empty() {
            continue;
        }
        let consent = expected
            .consent_id()
            .map(|id| profiles.consent(id).unwrap());
        let others = rivals(&expected, &profiles);
        // Only what was seen of the address given, for the first widget: that is what a check of a
        // site looks at.
        let mut given = record.pages;
        given.truncate(1);
        for page in &mut given {
            page.visited.truncate(1);
        }
        if given.first().is_none_or(|p| p.visited.is_empty()) {
            continue;
        }
        let case = SiteCase {
            expectation: &expected,
            subjects: &subjects(&expected, &profiles).unwrap(),
            rivals: &others,
            consent,
            region: &Region::for_country(&profiles.regions, &expected.country),
            sample_words: &profiles.sample_words,
            states: &record.states,
            at: record.at,
            pages: &given,
            gaps: &record.gaps,
            closed: &[],
        };
        let (of_site, by_app) = (judge(&case), check(&case, None, None));
        let ours = |f: &&newtfern_model::finding::Finding| f.code.area() != Area::Pages;
        let site: BTreeSet<Code> = of_site
            .diagnosis
            .verdict
            .findings()
            .iter()
            .filter(ours)
            .map(|f| f.code)
            .collect();
        let families = by_app.families.iter().filter(|a| a.family != Family::Watch);
        let app: BTreeSet<Code> = families
            .flat_map(|a| &a.findings)
            .filter(ours)
            .map(|f| f.code)
            .collect();
        compared += 1;
        if site != app {
            let only = |one: &BTreeSet<Code>, other: &BTreeSet<Code>| {
                one.difference(other)
                    .map(|c| c.to_string())
                    .collect::<Vec<_>>()
                    .join(", ")
            };
            wrong.push(format!(
                "{name}: only check --site: [{}]; only the application: [{}]",
                only(&site, &app),
                only(&app, &site)
            ));
        }
    }
    assert!(compared > 15, "{compared}");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
