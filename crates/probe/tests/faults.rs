//! Real Chromium against the stand-ins: each fault has a site of its own, and its code.
#![allow(clippy::unwrap_used)]

mod common;

use common::{Ask, Checker, side_by_side};
use newtfern_core::chain::{Diagnosis, Expect, Outcome};
use newtfern_core::code::Code;
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_standins::Standins;
use newtfern_standins::estate::{Fault, SITES, Site};
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
        Fault::Phone => "shown.phone",
        Fault::NoOpen => "usable.no-open",
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
        | Fault::Forgotten => return None,
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn each_fault_is_told_by_its_code() {
    let world = Arc::new(World::start().await);
    // Every fault of the chain once, and one site in order with and one without a consent banner. What is wrong
    // beside the chain is told by the command line's tests.
    let of_chain = |s: &&Site| expected(s.fault).is_some();
    let mut wanted: Vec<&'static Site> = SITES.iter().filter(of_chain).collect();
    wanted.extend(SITES.iter().find(|s| s.fault.is_none() && s.banner));
    wanted.extend(SITES.iter().find(|s| s.fault.is_none() && !s.banner));
    let found = side_by_side(wanted, |site| {
        let world = world.clone();
        async move { (site, world.check(site).await) }
    })
    .await;
    let mut wrong = Vec::new();
    for (site, d) in found {
        if d.root.map(|c| c.name()) != expected(site.fault) {
            wrong.push(format!(
                "{}: {:?} should be {:?}; {:?}",
                site.host,
                d.root,
                expected(site.fault),
                d.findings
            ));
        }
        if site.fault.is_none() {
            let outcome = if site.banner {
                Outcome::AsIntended
            } else {
                Outcome::Working
            };
            if d.outcome != outcome {
                wrong.push(format!(
                    "{}: {:?} should be {outcome:?}",
                    site.host, d.outcome
                ));
            }
            if site.banner
                && d.findings
                    .iter()
                    .all(|f| f.code != Code::AllowedConsentWaits)
            {
                wrong.push(format!(
                    "{}: the note allowed.consent-waits is missing",
                    site.host
                ));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    world.checker.pool.close().await;
}
