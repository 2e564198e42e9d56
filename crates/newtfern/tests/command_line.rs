//! The command line as people and scripts use it: the program itself is run against the stand-ins,
//! and its exit codes and JSON are read. No database is there, and none is needed.
#![allow(clippy::unwrap_used)]

use newtfern_standins::Standins;
use newtfern_standins::estate::{Fault, SITES, Site};
use serde_json::Value;
use std::path::PathBuf;
use std::process::Output;

struct Bench {
    standins: Standins,
    folder: tempfile::TempDir,
}

impl Bench {
    async fn start() -> Bench {
        let standins = Standins::start(0, None).await.unwrap();
        let folder = tempfile::tempdir().unwrap();
        let bench = Bench { standins, folder };
        std::fs::write(
            bench.file("brindle.toml"),
            newtfern_standins::supplier_profile(bench.standins.port),
        )
        .unwrap();
        std::fs::write(
            bench.file("hedgegate.toml"),
            newtfern_standins::consent_profile(),
        )
        .unwrap();
        bench
    }

    fn file(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    fn address(&self, site: &Site) -> String {
        site.address(self.standins.port)
    }

    /// Runs the program in the folder of the profiles, without anything of ours in its environment.
    async fn run(&self, args: &[&str]) -> Output {
        let mut command = tokio::process::Command::new(env!("CARGO_BIN_EXE_newtfern"));
        command.args(args).current_dir(self.folder.path());
        for name in [
            "NEWTFERN_DATABASE",
            "NEWTFERN_TEST_DATABASE",
            "NEWTFERN_FOLDER",
        ] {
            command.env_remove(name);
        }
        command.output().await.unwrap()
    }

    async fn check(&self, url: &str, more: &[&str]) -> (i32, Value) {
        let args = [
            &["check", url, "--supplier", "brindle.toml", "--json"],
            more,
        ]
        .concat();
        let output = self.run(&args).await;
        let parsed = serde_json::from_slice(&output.stdout);
        (
            output.status.code().unwrap(),
            parsed.unwrap_or_else(|e| {
                panic!(
                    "{e}: {}{}",
                    String::from_utf8_lossy(&output.stdout),
                    String::from_utf8_lossy(&output.stderr)
                )
            }),
        )
    }
}

fn with(fault: Fault) -> &'static Site {
    SITES.iter().find(|s| s.fault == Some(fault)).unwrap()
}

fn healthy(banner: bool) -> &'static Site {
    SITES
        .iter()
        .find(|s| s.fault.is_none() && s.banner == banner)
        .unwrap()
}

fn codes(d: &Value) -> Vec<&str> {
    d["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(|f| f["code"].as_str())
        .collect()
}

const LINKS: [&str; 8] = [
    "delivered",
    "placed",
    "allowed",
    "fetched",
    "ran",
    "started",
    "shown",
    "usable",
];

#[tokio::test(flavor = "multi_thread")]
async fn a_check_prints_the_contracts_object_and_ends_with_its_code() {
    // Long for the object that it goes through field by field.
    let bench = Bench::start().await;
    let site = healthy(false);
    let (code, d) = bench
        .check(
            &bench.address(site),
            &["--allow-private", "--key", &site.key()],
        )
        .await;
    assert_eq!(
        (code, d["outcome"].as_str(), d["root"].is_null()),
        (0, Some("working"), true),
        "{d}"
    );
    let fields: Vec<&str> = d.as_object().unwrap().keys().map(String::as_str).collect();
    assert_eq!(
        fields,
        [
            "url",
            "final_url",
            "outcome",
            "root",
            "chain",
            "findings",
            "not_looked_at"
        ]
    );
    let links: Vec<&str> = d["chain"]
        .as_array()
        .unwrap()
        .iter()
        .map(|l| l["link"].as_str().unwrap())
        .collect();
    assert_eq!(links, LINKS);
    assert!(
        d["chain"]
            .as_array()
            .unwrap()
            .iter()
            .all(|l| l["state"] == "holds")
    );

    // The same page judged against another key, and against the wish that nothing be there.
    let (code, d) = bench
        .check(
            &bench.address(site),
            &[
                "--allow-private",
                "--key",
                "other-live-key",
                "--viewport",
                "desktop",
            ],
        )
        .await;
    assert_eq!(
        (code, d["outcome"].as_str(), d["root"].as_str()),
        (1, Some("broken"), Some("placed.wrong-key"))
    );
    let finding = d["findings"]
        .as_array()
        .unwrap()
        .iter()
        .find(|f| f["code"] == "placed.wrong-key")
        .unwrap();
    let fields: Vec<&str> = finding
        .as_object()
        .unwrap()
        .keys()
        .map(String::as_str)
        .collect();
    assert_eq!(
        fields,
        [
            "code",
            "severity",
            "link",
            "summary",
            "evidence",
            "remedy",
            "candidates"
        ]
    );
    assert_eq!(finding["link"], "placed");
    assert!(
        !finding["evidence"].as_array().unwrap().is_empty()
            && !finding["remedy"].as_str().unwrap().is_empty()
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_wanted_decides_what_is_right() {
    let bench = Bench::start().await;
    let absent = with(Fault::Absent);
    let private = ["--allow-private", "--viewport", "desktop"];
    let (code, d) = bench.check(&bench.address(absent), &private).await;
    assert_eq!((code, d["root"].as_str()), (1, Some("placed.absent")));
    let (code, d) = bench
        .check(
            &bench.address(absent),
            &[&private[..], &["--expect", "absent"]].concat(),
        )
        .await;
    assert_eq!(
        (code, d["outcome"].as_str(), d["root"].is_null()),
        (0, Some("as_intended"), true),
        "{d}"
    );

    let waits = healthy(true);
    let key = waits.key();
    let consent = [
        &private[..],
        &["--consent", "hedgegate.toml", "--key", &key],
    ]
    .concat();
    let (code, d) = bench.check(&bench.address(waits), &consent).await;
    assert_eq!(
        (
            code,
            d["outcome"].as_str(),
            codes(&d).contains(&"allowed.consent-waits")
        ),
        (0, Some("as_intended"), true),
        "{d}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn what_cannot_be_checked_is_unchecked_and_what_cannot_be_had_is_broken() {
    // Long for its table of cases.
    let bench = Bench::start().await;
    let site = bench.address(healthy(false));
    for (args, words) in [
        (
            &[site.as_str(), "--supplier", "brindle.toml", "--json"][..],
            "--allow-private",
        ),
        (
            &["http://10.0.0.1/", "--supplier", "brindle.toml", "--json"],
            "--allow-private",
        ),
        (
            &["not an address", "--supplier", "brindle.toml", "--json"],
            "address",
        ),
        (
            &[
                site.as_str(),
                "--supplier",
                "none.toml",
                "--allow-private",
                "--json",
            ],
            "none.toml",
        ),
        (
            &[
                site.as_str(),
                "--supplier",
                "brindle.toml",
                "--consent",
                "none.toml",
                "--allow-private",
                "--json",
            ],
            "none.toml",
        ),
        (
            &[
                site.as_str(),
                "--supplier",
                "brindle.toml",
                "--ca",
                "none.pem",
                "--allow-private",
                "--json",
            ],
            "--ca",
        ),
    ] {
        let output = bench.run(&[&["check"], args].concat()).await;
        let d: Value = serde_json::from_slice(&output.stdout).unwrap();
        assert_eq!(
            (output.status.code(), d["outcome"].as_str()),
            (Some(2), Some("unchecked")),
            "{args:?}: {d}"
        );
        assert!(
            d["findings"][0]["summary"]
                .as_str()
                .unwrap()
                .contains(words),
            "{args:?}: {d}"
        );
    }
    // Bad arguments are told before anything is looked at.
    for args in [
        &["check"][..],
        &["check", &site],
        &[
            "check",
            &site,
            "--supplier",
            "brindle.toml",
            "--viewport",
            "watch",
        ],
        &["polish"],
    ] {
        assert_eq!(bench.run(args).await.status.code(), Some(2), "{args:?}");
    }
    let (code, d) = bench
        .check("http://nowhere.tidemill.test/", &["--viewport", "phone"])
        .await;
    assert_eq!(
        (code, d["outcome"].as_str(), d["root"].as_str()),
        (1, Some("broken"), Some("delivered.dns"))
    );
    assert_eq!(
        d["chain"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|l| l["state"] == "not_reached")
            .count(),
        LINKS.len() - 1
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_check_for_people_says_what_where_and_what_to_do() {
    let bench = Bench::start().await;
    let output = bench
        .run(&[
            "check",
            &bench.address(with(Fault::AsText)),
            "--supplier",
            "brindle.toml",
            "--allow-private",
            "--viewport",
            "desktop",
        ])
        .await;
    let text = String::from_utf8(output.stdout).unwrap();
    for words in [
        "placed     broken",
        "allowed    not reached",
        "placed.as-text",
        "To do: ",
    ] {
        assert!(
            text.contains(words),
            "no \u{201c}{words}\u{201d} in:\n{text}"
        );
    }
    assert_eq!(output.status.code(), Some(1));
}

/// The widget of this site keeps the thread busy on purpose: it must be found over a small budget,
/// with the time told apart from the page's own.
#[tokio::test(flavor = "multi_thread")]
async fn a_weigh_in_prints_the_contracts_object() {
    // Long for the object that it goes through field by field.
    let bench = Bench::start().await;
    let site = with(Fault::Heavy);
    let url = bench.address(site);
    let output = bench
        .run(&[
            "weigh",
            &url,
            "--supplier",
            "brindle.toml",
            "--key",
            &site.key(),
            "--pairs",
            "2",
            "--seed",
            "7",
            "--budget-ms",
            "3",
            "--allow-private",
            "--json",
        ])
        .await;
    assert_eq!(
        output.status.code(),
        Some(0),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    let w: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(
        (
            w["url"].as_str(),
            w["pairs"].as_u64(),
            w["seed"].as_u64(),
            w["budget_ms"].as_f64()
        ),
        (Some(url.as_str()), Some(2), Some(7), Some(3.0))
    );
    let fields: Vec<&str> = w.as_object().unwrap().keys().map(String::as_str).collect();
    for field in [
        "url",
        "pairs",
        "seed",
        "own",
        "page",
        "budget_ms",
        "verdict",
    ] {
        assert!(
            fields.contains(&field),
            "{field} is missing from {fields:?}"
        );
    }
    for measure in ["thread_ms", "wall_ms"] {
        let centre = |part: &str| w["own"][measure][part].as_f64().unwrap();
        assert!(
            centre("low") <= centre("median")
                && centre("median") <= centre("high")
                && centre("low") > 3.0,
            "{w}"
        );
    }
    // The loader, the settings, the frame: more than one request, and more than nothing on the
    // wire.
    assert!(
        w["own"]["requests"].as_u64().unwrap() >= 2 && w["own"]["bytes"].as_u64().unwrap() > 500,
        "{w}"
    );
    // Fewer than six pairs carry no interval of 95 % (the signed-rank distribution): nothing is
    // claimed.
    for measure in ["tbt_ms", "lcp_ms", "load_ms"] {
        assert!(w["page"][measure].is_null(), "{measure}: {w}");
    }
    assert_eq!(w["verdict"], "over");

    let wrong = bench
        .run(&[
            "weigh",
            &url,
            "--supplier",
            "brindle.toml",
            "--key",
            "other-live-key",
            "--allow-private",
            "--json",
        ])
        .await;
    assert_eq!(wrong.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&wrong.stderr).contains(&site.key()));
    for args in [
        &["--pairs", "1"][..],
        &["--pairs", "many"],
        &["--budget-ms", "-2"],
        &["--budget-ms", "inf"],
    ] {
        let output = bench
            .run(
                &[
                    &[
                        "weigh",
                        &url,
                        "--supplier",
                        "brindle.toml",
                        "--allow-private",
                    ],
                    args,
                ]
                .concat(),
            )
            .await;
        assert_eq!(output.status.code(), Some(2), "{args:?}");
    }
}
