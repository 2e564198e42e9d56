//! Documents made to hurt: each is answered, and where it was not read to its end, nothing is said
//! of what it may hold. How long that takes is the bench's question (`./run bench hostile`).
#![allow(clippy::unwrap_used)]

#[path = "hostile/documents.rs"]
mod documents;

use documents::{Bait, seen};
use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_standards::html::{Document, MOST_NODES};
use newtfern_standards::observation::Observation;
use newtfern_standards::policy::Policies;
use newtfern_verdict::chain::{Case, Diagnosis, Outcome, diagnose};

fn supplier() -> Supplier {
    Supplier::from_toml(include_str!("recorded/brindle.toml")).unwrap()
}

fn bait(snippet: &str) -> Bait<'_> {
    Bait {
        host: "cdn.brindle.localhost",
        marker: "brindleStart(",
        snippet,
    }
}

fn judged(visit: Observation) -> Diagnosis {
    let manager = ConsentManager::from_toml(include_str!("recorded/hedgegate.toml")).unwrap();
    diagnose(&Case {
        supplier: &supplier(),
        rivals: &[Supplier::from_toml(include_str!("recorded/quoin.toml")).unwrap()],
        key: Some("mill-live"),
        expect: Expect::Present,
        consent: Some(&manager),
        visits: &[visit],
        asides: &[],
        siblings: &[],
    })
}

#[test]
fn every_hostile_document_is_answered() {
    let snippet = supplier().snippet_for("mill-live");
    let mut names = std::collections::HashSet::new();
    for (name, text) in documents::all(&bait(&snippet), 12_000) {
        assert!(names.insert(name), "{name} twice");
        let document = Document::parse(&text);
        assert!(document.nodes.len() < 2 * MOST_NODES, "{name}");
        let visit = seen(text);
        assert!(Policies::of(&visit.page).is_some(), "{name}");
        let d = judged(visit);
        assert_ne!(d.verdict.outcome(), Outcome::Working, "{name}");
        if d.verdict.outcome() == Outcome::Broken {
            let root = d.verdict.root_finding().unwrap();
            assert!(
                !root.evidence.is_empty() && !root.remedy.is_empty(),
                "{name}: {root:?}"
            );
        }
    }
    assert!(names.len() >= 60, "{}", names.len());
}

/// What was not read may hold the snippet: its absence is not told.
#[test]
fn a_document_beyond_bounds_is_undecided_not_without_snippet() {
    let attributes: String = (0..4_000).map(|i| format!(" a{i}")).collect();
    let snippet = supplier().snippet_for("mill-live");
    let text = format!("<!-- cdn.brindle.localhost --><p{attributes}>{snippet}");
    assert!(Document::parse(&text).cut);
    let d = judged(seen(text));
    assert_eq!(
        (d.verdict.outcome(), d.verdict.root()),
        (Outcome::Unchecked, None),
        "{d:?}"
    );
    let why = &d.verdict.not_looked_at()[0].why;
    assert!(why.contains("exceeds the limit"), "{why}");
}
