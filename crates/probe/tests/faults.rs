//! Real Chromium against the stand-ins: each fault has a site of its own, and its code.
#![allow(clippy::unwrap_used)]

use crate::common::{Ask, Checker, complaints};
use newtfern_model::code::Code;
use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_standins::Standins;
use newtfern_standins::estate::{Fault, SITES, Site};
use newtfern_verdict::chain::{Diagnosis, Outcome};
use std::sync::Arc;

struct World {
    standins: Standins,
    rivals: Vec<Supplier>,
    consent: ConsentManager,
    checker: Checker,
}

impl World {
    async fn start() -> World {
        let standins = Standins::start(0, None).await.unwrap();
        World {
            rivals: vec![Supplier::from_toml(newtfern_standins::rival_profile()).unwrap()],
            consent: ConsentManager::from_toml(newtfern_standins::consent_profile()).unwrap(),
            checker: Checker::new(),
            standins,
        }
    }

    async fn check(&self, site: &Site) -> Diagnosis {
        let profile = site.maker.profile(self.standins.port);
        let supplier = Supplier::from_toml(&profile).unwrap();
        let supplier = supplier.at_host(&site.supplier_host(self.standins.port));
        let ask = Ask {
            supplier: &supplier,
            rivals: &self.rivals,
            consent: site.banner.then_some(&self.consent),
            key: &site.key(),
            expect: Expect::Present,
        };
        self.checker
            .check(&site.address(self.standins.port), &ask)
            .await
            .0
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
        Fault::Phone | Fault::Wide => "shown.phone",
        Fault::NoOpen => "usable.no-open",
        Fault::PanelGone => "started.frame",
        Fault::Clash => "ran.clash",
        Fault::Heavy
        | Fault::OffBrand
        | Fault::Early
        | Fault::Ruled
        | Fault::Closed
        | Fault::Away
        | Fault::NoMail
        | Fault::LastHandle
        | Fault::Restless
        | Fault::Cramped
        | Fault::Fleeting
        | Fault::Forgets
        | Fault::OpenOnPhones
        | Fault::OneLanguage
        | Fault::Forgotten => return None,
    })
}

/// What is wrong with a site's diagnosis.
fn against(site: &Site, d: &Diagnosis) -> Vec<String> {
    let mut wrong = Vec::new();
    let (root, wanted) = (d.verdict.root().map(|c| c.name()), expected(site.fault));
    if root != wanted {
        wrong.push(format!(
            "{}: {root:?} should be {wanted:?}; {:?}",
            site.host,
            d.verdict.findings()
        ));
    }
    if site.fault.is_some() {
        return wrong;
    }
    let outcome = match site.banner {
        true => Outcome::AsIntended,
        false => Outcome::Working,
    };
    if d.verdict.outcome() != outcome {
        wrong.push(format!(
            "{}: {:?} should be {outcome:?}",
            site.host,
            d.verdict.outcome()
        ));
    }
    let waits = d
        .verdict
        .findings()
        .iter()
        .any(|f| f.code == Code::AllowedConsentWaits);
    if site.banner && !waits {
        wrong.push(format!(
            "{}: the note allowed.consent-waits is missing",
            site.host
        ));
    }
    wrong
}

#[tokio::test(flavor = "multi_thread")]
async fn each_fault_is_told_by_its_code() {
    let world = Arc::new(World::start().await);
    // Every fault of the chain once, and one site in order with and one without a consent banner.
    // What is wrong beside the chain is told by the command line's tests.
    let of_chain = |s: &&Site| expected(s.fault).is_some();
    let mut wanted: Vec<&'static Site> = SITES.iter().filter(of_chain).collect();
    wanted.extend(SITES.iter().find(|s| s.fault.is_none() && s.banner));
    wanted.extend(SITES.iter().find(|s| s.fault.is_none() && !s.banner));
    let wrong = complaints(wanted, |site| {
        let world = world.clone();
        async move { against(site, &world.check(site).await) }
    })
    .await;
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    world.checker.pool.close().await;
}
