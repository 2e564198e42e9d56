//! The cores depend on no runtime, database, web or HTTP crate, directly or through another, and
//! each on those below it alone.

use super::sources::rooms;
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
fn the_cores_depend_on_no_io() {
    let output = Command::new(env!("CARGO"))
        .args([
            "tree",
            "-p",
            "newtfern-verdict",
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
    assert!(bad.is_empty(), "the cores reach {bad:?}");
}

/// From the ground up: what published standards define, what should be, what follows.
const CORES: [&str; 3] = ["standards", "model", "verdict"];

#[test]
fn each_core_leans_on_those_below_it_alone() {
    for (at, core) in CORES.iter().enumerate() {
        let path = rooms().join(core).join("Cargo.toml");
        let manifest: toml::Table = std::fs::read_to_string(path).unwrap().parse().unwrap();
        let named = ["dependencies", "dev-dependencies", "build-dependencies"]
            .into_iter()
            .filter_map(|table| manifest.get(table)?.as_table())
            .flat_map(|table| table.keys());
        let ours: Vec<&str> = named.filter_map(|n| n.strip_prefix("newtfern-")).collect();
        assert_eq!(ours.len(), at, "{core} leans on {ours:?}");
        assert!(
            ours.iter().all(|o| CORES[..at].contains(o)),
            "{core} leans on {ours:?}"
        );
    }
}
