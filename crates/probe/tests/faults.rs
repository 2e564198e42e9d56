//! Real Chromium against the stand-ins: each fault has a site of its own, and its code.
#![allow(clippy::unwrap_used)]

use newtfern_core::chain::{Case, Diagnosis, Expect, Outcome, diagnose};
use newtfern_core::observation::Viewport;
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_probe::browser::Pool;
use newtfern_probe::check::{Request, run};
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standins::Standins;
use newtfern_standins::estate::{Fault, SITES, Site};
use std::sync::Arc;
use url::Url;

struct World {
    standins: Standins,
    supplier: Supplier,
    rivals: Vec<Supplier>,
    consent: ConsentManager,
    pool: Pool,
    http: Http,
}

impl World {
    async fn start() -> World {
        let guard = Guard { allow_private: true };
        let standins = Standins::start(0, None).await.unwrap();
        World {
            supplier: Supplier::from_toml(&newtfern_standins::supplier_profile(standins.port)).unwrap(),
            rivals: vec![Supplier::from_toml(newtfern_standins::rival_profile()).unwrap()],
            consent: ConsentManager::from_toml(newtfern_standins::consent_profile()).unwrap(),
            pool: Pool::new(guard, None),
            http: Http::new(guard, None).unwrap(),
            standins,
        }
    }

    async fn check(&self, site: &Site) -> Diagnosis {
        let url = Url::parse(&site.address(self.standins.port)).unwrap();
        let consent = site.banner.then_some(&self.consent);
        let evidence = run(&self.pool, &self.http, &Request { url: &url, supplier: &self.supplier, consent, viewports: &[Viewport::Desktop, Viewport::Phone], pictures: false })
            .await
            .unwrap();
        let visits: Vec<_> = evidence.visits.into_iter().map(|(seen, _)| seen).collect();
        let key = site.key();
        diagnose(&Case { supplier: &self.supplier, rivals: &self.rivals, key: Some(&key), expect: Expect::Present, consent, visits: &visits, asides: &evidence.asides })
    }
}

/// The code each fault must be given; `None` where the chain holds.
fn expected(fault: Option<Fault>) -> Option<&'static str> {
    Some(match fault? {
        Fault::Status => "delivered.status",
        Fault::Timeout => "delivered.timeout",
        Fault::Dns => "delivered.dns",
        Fault::Absent => "placed.absent",
        Fault::AsText => "placed.as-text",
        Fault::Commented => "placed.commented",
        Fault::DoubleWrapped => "placed.double-wrapped",
        Fault::WrongKey => "placed.wrong-key",
        Fault::Twice => "placed.twice",
        Fault::BadQuotes => "placed.bad-quotes",
        Fault::Truncated => "placed.truncated",
        Fault::Policy => "allowed.policy",
        Fault::LoaderStatus => "fetched.status",
        Fault::ServiceDns => "fetched.dns",
        Fault::Throws => "ran.error",
        Fault::Silent => "started.silent",
        Fault::Hidden => "shown.hidden",
        Fault::Covered => "shown.covered",
        Fault::Phone => "shown.phone",
        Fault::NoOpen => "usable.no-open",
        Fault::Heavy | Fault::OffBrand | Fault::Early => return None,
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn each_fault_is_told_by_its_code() {
    let world = Arc::new(World::start().await);
    // Every fault once, and one site in order with and one without a consent banner.
    let mut wanted: Vec<&'static Site> = SITES.iter().filter(|s| s.fault.is_some()).collect();
    wanted.extend(SITES.iter().find(|s| s.fault.is_none() && s.banner));
    wanted.extend(SITES.iter().find(|s| s.fault.is_none() && !s.banner));
    let gate = Arc::new(tokio::sync::Semaphore::new(2));
    let mut tasks = tokio::task::JoinSet::new();
    for site in wanted {
        let (world, gate) = (world.clone(), gate.clone());
        tasks.spawn(async move {
            let _permit = gate.acquire().await.unwrap();
            (site, world.check(site).await)
        });
    }
    let mut wrong = Vec::new();
    while let Some(done) = tasks.join_next().await {
        let (site, d) = done.unwrap();
        if d.root.as_deref() != expected(site.fault) {
            wrong.push(format!("{}: {:?} should be {:?}; {:?}", site.host, d.root, expected(site.fault), d.findings));
        }
        if site.fault.is_none() {
            let outcome = if site.banner { Outcome::AsIntended } else { Outcome::Working };
            if d.outcome != outcome {
                wrong.push(format!("{}: {:?} should be {outcome:?}", site.host, d.outcome));
            }
            if site.banner && d.findings.iter().all(|f| f.code != "allowed.consent-waits") {
                wrong.push(format!("{}: the note allowed.consent-waits is missing", site.host));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    world.pool.close().await;
}
