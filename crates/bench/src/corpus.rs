//! Pages nobody here wrote: how fast documents are inspected, beside a parser that only counts
//! elements.

use crate::report::say;
use anyhow::Result;
use newtfern_model::placement::Inspector;
use newtfern_model::profile::Supplier;
use std::path::{Path, PathBuf};
use std::time::Instant;
use url::Url;

/// HTML files below a folder: Debian's documentation packages, or NEWTFERN_CORPUS.
fn pages() -> Vec<PathBuf> {
    let named = std::env::var_os("NEWTFERN_CORPUS").map(PathBuf::from);
    let folders = named.into_iter().chain(
        [
            "/usr/share/doc/postgresql-doc-15/html",
            "/usr/share/doc/python3.11/html",
            "/usr/share/doc",
        ]
        .map(PathBuf::from),
    );
    for folder in folders {
        let mut found = Vec::new();
        collect(&folder, &mut found, 0);
        if found.len() >= 50 {
            return found;
        }
    }
    Vec::new()
}

fn collect(folder: &Path, out: &mut Vec<PathBuf>, depth: usize) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() && depth < 4 {
            collect(&path, out, depth + 1);
        } else if path.extension().is_some_and(|e| e == "html") && out.len() < 2000 {
            out.push(path);
        }
    }
}

/// Inspects all pages with and without a snippet.
///
/// # Errors
/// Where an address of the benchmark's own is not one.
pub fn measure(supplier: &Supplier) -> Result<()> {
    let files = pages();
    if files.is_empty() {
        say(
            "corpus: no HTML documentation is installed (apt-get install postgresql-doc-15, or set \
            NEWTFERN_CORPUS)",
        );
        return Ok(());
    }
    let texts: Vec<String> = files
        .iter()
        .filter_map(|p| std::fs::read_to_string(p).ok())
        .collect();
    // A snippet in each, so that none is passed over by the first look.
    let with: Vec<String> = texts
        .iter()
        .map(|t| {
            t.replace(
                "</body>",
                &format!("{}</body>", supplier.snippet_for("bench-live")),
            )
        })
        .collect();
    let bytes: usize = with.iter().map(String::len).sum();
    let mb = bytes as f64 / 1e6;
    let page = Url::parse("https://corpus.example/")?;
    let inspector = Inspector::new(supplier, None);
    let time = |work: &mut dyn FnMut() -> usize| {
        let began = Instant::now();
        let found = work();
        (began.elapsed().as_secs_f64(), found)
    };
    let (ours, found) = time(&mut || {
        with.iter()
            .map(|t| inspector.inspect(t, &page).pieces.len())
            .sum()
    });
    let (skim, _) = time(&mut || {
        texts
            .iter()
            .map(|t| inspector.inspect(t, &page).pieces.len())
            .sum()
    });
    let (lol, scripts) = time(&mut || with.iter().map(|t| lol_scripts(t)).sum());
    say(&format!("corpus: {} pages, {mb:.1} MB", with.len()));
    say(&format!(
        "  inspection, snippet on every page   {:7.1} MB/s  ({found} found)",
        mb / ours
    ));
    say(&format!(
        "  inspection, snippet on no page      {:7.1} MB/s",
        mb / skim
    ));
    say(&format!(
        "  lol_html alone, script elements     {:7.1} MB/s  ({scripts} elements)",
        mb / lol
    ));
    Ok(())
}

fn lol_scripts(text: &str) -> usize {
    let mut n = 0;
    let settings = lol_html::RewriteStrSettings {
        element_content_handlers: vec![lol_html::element!("script", |_| {
            n += 1;
            Ok(())
        })],
        ..lol_html::RewriteStrSettings::new()
    };
    let _ = lol_html::rewrite_str(text, settings);
    n
}
