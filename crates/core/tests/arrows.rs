//! The core depends on no runtime, database, web or HTTP crate, directly or through another.
#![allow(clippy::disallowed_methods)] // tests may read files and run cargo

use std::process::Command;

const BANNED: &[&str] = &[
    "tokio",
    "sqlx",
    "axum",
    "hyper",
    "reqwest",
    "askama",
    "tower",
    "object_store",
    "async-std",
    "futures-util",
    "rand",
    "tracing",
    "newtfern-probe",
    "newtfern-store",
    "newtfern-web",
    "newtfern-standins",
];

#[test]
fn the_core_depends_on_no_io() {
    let output = Command::new(env!("CARGO"))
        .args([
            "tree",
            "-p",
            "newtfern-core",
            "-e",
            "normal",
            "--prefix",
            "none",
            "--format",
            "{p}",
            "--locked",
            "--offline",
        ])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .expect("cargo runs");
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    let text = String::from_utf8_lossy(&output.stdout);
    let names: Vec<&str> = text
        .lines()
        .filter_map(|l| l.split_whitespace().next())
        .collect();
    assert!(
        names.contains(&"html5ever"),
        "the list holds too little to mean anything: {names:?}"
    );
    let bad: Vec<&&str> = names.iter().filter(|n| BANNED.contains(n)).collect();
    assert!(bad.is_empty(), "the core reaches {bad:?}");
}
