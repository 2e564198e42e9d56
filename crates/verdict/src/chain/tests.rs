//! The chain as a whole; each rule's own tests stand in its file.

use super::registry::{Ask, RULES};
use super::testing::*;
use super::*;
use newtfern_model::code::{Area, Code, Link};
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{
    AsideLook, FixedElement, Hop, Look, NotCheckedReason, Purpose,
};
use std::collections::BTreeSet;

#[test]
fn the_json_has_the_published_fields() {
    let value = serde_json::to_value(Wanted::default().of(&[loaded()])).unwrap();
    let fields: Vec<&str> = value
        .as_object()
        .unwrap()
        .keys()
        .map(String::as_str)
        .collect();
    let published = [
        "url",
        "final_url",
        "outcome",
        "root",
        "chain",
        "findings",
        "not_looked_at",
    ];
    assert_eq!(fields, published);
    assert_eq!(value["outcome"], "broken");
    assert_eq!(value["root"], "started.silent");
    let shown = serde_json::json!({"link": "shown", "state": "not_reached"});
    assert_eq!(value["chain"][6], shown);
    let finding = value["findings"][0].as_object().unwrap();
    let fields: Vec<&str> = finding.keys().map(String::as_str).collect();
    let published = [
        "code",
        "severity",
        "link",
        "summary",
        "evidence",
        "remedy",
        "candidates",
    ];
    assert_eq!(fields, published);
    let working = serde_json::to_value(Wanted::default().of(&[healthy()])).unwrap();
    assert!(working["root"].is_null() && working["outcome"] == "working");
}

#[test]
fn a_healthy_page_holds_on_every_link_and_has_no_remarks() {
    let d = Wanted::default().of(&[healthy(), on_phone(healthy())]);
    assert_eq!(d.verdict.outcome(), Outcome::Working);
    assert!(
        d.verdict
            .chain()
            .iter()
            .all(|l| l.state == LinkState::Holds)
    );
    assert!(
        d.verdict.findings().is_empty() && d.verdict.not_looked_at().is_empty(),
        "{d:?}"
    );
}

#[test]
fn rules_stand_where_their_codes_belong() {
    let mut names = BTreeSet::new();
    for rule in RULES {
        assert!(names.insert(rule.name), "{} stands twice", rule.name);
        for code in rule.codes {
            let of_chain = matches!(code.area(), Area::Chain(_) | Area::Unchecked);
            assert!(of_chain, "{}: {code}", rule.name);
            match rule.ask {
                Ask::Remarks(_) => assert!(!code.breaks(), "{}: {code}", rule.name),
                Ask::Breaks(link, _) => {
                    assert!(code.link() >= Some(Link::Delivered) && link >= Link::Delivered)
                }
                Ask::Together(_) => {}
            }
        }
    }
}

#[test]
fn broken_goes_before_unchecked_and_that_before_working() {
    let cut = |o| {
        with(o, |o| {
            o.looks.alive = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        })
    };
    use newtfern_standards::observation::{Look, NotCheckedReason};
    let d = Wanted::default().of(&[healthy(), on_phone(cut(loaded()))]);
    assert_eq!(d.verdict.outcome(), Outcome::Unchecked);
    let d = Wanted::default().of(&[cut(loaded()), on_phone(page(""))]);
    assert_eq!(d.verdict.root(), Some(Code::PlacedAbsent));
}

#[test]
fn a_visit_of_an_earlier_version_is_undecided() {
    let old = with(loaded(), |o| o.looks = Default::default());
    undecided(old, "an earlier version");
}

/// Everything the rules tell, for reading as a whole: `cargo insta review` after a change of words.
#[test]
fn the_words_of_the_findings() {
    let mut text = String::new();
    for (name, o) in cases() {
        let d = Wanted::default().of(&[o]);
        text.push_str(&format!("## {name}: {}\n", d.verdict.outcome().words()));
        for f in d.verdict.findings() {
            text.push_str(&format!(
                "{} ({})\n  {}\n",
                f.code,
                f.severity.word(),
                f.summary
            ));
            for e in &f.evidence {
                text.push_str(&format!("  - {}\n", e.line()));
            }
            if !f.remedy.is_empty() {
                text.push_str(&format!("  > {}\n", f.remedy));
            }
            for c in &f.candidates {
                text.push_str(&format!("  ? {}: {}\n", c.code, c.tell));
            }
        }
        for n in d.verdict.not_looked_at() {
            text.push_str(&format!("  not looked at: {}, because {}\n", n.what, n.why));
        }
    }
    insta::assert_snapshot!(text);
}

fn cases() -> Vec<(&'static str, Observation)> {
    use newtfern_standards::observation::{FailureKind, Look, NotCheckedReason};
    let failing = |kind| with(page(GOOD), |o| o.requests.push(loader(None, Some(kind))));
    vec![
        ("healthy", healthy()),
        ("status", with(page(GOOD), |o| o.page.status = Some(503))),
        ("nothing there", page("")),
        ("as text", page(&GOOD.replace('<', "&lt;"))),
        ("typographic quotes", page(&GOOD.replace('"', "\u{201d}"))),
        (
            "twice",
            with(healthy(), |o| {
                o.page.html = html(&format!("{GOOD}\n{GOOD}"))
            }),
        ),
        (
            "a leftover",
            with(healthy(), |o| {
                o.page.html = html(&format!("<!-- {GOOD} -->{GOOD}"))
            }),
        ),
        (
            "refused domain",
            with(loaded(), |o| {
                o.requests.push(answer(403, "domain not allowed"))
            }),
        ),
        ("loader without a name", failing(FailureKind::Dns)),
        ("loader of another origin", failing(FailureKind::Cors)),
        ("loader of another kind", failing(FailureKind::Type)),
        (
            "error",
            with(loaded(), |o| {
                o.exceptions
                    .push(error("https://cdn.example.test/l.js", "TypeError: x"))
            }),
        ),
        ("silent", loaded()),
        (
            "cut off",
            with(loaded(), |o| {
                o.looks.alive = Look::NotLooked {
                    why: NotCheckedReason::Deadline,
                }
            }),
        ),
        ("outside", launcher(|l| l.rect.x = 2000.0)),
        (
            "does not open",
            with(healthy(), |o| {
                o.looks.opening = Look::NotThere { until_ms: 5000.0 }
            }),
        ),
    ]
}

#[test]
fn the_words_of_links_are_those_of_the_contract() {
    let states = [
        (LinkState::Holds, "holds"),
        (LinkState::Broken, "broken"),
        (LinkState::Undecided, "undecided"),
        (LinkState::NotReached, "not_reached"),
        (LinkState::NotApplicable, "not_applicable"),
    ];
    for (state, word) in states {
        assert_eq!(serde_json::to_value(state).unwrap(), word);
        assert_eq!(state.word().replace(' ', "_"), word);
    }
}

#[test]
fn a_copy_that_is_sent_on_or_was_not_had_is_no_page() {
    let had = aside(Purpose::Linked, "");
    assert!(had.is_page());
    let sent_on = Aside { status: 300, ..had };
    assert!(!sent_on.is_page());
    let why = NotCheckedReason::Deadline;
    let missed = Aside {
        look: AsideLook::Missed { why },
        ..aside(Purpose::Linked, "")
    };
    assert!(!missed.is_page());
}

#[test]
fn redirects_and_pictures_are_part_of_the_evidence() {
    let landed = with(page(""), |o| {
        o.page.final_url = "https://elsewhere.example/".into();
        o.page.redirects.push(Hop {
            url: "https://kites.example/".into(),
            status: 301,
            location: "https://elsewhere.example/".into(),
        });
    });
    let lines =
        |o: Observation| -> Vec<String> { told(o).evidence.iter().map(|e| e.line()).collect() };
    let redirected = lines(landed);
    assert!(
        redirected
            .iter()
            .any(|l| l.contains("301 to https://elsewhere.example/")),
        "{redirected:?}"
    );
    let hidden = with(healthy(), |o| {
        o.picture = Some("ab/picture.png".into());
        if let Some(l) = &mut o.launcher {
            l.hidden_by = Some("display: none".into());
        }
    });
    let pictured = told(hidden);
    let key = Evidence::Picture {
        key: "ab/picture.png".into(),
    };
    assert!(pictured.evidence.contains(&key), "{pictured:?}");
}

/// Alive without a launcher to see, or seen without being alive, is not up: rules about what may
/// have kept it away are asked.
#[test]
fn a_widget_is_up_only_when_it_is_alive_and_seen() {
    let refused = || answer(403, "domain not allowed");
    let unseen = with(healthy(), |o| {
        o.requests.push(refused());
        if let Some(l) = &mut o.launcher {
            l.hidden_by = Some("display: none".into());
        }
    });
    assert_eq!(root(unseen), Some(Code::AllowedDomain));
    let silent = with(healthy(), |o| {
        o.requests.push(refused());
        o.looks.alive = Look::NotThere { until_ms: 6000.0 };
    });
    assert_eq!(root(silent), Some(Code::AllowedDomain));
}

/// What stands beside a root cause: nothing of a page that did not arrive, and nothing twice.
#[test]
fn remarks_are_of_pages_that_arrived_and_told_once() {
    let untidy = |o: Observation| {
        with(o, |o| {
            o.page.html = html(&format!("<!-- old: {GOOD} -->\n{GOOD}"))
        })
    };
    let count = |visits: &[Observation]| {
        let d = Wanted::default().of(visits);
        let left = |f: &&Finding| f.code == Code::PlacedLeftover;
        (
            d.verdict.findings().iter().filter(left).count(),
            d.verdict.findings().len(),
        )
    };
    assert_eq!(
        count(&[untidy(healthy()), on_phone(untidy(healthy()))]),
        (1, 1)
    );
    let gone = with(untidy(healthy()), |o| o.page.status = Some(404));
    assert_eq!(count(&[gone]), (0, 1));
    let covered = with(untidy(healthy()), |o| {
        o.fixed.push(FixedElement {
            element: "div#bar".into(),
            rect: o.launcher.as_ref().unwrap().rect,
            role: String::new(),
            ..FixedElement::default()
        });
    });
    assert_eq!(count(&[covered]), (1, 2), "another remark stands beside it");
}

#[test]
fn the_untouched_visit_on_a_desktop_stands_for_the_check() {
    let sent_on =
        |o: Observation| with(o, |o| o.page.final_url = "https://kites.example/en".into());
    let visits = [
        granted(sent_on(healthy())),
        on_phone(sent_on(healthy())),
        healthy(),
    ];
    assert_eq!(Wanted::default().of(&visits).final_url, PAGE);
}

/// Consent that could not be given leaves open what may depend on it, and only that.
#[test]
fn an_act_of_consent_that_failed_leaves_open_what_depends_on_it() {
    let of = |visits: &[Observation]| {
        let d = Wanted::default().of(visits);
        (d.verdict.outcome(), d.verdict.root())
    };
    let open = (Outcome::Unchecked, None);
    assert_eq!(of(&[page(""), ungranted(page(""))]), open);
    // A page that does not arrive does not wait for consent.
    let gone = || with(page(""), |o| o.page.status = Some(404));
    let broken = (Outcome::Broken, Some(Code::DeliveredStatus));
    assert_eq!(of(&[gone(), ungranted(gone())]), broken);
    // What is up before the decision does not wait for it either.
    let works = (Outcome::Working, None);
    assert_eq!(of(&[healthy(), ungranted(page(""))]), works);
    assert_eq!(
        of(&[healthy(), granted(healthy()), on_phone(ungranted(page("")))]),
        works
    );
    // One that came with consent, and then was silent, is not held back.
    let silent = with(granted(loaded()), |o| o.consent.manager = true);
    assert_eq!(
        of(&[page(""), silent]),
        (Outcome::Broken, Some(Code::StartedSilent))
    );
}

#[test]
fn a_fault_of_the_phone_alone_is_told_as_such_and_no_other() {
    let alone = |visits: &[Observation]| {
        let d = Wanted::default().of(visits);
        let root = d.verdict.root_finding().unwrap();
        let words = "on a phone only";
        root.evidence.iter().any(|e| e.line().contains(words))
    };
    let silent = || page("");
    assert!(alone(&[healthy(), on_phone(silent())]));
    assert!(!alone(&[silent(), on_phone(silent())]));
    // A desktop of which nothing is known does not work.
    let open = with(page(""), |o| {
        o.looks.alive = Look::NotLooked {
            why: NotCheckedReason::Deadline,
        };
    });
    assert!(!alone(&[open, on_phone(silent())]));
    // It broke with consent, on the same desktop.
    assert!(!alone(&[healthy(), granted(silent())]));
}
