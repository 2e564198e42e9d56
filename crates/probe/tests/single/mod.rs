//! One visit of a page that no supplier has been on, planned and judged alone: shared by the tests
//! of what pages do to a visit.
#![allow(clippy::unwrap_used)]

use newtfern_model::pages::Expect;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Condition, Observation};
use newtfern_verdict::chain::{Case, Diagnosis, diagnose};
use newtfern_verdict::visits::VisitPlan;
use url::Url;

/// A supplier that is on none of the pages; `more` are further lines of its profile.
pub fn supplier(start_within_ms: u32, more: &str) -> Supplier {
    let text = format!(
        "id='x'\nname='X'\n[recognise]\nscript_hosts=['cdn.x.test']\n[snippet]\ntemplate='<script \
        src=\"https://cdn.x.test/l.js\"></script>'\n[alive]\nscript='window.X'\nlauncher='#x'\n\
        start_within_ms={start_within_ms}\n{more}"
    );
    Supplier::from_toml(&text).unwrap()
}

/// An ordinary visit, without pictures.
pub fn plan<'a>(
    url: &'a Url,
    supplier: &'a Supplier,
    page_ms: u64,
    total_ms: u64,
) -> VisitPlan<'a> {
    VisitPlan {
        url,
        condition: Condition::default(),
        supplier,
        consent: None,
        page_ms,
        total_ms,
        pictures: false,
        delay_ms: 0,
        prompt: None,
    }
}

/// The visit judged alone.
#[allow(dead_code)] // not every test has a use for it
pub fn judged(supplier: &Supplier, seen: &Observation) -> Diagnosis {
    diagnose(&Case {
        supplier,
        rivals: &[],
        key: None,
        expect: Expect::Present,
        consent: None,
        visits: std::slice::from_ref(seen),
        asides: &[],
        siblings: &[],
    })
}
