//! From what should be and what was seen to a site's standings, family by family.

use crate::brand::details;
use crate::chain::{Aside, Case, Diagnosis, Expect, Outcome};
use crate::code::Code;
use crate::colour::Rgb;
use crate::consent::{Region, notice};
use crate::design::Design;
use crate::expectation::Widget;
use crate::family::{Assessed, Family, brand, consent, load, place, watch};
use crate::finding::Severity;
use crate::manners;
use crate::observation::Observation;
use crate::pages::PageRules;
use crate::profile::{ConsentManager, Supplier};
use crate::site_check::{Clock, Told, ValueTold, WidgetCase, verdict};
use crate::visits::{by_manner, of_the_chain};
use jiff::Timestamp;
use sha2::{Digest, Sha256};
use std::collections::{BTreeMap, BTreeSet};

/// Raised when rules change so that stored visits may be judged differently.
pub const RULES_VERSION: i32 = 2;

/// What should be on a site.
pub struct Expectation<'a> {
    /// The supplier whose widget is wanted.
    pub supplier: &'a Supplier,
    /// Other suppliers that may be on the page by mistake.
    pub rivals: &'a [Supplier],
    /// The key of the client's account.
    pub key: &'a str,
    /// The consent manager of the site, if one is named.
    pub consent: Option<&'a ConsentManager>,
    /// How the widget should look.
    pub design: &'a Design,
    /// The client's primary colour.
    pub brand: Option<Rgb>,
    /// What the law of the site's country asks for.
    pub region: &'a Region,
    /// Where the widget must and must not be.
    pub rules: &'a PageRules,
    /// What they say of the site's own address.
    pub expect: Expect,
    /// All that is asked of the widget: hours, viewports, delay, form, channels, texts.
    pub widget: &'a Widget,
    /// The site's, for its hours (IANA); empty where nobody gave it.
    pub time_zone: &'a str,
}

impl Expectation<'_> {
    /// Tells one expectation from another: a verdict is kept with the one it was given by. 16
    /// hexadecimal digits of SHA-256 over all that a check judges by.
    pub fn print(&self) -> String {
        let mut hash = Sha256::new();
        let mut add = |part: String| {
            hash.update((part.len() as u64).to_le_bytes());
            hash.update(part.as_bytes());
        };
        let json = |value: &dyn erased::Json| value.json();
        add(json(self.supplier));
        add(json(&self.rivals));
        add(self.key.to_string());
        add(json(&self.consent));
        add(json(self.design));
        add(json(&self.brand));
        add(json(self.region));
        add(json(self.rules));
        add(json(self.widget));
        add(self.time_zone.to_string());
        let bytes = hash.finalize();
        bytes.iter().take(8).map(|b| format!("{b:02x}")).collect()
    }
}

mod erased {
    /// Anything that can be written as JSON.
    pub trait Json {
        fn json(&self) -> String;
    }

    impl<T: serde::Serialize> Json for T {
        fn json(&self) -> String {
            serde_json::to_string(self).unwrap_or_default()
        }
    }
}

/// Everything one check settles.
pub struct Judged {
    /// The chain.
    pub diagnosis: Diagnosis,
    /// Each family that a check speaks of.
    pub families: Vec<Assessed>,
}

impl Judged {
    /// Codes of faults and worse, for comparing with another visit.
    pub fn codes(&self) -> BTreeSet<Code> {
        let all = self.families.iter().flat_map(|a| &a.findings);
        let wrong = all.filter(|f| f.severity >= Severity::Fault);
        wrong.map(|f| f.code).collect()
    }
}

/// Judges the visits of one check, by the hours of the time at which they were made. `before` are the codes of the check before, if there was one.
pub fn check(
    expectation: &Expectation,
    visits: &[Observation],
    asides: &[Aside],
    at: Timestamp,
    before: Option<&BTreeSet<Code>>,
) -> Judged {
    let (visits, in_other_manners) = by_manner(visits);
    let chain = of_the_chain(visits);
    let case = Case {
        supplier: expectation.supplier,
        rivals: expectation.rivals,
        key: Some(expectation.key).filter(|k| !k.is_empty()),
        expect: expectation.expect,
        consent: expectation.consent,
        visits: chain,
        asides,
    };
    let clock = Clock {
        time_zone: expectation.time_zone,
        at,
    };
    let mut diagnosis = verdict(&case, Some(expectation.widget), clock);
    // What is broken for everybody needs no word about some.
    if expectation.expect == Expect::Present && diagnosis.outcome != Outcome::Broken {
        manners::judge(expectation.widget, in_other_manners).beside(&mut diagnosis);
    }
    let mut families = vec![place::assess(&diagnosis), load::assess(&diagnosis, chain)];
    // What has no business on this page has no looks and no signals to judge here.
    families.extend(match expectation.expect {
        Expect::Present => {
            let privacy_page = notice::follow(asides);
            [
                consent::assess(
                    expectation.supplier,
                    expectation.region,
                    visits,
                    &privacy_page,
                ),
                brand::assess(
                    expectation.design,
                    expectation.brand,
                    chain,
                    told(expectation, visits, privacy_page),
                ),
            ]
        }
        Expect::Absent => [Family::Consent, Family::Brand].map(Assessed::kept_off),
    });
    let mut judged = Judged {
        diagnosis,
        families,
    };
    let watched = watch::assess(before, &judged.codes());
    judged.families.push(watched);
    judged
}

/// Texts, form and channels as seen, beside what the design and the expectation ask for.
fn told(
    expectation: &Expectation,
    visits: &[Observation],
    privacy_page: notice::Followed,
) -> Told<Vec<ValueTold>> {
    let none = BTreeMap::new();
    let case = WidgetCase {
        supplier: expectation.supplier,
        widget: expectation.widget,
        visits,
        sample_words: &none,
    };
    let mut told = case.form();
    told.add(case.texts());
    told.add(details::direction(visits));
    told.findings.extend(privacy_page.broken);
    told.gaps.extend(privacy_page.gap);
    told
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{launcher, on_phone, page, with};
    use crate::design::Layer;
    use crate::family::Standing;
    use crate::profile::tests::sample;

    fn judged(visits: &[Observation]) -> Judged {
        let (supplier, region) = (sample(), Region::strictest_of_all());
        let design = Design::of_layer(&Layer::new());
        let e = Expectation {
            supplier: &supplier,
            rivals: &[],
            key: "abcd-1234",
            consent: None,
            design: &design,
            brand: None,
            region: &region,
            rules: &PageRules::default(),
            expect: Expect::Present,
            widget: &Widget::of("example", "abcd-1234"),
            time_zone: "",
        };
        check(&e, visits, &[], Timestamp::UNIX_EPOCH, None)
    }

    fn standings(j: &Judged) -> Vec<(Family, Standing)> {
        j.families.iter().map(|a| (a.family, a.standing)).collect()
    }

    #[test]
    fn a_page_that_cannot_be_had_settles_only_what_it_can() {
        let j = judged(&[with(page(""), |o| o.page.status = Some(500))]);
        assert_eq!(j.diagnosis.root, Some(Code::DeliveredStatus));
        let wanted = [
            (Family::Place, Standing::Undecided),
            (Family::Load, Standing::Failing),
            (Family::Consent, Standing::Undecided),
            (Family::Brand, Standing::Undecided),
            (Family::Watch, Standing::NotYet),
        ];
        assert_eq!(standings(&j), wanted);
    }

    #[test]
    fn what_is_hidden_for_everybody_is_not_told_of_those_who_zoom() {
        use crate::observation::Manner;
        let hidden = || launcher(|l| l.hidden_by = Some("display: none on #chat".into()));
        let zoomed = || with(hidden(), |o| o.condition.manner = Manner::Zoomed);
        let told = |visits: &[Observation]| {
            let judged = judged(visits);
            let load = judged.families.iter().find(|a| a.family == Family::Load);
            let findings = &load.unwrap().findings;
            let zoom = findings.iter().any(|f| f.code == Code::UsableZoom);
            (judged.diagnosis.outcome, zoom)
        };
        assert_eq!(
            told(&[launcher(|_| {}), zoomed()]),
            (Outcome::Working, true)
        );
        assert_eq!(told(&[hidden(), zoomed()]), (Outcome::Broken, false));
    }

    #[test]
    fn the_phones_looks_are_judged_beside_the_desktops() {
        let desktop = launcher(|l| l.background = "#2f6b4f".into());
        let off = with(
            on_phone(launcher(|l| l.background = "#d98c2b".into())),
            |o| {
                o.launcher.as_mut().unwrap().rect.x = 310.0;
            },
        );
        let brand = |j: Judged| {
            j.families
                .into_iter()
                .find(|a| a.family == Family::Brand)
                .unwrap()
        };
        let good = brand(judged(std::slice::from_ref(&desktop)));
        assert_eq!(good.standing, Standing::Passing, "{:?}", good.findings);
        let both = brand(judged(&[desktop, off]));
        assert_eq!(both.standing, Standing::Failing);
        assert_eq!(both.findings[0].code, Code::BrandLauncherColour);
        assert!(
            both.findings[0]
                .evidence
                .iter()
                .any(|e| e.line() == "on a phone")
        );
    }

    #[test]
    fn another_key_or_design_is_another_expectation() {
        let (supplier, region) = (sample(), Region::strictest_of_all());
        let design = Design::of_layer(&Layer::new());
        let print = |key: &str, brand: Option<Rgb>| {
            Expectation {
                supplier: &supplier,
                rivals: &[],
                key,
                consent: None,
                design: &design,
                brand,
                region: &region,
                rules: &PageRules::default(),
                expect: Expect::Present,
                widget: &Widget::of("example", key),
                time_zone: "",
            }
            .print()
        };
        assert_eq!(print("a", None), print("a", None));
        assert_ne!(print("a", None), print("b", None));
        assert_ne!(print("a", None), print("a", Some(Rgb(1, 2, 3))));
        assert_eq!(print("a", None).len(), 16);
    }
}
