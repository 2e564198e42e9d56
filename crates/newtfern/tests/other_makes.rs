//! Widgets of other makes than the first stand-in's, by the command line: a list of channels, and
//! one behind a closed shadow root.
#![allow(clippy::unwrap_used)]

use crate::outside::{Outside, codes};
use serde_json::Value;

const NOON: &str = "2026-11-26T12:00:00Z";

fn values(told: &Value) -> Vec<(&str, bool)> {
    let values = told["design"].as_array().unwrap();
    let of = |v: &'_ Value| v["same"].as_bool().unwrap();
    values
        .iter()
        .map(|v| (v["name"].as_str().unwrap(), of(v)))
        .collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_list_of_channels_is_compared_target_by_target() {
    let key = "gustkites-links";
    let outside = Outside::of(newtfern_standins::plashet_profile, key).await;
    let list = "form = 'channels'\n[[widget.channel]]\nkind = 'phone'\ntarget = \
        'tel:+441632960123'\n[[widget.channel]]\nkind = 'mail'\ntarget = \
        'mailto:hello@gustkites.example'\n[[widget.channel]]\nkind = 'messaging'\ntarget = \
        'https://messages.example/gustkites'\n";

    let (code, told) = outside.own(key, "", list, NOON).await;
    assert_eq!(
        (code, told["outcome"].as_str()),
        (0, Some("working")),
        "{told:#}"
    );
    assert_eq!(codes(&told), [""; 0], "{told:#}");
    assert_eq!(
        values(&told),
        [
            ("start", true),
            ("form", true),
            ("channel", true),
            ("channel", true),
            ("channel", true)
        ]
    );
    assert_eq!(told["not_looked_at"], serde_json::json!([]), "{told:#}");

    // The handle of the client before this one.
    let (code, told) = outside.own(key, "-last", list, NOON).await;
    assert_eq!((code, codes(&told)), (0, vec!["brand.channel"]), "{told:#}");
    let told_of = told["findings"][0].to_string();
    assert!(told_of.contains("messages.example/gustkites"), "{told_of}");
    assert!(
        told_of.contains("messages.example/northmere")
            || told_of.contains("messages.example/threetowers"),
        "{told_of}"
    );

    let (_, told) = outside.own(key, "-order", list, NOON).await;
    assert_eq!(codes(&told), ["brand.channel"], "{told:#}");
    let (_, told) = outside.own(key, "-open", list, NOON).await;
    assert_eq!(codes(&told), ["brand.start"], "{told:#}");
    let tab = "form = 'tab'\n[widget.design]\ncorner = 'bottom-left'";
    let (_, told) = outside.own(key, "-tab", tab, NOON).await;
    assert_eq!(codes(&told), ["brand.corner"], "{told:#}");
    let (_, told) = outside.own(key, "-inline", "form = 'tab'", NOON).await;
    assert_eq!(codes(&told), ["brand.form"], "{told:#}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_widget_in_a_closed_shadow_root_is_seen_worked_and_compared() {
    let key = "gustkites-live";
    let outside = Outside::of(newtfern_standins::farthing_profile, key).await;
    let asked = "[widget.design]\nlauncher_colour = '#b3491c'\ncorner = \
        'bottom-right'\n[widget.texts.en]\ntitle = 'Gust Kite Workshop'\nsubtitle = 'We answer \
        within five minutes.'\nnotice_link = '/privacy'\n";
    let (code, told) = outside.own(key, "", asked, NOON).await;
    assert_eq!(
        (code, told["outcome"].as_str()),
        (0, Some("working")),
        "{told:#}"
    );
    assert_eq!(codes(&told), [""; 0], "{told:#}");
    assert_eq!(values(&told), [("launcher_colour", true), ("corner", true)]);
    assert!(
        told["texts"]
            .as_array()
            .unwrap()
            .iter()
            .all(|t| t["same"] == true),
        "{told:#}"
    );

    // Who answers, by name and photo, and the fields before the talk.
    let photo = format!("http://w.farthing.localhost:{}", outside.standins.port);
    let who = |name: &str, picture: &str, fields: &str| {
        format!(
            "[widget.design]\nagent_photo = '{photo}{picture}'\nfields = \
            '{fields}'\n[widget.texts.en]\nagent_name = '{name}'\n"
        )
    };
    let right = who("Ida", "/face.png", "name*, mail*");
    let (_, told) = outside.own(key, "", &right, NOON).await;
    assert_eq!(codes(&told), [""; 0], "{told:#}");
    assert_eq!(values(&told), [("fields", true), ("agent_photo", true)]);
    let wrong = who("Bo", "/stranger.png", "name*, phone");
    let (_, told) = outside.own(key, "", &wrong, NOON).await;
    let expected = ["brand.text-differs", "brand.fields", "brand.picture"];
    assert_eq!(codes(&told), expected, "{told:#}");
    assert_eq!(told["texts"][0]["seen"], "Ida");

    // The firm's mark in the panel.
    let logo =
        |is: &str| format!("[widget.design]\nlogo = 'shown'\nlogo_picture = '{photo}{is}'\n");
    let (_, told) = outside.own(key, "", &logo("/mark.png"), NOON).await;
    assert_eq!(codes(&told), [""; 0], "{told:#}");
    assert_eq!(values(&told), [("logo_picture", true), ("logo", true)]);
    let (_, told) = outside.own(key, "", &logo("/face.png"), NOON).await;
    assert_eq!(codes(&told), ["brand.picture"], "{told:#}");
    let told = &told["findings"][0];
    assert!(
        told["summary"]
            .as_str()
            .unwrap()
            .starts_with("The logo picture is another")
    );
    assert!(
        told["evidence"].to_string().contains("mark.png"),
        "{told:#}"
    );

    // Local storage, a database and a cache, told where a region asks.
    let opt_in = format!("country = 'GB'\nconsent = 'none'\n---{asked}");
    let (_, told) = outside.own(key, "", &opt_in, NOON).await;
    let cells = told["consent"]["cells"].as_array().unwrap();
    let storage = cells.iter().find(|c| c["signal"] == "storage").unwrap();
    assert_eq!(
        (&storage["count"], &storage["allowed"]),
        (&Value::from(3), &Value::from(false)),
        "{told:#}"
    );
    assert!(codes(&told).contains(&"consent.storage-early"), "{told:#}");

    // Nobody there although the hours say so: the widget says so itself. Where the message is left
    // is no field.
    let hours = "[[widget.hours]]\ndays = ['thu']\nfrom = '09:00'\nto = \
        '17:00'\n[widget.design]\nfields = 'name*, mail*'\n";
    let (_, told) = outside.own(key, "-away", hours, NOON).await;
    assert_eq!(codes(&told), ["hours.staffed-but-away"], "{told:#}");
}

/// What people forget: sample words, a variable nobody fills, no words for an hour without anybody,
/// no notice.
#[tokio::test(flavor = "multi_thread")]
async fn what_was_forgotten_in_the_settings_is_told() {
    let key = "gustkites-live";
    let outside = Outside::of(newtfern_standins::farthing_profile, key).await;
    let forgotten = serde_json::json!({
        "heading": "Your company", "promise": "{{first_name}}, we are there soon.",
        "away_words": "", "privacy_words": "",
    });
    outside
        .write_settings(&format!("{key}-away"), &forgotten)
        .await;
    let asked = "[widget.texts.en]\ntitle = 'Gust Kite Workshop'\nnotice = 'Please read how we \
        treat your data.'\naway = 'Leave us a message.'\n";
    let (_, told) = outside.own(key, "-away", asked, NOON).await;
    let told_codes = codes(&told);
    for code in [
        "brand.text-differs",
        "brand.text-missing",
        "brand.notice-missing",
        "brand.sample-text",
        "brand.variable",
    ] {
        assert!(told_codes.contains(&code), "{code}: {told:#}");
    }
    assert!(
        told["findings"].to_string().contains("{{first_name}}"),
        "{told:#}"
    );
}

/// A client that runs its chat on a server of its own: found by that server alone.
#[tokio::test(flavor = "multi_thread")]
async fn a_widget_on_the_clients_own_server_is_judged_at_that_server() {
    let key = "gustkites-live";
    let outside = Outside::of(|_| newtfern_standins::weir_profile().to_string(), key).await;
    let port = outside.standins.port;
    let server = |slug: &str| format!("weir.{slug}.localhost:{port}");
    let page = async |slug: &str| {
        let at = server(slug);
        let code = format!("<script defer src='http://{at}/weir.js' data-inbox='{key}'></script>");
        outside.page(&code).await
    };
    let asked = format!(
        "host = '{}'\n[widget.texts.en]\ntitle = 'Write to us'\n",
        server("gustkites")
    );
    let at = ["--at", NOON];
    let (code, told) = outside
        .check(&page("gustkites").await, key, &asked, &at)
        .await;
    assert_eq!(
        (code, told["outcome"].as_str(), codes(&told)),
        (0, Some("working"), vec![]),
        "{told:#}"
    );
    assert_eq!(told["texts"][0]["same"], true, "{told:#}");
    // The code of the client before this one, at its server.
    let (code, told) = outside
        .check(&page("inkwell").await, key, &asked, &at)
        .await;
    assert_eq!(code, 1, "{told:#}");
    let root = told["root"].as_str().unwrap();
    assert!(root.starts_with("placed."), "{told:#}");
    // Without its address nothing is judged, and the file is what to mend.
    let (code, told) = outside.check(&page("gustkites").await, key, "", &at).await;
    assert_eq!(code, 2, "{told:#}");
    assert!(told["error"].as_str().unwrap().contains("host"), "{told:#}");
}
