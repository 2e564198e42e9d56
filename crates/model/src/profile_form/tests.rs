use super::*;
use crate::profile::tests::SAMPLE;

const S: ProfileKind = ProfileKind::Supplier;

#[test]
fn each_field_is_read_and_written_back_as_it_was() {
    let texts = values(S, SAMPLE);
    assert_eq!(texts[0], "example");
    assert_eq!(texts[4].lines().count(), 2);
    for (field, value) in fields(S).iter().zip(&texts) {
        let again = set(S, SAMPLE, field.path, value).unwrap();
        assert_eq!(values(S, &again), texts, "{}", field.path);
    }
}

#[test]
fn one_field_changes_and_nothing_else() {
    let text = "# the agency's own\nid = \"a\"   # short\n\n[recognise]\nscript_hosts = \
        [\"a.test\"] # cdn\n[plans]\nfree = 3\n";
    let changed = set(S, text, "recognise.script_hosts", "a.test\r\n b.test \n\n").unwrap();
    assert_eq!(
        changed,
        text.replace("[\"a.test\"]", "[\"a.test\", \"b.test\"]")
    );
    let more = set(S, text, "alive.start_within_ms", "7000").unwrap();
    assert!(
        more.starts_with(text) && more.ends_with("[alive]\nstart_within_ms = 7000\n"),
        "{more}"
    );
    // Empty: taken out, or not put in.
    let less = set(S, text, "recognise.script_hosts", " ").unwrap();
    assert!(!less.contains("script_hosts") && less.contains("free = 3"));
    assert_eq!(set(S, text, "open.panel", "").unwrap(), text);
    let code = set(
        S,
        text,
        "snippet.template",
        "<script>\n  a(\"{{key}}\")\n</script>",
    )
    .unwrap();
    assert_eq!(values(S, &code)[5], "<script>\n  a(\"{{key}}\")\n</script>");
}

#[test]
fn what_the_form_cannot_change_is_told() {
    let told =
        |text: &str, path: &str, value: &str| set(S, text, path, value).unwrap_err().to_string();
    assert!(told("id = ", "id", "x").starts_with("line 1"));
    assert!(told("", "plans.free", "x").contains("not a field"));
    assert!(told("alive = 3", "alive.script", "x").contains("in the text"));
    assert!(told("", "alive.start_within_ms", "soon").contains("whole number"));
}

#[test]
fn a_profile_in_order_has_no_problems() {
    let looked = look(S, SAMPLE);
    assert_eq!(
        looked,
        ProfileReport {
            id: "example".into(),
            name: "Example Chat".into(),
            ..ProfileReport::default()
        }
    );
}

#[test]
fn what_is_wrong_or_odd_is_told_while_typing() {
    for (from, to, told) in [
        (
            "id = \"example\"",
            "id = \"ex ample\"",
            "is not a short name",
        ),
        ("id = \"example\"", "", "it has no id"),
        ("?P<key>[^", "?P<k>[^", "no group named key"),
        (
            "launcher = \"#example-launcher\"",
            "launcher = \"#example-launcher >\"",
            "alive.launcher has",
        ),
        (
            "panel = \"#example-panel\"",
            "panel = \"#a..b\"",
            "open.panel has",
        ),
        ("[alive]\n", "[alive\n", "line 11"),
        ("[snippet]", "[banner]", "those of a consent manager"),
    ] {
        let text = SAMPLE.replace(from, to);
        assert_ne!(text, SAMPLE, "{from}");
        let looked = look(S, &text);
        assert!(
            looked.problems.iter().any(|p| p.contains(told)),
            "{to}: {looked:?}"
        );
    }
    let odd = SAMPLE.replace("id = \"example\"", "id = \"example\"\nnme = 'x'");
    let looked = look(S, &odd);
    assert_eq!(looked.problems, [""; 0]);
    assert!(looked.remarks[0].contains("nme"), "{looked:?}");
    // A field inside a table of ours would never be looked at.
    let misspelt = SAMPLE.replace("script_hosts", "script_host");
    let looked = look(S, &misspelt).problems.join("; ");
    assert!(looked.contains("recognise.script_host"), "{looked}");
    assert!(
        looked.contains("the nearest field is \u{201c}script_hosts\u{201d}"),
        "{looked}"
    );
    // What this reader does not know, a browser may; a step into a shadow root is ours.
    for fine in [
        "#a >>> .b",
        "a:has(b)",
        "div:nth-child(2)",
        ".x ~ .y",
        "dialog[open] > button.close",
    ] {
        let text = SAMPLE.replace(
            "launcher = \"#example-launcher\"",
            &format!("launcher = \"{fine}\""),
        );
        assert_eq!(look(S, &text).problems, [""; 0], "{fine}");
    }
}

#[test]
fn the_shipped_and_the_other_kinds_are_in_order() {
    for (kind, text) in [
        (
            ProfileKind::Platform,
            include_str!("../../../../profiles/platforms/plugin-cms.toml"),
        ),
        (
            ProfileKind::Platform,
            include_str!("../../../../profiles/platforms/script-built.toml"),
        ),
        (
            ProfileKind::Region,
            include_str!("../../../../profiles/regions/opt-in.toml"),
        ),
        (
            ProfileKind::Region,
            include_str!("../../../../profiles/regions/none.toml"),
        ),
    ] {
        let looked = look(kind, text);
        assert!(
            looked.problems.is_empty() && looked.remarks.is_empty(),
            "{looked:?}"
        );
        assert!(!values(kind, text)[0].is_empty());
    }
    let set = "id = 't'\nname = 'T'\n[sets]\npatterns = ['(?P<st>x)']\n[[slot]]\nid = 'a'\nname = \
        'A'\ntakes = 'markup'";
    let looked = look(ProfileKind::Platform, set);
    assert!(
        looked.problems[0].contains("no group named set"),
        "{looked:?}"
    );
}

proptest::proptest! {
    // A quarter of the usual cases: each reads every field anew.
    #![proptest_config(proptest::test_runner::Config::with_cases(64))]
    /// Any text, in any field of any text, is answered.
    #[test]
    fn any_text_is_answered(text in ".{0,200}", typed in ".{0,60}") {
        for kind in [ProfileKind::Supplier, ProfileKind::ConsentManager, ProfileKind::Platform,
            ProfileKind::Region] {
            look(kind, &text);
            values(kind, &text);
            for field in fields(kind) {
                if let Ok(changed) = set(kind, SAMPLE, field.path, &typed) {
                    toml::from_str::<toml::Table>(&changed).unwrap();
                }
            }
        }
    }
}
