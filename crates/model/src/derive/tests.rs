use super::*;

/// Invented snippets in the forms in which suppliers write them (common practice).
const ATTRIBUTE: &str =
    "<script async src=\"https://cdn.osier.test/l.js\" data-key=\"ab12-cd34\"></script>";
const PARAMETER: &str =
    "<script src='//widget.osier.co.test/embed.js?v=3&account=7f3a9c20' defer></script>";
const PATH: &str = "<script src=\"https://cdn.osier.test/w/5f2b7c91d0e4/main.js\"></script>";
const CALL: &str = "<script>\n(function (w, d) \
    {\n  var s = d.createElement('script');\n  s.src = 'https://cdn.osier.test/chat.js';\n  \
    d.head.appendChild(s);\n})(window, document);\nosierChat('boot', 'K-88231-QX');\n</script>";
const NAMED: &str = "<script>window.osierSettings = \
    { app_id: \"q7w8e9r0\", colour: '#ff00aa' };</script>\n<script async \
    src=\"https://js.osier.test/v2.4.1/loader.js\"></script>";

fn derived(text: &str) -> DerivedProfile {
    derive(text).unwrap_or_else(|e| panic!("{e}: {text}"))
}

/// The profile finds the snippet with any other key of the same form.
fn finds_another(d: &DerivedProfile, other: &str) {
    let supplier = Supplier::given(&d.toml()).unwrap();
    let html = format!("<body>{}</body>", supplier.snippet_for(other));
    let page = Url::parse("https://kites.example/").unwrap();
    let pieces = Inspector::new(&supplier, None).pieces(&html, &page);
    let keys: Vec<_> = pieces.iter().filter_map(|p| p.key.key()).collect();
    assert!(keys.contains(&other), "{}\n{pieces:?}", d.toml());
}

#[test]
fn hosts_key_and_template_are_told_in_every_form() {
    for (snippet, key, other, host) in [
        (ATTRIBUTE, "ab12-cd34", "zz99-yy88", "cdn.osier.test"),
        (PARAMETER, "7f3a9c20", "00ff11ee", "widget.osier.co.test"),
        (PATH, "5f2b7c91d0e4", "a1b2c3d4e5f6", "cdn.osier.test"),
        (CALL, "K-88231-QX", "Z-10000-AA", "cdn.osier.test"),
        (NAMED, "q7w8e9r0", "a1b2c3d4", "js.osier.test"),
    ] {
        let d = derived(snippet);
        assert_eq!(d.key.as_deref(), Some(key), "{snippet}");
        assert_eq!(d.script_hosts, [host]);
        assert_eq!(d.id, "osier", "{host}");
        assert_eq!(d.template, snippet.replace(key, "{{key}}"));
        assert!(d.mended.is_empty(), "{:?}", d.mended);
        finds_another(&d, other);
    }
    assert_eq!(derived(CALL).inline_markers, ["osierChat("]);
    assert_eq!(derived(NAMED).inline_markers, ["window.osierSettings"]);
}

#[test]
fn damage_of_pasting_is_undone_and_told() {
    let escaped = ATTRIBUTE
        .replace('<', "&lt;")
        .replace('>', "&gt;")
        .replace('"', "&quot;");
    for (pasted, mended) in [
        (ATTRIBUTE.replace('"', "\u{201d}"), Repair::Quotes),
        (ATTRIBUTE.replace(' ', "\u{a0}"), Repair::Blanks),
        (escaped.clone(), Repair::Escaped),
        (escaped.replace('&', "&amp;"), Repair::Escaped),
        (format!("<!-- {ATTRIBUTE} -->"), Repair::Comment),
        (
            format!("<script>\n{ATTRIBUTE}\n</script>"),
            Repair::DoubleWrapped,
        ),
        (
            format!("Please paste this before &lt;/body&gt;:\n\n{ATTRIBUTE}\n\nThank you!"),
            Repair::Around,
        ),
        (ATTRIBUTE.replace("</script>", ""), Repair::NoEnd),
        (
            format!("<html><head><title>x</title>{ATTRIBUTE}</head><body>y"),
            Repair::Head,
        ),
    ] {
        let d = derived(&pasted);
        assert!(d.mended.contains(&mended), "{pasted}: {:?}", d.mended);
        assert_eq!(d.key.as_deref(), Some("ab12-cd34"), "{pasted}");
        assert_eq!(
            d.template,
            ATTRIBUTE.replace("ab12-cd34", "{{key}}"),
            "{pasted}"
        );
        assert!(d.toml().contains(mended.words()));
    }
    let bare = CALL
        .trim_start_matches("<script>")
        .trim_end_matches("</script>");
    assert_eq!(derived(bare).mended, [Repair::NoTags]);
    let address = derived("https://cdn.osier.test/l.js?key=ab12cd34");
    assert_eq!(
        (address.mended.as_slice(), address.key.as_deref()),
        (&[Repair::AddressOnly][..], Some("ab12cd34"))
    );
}

#[test]
fn what_it_cannot_know_is_left_out_and_listed() {
    let sample = derived(&ATTRIBUTE.replace("ab12-cd34", "YOUR-KEY-HERE"));
    assert_eq!(sample.key, None);
    assert!(sample.template.contains("data-key=\"{{key}}\""));
    assert!(sample.unknown.iter().any(|u| u.contains("holds a sample")));
    finds_another(&sample, "ab12-cd34");
    let none = derived("<script src=\"https://cdn.osier.test/l.js\"></script>");
    assert_eq!((none.key.as_ref(), none.key_patterns.len()), (None, 0));
    assert!(none.unknown[0].contains("where its key goes"));
    let toml = none.toml();
    assert!(toml.contains("# Not known from the snippet: [alive]"));
    assert!(
        !toml.contains("\n[alive]") && !toml.contains("key_patterns = "),
        "{toml}"
    );
    // The file holds the key, and is a profile all the same.
    let whole = derived(ATTRIBUTE).toml();
    assert!(whole.contains("key = \"ab12-cd34\""), "{whole}");
    assert!(Supplier::given(&whole).is_ok());
}

#[test]
fn what_is_no_snippet_is_told() {
    for (pasted, error) in [
        ("", DeriveError::NoCode),
        (
            "Hello, please add the chat to our site.",
            DeriveError::NoCode,
        ),
        ("<p>nothing</p>", DeriveError::NoCode),
        ("<script>alert('hello')</script>", DeriveError::NoHost),
        (&"x".repeat(MOST_PASTE + 1), DeriveError::TooLong),
    ] {
        assert_eq!(
            derive(pasted).unwrap_err(),
            error,
            "{}",
            &pasted[..pasted.len().min(40)]
        );
    }
    let cut = &CALL[..CALL.len() - 30];
    assert!(
        matches!(derive(cut), Err(DeriveError::Damaged(_))),
        "{:?}",
        derive(cut)
    );
}

proptest::proptest! {
    /// Whatever is pasted is answered.
    #[test]
    fn any_paste_is_answered(text in ".{0,300}", at in 0usize..300) {
        let _ = derive(&text);
        let at = CALL.floor_char_boundary(at.min(CALL.len()));
        let _ = derive(&format!("{}{text}{}", &CALL[..at], &CALL[at..]));
    }
}

#[test]
fn an_element_of_the_suppliers_own_that_carries_the_key_is_part_of_the_snippet() {
    let pasted = "Paste this:\n<osier-chat data-key=\"ab12-cd34\" lang=en></osier-chat>\n\
        <script async src=\"https://cdn.osier.test/l.js\"></script>";
    let derived = derive(pasted).unwrap();
    assert_eq!(derived.key.as_deref(), Some("ab12-cd34"));
    assert!(
        derived
            .template
            .starts_with("<osier-chat data-key=\"{{key}}\""),
        "{}",
        derived.template
    );
    assert!(derived.template.ends_with("</script>"));
    let page = format!(
        "<my-page><p>x</p>{}</my-page>",
        "<script src=\"https://cdn.osier.test/l.js\" \
        data-key=\"ab12-cd34\"></script>"
    );
    assert!(!derive(&page).unwrap().template.contains("my-page"));
    // One inside a script's text, or before a script of somebody else's page, is none of it twice.
    let inside = "<script>document.write('<osier-chat></osier-chat>'); osier('ab12-cd34', \
        'https://cdn.osier.test/l.js')</script>";
    assert_eq!(
        derive(inside)
            .unwrap()
            .template
            .matches("<osier-chat")
            .count(),
        1
    );
}
