//! Whole sites by the command line: `check --site`, `survey`, `derive`, against a site of many
//! pages whose widget comes from the stand-in supplier. No database is there, and none is needed.
#![allow(clippy::unwrap_used)]

use crate::many_pages::{Bench, KEY};
use serde_json::Value;

fn row<'a>(told: &'a Value, path: &str) -> &'a Value {
    let rows = told["pages"].as_array().unwrap();
    let is = |r: &&Value| url::Url::parse(r["url"].as_str().unwrap()).unwrap().path() == path;
    rows.iter()
        .find(is)
        .unwrap_or_else(|| panic!("no row of {path}: {told:#}"))
}

#[tokio::test(flavor = "multi_thread")]
async fn each_page_of_a_site_is_told_with_what_should_be_there() {
    let bench = Bench::start().await;
    let (code, told) = bench
        .check(&["--pages", "8", "--junit", "report.xml", "--har", "har"])
        .await;
    assert_eq!(
        (code, told["outcome"].as_str()),
        (1, Some("broken")),
        "{told:#}"
    );
    for (path, kind, expected, seen, root) in [
        ("/", "home", "present", "present", None),
        ("/shop/", "listing", "present", "present", None),
        ("/about", "other", "present", "present", None),
        (
            "/shop/kestrel",
            "item",
            "present",
            "absent",
            Some("placed.other-page"),
        ),
        (
            "/shop/merlin",
            "item",
            "present",
            "absent",
            Some("placed.other-page"),
        ),
        (
            "/news/first-flight",
            "article",
            "present",
            "damaged",
            Some("placed.commented"),
        ),
        (
            "/legal/privacy",
            "legal",
            "absent",
            "present",
            Some("placed.unexpected"),
        ),
        ("/gone", "other", "present", "unknown", None),
    ] {
        let r = row(&told, path);
        let all = (
            r["kind"].as_str(),
            r["expected"].as_str(),
            r["seen"].as_str(),
            r["root"].as_str(),
        );
        assert_eq!(
            all,
            (Some(kind), Some(expected), Some(seen), root),
            "{path}: {told:#}"
        );
        assert_eq!(r["visited"], path != "/gone", "{path}");
    }
    assert_eq!(
        row(&told, "/shop/merlin")["template"],
        row(&told, "/shop/kestrel")["template"]
    );
    assert_eq!(
        told["coverage"],
        serde_json::json!({"expected": 8, "right": 3, "unknown": 1})
    );
    // The kind with most broken pages gives the root.
    assert_eq!(told["root"], "placed.other-page");
    let codes: Vec<&str> = told["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(|f| f["code"].as_str())
        .collect();
    for code in [
        "placed.commented",
        "placed.unexpected",
        "pages.missing",
        "pages.not-reached",
    ] {
        assert!(codes.contains(&code), "{code}: {codes:?}");
    }
    let asked = bench.asked.lock().unwrap().clone();
    assert!(
        asked.iter().all(|(path, _)| !path.starts_with("/shut")),
        "robots.txt was not heeded: {asked:?}"
    );
    let ours = |path: &str| {
        asked
            .iter()
            .filter(|(p, agent)| p == path && agent.starts_with("newtfern/"))
            .count()
    };
    // Each page once under our own name; the browser goes as a browser.
    assert_eq!(
        (ours("/shop/kestrel"), ours("/maps.xml"), ours("/about")),
        (1, 1, 1)
    );
    assert!(
        told["not_looked_at"]
            .to_string()
            .contains("robots.txt asks programs to stay away")
    );
    let report = std::fs::read_to_string(bench.file("report.xml")).unwrap();
    assert!(
        report.contains("tests=\"8\" failures=\"4\"") && report.contains("skipped=\"1\""),
        "{report}"
    );
    let archives = std::fs::read_dir(bench.file("har")).unwrap().count();
    assert_eq!(
        archives, 8,
        "two of the first page, one of each of six more"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn what_did_not_fit_into_the_time_is_told_and_never_a_cause() {
    let bench = Bench::start().await;
    // The first page is always visited; then nothing is left.
    let (code, told) = bench.check(&["--pages", "4", "--limit", "1"]).await;
    let right = told["outcome"] == "working";
    assert!(right && code == 0, "{told:#}");
    assert!(
        told["pages"]
            .as_array()
            .unwrap()
            .iter()
            .skip(1)
            .all(|p| p["visited"] == false && p["root"].is_null())
    );
    // One page: no other is asked for.
    bench.asked.lock().unwrap().clear();
    let (code, told) = bench.check(&[]).await;
    assert_eq!(
        (code, told["pages"].as_array().unwrap().len()),
        (0, 1),
        "{told:#}"
    );
    assert_eq!(told["pages"][0]["kind"], "home");
    assert!(
        bench
            .asked
            .lock()
            .unwrap()
            .iter()
            .all(|(path, _)| path != "/robots.txt")
    );
    let working = told["coverage"] == serde_json::json!({"expected": 1, "right": 1, "unknown": 0});
    assert!(working, "{told:#}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_site_that_should_have_none_and_faults_that_count() {
    let bench = Bench::start().await;
    std::fs::write(
        bench.file("site.toml"),
        format!("address = '{}'", bench.address()),
    )
    .unwrap();
    let (code, told) = bench.check(&[]).await;
    assert_eq!(
        (code, told["root"].as_str()),
        (1, Some("placed.unexpected")),
        "{told:#}"
    );
    let told = told["findings"][0]["summary"].to_string();
    assert!(told.contains("Brindle"), "{told}");
}

/// Where robots.txt cannot be had because the server fails, and where the address leads to another
/// site, nothing else is looked at, and that is told.
#[tokio::test(flavor = "multi_thread")]
async fn a_site_that_is_shut_or_elsewhere_is_looked_at_by_its_address_alone() {
    let bench = Bench::start().await;
    for (site, why) in [
        ("shut", "robots.txt could not be loaded (status 503)"),
        ("gone", "which is another site"),
    ] {
        bench.asked.lock().unwrap().clear();
        let address = format!("http://{site}.localhost:{}/", bench.port);
        let args = [
            "survey",
            &address,
            "--pages",
            "5",
            "--allow-private",
            "--json",
        ];
        let output = bench.run(&args, "").await;
        let told: Value = serde_json::from_slice(&output.stdout).unwrap();
        assert_eq!(told["pages"].as_array().unwrap().len(), 1, "{told:#}");
        assert!(told["kept_out"].to_string().contains(why), "{told:#}");
        let asked = bench.asked.lock().unwrap().clone();
        assert!(
            asked
                .iter()
                .all(|(path, _)| path == "/" || path == "/robots.txt"),
            "{asked:?}"
        );
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn mistakes_in_files_are_told_and_nothing_is_checked() {
    let bench = Bench::start().await;
    let error = |told: &Value| told["error"].as_str().unwrap_or_default().to_string();
    for (change, words) in [
        ("key = 'x'\nkeys = 'y'", "keys"),
        (
            "supplier = 'brindel'",
            "the nearest is \u{201c}brindle\u{201d}",
        ),
        (
            "consent = 'hedgegate'",
            "no consent manager \u{201c}hedgegate\u{201d}",
        ),
        (
            "platform = 'tarnwerk'",
            "the nearest is \u{201c}tarnwork\u{201d}",
        ),
    ] {
        let head = format!("address = '{}'\n", bench.address());
        let text = match change.starts_with("consent") || change.starts_with("platform") {
            true => format!("{head}{change}"),
            false => format!(
                "{head}[[widget]]\n{change}\n{}",
                if change.starts_with("key") {
                    "supplier = 'brindle'"
                } else {
                    ""
                }
            ),
        };
        std::fs::write(bench.file("site.toml"), text).unwrap();
        let (code, told) = bench.check(&[]).await;
        assert_eq!((code, told["outcome"].as_str()), (2, Some("unchecked")));
        assert!(error(&told).contains(words), "{change}: {told:#}");
    }
    let (code, told) = bench.check(&["--pages", "0"]).await;
    assert_eq!((code, told["outcome"].as_str()), (2, Some("unchecked")));
    assert!(error(&told).contains("--pages"), "{told:#}");
    // A second supplier of the same id: both files are named.
    std::fs::copy(
        bench.file("profiles/quoin.toml"),
        bench.file("profiles/deep/quoin-2.toml"),
    )
    .unwrap();
    let (code, told) = bench.check(&[]).await;
    assert_eq!(code, 2);
    assert!(
        error(&told).contains("quoin.toml") && error(&told).contains("quoin-2.toml"),
        "{told:#}"
    );
    assert!(bench.asked.lock().unwrap().is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_survey_tells_what_is_there_and_writes_it_as_an_expectation() {
    let bench = Bench::start().await;
    let address = bench.address();
    let args = [
        "survey",
        &address,
        "--profiles",
        "profiles",
        "--pages",
        "8",
        "--allow-private",
        "--json",
        "--write",
        "found.toml",
        "--contact",
        "https://fenwick.example/contact",
    ];
    let output = bench.run(&args, "").await;
    let told: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(output.status.code(), Some(0), "{told:#}");
    assert_eq!(told["platform"]["id"], "tarnwork");
    assert_eq!(told["languages"], serde_json::json!(["en"]));
    let widget = &told["widgets"][0];
    assert_eq!(
        (widget["supplier"].as_str(), widget["key"].as_str()),
        (Some("brindle"), Some(KEY)),
        "{told:#}"
    );
    assert_eq!(
        (widget["pages"].as_u64(), widget["runs"].as_u64()),
        (Some(5), Some(4))
    );
    assert_eq!(widget["states"], serde_json::json!(["in a comment"]));
    assert_eq!(told["pages"].as_array().unwrap().len(), 8);
    assert!(told["kept_out"].to_string().contains("/shut/x"), "{told:#}");
    let agents = bench.asked.lock().unwrap().clone();
    assert!(
        agents
            .iter()
            .all(|(_, a)| a.ends_with("(+https://fenwick.example/contact)")),
        "{agents:?}"
    );
    let found = std::fs::read_to_string(bench.file("found.toml")).unwrap();
    let found = newtfern_model::expectation::Expectation::read(&found).unwrap();
    assert_eq!(
        (
            found.widgets[0].supplier.as_str(),
            found.widgets[0].key.as_str()
        ),
        ("brindle", KEY)
    );
    // For people, and for an address that cannot be had.
    let words = bench
        .run(
            &[
                "survey",
                &address,
                "--profiles",
                "profiles",
                "--allow-private",
            ],
            "",
        )
        .await;
    let words = String::from_utf8_lossy(&words.stdout).into_owned();
    assert!(
        words.contains("Widget: Brindle, key gustkites-live"),
        "{words}"
    );
    let refused = bench.run(&["survey", &address, "--json"], "").await;
    assert_eq!(refused.status.code(), Some(2));
    let refused: Value = serde_json::from_slice(&refused.stdout).unwrap();
    assert!(
        refused["error"]
            .as_str()
            .unwrap()
            .contains("--allow-private")
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pasted_snippet_gives_a_profile_that_a_check_can_use() {
    let bench = Bench::start().await;
    let supplier = newtfern_standins::supplier_profile(bench.standins.port);
    let snippet = newtfern_model::profile::Supplier::from_toml(&supplier)
        .unwrap()
        .snippet_for(KEY);
    let output = bench
        .run(
            &["derive"],
            &format!("Here it is: {}", snippet.replace('"', "\u{201d}")),
        )
        .await;
    let profile = String::from_utf8(output.stdout).unwrap();
    assert_eq!(output.status.code(), Some(0), "{profile}");
    assert!(profile.contains(&format!("key = \"{KEY}\"")), "{profile}");
    std::fs::write(bench.file("derived.toml"), &profile).unwrap();
    let output = bench
        .run(
            &[
                "check",
                &bench.address(),
                "--supplier",
                "derived.toml",
                "--key",
                KEY,
                "--json",
                "--allow-private",
                "--viewport",
                "desktop",
            ],
            "",
        )
        .await;
    let told: Value = serde_json::from_slice(&output.stdout).unwrap();
    // It has no sign of life yet: nothing is claimed of what was not looked for.
    assert_eq!(told["outcome"], "unchecked", "{told:#}");
    let why = "the profile has no entry for it";
    assert!(told["not_looked_at"].to_string().contains(why), "{told:#}");
    std::fs::write(bench.file("snippet.html"), &snippet).unwrap();
    let from_file = bench.run(&["derive", "snippet.html"], "").await;
    assert_eq!(from_file.status.code(), Some(0));
    let nothing = bench.run(&["derive"], "hello").await;
    assert_eq!(nothing.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&nothing.stderr).contains("no code"));
}
