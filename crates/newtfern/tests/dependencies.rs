//! What we depend on, read from cargo's own metadata: licences that allow what we do, no crate that
//! a room names and does not use, no second version of a crate that is not listed here.
#![allow(clippy::unwrap_used)]

use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::process::Command;

/// Licences under which a program may be shipped with its notices kept (SPDX identifiers); MPL-2.0
/// asks that changed files of those crates stay open, and none is changed.
const ALLOWED: &[&str] = &[
    "0BSD",
    "Apache-2.0",
    "BSD-2-Clause",
    "BSD-3-Clause",
    "BSL-1.0",
    "ISC",
    "MIT",
    "MPL-2.0",
    "Unicode-3.0",
    "Unlicense",
    "Zlib",
];

/// Crates that are there in two versions because two of our dependencies ask for different ones.
const TWICE: &[&str] = &[
    "async-channel",
    "base64",
    "block-buffer",
    "cpufeatures",
    "crypto-common",
    "digest",
    "event-listener",
    "getrandom",
    "hashbrown",
    "miniz_oxide",
    "nom",
    "phf",
    "phf_codegen",
    "phf_generator",
    "phf_macros",
    "phf_shared",
    "rand",
    "rand_core",
    "sha1",
    "sha2",
    "spin",
    "syn",
    "synstructure",
    "thiserror",
    "thiserror-impl",
    "winnow",
];

fn metadata() -> Value {
    let output = Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--locked", "--offline"])
        .args(["--filter-platform", "x86_64-unknown-linux-gnu"])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .unwrap();
    let error = String::from_utf8_lossy(&output.stderr).into_owned();
    serde_json::from_slice(&output.stdout).unwrap_or_else(|e| panic!("{e}: {error}"))
}

/// One of the choices must be allowed, in each part that is joined by "and". Good enough for the
/// SPDX expressions that crates use: brackets only group choices.
fn allows(expression: &str) -> bool {
    expression.split(" AND ").all(|part| {
        let choices = part.split(" OR ").flat_map(|c| c.split('/'));
        choices
            .map(|c| c.trim_matches(['(', ')', ' ']))
            .any(|c| ALLOWED.contains(&c))
    })
}

#[test]
fn every_licence_allows_what_we_do() {
    assert!(allows("MIT OR GPL-3.0") && !allows("GPL-3.0") && !allows("MIT AND GPL-3.0"));
    let all = metadata();
    let packages = all["packages"].as_array().unwrap();
    assert!(packages.len() > 100);
    let refused: Vec<_> = packages
        .iter()
        .filter(|p| !allows(p["license"].as_str().unwrap_or("none")))
        .map(|p| format!("{}: {}", p["name"], p["license"]))
        .collect();
    assert!(refused.is_empty(), "{refused:#?}");
}

#[test]
fn no_crate_is_there_twice_without_being_listed() {
    let all = metadata();
    let mut versions: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for p in all["packages"].as_array().unwrap() {
        let name = p["name"].as_str().unwrap();
        versions
            .entry(name)
            .or_default()
            .insert(p["version"].as_str().unwrap());
    }
    versions.retain(|_, v| v.len() > 1);
    let twice: Vec<&str> = versions.into_keys().collect();
    assert_eq!(twice, TWICE);
}

fn text_below(folder: &Path, out: &mut String) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() {
            text_below(&path, out);
        } else if path.extension().is_some_and(|e| e == "rs") {
            *out += &std::fs::read_to_string(&path).unwrap();
        }
    }
}

#[test]
fn every_dependency_of_ours_is_used() {
    let all = metadata();
    let mut unused = Vec::new();
    let ours = |p: &&Value| p["source"].is_null();
    for p in all["packages"].as_array().unwrap().iter().filter(ours) {
        let folder = Path::new(p["manifest_path"].as_str().unwrap())
            .parent()
            .unwrap();
        let (mut source, mut tests) = (String::new(), String::new());
        text_below(&folder.join("src"), &mut source);
        text_below(&folder.join("tests"), &mut tests);
        for d in p["dependencies"].as_array().unwrap() {
            let name = d["name"].as_str().unwrap().replace('-', "_");
            let used = source.contains(&name) || d["kind"] == "dev" && tests.contains(&name);
            if !used {
                unused.push(format!("{}: {name}", p["name"]));
            }
        }
    }
    assert!(unused.is_empty(), "{unused:#?}");
}
