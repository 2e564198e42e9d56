//! A site for each visitor that its expectation names: consent states, hours, viewports, by the
//! command line.
#![allow(clippy::unwrap_used)]

use crate::outside::{Outside, codes};
use serde_json::Value;

async fn outside() -> Outside {
    Outside::of(newtfern_standins::supplier_profile, KEY).await
}

const KEY: &str = "gustkites-live";

fn cell<'a>(told: &'a Value, state: &str, signal: &str) -> &'a Value {
    let cells = told["consent"]["cells"].as_array().unwrap();
    let is = |c: &&Value| c["state"] == state && c["signal"] == signal;
    cells
        .iter()
        .find(is)
        .unwrap_or_else(|| panic!("no cell {state} {signal}: {told:#}"))
}

#[tokio::test(flavor = "multi_thread")]
async fn each_consent_state_is_visited_and_told() {
    let outside = outside().await;
    let states = ["--states", "untouched,refused,granted,withdrawn,gpc"];
    let site = "country = 'GB'\nconsent = 'hedgegate'\n---";
    let at = |host: &str| format!("http://{host}.localhost:{}/", outside.standins.port);

    let good = outside
        .check(&at("wendlemill"), "wendlemill-live", site, &states)
        .await;
    let (code, told) = good;
    assert_eq!(
        (code, told["outcome"].as_str()),
        (0, Some("as_intended")),
        "{told:#}"
    );
    assert_eq!(codes(&told), ["allowed.consent-waits"]);
    assert_eq!(told["consent"]["region"], "opt-in");
    assert_eq!(told["consent"]["cells"].as_array().unwrap().len(), 20);
    for state in ["untouched", "refused", "withdrawn", "gpc"] {
        let requests = cell(&told, state, "requests");
        assert_eq!(requests["count"], 0, "{state}");
        assert_eq!(
            (&requests["first_ms"], &requests["allowed"]),
            (&Value::Null, &Value::Bool(false))
        );
    }
    let granted = cell(&told, "granted", "requests");
    assert!(granted["count"].as_u64() > Some(2) && granted["first_ms"].as_f64() > Some(0.0));
    assert_eq!(told["not_looked_at"], serde_json::json!([]), "{told:#}");

    let early = outside
        .check(&at("hire.reedwater"), "reedwater-live", site, &states)
        .await;
    let (code, told) = early;
    assert_eq!(
        (code, told["outcome"].as_str()),
        (0, Some("working")),
        "{told:#}"
    );
    for code in [
        "consent.request-early",
        "consent.cookie-early",
        "consent.storage-early",
        "consent.after-refusal",
        "consent.lingers",
    ] {
        assert!(codes(&told).contains(&code), "{code}: {told:#}");
    }
    // What comes whatever the browser asks for is early, and told as that alone.
    assert!(!codes(&told).contains(&"consent.gpc-ignored"));
    assert!(cell(&told, "gpc", "requests")["count"].as_u64() > Some(0));
    assert!(cell(&told, "withdrawn", "requests")["count"].as_u64() > Some(0));

    // Nothing has to wait there, but a browser that asks for privacy has refused.
    let over_the_border = "country = 'CA, US'\nconsent = 'none'\n---";
    let (code, told) = outside
        .check(
            &at("shop.northmere"),
            "northmere-live",
            over_the_border,
            &["--states", "untouched,gpc"],
        )
        .await;
    assert_eq!(code, 0, "{told:#}");
    assert_eq!(codes(&told), ["consent.gpc-ignored"], "{told:#}");
    assert_eq!(told["consent"]["region"], "opt-out");

    // Without a banner to ask, a decision is not looked at; a word that is no state is refused.
    let (_, told) = outside
        .check(
            &at("northmere"),
            "northmere-live",
            "",
            &["--states", "refused"],
        )
        .await;
    let open = told["not_looked_at"].as_array().unwrap();
    let refused = |gap: &Value| gap["what"] == "consent state refused";
    assert!(open.iter().any(refused), "{told:#}");
    let maybe = ["--states", "maybe"];
    let (code, told) = outside
        .check(&at("northmere"), "northmere-live", "", &maybe)
        .await;
    assert_eq!(code, 2);
    assert!(
        told["error"].as_str().unwrap().contains("maybe"),
        "{told:#}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn hours_and_viewports_decide_what_is_meant() {
    let outside = outside().await;
    let hours = "[[widget.hours]]\ndays = ['thu']\nfrom = '09:00'\nto = '17:30'\n";
    let hide = format!("outside_hours = 'hide'\n{hours}");
    // Thursday 10:00 and 20:00 in London, in winter.
    let (day, night) = ("2026-11-26T10:00:00Z", "2026-11-26T20:00:00Z");

    let (code, told) = outside.own(KEY, "-closed", &hide, night).await;
    assert_eq!(
        (code, told["outcome"].as_str()),
        (0, Some("as_intended")),
        "{told:#}"
    );
    let (code, told) = outside.own(KEY, "-closed", &hide, day).await;
    assert_eq!(
        (code, told["root"].as_str()),
        (1, Some("allowed.hours")),
        "{told:#}"
    );
    let evidence = told["findings"][0]["evidence"].to_string();
    assert!(
        evidence.contains("thu 09:00 to 17:30") && evidence.contains("closed at this hour"),
        "{evidence}"
    );
    let (code, told) = outside.own(KEY, "-closed", hours, night).await;
    assert_eq!(
        (code, told["root"].as_str()),
        (1, Some("allowed.hours")),
        "{told:#}"
    );

    let (code, told) = outside.own(KEY, "-away", hours, day).await;
    assert_eq!(code, 0, "{told:#}");
    assert!(codes(&told).contains(&"hours.staffed-but-away"), "{told:#}");
    let (_, told) = outside.own(KEY, "", &hide, night).await;
    assert!(
        codes(&told).contains(&"hours.open-out-of-hours"),
        "{told:#}"
    );

    // Hidden on phones, as the expectation says; and there although it should not be.
    let desktop = "viewports = ['desktop']\n";
    let (code, told) = outside.own(KEY, "-desk", desktop, day).await;
    assert_eq!(
        (code, told["outcome"].as_str()),
        (0, Some("as_intended")),
        "{told:#}"
    );
    let (code, told) = outside.own(KEY, "", desktop, day).await;
    assert_eq!(
        (code, told["root"].as_str()),
        (1, Some("placed.unexpected")),
        "{told:#}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn texts_are_compared_in_each_language_of_the_site() {
    let outside = outside().await;
    let texts = |greeting: &str| {
        format!(
            "[widget.texts.en]\ntitle = 'Gust Kite Workshop'\ngreeting = '{greeting}'\nnotice_link \
            = '/privacy'\nprompt = 'Any questions?'\nprompt_after_s = 5\nsubtitle = \
            'x'\n[widget.texts.cy]\ngreeting = 'Helo! Sut allwn ni helpu?'\n"
        )
    };
    let english = "Hello! How can we help?";
    let at = "2026-11-26T10:00:00Z";
    let (code, told) = outside.own(KEY, "", &texts(english), at).await;
    assert_eq!(code, 0, "{told:#}");
    let of = |told: &Value, name: &str, language: &str| {
        let all = told["texts"].as_array().unwrap();
        let is = |t: &&Value| t["name"] == name && t["language"] == language;
        let found = all.iter().find(is);
        found
            .unwrap_or_else(|| panic!("no {name} in {language}: {told:#}"))
            .clone()
    };
    for (name, language) in [
        ("title", "en"),
        ("greeting", "en"),
        ("prompt", "en"),
        ("prompt_after_s", "en"),
        ("greeting", "cy"),
    ] {
        assert_eq!(of(&told, name, language)["same"], true, "{told:#}");
    }
    assert_eq!(of(&told, "notice_link", "en")["same"], true, "{told:#}");
    assert_eq!(codes(&told), [""; 0], "{told:#}");
    assert!(
        told["not_looked_at"].to_string().contains("subtitle in en"),
        "{told:#}"
    );

    let wrong = texts("Good day").replace("'/privacy'", "'/imprint'");
    let (_, told) = outside.own(KEY, "", &wrong, at).await;
    let greeting = of(&told, "greeting", "en");
    assert_eq!(
        (&greeting["same"], greeting["seen"].as_str()),
        (&Value::Bool(false), Some(english))
    );
    let found = codes(&told);
    assert_eq!(
        found,
        ["brand.text-differs", "brand.notice-link"],
        "{told:#}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_refusal_on_the_second_layer_and_the_frameworks_interface_are_understood() {
    let outside = outside().await;
    // A profile that says only what the banner is: its buttons are told by the usual words.
    let bare = "id = 'bare'\nname = 'Bare'\n[recognise]\nselectors = \
        ['thorn-latch']\n[banner]\nreopen = '.thorn-again'\n[gating]\ntype = \
        'text/plain'\nattribute = 'data-thorn'\n";
    outside.add_profile("bare.toml", bare);
    let at = format!(
        "http://timetable.corrievalley.localhost:{}/",
        outside.standins.port
    );
    let states = ["--states", "untouched,refused,granted,withdrawn"];
    for manager in ["thornlatch", "bare"] {
        let site = format!("country = 'GB'\nconsent = '{manager}'\n---");
        let told = outside
            .check(&at, "corrievalley-live", &site, &states)
            .await;
        let (code, told) = told;
        assert_eq!(
            (code, told["outcome"].as_str()),
            (0, Some("as_intended")),
            "{manager}: {told:#}"
        );
        let found = codes(&told);
        assert!(found.contains(&"consent.no-refusal"), "{manager}: {told:#}");
        assert!(
            found
                .iter()
                .all(|c| !c.ends_with("-early") && *c != "consent.lingers")
        );
        for state in ["untouched", "refused", "withdrawn"] {
            assert_eq!(
                cell(&told, state, "requests")["count"],
                0,
                "{manager} {state}"
            );
        }
        let granted = cell(&told, "granted", "requests");
        assert!(granted["count"].as_u64() > Some(2), "{manager}: {told:#}");
        assert_eq!(
            told["not_looked_at"],
            serde_json::json!([]),
            "{manager}: {told:#}"
        );
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_comes_too_late_too_early_never_or_in_another_language_is_told() {
    let outside = outside().await;
    let day = "2026-11-26T10:00:00Z";
    let soon = "[widget.texts.en]\nprompt = 'Any questions?'\nprompt_after_s = 1\n";
    let (_, told) = outside.own(KEY, "", soon, day).await;
    assert_eq!(codes(&told), ["brand.prompt-late"], "{told:#}");

    // The title is the same in both languages of the widget; the site has one of its own.
    let title = "languages = ['en', 'cy']\n---[widget.texts.en]\ntitle = 'Gust Kite \
        Workshop'\n[widget.texts.cy]\ntitle = 'Gweithdy Barcudiaid'\n";
    let (_, told) = outside.own(KEY, "", title, day).await;
    assert_eq!(codes(&told), ["brand.language"], "{told:#}");

    // Designed for eight seconds after the load, and there at once.
    let (_, told) = outside.own(KEY, "", "delay_s = 8\n", day).await;
    assert!(codes(&told).contains(&"allowed.delay"), "{told:#}");

    let looks = "[widget.design]\nheader_colour = '#00aa00'\ncorner = \
        'bottom-right'\noffset_side_px = 90\noffset_bottom_px = 20\n";
    let (_, told) = outside.own(KEY, "", looks, day).await;
    assert_eq!(
        codes(&told),
        ["brand.header-colour", "brand.offset"],
        "{told:#}"
    );

    // Enlarged and for a second time it is as it was.
    let address = format!("http://northmere.localhost:{}/", outside.standins.port);
    let folder = tempfile::tempdir().unwrap();
    let args = ["--manners", "--har", folder.path().to_str().unwrap()];
    let (_, told) = outside.check(&address, "northmere-live", "", &args).await;
    assert_eq!(codes(&told), [""; 0], "{told:#}");
    assert_eq!(told["not_looked_at"], serde_json::json!([]), "{told:#}");
    // On both screens, and once in each manner: an archive for each.
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 4);

    // Consent was given, and nothing comes in any state.
    let site = "country = 'GB'\nconsent = 'hedgegate'\n---";
    let silent = format!(
        "http://choirs.threetowers.localhost:{}/",
        outside.standins.port
    );
    let (_, told) = outside
        .check(&silent, "threetowers-live-silent", site, &[])
        .await;
    assert!(codes(&told).contains(&"consent.never-starts"), "{told:#}");
}
