//! Documents made to hurt, as large as is read: the worst time and memory of parsing and judging
//! one.

#[path = "../../verdict/tests/hostile/documents.rs"]
mod documents;

use crate::report::say;
use anyhow::{Context, Result};
use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_standards::html::{Document, MOST_BYTES};
use newtfern_verdict::chain::{Case, diagnose};
use std::time::Instant;

/// Judges each as the page of a visit, as it came and as it stood at the end.
///
/// # Errors
/// Where a profile of the stand-ins cannot be read.
pub fn measure(supplier: &Supplier) -> Result<()> {
    let snippet = supplier.snippet_for("mill-live");
    let host = supplier.recognise.script_hosts.first();
    let bait = documents::Bait {
        host: host.context("the supplier has no host")?,
        marker: "brindleStart(",
        snippet: &snippet,
    };
    let rivals = [Supplier::from_toml(newtfern_standins::rival_profile())?];
    let manager = ConsentManager::from_toml(newtfern_standins::consent_profile())?;
    let mut rows: Vec<(f64, f64, &str, bool)> = Vec::new();
    let mut most_mb: f64 = 0.0;
    for (name, text) in documents::all(&bait, MOST_BYTES) {
        forget_peak();
        let before = crate::report::peak_mb();
        let began = Instant::now();
        let cut = Document::parse(&text).cut;
        let parsed = began.elapsed().as_secs_f64();
        let visits = [documents::seen(text)];
        let began = Instant::now();
        diagnose(&Case {
            supplier,
            rivals: &rivals,
            key: Some("mill-live"),
            expect: Expect::Present,
            consent: Some(&manager),
            visits: &visits,
            asides: &[],
            siblings: &[],
        });
        rows.push((began.elapsed().as_secs_f64(), parsed, name, cut));
        most_mb = most_mb.max(crate::report::peak_mb() - before);
    }
    rows.sort_by(|a, b| b.0.total_cmp(&a.0));
    say(&format!(
        "hostile: {} documents of {} MB, at most {most_mb:.0} MB beyond the document for one",
        rows.len(),
        MOST_BYTES / 1_000_000
    ));
    for (judged, parsed, name, cut) in rows.iter().take(8) {
        let left = if *cut { ", left at a bound" } else { "" };
        say(&format!(
            "  {name:<44} judged {judged:5.2} s, parsed once {parsed:5.2} s{left}"
        ));
    }
    Ok(())
}

/// Begins counting the peak anew (proc(5), clear_refs).
fn forget_peak() {
    let _ = std::fs::write("/proc/self/clear_refs", "5");
}
