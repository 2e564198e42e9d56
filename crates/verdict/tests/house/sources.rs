//! The sources of all rooms.

use std::path::{Path, PathBuf};

/// The folder of all rooms.
pub fn rooms() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .parent()
        .unwrap()
        .to_path_buf()
}

/// All rooms but the benchmarks', by their folders.
pub fn names() -> Vec<String> {
    let mut names: Vec<String> = std::fs::read_dir(rooms())
        .unwrap()
        .flatten()
        .filter(|e| e.path().join("Cargo.toml").exists())
        .map(|e| e.file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}

fn within(folder: &Path, kind: &str, out: &mut Vec<PathBuf>) {
    let Ok(entries) = std::fs::read_dir(folder) else {
        return;
    };
    for entry in entries.flatten() {
        let path = entry.path();
        if path.is_dir() {
            within(&path, kind, out);
        } else if path.extension().is_some_and(|e| e == kind) {
            out.push(path);
        }
    }
}

/// All files of a kind in the rooms, tests and templates among them.
pub fn everything(extension: &str) -> Vec<PathBuf> {
    let mut all = Vec::new();
    for room in names() {
        for folder in ["src", "tests", "templates", "benches"] {
            within(&rooms().join(&room).join(folder), extension, &mut all);
        }
    }
    all.sort();
    all
}

/// Sources of a room, its unit tests left out.
pub fn of(room: &str) -> Vec<PathBuf> {
    let mut all = Vec::new();
    within(&rooms().join(room).join("src"), "rs", &mut all);
    all.retain(|path| {
        let path = path.to_string_lossy();
        !path.ends_with("tests.rs") && !path.contains("/tests/") && !path.ends_with("testing.rs")
    });
    all.sort();
    all
}

/// Whether an item is there for tests only.
pub fn is_test(attributes: &[syn::Attribute]) -> bool {
    attributes.iter().any(|a| {
        let is_cfg = |l: &syn::MetaList| l.path.is_ident("cfg") && l.tokens.to_string() == "test";
        a.path().is_ident("test") || matches!(&a.meta, syn::Meta::List(l) if is_cfg(l))
    })
}
