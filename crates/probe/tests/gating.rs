//! Real Chromium against both banners of the stand-ins: what is proposed for each kind of slot
//! waits for consent there, and starts once it is given.
#![allow(clippy::unwrap_used)]

// Only its pace is needed here.
#[allow(dead_code)]
use crate::common::side_by_side;
use newtfern_model::code::Code;
use newtfern_model::pages::Expect;
use newtfern_model::platform::{Platform, fit};
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_probe::browser::Pool;
use newtfern_probe::check::run;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standards::observation::{ConsentAct, Observation, Viewport};
use newtfern_standins::{DEMO_TOKEN, Standins};
use newtfern_verdict::chain::{Case, Diagnosis, Outcome, diagnose};
use newtfern_verdict::visits::CheckOrder;
use std::sync::Arc;
use url::Url;

const SLOTS: [&str; 4] = ["footer-code", "extension-key", "script-box", "held-hosts"];

struct World {
    standins: Standins,
    supplier: Supplier,
    platform: Platform,
    pool: Pool,
    http: Http,
}

/// A site of the stand-ins, its key and its banner.
struct Gated {
    host: &'static str,
    key: &'static str,
    manager: ConsentManager,
}

impl World {
    async fn put(&self, site: &Gated, slot: &str, text: &str) {
        let port = self.standins.port;
        let at = format!("http://{}.localhost:{port}/_tarn/slots/{slot}", site.host);
        let body = serde_json::json!({ "text": text });
        let at = Url::parse(&at).unwrap();
        let told = self.http.json("PUT", &at, Some(&body), Some(DEMO_TOKEN));
        assert_eq!(told.await.unwrap().0, 200, "{slot}");
    }

    /// A machine that is too busy for a visit is told as such, and the page looked at again.
    async fn check(&self, site: &Gated) -> (Diagnosis, Vec<Observation>) {
        for _ in 0..4 {
            let told = self.check_once(site).await;
            if told
                .0
                .verdict
                .not_looked_at()
                .iter()
                .all(|g| !g.why.contains("our machine was busy"))
            {
                return told;
            }
        }
        self.check_once(site).await
    }

    async fn check_once(&self, site: &Gated) -> (Diagnosis, Vec<Observation>) {
        let address = format!("http://{}.localhost:{}/", site.host, self.standins.port);
        let url = Url::parse(&address).unwrap();
        let order = CheckOrder {
            consent: Some(&site.manager),
            viewports: &[Viewport::Desktop],
            ..CheckOrder::of(&url, &self.supplier, "once")
        };
        let evidence = run(&self.pool, &self.http, &order).await.unwrap();
        let case = Case {
            supplier: &self.supplier,
            rivals: &[],
            key: Some(site.key),
            expect: Expect::Present,
            consent: Some(&site.manager),
            visits: &evidence.visits,
            asides: &evidence.asides,
            siblings: &[],
        };
        (diagnose(&case), evidence.visits)
    }

    /// Nothing before the decision, and all of it after.
    async fn waits(&self, site: &Gated, how: &str) {
        let how = format!("{how} with {}", site.manager.name);
        let (d, visits) = self.check(site).await;
        let told: Vec<Code> = d.verdict.findings().iter().map(|f| f.code).collect();
        assert_eq!(
            (d.verdict.outcome(), told.as_slice()),
            (Outcome::AsIntended, &[Code::AllowedConsentWaits][..]),
            "{how}: {:#?}",
            d.verdict.findings()
        );
        assert_eq!(
            asked(&visits, ConsentAct::Untouched, &self.supplier),
            0,
            "{how}"
        );
        assert!(
            asked(&visits, ConsentAct::Granted, &self.supplier) > 2,
            "{how}"
        );
    }

    /// Each slot of the platform in turn, alone on the site.
    async fn each_slot(&self, site: &Gated) {
        for slot in &self.platform.slots {
            for other in SLOTS {
                self.put(site, other, "").await;
            }
            let manager = Some(&site.manager);
            let fitted = fit(&self.supplier, site.key, slot, manager).unwrap();
            self.put(site, &slot.id, &fitted.code).await;
            if let Some(manager) = &fitted.at_manager {
                // Before a person has done it, it comes at once: the check tells, and so do the
                // notes.
                let (_, visits) = self.check(site).await;
                assert!(asked(&visits, ConsentAct::Untouched, &self.supplier) > 2);
                assert!(fitted.notes[0].contains("cannot wait for consent here"));
                assert!(manager.steps[0].act.ends_with("{{hosts}}"));
                self.put(site, "held-hosts", &manager.hosts.join("\n"))
                    .await;
            }
            self.waits(site, &slot.id).await;
        }
    }
}

/// So many requests went to the supplier in this state.
fn asked(visits: &[Observation], state: ConsentAct, supplier: &Supplier) -> usize {
    let visits = visits.iter().filter(|v| v.condition.consent == state);
    let requests = visits.flat_map(|v| &v.requests);
    requests.filter(|r| supplier.owns(&r.url)).count()
}

#[tokio::test(flavor = "multi_thread")]
async fn code_waits_for_consent_in_every_kind_of_slot() {
    let standins = Standins::start(0, None).await.unwrap();
    let guard = Guard::open();
    let world = Arc::new(World {
        supplier: Supplier::from_toml(&newtfern_standins::supplier_profile(standins.port)).unwrap(),
        platform: Platform::from_toml(newtfern_standins::platform_profile()).unwrap(),
        pool: Pool::new(guard.clone(), None),
        http: Http::new(guard, None).unwrap(),
        standins,
    });
    assert_eq!(world.platform.slots.len(), 3);
    let sites = [
        (
            "wendlemill",
            "wendlemill-live",
            newtfern_standins::consent_profile(),
        ),
        (
            "timetable.corrievalley",
            "corrievalley-live",
            newtfern_standins::second_consent_profile(),
        ),
    ];
    side_by_side(sites, |(host, key, profile)| {
        let world = world.clone();
        let manager = ConsentManager::from_toml(profile).unwrap();
        let site = Gated { host, key, manager };
        async move { world.each_slot(&site).await }
    })
    .await;
}
