use super::*;
use crate::platform::{Slot, SlotInput};
use crate::profile::tests::{SAMPLE, sample};
use crate::profile::{ConsentManager, Supplier};
use crate::testing::{GOOD, consent};

fn slot(id: &str, takes: SlotInput) -> Slot {
    Slot {
        id: id.into(),
        name: format!("the {id}"),
        ..crate::platform::tests::slot(takes)
    }
}

/// A push into the first slot of a site whose slots hold these texts.
fn push(
    texts: &[(SlotInput, &str)],
    consent: Option<&ConsentManager>,
) -> Result<Mend, PlacingError> {
    let supplier = sample();
    let slots: Vec<Slot> = texts
        .iter()
        .enumerate()
        .map(|(i, (takes, _))| slot(&format!("slot {i}"), *takes))
        .collect();
    let held = slots
        .iter()
        .zip(texts)
        .map(|(slot, (_, text))| SlotContent {
            slot,
            text: text.to_string(),
        });
    let placing = Placing {
        supplier: &supplier,
        key: "abcd-1234",
        siblings: Vec::new(),
        consent,
        slots: held.collect(),
    };
    placing.mend(&slots[0])
}

/// What the first slot holds after it.
fn first(mend: &Mend) -> &str {
    &mend
        .changes
        .iter()
        .find(|c| c.slot == "slot 0")
        .unwrap()
        .after
}

const COUNTER: &str = "<!-- counter -->\n<script src=\"/count.js\" defer></script>\n";

#[test]
fn a_push_into_a_clean_site_is_proven_in_every_kind_of_slot() {
    for takes in [SlotInput::Markup, SlotInput::Key, SlotInput::ScriptText] {
        let push = push(&[(takes, ""), (SlotInput::Markup, COUNTER)], None).unwrap();
        assert!(
            push.is_proven() && push.changes.len() == 1,
            "{takes:?}: {push:?}"
        );
    }
}

#[test]
fn what_is_gated_is_proven_as_it_is_pushed() {
    let manager = consent().unwrap();
    let push = push(&[(SlotInput::Markup, "")], Some(&manager)).unwrap();
    assert!(
        first(&push).contains("type=\"text/plain\" data-wait"),
        "{push:?}"
    );
    assert!(push.is_proven());
}

/// Script text waits in the manager's call; a copy that does not, or with another key, is replaced
/// whole.
#[test]
fn script_text_is_put_into_the_managers_call_and_found_there_again() {
    let waits =
        "id = 'bar'\n[gating]\nscript = 'bar.when(\"{{category}}\", function () { {{code}} });'";
    let manager = ConsentManager::from_toml(waits).unwrap();
    let slot = SlotInput::ScriptText;
    let once = push(&[(slot, "count();\n")], Some(&manager)).unwrap();
    let held = first(&once).to_string();
    assert!(
        held.starts_with("count();\nbar.when(\"chat\", function () {"),
        "{held}"
    );
    assert!(once.is_proven());
    let again = push(&[(slot, &held)], Some(&manager)).unwrap();
    assert!(again.changes.is_empty() && again.is_proven(), "{again:?}");
    let plain = push(&[(slot, "count();\n")], None).unwrap();
    for old in [first(&plain), &held.replace("abcd-1234", "zzzz-9999")] {
        let mended = push(&[(slot, old)], Some(&manager)).unwrap();
        assert_eq!((first(&mended), mended.told.len()), (held.as_str(), 1));
    }
    // Taken out of it, nothing of the call is left.
    let moved = push(&[(SlotInput::Key, ""), (slot, &held)], Some(&manager)).unwrap();
    assert_eq!(moved.changes[1].after, "count();\n");
    assert!(moved.is_proven() && moved.fitted.at_manager.is_none());
    assert!(moved.fitted.notes[0].contains("has no way to block code here"));
    // A manager that holds hosts back has to be told, and a push says so before it is made.
    let steps = format!(
        "{waits}\n[[gating.step]]\ndo = 'Enter {{{{hosts}}}}'\ncheck = 'They stand there.'"
    );
    let manager = ConsentManager::from_toml(&steps).unwrap();
    let keyed = push(&[(SlotInput::Key, "")], Some(&manager)).unwrap();
    assert!(
        keyed.told[1]
            .what
            .contains("set the consent manager to block"),
        "{:?}",
        keyed.told
    );
    assert_eq!(
        keyed.fitted.at_manager.unwrap().hosts[0],
        "cdn.example.test"
    );
}

/// Every damage of a copy is replaced in its place, told for what it is, and what others put there
/// stays to the byte.
#[test]
fn every_damaged_copy_is_replaced_and_others_code_stays() {
    for (old, told) in [
        (
            format!("<p>{}</p>", GOOD.replace('<', "&lt;").replace('>', "&gt;")),
            SpanKind::AsText,
        ),
        (
            format!(
                "<div>\n{}\n</div>",
                GOOD.replace('<', "&amp;lt;").replace('>', "&amp;gt;")
            ),
            SpanKind::AsText,
        ),
        (GOOD.replace('"', "\u{201d}"), SpanKind::Quotes),
        (
            format!("<!-- off for the holidays\n{GOOD}\n-->"),
            SpanKind::Comment,
        ),
        (
            format!("<script>\n{GOOD}\n</script>"),
            SpanKind::DoubleWrapped,
        ),
        (GOOD.replace("abcd-1234", "abcd-9999"), SpanKind::Code),
        (
            GOOD.trim_end_matches("></script>")
                .trim_end_matches('"')
                .to_string(),
            SpanKind::CutOff,
        ),
    ] {
        let held = format!("{COUNTER}{old}\n<p>ours</p>\n");
        let mend = push(&[(SlotInput::Markup, &held)], None).unwrap();
        assert!(mend.is_proven(), "{old}: {mend:?}");
        assert_eq!(
            first(&mend),
            format!("{COUNTER}{GOOD}\n<p>ours</p>\n"),
            "{old}"
        );
        assert_eq!(mend.told.len(), 1, "{old}: {mend:?}");
        assert!(
            mend.told[0].what.starts_with(told.words()),
            "{:?}",
            mend.told
        );
    }
}

#[test]
fn second_copies_go_from_every_slot_and_an_extension_is_told_with_its_switch() {
    let twice = format!("{COUNTER}{GOOD}\n{GOOD}\n");
    let gone = format!("<!-- {GOOD} -->\nrest\n");
    let mend = push(
        &[
            (SlotInput::Markup, &twice),
            (SlotInput::Markup, &gone),
            (SlotInput::Key, "abcd-1234"),
            (SlotInput::ScriptText, &format!("var a = 1;\n{GOOD}")),
        ],
        None,
    )
    .unwrap();
    assert!(mend.is_proven(), "{mend:?}");
    let after: Vec<&str> = mend.changes.iter().map(|c| c.after.as_str()).collect();
    assert_eq!(after[..3], [&format!("{COUNTER}{GOOD}\n"), "rest\n", ""]);
    assert_eq!(after[3].trim(), "var a = 1;");
    assert_eq!(mend.told.len(), 4, "{:?}", mend.told);
    assert!(
        mend.told[2].what.contains("display switch"),
        "{:?}",
        mend.told[2]
    );
}

/// Somebody else's broken tag swallows what stands behind it: taking ours out of it would only let
/// it swallow more, so it stays. The page has the other copy once.
#[test]
fn what_a_broken_tag_of_others_swallows_stays() {
    let held = format!("{GOOD}<script src={GOOD}cdn.example.test");
    let mend = push(&[(SlotInput::Markup, &held)], None).unwrap();
    assert!(mend.changes.is_empty(), "{mend:?}");
    // In front of ours: nothing is pushed that would be swallowed.
    let open = push(&[(SlotInput::Markup, "<script src=\n")], None);
    assert!(matches!(open, Err(PlacingError::Swallowed(_))), "{open:?}");
}

/// A script of somebody else's that brings the widget among other things is not ours to cut.
#[test]
fn what_only_mentions_the_supplier_stays() {
    let others = "<script>var list = \
        [\"https://cdn.example.test/l.js\", \"https://other.test/a.js\"]; go(list);</script>\n";
    let mend = push(
        &[(SlotInput::Markup, ""), (SlotInput::Markup, others)],
        None,
    )
    .unwrap();
    assert_eq!(mend.changes.len(), 1, "{mend:?}");
    // In a comment with others' markup only our part goes.
    let shared = format!("<!-- old: {GOOD}<script src=/count.js></script> -->\n");
    let mend = push(
        &[(SlotInput::Markup, ""), (SlotInput::Markup, &shared)],
        None,
    )
    .unwrap();
    let after = &mend
        .changes
        .iter()
        .find(|c| c.slot == "slot 1")
        .unwrap()
        .after;
    assert_eq!(after, "<!-- old: <script src=/count.js></script> -->\n");
}

/// One supplier is replaced by another: the old code goes from every slot, the new one stands once.
#[test]
fn another_suppliers_code_goes_only_where_it_is_wanted() {
    let other = SAMPLE
        .replace("\"example\"", "\"wattle\"")
        .replace("Example", "Wattle")
        .replace("cdn.example.test", "cdn.wattle.test");
    let other = Supplier::from_toml(&other).unwrap();
    let old = GOOD.replace("cdn.example.test", "cdn.wattle.test");
    let supplier = sample();
    let (a, b) = (
        slot("slot 0", SlotInput::Markup),
        slot("slot 1", SlotInput::Markup),
    );
    let placing = Placing {
        supplier: &supplier,
        key: "abcd-1234",
        siblings: Vec::new(),
        consent: None,
        slots: vec![
            SlotContent {
                slot: &a,
                text: format!("{COUNTER}{old}\n"),
            },
            SlotContent {
                slot: &b,
                text: format!("<!-- {old} -->\nrest\n"),
            },
        ],
    };
    let others = std::slice::from_ref(&other);
    assert_eq!(placing.others(others), [other.name.as_str()]);
    let kept = placing.mend(&a).unwrap();
    assert!(
        first(&kept).contains("cdn.wattle.test"),
        "nothing of others goes unasked"
    );
    let swapped = placing.swap(&a, others).unwrap();
    let after: Vec<&str> = swapped.changes.iter().map(|c| c.after.as_str()).collect();
    assert_eq!(after, [&format!("{COUNTER}{GOOD}\n"), "rest\n"]);
    assert_eq!(swapped.changes[0].before, format!("{COUNTER}{old}\n"));
    assert!(
        swapped.is_proven() && swapped.told.len() == 3,
        "{:?}",
        swapped.told
    );
}

#[test]
fn a_slot_that_swallows_is_refused() {
    let open = push(&[(SlotInput::Markup, "<!-- off for now")], None).unwrap_err();
    assert!(matches!(open, PlacingError::Swallowed(_)), "{open}");
}

#[test]
fn pushing_twice_is_once() {
    for takes in [SlotInput::Markup, SlotInput::ScriptText, SlotInput::Key] {
        let once = push(&[(takes, "")], None).unwrap();
        let twice = push(&[(takes, first(&once))], None).unwrap();
        assert!(
            twice.changes.is_empty() && twice.is_proven(),
            "{takes:?}: {twice:?}"
        );
    }
    // With another key in script text, the form is found all the same.
    let old = push(&[(SlotInput::ScriptText, "")], None).unwrap();
    let old = first(&old).replace("abcd-1234", "abcd-9999");
    let mend = push(
        &[(SlotInput::ScriptText, &format!("var a = 1;\n{old}"))],
        None,
    )
    .unwrap();
    assert!(first(&mend).starts_with("var a = 1;\n") && !first(&mend).contains("9999"));
    assert!(mend.is_proven());
}

#[test]
fn taking_off_leaves_nothing_of_the_supplier() {
    let supplier = sample();
    let (a, b) = (slot("a", SlotInput::Markup), slot("b", SlotInput::Key));
    let placing = Placing {
        supplier: &supplier,
        key: "abcd-1234",
        siblings: Vec::new(),
        consent: None,
        slots: vec![
            SlotContent {
                slot: &a,
                text: format!("{COUNTER}{GOOD}\n"),
            },
            SlotContent {
                slot: &b,
                text: "abcd-1234".into(),
            },
        ],
    };
    let (changes, told, left) = placing.clear();
    let after: Vec<&str> = changes.iter().map(|c| c.after.as_str()).collect();
    assert_eq!((after, told.len(), left.len()), (vec![COUNTER, ""], 2, 0));
}

#[test]
fn an_element_that_a_broken_end_tag_took_is_not_taken_twice() {
    let held = format!(
        "{}</script<p>&lt;script src=\"https://cdn.example.test/l.js\"&gt;&lt;/script&gt;</p>x\n",
        GOOD.trim_end_matches("</script>")
    );
    let (supplier, a) = (sample(), slot("a", SlotInput::Markup));
    let spans = super::spans::in_markup(&supplier, None, &held);
    assert!(
        spans.windows(2).all(|w| w[0].at.end <= w[1].at.start),
        "{spans:?}"
    );
    let placing = Placing {
        supplier: &supplier,
        key: "abcd-1234",
        siblings: Vec::new(),
        consent: None,
        slots: vec![SlotContent {
            slot: &a,
            text: held,
        }],
    };
    let (changes, _, left) = placing.clear();
    assert_eq!((changes[0].after.as_str(), left.len()), ("</p>x\n", 0));
}

proptest::proptest! {
    // A quarter of the usual cases: each takes a tenth of a second, and the fuzzer tries many more.
    #![proptest_config(proptest::test_runner::Config::with_cases(64))]
    /// Whatever stands in a slot, others' text stays in its order and nothing panics.
    #[test]
    fn any_text_is_answered(parts in proptest::collection::vec(proptest::sample::select(vec![
        "<!--", "-->", "<script>", "</script>", "</script", "&lt;script", "&lt;\
            /script&gt;", "<p>", "</p>", "x\n", "\u{201d}\u{e9}",
        "<script async src=\"https://cdn.example.test/l.js\" \
         data-key=\"abcd-1234\"></script>", "cdn.example.test", "<script src=",
    ]), 0..12)) {
        let held = parts.concat();
        let spans = super::spans::in_markup(&sample(), None, &held);
        proptest::prop_assert!(spans.windows(2).all(|w| w[0].at.end <= w[1].at.start), "{held}: \
            {spans:?}");
        if let Ok(mend) = push(&[(SlotInput::Markup, &held)], None)
            && let Some(change) = mend.changes.first()
        {
            // A second push has nothing to do.
            let again = push(&[(SlotInput::Markup, &change.after)], None);
            proptest::prop_assert!(again.is_err() || again.unwrap().changes.is_empty(), "{held} -> \
                {}", change.after);
        }
    }
}

#[test]
fn taking_back_touches_nothing_of_others() {
    assert_eq!(
        put_back("a\nours\n", "a\n", "a\nours\n", "ours\n").unwrap(),
        "a\n"
    );
    assert_eq!(
        put_back("a\nours\nb\n", "a\n", "a\nours\n", "ours\n").unwrap(),
        "a\n\nb\n"
    );
    assert!(put_back("a\n", "a\n", "a\nours\n", "ours\n").is_err());
}

/// A stack of 512 kB, as little as a thread of a small system has; debug builds take the most of
/// it.
fn on_a_small_stack<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> T {
    let thread = std::thread::Builder::new().stack_size(512 * 1_024);
    thread.spawn(work).unwrap().join().unwrap()
}

#[test]
fn comments_that_open_without_end_are_looked_through_in_one_go() {
    let spans = on_a_small_stack(|| {
        let snippet = sample().snippet_for("kites-live");
        let text = format!("{}{}", "<!--".repeat(5_000), snippet.repeat(300));
        super::spans::in_markup(&sample(), None, &text)
    });
    assert!(
        !spans.is_empty() && spans.iter().all(|s| s.found == SpanKind::Code),
        "{spans:?}"
    );
    // Closed ones with open ones in them go no deeper either.
    let snippet = sample().snippet_for("kites-live");
    let text = format!("{}{snippet}{}", "<!--".repeat(5_000), "-->".repeat(5_000));
    let spans = super::spans::in_markup(&sample(), None, &text);
    assert_eq!(spans.len(), 1);
    assert_eq!(spans[0].found, SpanKind::Comment);
}

/// The profile that ships for sites without a consent manager.
const CLICK: &str = include_str!("../../../../profiles/consent/click-to-load.toml");

#[test]
fn a_button_that_loads_the_widget_is_one_script_that_is_found_again() {
    let manager = ConsentManager::given(CLICK).unwrap();
    let into = |text: &str| push(&[(SlotInput::Markup, text)], Some(&manager)).unwrap();
    let made = into(COUNTER);
    assert!(made.is_proven());
    let code = &made.fitted.code;
    assert_eq!(code.matches("<script").count(), 1);
    assert!(code.contains("chatLoadsOnClick") && code.contains("createElement(\"button\")"));
    let after = first(&made);
    assert!(after.starts_with(COUNTER));
    assert!(into(after).changes.is_empty(), "{after}");
    let (supplier, slot) = (sample(), slot("slot 0", SlotInput::Markup));
    let placing = Placing {
        supplier: &supplier,
        key: "abcd-1234",
        siblings: Vec::new(),
        consent: Some(&manager),
        slots: vec![SlotContent {
            slot: &slot,
            text: after.to_string(),
        }],
    };
    assert_eq!(placing.clear().0[0].after.trim_end(), COUNTER.trim_end());
}

#[test]
fn a_widget_is_placed_beside_its_sibling_of_the_same_supplier() {
    let supplier = sample();
    let sibling = supplier.snippet_for("wxyz-9999");
    let (footer, key_box) = (
        slot("slot 0", SlotInput::Markup),
        slot("key", SlotInput::Key),
    );
    let placing = |text: &str, key: &str| {
        let texts = [(&footer, text.to_string()), (&key_box, key.to_string())];
        Placing {
            supplier: &supplier,
            key: "abcd-1234",
            siblings: vec!["abcd-1234", "wxyz-9999"],
            consent: None,
            slots: texts
                .map(|(slot, text)| SlotContent { slot, text })
                .to_vec(),
        }
    };
    let beside = format!("{COUNTER}{sibling}\n");
    let made = placing(&beside, "").mend(&footer).unwrap();
    assert!(made.is_proven(), "{:?}", made.left);
    let after = first(&made);
    assert!(
        after.contains("wxyz-9999") && after.contains("abcd-1234"),
        "{after}"
    );
    assert!(placing(after, "").mend(&footer).unwrap().changes.is_empty());
    // Taking one off leaves the other; a box for one key cannot hold two.
    let (changes, ..) = placing(after, "wxyz-9999").clear();
    assert_eq!(changes.len(), 1);
    assert!(changes[0].after.contains("wxyz-9999") && !changes[0].after.contains("abcd-1234"));
    let taken = placing("", "wxyz-9999").mend(&key_box).unwrap_err();
    assert!(matches!(taken, PlacingError::Taken(_)));
}
