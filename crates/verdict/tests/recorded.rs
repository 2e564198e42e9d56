//! The chain over recorded observations: real runs against the stand-ins (`record.sh` made
//! them), evaluated again without a browser.
#![allow(clippy::disallowed_methods)] // tests may read files and run cargo
#![allow(clippy::unwrap_used)]

use newtfern_model::code::Code;
use newtfern_model::design::{Design, Layer};
use newtfern_model::expectation as file;
use newtfern_model::expectation::Widget;
use newtfern_model::pages::{Expect, PageRules};
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::region::Region;
use newtfern_standards::colour::Rgb;
use newtfern_standards::observation::{Aside, Observation};
use newtfern_verdict::assess;
use newtfern_verdict::chain::{Case, Diagnosis, Outcome, diagnose};
use newtfern_verdict::family::{Family, Standing};
use newtfern_verdict::site_check::{SiteCase, SitePage, Subject, WidgetVisits};
use newtfern_verdict::visits::CheckVisits;
use serde::Deserialize;
use url::Url;

#[derive(Deserialize)]
struct Record {
    visits: Vec<Observation>,
    asides: Vec<Aside>,
}

fn read(name: &str) -> String {
    let path = format!("{}/tests/recorded/{name}", env!("CARGO_MANIFEST_DIR"));
    std::fs::read_to_string(&path).unwrap_or_else(|e| panic!("{path}: {e}"))
}

struct World {
    supplier: Supplier,
    rivals: Vec<Supplier>,
    consent: ConsentManager,
}

fn world() -> World {
    World {
        supplier: Supplier::from_toml(&read("brindle.toml")).unwrap(),
        rivals: vec![Supplier::from_toml(&read("quoin.toml")).unwrap()],
        consent: ConsentManager::from_toml(&read("hedgegate.toml")).unwrap(),
    }
}

/// File, key, whether the site has a consent banner, and the root cause.
const RECORDS: &[(&str, &str, bool, Option<&str>)] = &[
    ("healthy", "northmere-live", false, None),
    ("waits", "wendlemill-live", true, None),
    ("status", "threetowers-live", true, Some("delivered.status")),
    ("timeout", "skerrin-live", true, Some("delivered.timeout")),
    ("dns", "pellclocks-live", false, Some("delivered.dns")),
    ("absent", "harrowdown-live", true, Some("placed.absent")),
    ("astext", "inkwell-live", true, Some("placed.as-text")),
    (
        "commented",
        "wendlemill-live",
        true,
        Some("placed.commented"),
    ),
    (
        "doublewrapped",
        "reedwater-live",
        false,
        Some("placed.double-wrapped"),
    ),
    (
        "wrongkey",
        "northmere-live",
        false,
        Some("placed.wrong-key"),
    ),
    ("twice", "wendlemill-live", true, Some("placed.twice")),
    (
        "badquotes",
        "pellclocks-live",
        true,
        Some("placed.bad-quotes"),
    ),
    (
        "truncated",
        "corrievalley-live",
        true,
        Some("placed.truncated"),
    ),
    ("policy", "harrowdown-live", true, Some("allowed.policy")),
    (
        "loaderstatus",
        "corrievalley-live-status",
        true,
        Some("fetched.status"),
    ),
    (
        "servicedns",
        "skerrin-live-nodns",
        true,
        Some("fetched.dns"),
    ),
    ("throws", "gustkites-live-throws", true, Some("ran.error")),
    (
        "silent",
        "threetowers-live-silent",
        true,
        Some("started.silent"),
    ),
    ("hidden", "northmere-live", false, Some("shown.hidden")),
    ("covered", "skerrin-live", false, Some("shown.covered")),
    ("phone", "gustkites-live-desk", true, Some("shown.phone")),
    (
        "noopen",
        "threetowers-live-deaf",
        true,
        Some("usable.no-open"),
    ),
];

fn judge(w: &World, record: &Record, key: &str, banner: bool) -> Diagnosis {
    diagnose(&Case {
        supplier: &w.supplier,
        rivals: &w.rivals,
        key: Some(key),
        expect: Expect::Present,
        consent: banner.then_some(&w.consent),
        visits: &record.visits,
        asides: &record.asides,
        siblings: &[],
    })
}

#[test]
fn every_record_gets_its_root_cause() {
    let w = world();
    let mut wrong = Vec::new();
    for (name, key, banner, root) in RECORDS {
        let record: Record = serde_json::from_str(&read(&format!("{name}.json")))
            .unwrap_or_else(|e| panic!("{name}: {e}"));
        let d = judge(&w, &record, key, *banner);
        if d.verdict.root().map(|c| c.name()) != *root {
            wrong.push(format!("{name}: {:?} should be {root:?}", d.verdict.root()));
        }
        if let Some(f) = d.verdict.root_finding() {
            assert!(
                !f.evidence.is_empty() && !f.remedy.is_empty(),
                "{name}: {f:?}"
            );
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn the_same_record_is_judged_by_what_is_expected_of_it() {
    let w = world();
    let record: Record = serde_json::from_str(&read("healthy.json")).unwrap();
    assert_eq!(
        judge(&w, &record, "northmere-live", false)
            .verdict
            .outcome(),
        Outcome::Working
    );
    assert_eq!(
        judge(&w, &record, "another-key", false).verdict.root(),
        Some(Code::PlacedWrongKey)
    );
    let absent = diagnose(&Case {
        supplier: &w.supplier,
        rivals: &[],
        key: None,
        expect: Expect::Absent,
        consent: None,
        visits: &record.visits,
        asides: &[],
        siblings: &[],
    });
    assert_eq!(absent.verdict.root(), Some(Code::PlacedUnexpected));
}

/// One recorded check settles the families that a check can settle.
#[test]
fn a_record_settles_its_families() {
    let w = world();
    let region = Region::from_toml(
        "id='o'\nname='Opt-in'\n[before]\nrequests=['necessary']\nstorage=['necessary']",
    )
    .unwrap();
    let mut brand = Layer::new();
    for field in ["button_colour", "header_colour"] {
        brand.insert(
            newtfern_model::design::Field::from_key(field).unwrap(),
            "#1f5f7a".into(),
        );
    }
    brand.insert(
        newtfern_model::design::Field::Title,
        "Wendle Tide Mill".into(),
    );
    let design = Design::resolve(&Layer::new(), &brand, &Layer::new());
    let settle = |name: &str, key: &str, banner: bool| {
        let record: Record = serde_json::from_str(&read(&format!("{name}.json"))).unwrap();
        let url = Url::parse("https://site.example/").unwrap();
        let mut expectation = file::Expectation::read(&format!("address = '{url}'")).unwrap();
        expectation.widgets.push(Widget::of(&w.supplier.id, key));
        expectation.set_design(&design);
        let subject = Subject {
            supplier: &w.supplier,
            key: Some(key),
            rules: PageRules::default(),
        };
        let visited = WidgetVisits {
            visits: CheckVisits::of(record.visits, ""),
            asides: record.asides,
            ..WidgetVisits::default()
        };
        let case = SiteCase {
            expectation: &expectation,
            subjects: &[subject],
            rivals: &[],
            consent: banner.then_some(&w.consent),
            region: &region,
            sample_words: &SampleWords::default(),
            states: &[],
            at: jiff::Timestamp::UNIX_EPOCH,
            pages: &[SitePage::given_alone(&url, visited)],
            gaps: &[],
            closed: &[],
        };
        assess::check(&case, Rgb::parse("#1f5f7a").ok(), None)
            .families
            .into_iter()
            .map(|a| (a.family, a.standing))
            .collect::<Vec<_>>()
    };
    let held = settle("waits", "wendlemill-live", true);
    assert!(
        held.contains(&(Family::Consent, Standing::Passing))
            && held.contains(&(Family::Load, Standing::Passing))
            && held.contains(&(Family::Brand, Standing::Passing)),
        "{held:?}"
    );
    // The same region, a site without a banner: everything comes before consent.
    let early = settle("healthy", "northmere-live", false);
    assert!(
        early.contains(&(Family::Consent, Standing::Failing))
            && early.contains(&(Family::Brand, Standing::Failing)),
        "{early:?}"
    );
}
