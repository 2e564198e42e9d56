//! Real Chromium against the other builders and the tag manager of the stand-ins: each flaw has its
//! code, told with what goes beside the visit (the draft, the set).
#![allow(clippy::unwrap_used)]

// Only its pace is needed here.
#[allow(dead_code)]
use crate::common::complaints;
use newtfern_model::finding::Finding;
use newtfern_model::pages::Expect;
use newtfern_model::platform::{Interface, Platform};
use newtfern_model::profile::Supplier;
use newtfern_model::tags::{TagLook, TagSet};
use newtfern_probe::browser::Pool;
use newtfern_probe::check::run;
use newtfern_probe::crawl::copy_of;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standards::html::Document;
use newtfern_standards::observation::{Aside, AsideLook, Purpose, Viewport};
use newtfern_standins::builders::{BUILT, Built, Flaw, profile};
use newtfern_standins::{DEMO_TOKEN, Standins};
use newtfern_verdict::chain::{Case, Diagnosis, diagnose};
use newtfern_verdict::visits::CheckOrder;
use std::sync::Arc;
use url::Url;

struct World {
    standins: Standins,
    supplier: Supplier,
    manager: Platform,
    pool: Pool,
    http: Http,
}

/// The code of each flaw; nothing where the home page is in order.
fn expected(built: &Built) -> Option<&'static str> {
    Some(match built.flaw? {
        Flaw::Bare | Flaw::Stripped => "placed.absent",
        Flaw::Draft => "placed.unpublished",
        Flaw::StaleCache => "placed.stale-cache",
        Flaw::RouteLost => "shown.route-lost",
        Flaw::Framed => "placed.framed",
        Flaw::TagMissing => "placed.tag-missing",
        Flaw::TagDraft => "placed.tag-draft",
        Flaw::TagPaused => "placed.tag-paused",
        Flaw::TagRule => "placed.tag-rule",
        Flaw::TagOther => "placed.tag-other-set",
        Flaw::TagTwice => "placed.twice",
        // What is wrong there is wrong on other pages.
        Flaw::OnlyHome | Flaw::OnLegal | Flaw::RulesApart => return None,
    })
}

/// Sites in order that are built as the flawed ones are, and the codes that they are near to.
#[rustfmt::skip]
const NEAR: &[(&str, &[&str])] = &[
    ("granary.wendlemill", &["placed.stale-cache"]),
    ("maps.reedwater", &["shown.route-lost"]),
    ("islands.skerrin", &["placed.unpublished"]),
    ("gifts.corrievalley", &[
        "placed.tag-missing", "placed.tag-draft", "placed.tag-paused", "placed.tag-rule",
        "placed.tag-other-set",
    ]),
];

impl World {
    async fn start() -> World {
        let standins = Standins::start(0, None).await.unwrap();
        let guard = Guard::open();
        World {
            supplier: Supplier::from_toml(&newtfern_standins::supplier_profile(standins.port))
                .unwrap(),
            manager: Platform::from_toml(&newtfern_standins::tag_profile(standins.port)).unwrap(),
            pool: Pool::new(guard.clone(), None),
            http: Http::new(guard, None).unwrap(),
            standins,
        }
    }

    async fn check(&self, built: &Built) -> Diagnosis {
        let url = Url::parse(&built.address(self.standins.port)).unwrap();
        let order = CheckOrder {
            viewports: &[Viewport::Desktop],
            ..CheckOrder::of(&url, &self.supplier, "once")
        };
        let evidence = run(&self.pool, &self.http, &order).await.unwrap();
        let mut asides = evidence.asides;
        let html = evidence.visits[0].page.html.clone();
        asides.extend(self.draft(built, &url).await);
        asides.extend(self.set(built, &html).await);
        diagnose(&Case {
            supplier: &self.supplier,
            rivals: &[],
            key: Some(&built.key()),
            expect: Expect::Present,
            consent: None,
            visits: &evidence.visits,
            asides: &asides,
            siblings: &[],
        })
    }

    async fn draft(&self, built: &Built, url: &Url) -> Option<Aside> {
        let platform = Platform::from_toml(profile(built.builder)?).unwrap();
        let preview = Interface::fill(platform.preview.as_deref()?, url, "")?;
        let copy = copy_of(&self.http, &preview).await;
        Some(aside(Purpose::Draft, &preview, copy.page.html))
    }

    async fn set(&self, built: &Built, html: &str) -> Option<Aside> {
        let sets = self.manager.sets.as_ref()?;
        let read = sets.read.as_ref()?.replace("{{set}}", &built.set()?);
        let at = Url::parse(&read).unwrap();
        let told = self.http.json("GET", &at, None, Some(DEMO_TOKEN)).await;
        let (status, told) = told.unwrap();
        assert_eq!(status, 200, "{told}");
        let look = TagLook {
            manager: self.manager.name.clone(),
            loaded: sets
                .in_page(&Document::parse(html))
                .into_iter()
                .map(|(set, _)| set)
                .collect(),
            set: TagSet::read(&told.to_string()).unwrap(),
        };
        let text = serde_json::to_string(&look).unwrap();
        Some(aside(Purpose::TagSet, &at, text))
    }
}

fn aside(purpose: Purpose, url: &Url, html: String) -> Aside {
    Aside {
        purpose,
        url: url.to_string(),
        status: 200,
        html,
        look: AsideLook::Had,
        blob: None,
    }
}

/// What is wrong with the diagnosis of a built site.
fn against(built: &Built, d: &Diagnosis) -> Vec<String> {
    let mut wrong = Vec::new();
    let (root, wanted) = (d.verdict.root().map(|c| c.name()), expected(built));
    if root != wanted {
        let found = &d.verdict.findings();
        wrong.push(format!(
            "{}: {root:?} should be {wanted:?}: {found:?}",
            built.host
        ));
    }
    let near = NEAR.iter().filter(|(host, _)| *host == built.host);
    for code in near.flat_map(|(_, codes)| *codes) {
        if d.verdict.findings().iter().any(|f| f.code.name() == *code) {
            wrong.push(format!("{}: told {code}", built.host));
        }
    }
    // Each cause comes with its evidence and what to do.
    let bare = |f: &&Finding| f.evidence.is_empty() || f.remedy.is_empty();
    if let Some(root) = d.verdict.root_finding().filter(bare) {
        wrong.push(format!(
            "{}: {root:?} lacks its evidence or remedy",
            built.host
        ));
    }
    wrong
}

#[tokio::test(flavor = "multi_thread")]
async fn each_flaw_of_a_builder_or_a_set_is_told_by_its_code() {
    let in_order = |host: &str| BUILT.iter().any(|b| b.host == host && b.flaw.is_none());
    assert!(NEAR.iter().all(|(host, _)| in_order(host)));
    let world = Arc::new(World::start().await);
    let wrong = complaints(BUILT.iter(), |built: &'static Built| {
        let world = world.clone();
        async move { against(built, &world.check(built).await) }
    })
    .await;
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    world.pool.close().await;
}
