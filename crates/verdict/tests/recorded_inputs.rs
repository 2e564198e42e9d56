//! No family reads what it does not declare: the visits of whole sites, as they were recorded, are
//! judged with one input changed at a time. Where a family says something else then, that input is
//! one of those that it declares.
#![allow(clippy::disallowed_methods)] // tests may read files and run cargo
#![allow(clippy::unwrap_used)]

use jiff::Timestamp;
use newtfern_model::design::{Design, Field, Layer};
use newtfern_model::expectation as file;
use newtfern_model::expectation::{Form, OutsideHours, Start, TextSet, Widget};
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::profiles::Profiles;
use newtfern_model::region::{ClassRules, Region};
use newtfern_model::site::SiteField;
use newtfern_standards::colour::Rgb;
use newtfern_standards::observation::Viewport;
use newtfern_verdict::assess::{Assessment, check};
use newtfern_verdict::family::Family;
use newtfern_verdict::inputs::input::Input;
use newtfern_verdict::site_check::{SiteCase, SitePage, Subject};
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};

#[derive(Deserialize)]
struct Record {
    expectation: String,
    profiles: Vec<(String, String)>,
    at: Timestamp,
    pages: Vec<SitePage>,
}

/// What a check of a site reads, owned.
#[derive(Clone)]
struct Read {
    address: String,
    supplier: Supplier,
    rivals: Vec<Supplier>,
    key: String,
    consent: Option<ConsentManager>,
    brand: Option<Rgb>,
    region: Region,
    widget: Widget,
    time_zone: String,
    sample_words: SampleWords,
}

impl Read {
    fn judged(&self, page: &SitePage, at: Timestamp) -> Assessment {
        let expectation = file::Expectation {
            time_zone: self.time_zone.clone(),
            widgets: vec![self.widget.clone()],
            ..file::Expectation::read(&format!("address = '{}'", self.address)).unwrap()
        };
        let subject = Subject {
            supplier: &self.supplier,
            key: Some(self.key.as_str()).filter(|k| !k.is_empty()),
            rules: self.widget.rules(),
        };
        let case = SiteCase {
            expectation: &expectation,
            subjects: &[subject],
            rivals: &self.rivals,
            consent: self.consent.as_ref(),
            region: &self.region,
            sample_words: &self.sample_words,
            states: &[],
            at,
            pages: std::slice::from_ref(page),
            gaps: &[],
            closed: &[],
        };
        check(&case, self.brand, None)
    }
}

/// What a family says, but for its drawing's data, which shows the inputs themselves.
fn said(judged: &Assessment) -> BTreeMap<Family, String> {
    let say = |a: &newtfern_verdict::family::FamilyResult| {
        let findings = format!("{:?}", a.findings);
        (
            a.family,
            format!("{:?} {} {} {findings}", a.standing, a.summary, a.remedy),
        )
    };
    judged.families.iter().map(say).collect()
}

type Change = fn(&mut Read);

fn changes() -> Vec<(&'static str, Vec<Input>, Change)> {
    let site = Input::Site;
    vec![
        ("key", vec![site(SiteField::Key)], |r| {
            r.key = "other-0001".into()
        }),
        (
            "nowhere",
            vec![site(SiteField::On), site(SiteField::NotOn)],
            |r| {
                r.widget.on.clear();
            },
        ),
        ("zone", vec![site(SiteField::TimeZone)], |r| {
            r.time_zone = "Asia/Tokyo".into()
        }),
        (
            "consent",
            vec![site(SiteField::Consent), Input::ConsentManager],
            |r| r.consent = None,
        ),
        (
            "region",
            vec![site(SiteField::Country), Input::Region],
            |r| {
                r.region.before = ClassRules {
                    requests: Vec::new(),
                    storage: Vec::new(),
                    frames: None,
                };
            },
        ),
        (
            "strictest",
            vec![site(SiteField::Country), Input::Region],
            |r| {
                r.region = Region::strictest_of_all();
            },
        ),
        ("no rivals", vec![Input::Rivals], |r| r.rivals.clear()),
        ("a rival", vec![Input::Rivals], |r| {
            let mut rival = r.supplier.clone();
            rival.id = "rival".into();
            r.rivals.push(rival);
        }),
        ("starts open", vec![Input::Start], |r| {
            r.widget.start = Start::Open
        }),
        ("starts closed", vec![Input::Start], |r| {
            r.widget.start = Start::Closed
        }),
        ("tab", vec![Input::Form], |r| r.widget.form = Form::Tab),
        ("channels", vec![Input::Form], |r| {
            r.widget.form = Form::Channels
        }),
        ("no channels", vec![Input::Form], |r| {
            r.widget.channels.clear()
        }),
        ("phones only", vec![Input::Screens], |r| {
            r.widget.viewports = vec![Viewport::Phone]
        }),
        ("desktops only", vec![Input::Screens], |r| {
            r.widget.viewports = vec![Viewport::Desktop];
        }),
        ("late", vec![Input::Delay], |r| {
            r.widget.delay_s = Some(30.0)
        }),
        ("at once", vec![Input::Delay], |r| {
            r.widget.delay_s = Some(0.0)
        }),
        ("hides", vec![Input::Hours], |r| {
            r.widget.outside_hours = OutsideHours::Hide
        }),
        ("no hours", vec![Input::Hours], |r| {
            r.widget.hours.clear();
            r.widget.closed.clear();
        }),
        ("no texts", vec![Input::Texts], |r| r.widget.texts.clear()),
        ("a text", vec![Input::Texts], |r| {
            let texts = r
                .widget
                .texts
                .entry("en".into())
                .or_insert_with(TextSet::default);
            *texts = TextSet::of_design(&Design::of_layer(&Layer::from([(
                Field::Greeting,
                "Something else altogether".into(),
            )])));
        }),
        ("a sample", vec![Input::SampleWords], |r| {
            r.sample_words = SampleWords::read("en: a").unwrap();
        }),
        ("brand colour", vec![Input::Design], |r| {
            r.brand = Rgb::parse("#ff00ff").ok()
        }),
        ("launcher", vec![Input::Supplier], |r| {
            r.supplier.alive.launcher = "#none".into()
        }),
        ("class", vec![Input::Supplier], |r| {
            r.supplier.consent.storage.clear()
        }),
    ]
}

#[test]
fn what_a_family_says_follows_only_from_inputs_that_it_declares() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/recorded/visitors");
    let (mut judged, mut followed) = (0, BTreeSet::new());
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let text = std::fs::read_to_string(&path).unwrap();
        let record: Record = serde_json::from_str(&text).unwrap();
        let mut profiles = Profiles::default();
        for (file, text) in &record.profiles {
            profiles.add(file, text).unwrap();
        }
        let expected = file::Expectation::read(&record.expectation).unwrap();
        let Some(widget) = expected.widgets.first() else {
            continue;
        };
        let Some(page) = record.pages.iter().find(|p| !p.visited.is_empty()) else {
            continue;
        };
        let read = Read {
            address: expected.address.clone(),
            supplier: profiles.supplier(&widget.supplier).unwrap().clone(),
            rivals: newtfern_verdict::site_check::rivals(&expected, &profiles),
            key: widget.key.clone(),
            consent: expected
                .consent_id()
                .map(|id| profiles.consent(id).unwrap().clone()),
            brand: None,
            region: Region::for_country(&profiles.regions, &expected.country),
            widget: widget.clone(),
            time_zone: expected.time_zone.clone(),
            sample_words: profiles.sample_words.clone(),
        };
        let before = said(&read.judged(page, record.at));
        let mut others: Vec<(String, Vec<Input>, Read)> = Vec::new();
        for (name, inputs, change) in changes() {
            let mut after = read.clone();
            change(&mut after);
            others.push((name.into(), inputs, after));
        }
        // The records of looks, and one beside them, have what a design is compared with.
        let name = path.file_stem().unwrap().to_string_lossy();
        let looks = name.starts_with("brand.") || name.starts_with("consent.notice");
        let fields = Field::ALL
            .iter()
            .filter(|f| looks && f.name_in_design().is_some());
        for field in fields {
            let mut after = read.clone();
            let value = match field.shape().choices().last() {
                Some(other) => (*other).to_string(),
                None => "#ff00ff".into(),
            };
            after.widget.design.set(*field, Some(&value));
            others.push((field.key().into(), vec![Input::Design], after));
        }
        for (name, inputs, after) in others {
            judged += 1;
            for (family, now) in said(&after.judged(page, record.at)) {
                if before.get(&family) == Some(&now) {
                    continue;
                }
                followed.insert((family, name.clone()));
                let declared = inputs.iter().any(|i| family.reads().contains(i));
                // The codes of the look before are what it compares; see its module.
                let compares = family == Family::Watch;
                assert!(
                    declared || compares,
                    "{}: {family:?} follows {name} and does not declare it\nbefore: \
                    {:?}\nafter: {now}",
                    path.display(),
                    before.get(&family),
                );
            }
        }
    }
    assert!(judged > 1_000, "{judged}");
    // The changes are such that judging sees them.
    for wanted in [
        (Family::Place, "key"),
        (Family::Load, "no hours"),
        (Family::Load, "late"),
        (Family::Consent, "region"),
        (Family::Brand, "a text"),
        (Family::Brand, "a sample"),
        (Family::Brand, "button_colour"),
        (Family::Load, "phones only"),
    ] {
        let (family, name) = wanted;
        assert!(
            followed.contains(&(family, name.to_string())),
            "{wanted:?}: {followed:?}"
        );
    }
}
