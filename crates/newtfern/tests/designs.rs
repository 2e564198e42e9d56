//! A widget beside its design by the command line, and for visitors who zoom, want less motion or
//! come again.
#![allow(clippy::unwrap_used)]

use crate::outside::{Outside, codes};
use serde_json::Value;

const KEY: &str = "gustkites-live";
const NOON: &str = "2026-11-26T12:00:00Z";

async fn outside() -> Outside {
    Outside::of(newtfern_standins::supplier_profile, KEY).await
}

#[tokio::test(flavor = "multi_thread")]
async fn looks_are_compared_with_the_values_that_are_given() {
    let outside = outside().await;
    let at = "2026-11-26T10:00:00Z";
    // The stand-in's own settings for this key: its brand colour, bottom right, 20 px from the
    // edges.
    let right = "[widget.design]\nlauncher_colour = '#b3491c'\nheader_colour = '#b3491c'\ncorner = \
        'bottom-right'\noffset_side_px = 20\noffset_bottom_px = 20\n";
    let (code, told) = outside.own(KEY, "", right, at).await;
    assert_eq!((code, codes(&told).len()), (0, 0), "{told:#}");
    let design = told["design"].as_array().unwrap();
    let same: Vec<(&str, bool)> = design
        .iter()
        .map(|d| (d["name"].as_str().unwrap(), d["same"].as_bool().unwrap()))
        .collect();
    let names = [
        "launcher_colour",
        "header_colour",
        "corner",
        "offset_side_px",
        "offset_bottom_px",
    ];
    assert_eq!(same, names.map(|n| (n, true)), "{told:#}");

    let wrong = right
        .replace("launcher_colour = '#b3491c'", "launcher_colour = '#0b7285'")
        .replace("corner = 'bottom-right'", "corner = 'bottom-left'");
    let (code, told) = outside.own(KEY, "", &wrong, at).await;
    assert_eq!(code, 0, "a fault breaks nothing: {told:#}");
    assert_eq!(
        codes(&told),
        ["brand.launcher-colour", "brand.corner"],
        "{told:#}"
    );
    assert_eq!(told["design"][0]["seen"], "#b3491c");
}

/// Beyond colours and place: size, typeface, the bubbles of the talk, parts that a design hides.
#[tokio::test(flavor = "multi_thread")]
async fn all_that_is_seen_of_a_design_is_compared() {
    let outside = outside().await;
    let at = "2026-11-26T10:00:00Z";
    let right = "[widget.design]\nsize_px = 60\ntypeface = 'system-ui'\nsupplier_mark = \
        'shown'\nanswer_bubble_colour = '#eee9df'\nanswer_words_colour = '#222'\nlogo = \
        'shown'\nown_bubble_colour = '#b3491c'\n";
    let (code, told) = outside.own(KEY, "", right, at).await;
    assert_eq!((code, codes(&told).len()), (0, 0), "{told:#}");
    let told_of = |told: &Value, name: &str| {
        let design = told["design"].as_array().unwrap().iter();
        let mut of = design.filter(|d| d["name"] == name).cloned();
        of.next()
    };
    for (name, seen) in [
        ("size_px", "60"),
        ("typeface", "system-ui"),
        ("supplier_mark", "shown"),
        ("answer_bubble_colour", "#eee9df"),
        ("answer_words_colour", "#222222"),
    ] {
        let value = told_of(&told, name).unwrap_or_else(|| panic!("no {name}: {told:#}"));
        assert_eq!(
            (&value["seen"], &value["same"]),
            (&seen.into(), &true.into()),
            "{name}"
        );
    }
    // What cannot be looked at is said to be so: no place for a logo is known, and nobody has
    // written.
    let gaps = told["not_looked_at"].to_string();
    for why in ["does not say where it is", "nobody has written"] {
        assert!(gaps.contains(why), "{why}: {gaps}");
    }

    let wrong = right
        .replace("= 60", "= 80")
        .replace("= 'system-ui'", "= 'Georgia'")
        .replace("supplier_mark = 'shown'", "supplier_mark = 'hidden'")
        .replace("#eee9df", "#3355aa");
    let (code, told) = outside.own(KEY, "", &wrong, at).await;
    assert_eq!(
        (code, codes(&told)),
        (
            0,
            vec![
                "brand.size",
                "brand.typeface",
                "brand.bubble-colour",
                "brand.part"
            ]
        ),
        "{told:#}"
    );
    let bubble = &told["findings"][2];
    assert!(
        bubble["summary"]
            .as_str()
            .unwrap()
            .contains("#eee9df and should be #3355aa")
    );

    let (code, told) = outside
        .own(KEY, "", "[widget.design]\nsupplier_marc = 'hidden'\n", at)
        .await;
    let error = told["error"].as_str().unwrap();
    assert!(
        code == 2 && error.contains("nearest is \u{201c}supplier_mark\u{201d}"),
        "{error}"
    );
    let (code, told) = outside
        .own(KEY, "", "[widget.design]\nfiles = 'maybe'\n", at)
        .await;
    assert!(
        code == 2 && told["error"].as_str().unwrap().contains("yes, no"),
        "{told:#}"
    );
}

/// What is designed for phones alone, and what the account has there.
#[tokio::test(flavor = "multi_thread")]
async fn the_phone_has_a_side_a_size_and_distances_of_its_own() {
    let outside = outside().await;
    let asked = "[widget.design]\ncorner = 'bottom-right'\nsize_px = 60\noffset_side_px = \
        20\noffset_bottom_px = 20\nphone_size_px = 48\nphone_offset_side_px = \
        12\nphone_offset_bottom_px = 90\n";
    let (_, told) = outside.own(KEY, "", asked, NOON).await;
    assert_eq!(
        codes(&told),
        ["brand.size", "brand.offset", "brand.offset"],
        "{told:#}"
    );
    let found = told["findings"].as_array().unwrap();
    let told_of = |i: usize| found[i]["summary"].as_str().unwrap();
    assert_eq!(
        told_of(0),
        "On a phone the launcher is 60 px large and should be 48."
    );
    assert!(
        told_of(2).contains("20 px from the bottom edge and should be 90"),
        "{told:#}"
    );

    let there =
        serde_json::json!({"phone_size": "48", "phone_offset_x": "12", "phone_offset_y": "90"});
    outside.write_settings(KEY, &there).await;
    let (_, told) = outside.own(KEY, "", asked, NOON).await;
    assert_eq!(codes(&told), [""; 0], "{told:#}");
    let told = told["design"].as_array().unwrap();
    assert!(
        told.len() == 7 && told.iter().all(|v| v["same"] == true),
        "{told:#?}"
    );

    let turned = asked.replace("size_px = 60", "size_px = 60\non_phones = 'other side'");
    let (_, told) = outside.own(KEY, "", &turned, NOON).await;
    assert_eq!(codes(&told), ["brand.corner"], "{told:#}");
    let hidden = "[widget.design]\non_phones = 'hidden'\n";
    let (code, told) = outside.own(KEY, "", hidden, NOON).await;
    let error = told["error"].as_str().unwrap();
    assert!(code == 2 && error.contains("viewports"), "{error}");
}

/// WCAG 2.2, 1.4.3 (text on its ground) and 1.4.11 (a control against what is around it).
#[tokio::test(flavor = "multi_thread")]
async fn what_is_hard_to_see_is_told_with_its_contrast() {
    let outside = outside().await;
    let pale = serde_json::json!({"button_colour": "#f4f4f4", "icon_colour": "#dddddd"});
    outside.write_settings(&format!("{KEY}-pale"), &pale).await;
    let asked = "[widget.design]\nlauncher_colour = '#f4f4f4'\nicon_colour = '#dddddd'\n";
    let (code, told) = outside.own(KEY, "-pale", asked, NOON).await;
    assert_eq!(
        (code, codes(&told)),
        (0, vec!["brand.contrast", "brand.stands-out"]),
        "{told:#}"
    );
    // #dddddd on #f4f4f4: (0.909 + 0.05) / (0.723 + 0.05) by WCAG's relative luminance.
    let summary = told["findings"][0]["summary"].as_str().unwrap();
    assert!(summary.contains("1.2"), "{summary}");
}

#[tokio::test(flavor = "multi_thread")]
async fn words_from_right_to_left_in_a_panel_laid_out_the_other_way_are_told() {
    let outside = outside().await;
    let asked = "languages = ['en', 'he']\n---[widget.texts.en]\ngreeting = 'Hello! How can we \
        help?'\n[widget.texts.he]\ngreeting = 'שלום! איך אפשר לעזור?'\n";
    let (code, told) = outside.own(KEY, "", asked, NOON).await;
    assert_eq!(
        (code, codes(&told)),
        (0, vec!["brand.direction"]),
        "{told:#}"
    );
    let evidence = told["findings"][0]["evidence"].to_string();
    assert!(
        evidence.contains("שלום") && evidence.contains("language he"),
        "{evidence}"
    );
}

/// One account each for what a usual visit does not show.
#[tokio::test(flavor = "multi_thread")]
async fn visitors_who_zoom_want_less_motion_or_come_again_are_told_of() {
    let outside = outside().await;
    let with = ["--at", NOON, "--manners"];
    for (tail, code, evidence) in [
        ("-restless", "brand.motion", "brindle-glow"),
        ("-cramped", "usable.zoom", "view"),
        ("-fleeting", "shown.second-visit", "looked for until"),
    ] {
        let (exit, told) = outside.own_with(KEY, tail, "", &with).await;
        assert_eq!((exit, codes(&told)), (0, vec![code]), "{tail}: {told:#}");
        let said = told["findings"][0]["evidence"].to_string();
        assert!(said.contains(evidence), "{tail}: {said}");
        assert!(!told["findings"][0]["remedy"].as_str().unwrap().is_empty());
    }
    // Nobody who was not asked for is told of.
    let (_, told) = outside.own(KEY, "-restless", "", NOON).await;
    assert_eq!(codes(&told), [""; 0], "{told:#}");
}

/// A supplier that renamed its launcher: alive, and nothing fits the profile's selector.
fn renamed(port: u16) -> String {
    let profile = newtfern_standins::supplier_profile(port);
    profile.replace("\"#brindle-launcher\"", "\"#brindle-starter\"")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_launcher_that_is_not_there_although_the_widget_is_alive_is_absent() {
    let outside = Outside::of(renamed, KEY).await;
    let (exit, told) = outside.own(KEY, "", "", NOON).await;
    assert_eq!(
        (exit, told["root"].as_str()),
        (1, Some("shown.absent")),
        "{told:#}"
    );
    let evidence = told["findings"][0]["evidence"].to_string();
    assert!(evidence.contains("#brindle-starter"), "{evidence}");
}

/// The privacy page of one client names the supplier and what it keeps; that of another is as old
/// as most.
#[tokio::test(flavor = "multi_thread")]
async fn the_privacy_page_is_compared_with_what_is_sent_and_kept_where_that_is_asked_for() {
    let outside = outside().await;
    let check = async |site: &str, key: &str, args: &[&str]| {
        let at = format!("http://{site}.localhost:{}/", outside.standins.port);
        outside.check(&at, key, "", args).await.1
    };
    let with = ["--at", NOON, "--notice"];
    let silent = check("shop.northmere", "northmere-live", &with).await;
    assert_eq!(codes(&silent), ["consent.notice-silent"], "{silent:#}");
    let evidence = silent["findings"][0]["evidence"].to_string();
    for named in ["/privacy", "brindle_visitor", "cdn.brindle.localhost"] {
        assert!(evidence.contains(named), "{named}: {evidence}");
    }
    let unasked = check("shop.northmere", "northmere-live", &["--at", NOON]).await;
    assert_eq!(codes(&unasked), [""; 0], "{unasked:#}");
    // A page with hardly any words is not called silent.
    let (_, drawn) = outside.own_with(KEY, "", "", &with).await;
    assert_eq!(codes(&drawn), [""; 0], "{drawn:#}");
    assert!(
        drawn["not_looked_at"]
            .to_string()
            .contains("hardly any text")
    );
}
