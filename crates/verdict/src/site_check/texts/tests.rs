//! Texts of a widget against the expectation's.

use super::*;
use crate::chain::testing::{healthy, with};
use crate::site_check::testing::judged;
use crate::testing::SAMPLE;
use newtfern_standards::observation::{Stretch, TextName, TextSeen};

const PLACES: &str = "[texts]\ntitle = '#t'\ngreeting = '#g'\nnotice = '#n'\nnotice_link = '#n \
    a'\nprompt = '#p'\naway = '#a'\n[open]";

fn of_first(case: &crate::site_check::SiteCase) -> Report<Vec<ComparedValue>> {
    case.widgets().next().unwrap().texts()
}

/// Compares what was seen in visits of each language with the texts that a file gives.
fn compared(texts: &str, places: &str, visits: Vec<Observation>) -> Report<Vec<ComparedValue>> {
    let file = format!("languages = ['en', 'cy']\n---key = 'abcd-1234'\n{texts}");
    judged(&file, &SAMPLE.replace("[open]", places), visits, of_first)
}

/// A visit in a language that read these texts; the launcher came at 900 ms.
fn visit(language: &str, texts: &[(TextName, &str, f64)]) -> Observation {
    with(healthy(), |o| {
        o.condition.locale = language.into();
        o.prompt_until_ms = Some(10_900.0);
        let seen = texts.iter().map(|(name, text, at_ms)| TextSeen {
            name: *name,
            text: text.to_string(),
            at_ms: *at_ms,
            besides_links: None,
        });
        o.texts = seen.collect();
        o.panel_text = texts.iter().map(|t| t.1).collect::<Vec<_>>().join(" ");
    })
}

fn codes(told: &Report<Vec<ComparedValue>>) -> Vec<&'static str> {
    told.findings.iter().map(|f| f.code.name()).collect()
}

#[test]
fn texts_are_the_same_composed_and_with_blanks_folded() {
    // "\u{e9}" and "e\u{301}" are canonically equivalent (UAX 15).
    let texts = "[widget.texts.en]\ntitle = 'Caf\u{e9} talk'\nnotice_link = '/privacy'\n";
    let seen = [
        (TextName::Title, " Cafe\u{301}\n  talk ", 1_500.0),
        (
            TextName::NoticeLink,
            "https://kites.example/privacy",
            1_500.0,
        ),
    ];
    let told = compared(texts, PLACES, vec![visit("en", &seen)]);
    assert_eq!(codes(&told), [""; 0]);
    assert!(told.what.iter().all(|t| t.same) && told.what.len() == 2);
    assert!(told.gaps.is_empty());
}

#[test]
fn what_a_busy_machine_took_leaves_the_prompts_delay_open() {
    let texts = "[widget.texts.en]\nprompt = 'Sizes?'\nprompt_after_s = 2.0\n";
    let at = |lost_ms: f64| {
        let visit = with(visit("en", &[(TextName::Prompt, "Sizes?", 4_400.0)]), |o| {
            o.withheld.watched_ms = 11_000.0;
            o.withheld.stretches = vec![Stretch {
                from_ms: 1_000.0,
                until_ms: 3_000.0,
                lost_ms,
            }];
        });
        let told = compared(texts, PLACES, vec![visit]);
        let open = told.gaps.iter().any(|g| g.what == "when the prompt comes");
        let compared = told.what.iter().any(|v| v.name == "prompt_after_s");
        assert_eq!(open, !compared, "either compared or named as not compared");
        (codes(&told).join(" "), open)
    };
    let late = || ("brand.prompt-late".to_string(), false);
    assert_eq!(at(0.0), late());
    // The 0.8 s that were lost may be what made it late.
    assert_eq!(at(800.0), (String::new(), true));
    assert_eq!(at(300.0), late());
}

#[test]
fn each_way_of_differing_has_its_code_and_both_sides() {
    let texts = "[widget.texts.en]\ntitle = 'Kites'\ngreeting = 'Hello'\nnotice = 'Read \
        this'\nnotice_link = '/privacy'\nprompt = 'Sizes?'\nprompt_after_s = 2.0\naway = 'Later'\n";
    let seen = [
        (TextName::Title, "Kite", 1_500.0),
        (TextName::NoticeLink, "https://other.test/privacy", 1_500.0),
        (TextName::Prompt, "Sizes?", 4_500.0),
    ];
    let told = compared(texts, PLACES, vec![visit("en", &seen)]);
    assert_eq!(
        codes(&told),
        [
            "brand.text-differs",
            "brand.text-missing",
            "brand.notice-missing",
            "brand.notice-link",
            "brand.prompt-late"
        ]
    );
    let lines: Vec<String> = told.findings[0].evidence.iter().map(|e| e.line()).collect();
    assert_eq!(lines, ["designed: Kites", "seen: Kite"]);
    assert!(told.findings[0].remedy.contains("title in en"));
    assert!(
        told.findings[4]
            .summary
            .contains("3.6 s after the launcher")
    );
    // Whether the words for nobody are right is not known while somebody is there.
    assert_eq!(told.gaps[0].what, "away in en");
    let late = told.what.last().unwrap();
    assert_eq!((&*late.name, late.same), ("prompt_after_s", false));
}

#[test]
fn while_nobody_is_there_the_panel_is_compared_with_its_words_for_that() {
    let seen = [(TextName::Away, "Leave a message", 1_500.0)];
    let away = with(visit("en", &seen), |o| o.presence = Some(Presence::Away));
    let greeting = "[widget.texts.en]\ngreeting = 'Hello'\n";
    let told = compared(greeting, PLACES, vec![away.clone()]);
    assert_eq!(
        codes(&told),
        ["brand.text-missing"],
        "no words of its own are expected"
    );
    let both = format!("{greeting}away = 'Leave a message'\n");
    let told = compared(&both, PLACES, vec![away.clone()]);
    assert_eq!(codes(&told), [""; 0]);
    assert!(told.what.iter().any(|t| t.name == "away" && t.same));
    assert_eq!(told.gaps[0].what, "greeting in en");
    assert!(told.gaps[0].why.contains("its own words"));
    let other = format!("{greeting}away = 'We are closed'\n");
    let told = compared(&other, PLACES, vec![away]);
    assert_eq!(codes(&told), ["brand.text-differs"]);
}

#[test]
fn what_was_not_looked_for_is_told_as_that() {
    let texts = "[widget.texts.en]\ntitle = 'Kites'\nsubtitle = 'Wind'\nprompt = 'Sizes?'\n";
    let unwatched = with(visit("en", &[(TextName::Title, "Kites", 1.0)]), |o| {
        o.prompt_until_ms = None
    });
    let told = compared(texts, PLACES, vec![unwatched]);
    assert_eq!(codes(&told), [""; 0]);
    let whats: Vec<&str> = told.gaps.iter().map(|g| g.what.as_str()).collect();
    assert_eq!(whats, ["subtitle in en", "prompt in en"]);
    assert!(told.gaps[0].why.contains("does not say where"));
    let told = compared(texts, PLACES, vec![visit("cy", &[])]);
    assert_eq!(told.gaps[0].what, "the texts in en");
    // Watched to the end and not there: missing, with the time.
    let told = compared(
        "[widget.texts.en]\nprompt = 'Sizes?'\n",
        PLACES,
        vec![visit("en", &[])],
    );
    assert!(
        told.findings[0].summary.contains("did not come in 10 s"),
        "{:?}",
        told.findings[0]
    );
}

#[test]
fn another_language_of_the_site_is_told_once_as_the_language() {
    let texts = "[widget.texts.en]\ntitle = 'Kites'\ngreeting = 'Hello'\n[widget.texts.cy]\ntitle \
        = 'Barcutiaid'\ngreeting = 'Helo'\n";
    let english = [
        (TextName::Title, "Kites", 1.0),
        (TextName::Greeting, "Hello", 1.0),
    ];
    let told = compared(
        texts,
        PLACES,
        vec![visit("en", &english), visit("cy", &english)],
    );
    assert_eq!(codes(&told), ["brand.language"]);
    assert!(told.findings[0].summary.contains("speaks cy"));
    assert_eq!(told.what.iter().filter(|t| t.same).count(), 2);
}

#[test]
fn samples_and_variables_count_inside_the_widget_and_only_if_nobody_wants_them() {
    let greeting = |wanted: &str, seen: &str| {
        let texts = format!("[widget.texts.en]\ngreeting = '{wanted}'\n");
        let told = compared(
            &texts,
            PLACES,
            vec![visit("en", &[(TextName::Greeting, seen, 1.0)])],
        );
        codes(&told)
    };
    assert_eq!(greeting("Hi, John Doe", "Hi, John Doe"), [""; 0]);
    assert_eq!(
        greeting("Hello", "Hello from your company"),
        ["brand.text-differs", "brand.sample-text"]
    );
    assert_eq!(greeting("Helo", "Enw eich cwmni")[1], "brand.sample-text");
    for variable in ["{{visitor}}", "{name}", "${name}", "%NAME%", "[[name]]"] {
        let seen = format!("Hello {variable}");
        assert_eq!(
            greeting("Hello", &seen),
            ["brand.text-differs", "brand.variable"],
            "{variable}"
        );
        assert_eq!(
            greeting(&seen, &seen),
            ["brand.variable"],
            "wanted: {variable}"
        );
        assert_eq!(greeting(&seen, "Hello Ann"), [""; 0], "filled: {variable}");
    }
    for torn in ["Hello {visitor name!", "Hello {{name}!"] {
        assert_eq!(greeting("Hello", torn)[1], "brand.variable", "{torn}");
    }
    assert_eq!(greeting("100 % {of", "100 % {of"), [""; 0]);
}

#[test]
fn a_text_that_is_designed_as_off_is_checked_for_being_off() {
    let texts = "[widget.texts.en]\nprompt = ''\nsubtitle = ''\n";
    let places = PLACES.replace("title = '#t'", "title = '#t'\nsubtitle = '#s'");
    let told = |seen: &[(TextName, &str, f64)]| compared(texts, &places, vec![visit("en", seen)]);
    let off = told(&[]);
    assert_eq!(codes(&off), [""; 0]);
    assert!(off.what.iter().all(|v| v.same && v.seen.is_none()));
    assert_eq!(off.what.len(), 2);
    let shown = told(&[(TextName::Prompt, "Questions?", 5_000.0)]);
    assert_eq!(codes(&shown), ["brand.text-differs"]);
    assert!(
        shown.findings[0]
            .summary
            .contains("the design is without it")
    );
    assert!(
        shown.findings[0].remedy.starts_with("Switch the prompt"),
        "{:?}",
        shown.findings
    );
}

#[test]
fn the_words_of_the_notices_link_are_not_its_text() {
    let texts = "[widget.texts.en]\nnotice = 'Read this first.'\n";
    let told = |text: &str, besides: &str| {
        let mut visit = visit("en", &[(TextName::Notice, text, 1.0)]);
        visit.texts[0].besides_links = Some(besides.into());
        codes(&compared(texts, PLACES, vec![visit]))
    };
    assert_eq!(
        told("Read this first. Privacy", "Read this first. "),
        [""; 0]
    );
    assert_eq!(
        told("Read this first.", "Read "),
        [""; 0],
        "the link is part of it"
    );
    assert_eq!(told("How we use your data", " "), ["brand.notice-missing"]);
    assert_eq!(
        told("Other words. Privacy", "Other words. "),
        ["brand.text-differs"]
    );
}

#[test]
fn first_words_behind_a_form_are_not_called_missing() {
    let form = "[echo]\nbefore = [{ click = '#begin' }]\ninput = '#i'\nsend = '#s'\nanswers = \
        '#a'\nconsole_read = 'https://c.example/r'\nconsole_answer = 'https://c.example/a'\n";
    let places = PLACES.replace("[open]", &format!("{form}[open]"));
    let texts = "[widget.texts.en]\ngreeting = 'Hello'\n";
    let told = compared(texts, &places, vec![visit("en", &[])]);
    assert_eq!(codes(&told), [""; 0]);
    assert!(told.gaps[0].why.contains("a form comes before the chat"));
}

/// Unicode's own rows (NormalizationTest.txt): all forms of one text are the same when they are
/// compared, and only those.
#[test]
fn texts_are_compared_as_the_standard_composes_them() {
    let rows = include_str!("../../../tests/reference/unicode/normalization.txt");
    let text = |column: &str| -> String {
        let points = column
            .split(' ')
            .filter_map(|p| u32::from_str_radix(p, 16).ok());
        points.filter_map(char::from_u32).collect()
    };
    let mut compared = 0;
    for row in rows.lines().filter(|l| !l.starts_with('#')) {
        let columns: Vec<String> = row.split(';').map(text).collect();
        let composed = super::folded(&columns[1]);
        assert_eq!(super::folded(&columns[0]), composed, "{row}");
        assert_eq!(super::folded(&columns[2]), composed, "{row}");
        let compatible = super::folded(&columns[3]);
        assert_eq!(
            composed == compatible,
            columns[1].trim() == columns[3].trim(),
            "{row}"
        );
        compared += 1;
    }
    assert!(compared > 400, "{compared}");
}
