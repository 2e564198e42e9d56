use super::*;
use crate::profile::tests::{SAMPLE, sample};
use crate::profile::{ConsentManager, Supplier};
use url::Url;

const GOOD: &str =
    "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>";

fn states_of(supplier: &Supplier, body: &str) -> Vec<PieceState> {
    let page = Url::parse("https://kites.example/").unwrap();
    let source = format!(
        "<!doctype html>\n<html><head><title>Kites</title></head>\n<body>\n<h1>Kites</h1>\n\
         {body}\n</body></html>\n"
    );
    Inspector::new(supplier, None)
        .pieces(&source, &page)
        .into_iter()
        .map(|p| p.state)
        .collect()
}

/// A second made-up supplier whose snippet is script text.
fn inline_supplier() -> Supplier {
    Supplier::from_toml(&SAMPLE.replace(
        concat!(
            r#"template = '<script async src="https://cdn.example.test/l.js" "#,
            r#"data-key="{{key}}"></script>'"#,
        ),
        concat!(
            r#"template = '''<script>(function(d){var s=d.createElement("script");"#,
            r#"s.src="https://cdn.example.test/l.js";"#,
            r#"s.onload=function(){exampleChat("{{key}}")};"#,
            r#"d.body.appendChild(s)})(document);</script>'''"#,
        ),
    ))
    .unwrap()
}

#[test]
fn each_kind_of_damage_is_told_apart() {
    let s = sample();
    let cases: Vec<(&str, String, PieceState)> = vec![
        ("whole", GOOD.into(), PieceState::Live),
        (
            "no scheme, other order",
            "<SCRIPT data-key='abcd-1234' SRC=//cdn.example.test/l.js \
            async></SCRIPT>"
                .into(),
            PieceState::Live,
        ),
        ("comment", format!("<!-- {GOOD} -->"), PieceState::Commented),
        (
            "escaped",
            GOOD.replace('<', "&lt;").replace('>', "&gt;"),
            PieceState::AsText,
        ),
        (
            "textarea",
            format!("<textarea>{GOOD}</textarea>"),
            PieceState::Inert("textarea".into()),
        ),
        (
            "noscript",
            format!("<noscript>{GOOD}</noscript>"),
            PieceState::Inert("noscript".into()),
        ),
        (
            "template",
            format!("<template>{GOOD}</template>"),
            PieceState::Inert("template".into()),
        ),
        (
            "style",
            format!("<style>{GOOD}</style>"),
            PieceState::Inert("style".into()),
        ),
        (
            "wrapped",
            format!("<script>{GOOD}</script>"),
            PieceState::DoubleWrapped,
        ),
        ("typographic", GOOD.replace('"', "”"), PieceState::BadQuotes),
        (
            "read as windows-1252",
            GOOD.replace('"', "\u{e2}\u{20ac}\u{153}"),
            PieceState::BadQuotes,
        ),
        (
            "read as UTF-8",
            GOOD.replace('"', "\u{fffd}"),
            PieceState::BadQuotes,
        ),
        (
            "hard blank",
            GOOD.replace("<script async", "<script\u{a0}async"),
            PieceState::BadQuotes,
        ),
        (
            "entity quotes",
            GOOD.replace('"', "&quot;"),
            PieceState::BadQuotes,
        ),
        (
            "cut in tag",
            "<script async src=\"https://cdn.example.test/l.js\" \
                        data-k"
                .into(),
            PieceState::Truncated,
        ),
        (
            "cut in value",
            "<script async src=\"https://cdn.example".into(),
            PieceState::Truncated,
        ),
        (
            "end tag lost",
            GOOD.replace("</script>", ""),
            PieceState::Truncated,
        ),
        (
            "type",
            GOOD.replace("async", "type=\"text/plain\""),
            PieceState::WrongType("type=\"text/plain\"".into()),
        ),
        (
            "nomodule",
            GOOD.replace("async", "nomodule"),
            PieceState::WrongType("nomodule".into()),
        ),
        (
            "innerHTML",
            "<script>el.innerHTML = '<script \
                       src=\"https://cdn.example.test/l.js\"><\\/script>';</script>"
                .into(),
            PieceState::Inert("innerHTML".into()),
        ),
        (
            "lazy",
            GOOD.replace("src=", "data-later-src="),
            PieceState::Delayed("data-later-src".into()),
        ),
    ];
    for (name, body, expected) in cases {
        assert_eq!(states_of(&s, &body), [expected], "{name}: {body}");
    }
}

#[test]
fn prose_about_the_supplier_is_no_snippet() {
    assert!(
        states_of(
            &sample(),
            "<p>We load chat from cdn.example.test, a made-up host.</p>"
        )
        .is_empty()
    );
    assert!(
        states_of(
            &sample(),
            "<link rel=preconnect href=https://cdn.example.test>"
        )
        .is_empty()
    );
}

#[test]
fn inline_loaders_are_scanned() {
    let s = inline_supplier();
    let good = s.snippet_for("abcd-1234");
    assert_eq!(states_of(&s, &good), [PieceState::Live]);
    assert_eq!(
        states_of(&s, &good.replace('"', "“")),
        [PieceState::BadQuotes]
    );
    assert_eq!(
        states_of(&s, &good.replace("})(document);", "")),
        [PieceState::Truncated]
    );
    assert_eq!(
        states_of(
            &s,
            good.trim_start_matches("<script>")
                .trim_end_matches("</script>")
        ),
        [PieceState::AsText]
    );
}

#[test]
fn keys_are_read_blank_or_sample_ones_too() {
    let s = sample();
    let page = Url::parse("https://kites.example/").unwrap();
    let key = |code: &str| Inspector::new(&s, None).pieces(code, &page)[0].key.clone();
    assert_eq!(key(GOOD), KeySeen::Key("abcd-1234".into()));
    assert_eq!(
        key(&GOOD.replace("abcd-1234", "")),
        KeySeen::Placeholder("".into())
    );
    assert_eq!(
        key(&GOOD.replace("abcd-1234", "YOUR-KEY-HERE")),
        KeySeen::Placeholder("YOUR-KEY-HERE".into())
    );
    assert_eq!(
        key(&GOOD.replace("abcd-1234", "{{key}}")),
        KeySeen::Placeholder("{{key}}".into())
    );
    assert_eq!(
        key(&GOOD.replace("abcd-1234", "ab")),
        KeySeen::Key("ab".into())
    );
}

#[test]
fn differences_that_do_not_matter_are_none() {
    let s = sample();
    let page = Url::parse("https://kites.example/").unwrap();
    let altered = |code: &str| {
        Inspector::new(&s, None).pieces(code, &page)[0]
            .altered
            .clone()
    };
    assert_eq!(altered(GOOD), None);
    assert_eq!(
        altered(&GOOD.replace("https:", "").replace("l.js", "l.js?v=3")),
        None
    );
    assert!(
        altered(&GOOD.replace("l.js", "old.js"))
            .unwrap()
            .contains("/old.js")
    );
    let inline = inline_supplier();
    let code = inline.snippet_for("abcd-1234");
    let seen = |code: &str| {
        Inspector::new(&inline, None).pieces(code, &page)[0]
            .altered
            .clone()
    };
    assert_eq!(seen(&code.replace(';', " ;\n")), None);
    assert!(seen(&code.replace("d.body", "d.bdy")).is_some());
}

#[test]
fn lines_and_position_are_those_of_the_source() {
    let s = sample();
    let page = Url::parse("https://kites.example/").unwrap();
    let source = format!(
        "<html>\n<head>\n{}\n</head>\n<body>\n</body>\n</html>\n{GOOD}",
        GOOD.replace("async ", "")
    );
    let pieces = Inspector::new(&s, None).pieces(&source, &page);
    assert_eq!(
        (pieces[0].line, pieces[0].blocking, pieces[0].after_end),
        (3, true, false)
    );
    assert_eq!(
        (pieces[1].line, pieces[1].blocking, pieces[1].after_end),
        (8, false, true)
    );
}

#[test]
fn a_manager_that_holds_scripts_back_explains_the_type() {
    let s = sample();
    let consent =
        ConsentManager::from_toml("[gating]\ntype = \"text/plain\"\nattribute = \"data-wait\"")
            .unwrap();
    let page = Url::parse("https://kites.example/").unwrap();
    let state = |code: &str| {
        Inspector::new(&s, Some(&consent)).pieces(code, &page)[0]
            .state
            .clone()
    };
    assert!(matches!(
        state(&GOOD.replace("async", "type=text/plain data-wait=chat")),
        PieceState::ConsentHeld(_)
    ));
    assert!(matches!(
        state(&GOOD.replace("async", "type=text/plain")),
        PieceState::WrongType(_)
    ));
    assert_eq!(
        state(&GOOD.replace("async", "data-wait=chat")),
        PieceState::Live
    );
}

proptest::proptest! {
    /// Whatever a page holds, inspection ends and its lines lie inside the source.
    #[test]
    fn any_text_is_survived(noise in "[<>\"'a-z! /=&;\u{201c}-]{0,120}", cut in 0usize..90) {
        let s = sample();
        let page = Url::parse("https://kites.example/").unwrap();
        let mut code = format!("{noise}{GOOD}{noise}");
        let mut at = (noise.len() + cut).min(code.len());
        while !code.is_char_boundary(at) { at -= 1; }
        code.truncate(at);
        for piece in Inspector::new(&s, None).pieces(&code, &page) {
            let lines = 1 + code.matches('\n').count() as u32;
            proptest::prop_assert!((1..=lines).contains(&piece.line));
        }
    }
}
