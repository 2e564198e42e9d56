use super::*;
use crate::code::Code;
use crate::finding::Severity;
use crate::profile::tests::sample;
use crate::testing::GOOD;

fn tag(id: &str, html: &str) -> Tag {
    Tag {
        id: id.into(),
        name: format!("tag {id}"),
        html: html.into(),
        paused: false,
        on: vec![],
        not_on: vec![],
        event: None,
        consent: None,
    }
}

fn placed(set: &TagSet, rules: &PageRules, consent: Option<&str>) -> Result<TagChange, TagError> {
    place(
        set,
        &TaggedWidget {
            supplier: &sample(),
            html: GOOD,
            rules,
            consent,
            siblings: &["sister-01"],
        },
    )
}

fn set(draft: Vec<Tag>, live: Vec<Tag>) -> TagSet {
    TagSet {
        id: "WK-1".into(),
        version: 4,
        tags: draft,
        published: Some(PublishedSet {
            version: 3,
            note: String::new(),
            tags: live,
        }),
    }
}

fn told(set: TagSet, loaded: &[&str]) -> Option<(Code, String)> {
    let look = TagLook {
        manager: "Wickerset".into(),
        loaded: loaded.iter().map(|s| s.to_string()).collect(),
        set,
    };
    let page = Url::parse("https://kites.example/legal/privacy").unwrap();
    let finding = look.diagnose(&sample(), None, &page)?;
    assert_eq!(finding.severity, Severity::Broken);
    assert!(!finding.remedy.is_empty() && !finding.evidence.is_empty());
    Some((finding.code, finding.summary))
}

#[test]
fn each_state_of_a_tag_has_its_cause() {
    let good = || tag("a", GOOD);
    let code = |s, loaded: &[&str]| told(s, loaded).map(|(c, _)| c);
    let here: &[&str] = &["WK-1"];
    assert_eq!(
        code(
            set(vec![], vec![tag("c", "<script src=/count.js></script>")]),
            here
        ),
        Some(Code::PlacedTagMissing)
    );
    assert_eq!(
        code(set(vec![good()], vec![]), here),
        Some(Code::PlacedTagDraft)
    );
    let paused = Tag {
        paused: true,
        ..good()
    };
    assert_eq!(
        code(set(vec![good()], vec![paused]), here),
        Some(Code::PlacedTagPaused)
    );
    assert_eq!(
        code(set(vec![good()], vec![good()]), &["WK-9"]),
        Some(Code::PlacedTagOtherSet)
    );
    assert_eq!(
        code(set(vec![good()], vec![good()]), &[]),
        Some(Code::PlacedTagOtherSet)
    );
    assert_eq!(
        code(set(vec![], vec![good()]), here),
        None,
        "it should have fired"
    );
}

#[test]
fn the_condition_that_keeps_a_tag_from_firing_is_told() {
    let read = |t: &str| Pattern::read(t).unwrap();
    for (tag, why) in [
        (
            Tag {
                on: vec![read("/shop/**")],
                ..tag("a", GOOD)
            },
            "its rule /shop/** does not take this page",
        ),
        (
            Tag {
                not_on: vec![read("/legal/**")],
                ..tag("a", GOOD)
            },
            "its exception /legal/** takes this page",
        ),
        (
            Tag {
                event: Some("cart".into()),
                ..tag("a", GOOD)
            },
            "it waits for the event \u{201c}cart\u{201d}",
        ),
    ] {
        let (code, summary) = told(set(vec![], vec![tag]), &["WK-1"]).unwrap();
        assert_eq!(code, Code::PlacedTagRule);
        assert!(summary.contains(why), "{summary}");
    }
}

#[test]
fn placing_mends_its_own_tag_and_leaves_others() {
    let others = tag("count", "<script src=/count.js></script>");
    let old = Tag {
        paused: true,
        ..tag("old", &GOOD.replace("1234", "9999"))
    };
    let second = tag("second", GOOD);
    let before = set(vec![old, others.clone(), second], vec![]);
    let rules = PageRules::of(vec![], vec![Pattern::read("/legal/**").unwrap()]);
    let change = placed(&before, &rules, Some("chat")).unwrap();
    assert_eq!(change.tags.len(), 2);
    assert_eq!(change.tags[1], others);
    assert_eq!(
        (change.tag.id.as_str(), change.tag.html.as_str()),
        ("old", GOOD)
    );
    assert_eq!(change.tag.not_on[0].text(), "/legal/**");
    assert_eq!(change.told.len(), 5, "{:?}", change.told);
    // Placed again, only publishing is left to do; then nothing.
    let drafted = set(change.tags.clone(), vec![]);
    let again = placed(&drafted, &rules, Some("chat")).unwrap();
    assert_eq!(again.told, ["the draft is right already and is published"]);
    let live = set(change.tags.clone(), change.tags);
    assert!(placed(&live, &rules, Some("chat")).unwrap().told.is_empty());
    // The tag of the site's other widget of the same supplier stays beside it.
    let sister = tag("sister", &GOOD.replace("abcd-1234", "sister-01"));
    let both = set(vec![sister.clone(), others.clone()], vec![]);
    let change = placed(&both, &rules, None).unwrap();
    assert_eq!(change.tags[..2], [sister, others.clone()]);
    assert_eq!((change.tags.len(), change.tag.html.as_str()), (3, GOOD));
    // A new tag takes an id that is free.
    let taken = set(vec![tag("example-1", "<i>")], vec![]);
    let new = placed(&taken, &PageRules::default(), None).unwrap();
    assert_eq!((new.tag.id.as_str(), new.tags.len()), ("example-2", 2));
    let by_kind = PageRules::of(vec![], vec![Pattern::read("kind:legal").unwrap()]);
    assert!(matches!(
        placed(&taken, &by_kind, None),
        Err(TagError::Kind(_))
    ));
}

proptest::proptest! {
    #[test]
    fn any_text_is_a_set_or_an_error(text in ".{0,200}") {
        if let Ok(set) = TagSet::read(&text) {
            let _ = placed(&set, &PageRules::default(), None);
        }
    }
}
