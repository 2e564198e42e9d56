//! Absences and presences that are meant, and those that are not.

use super::{Intent, other_viewports};
use crate::chain::testing::{
    GOOD, Wanted, answer, consent, granted, healthy, launcher, loaded, on_phone, page, with,
};
use crate::chain::{Diagnosis, LinkState, Outcome};
use crate::testing::{SAMPLE, sample};
use newtfern_model::code::Code;
use newtfern_model::expectation::{Expectation, Widget};
use newtfern_model::finding::Severity;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Look, Observation, Presence, Stretch};

fn widget(more: &str) -> Widget {
    let text = format!(
        "address = 'https://kites.example/'\ntime_zone = 'Europe/London'\n[[widget]]\nsupplier = \
        'example'\nkey = 'abcd-1234'\n{more}"
    );
    Expectation::read(&text).unwrap().widgets.remove(0)
}

/// The verdict of visits of a widget that is staffed, not staffed, or of which nothing is said.
fn of(wanted: &Wanted, more: &str, staffed: Option<bool>, visits: &[Observation]) -> Diagnosis {
    let mut d = wanted.of(visits);
    let widget = widget(more);
    let intent = Intent {
        widget: &widget,
        supplier: &wanted.supplier,
        staffed,
        at: "now, Thursday 20:00 there".into(),
    };
    intent.apply(&mut d.verdict, visits);
    d
}

fn told(more: &str, staffed: Option<bool>, visit: Observation) -> Diagnosis {
    of(&Wanted::default(), more, staffed, &[visit])
}

fn codes(d: &Diagnosis) -> Vec<(&'static str, Severity)> {
    d.verdict
        .findings()
        .iter()
        .map(|f| (f.code.name(), f.severity))
        .collect()
}

const HOURS: &str = "[[widget.hours]]\ndays = ['mon']\nfrom = '09:00'\nto = '17:30'\n";

#[test]
fn a_widget_that_hides_outside_hours_is_as_intended_with_both_sides() {
    let hide = format!("outside_hours = 'hide'\n{HOURS}");
    for gone in [
        loaded(),
        launcher(|l| l.hidden_by = Some("display: none".into())),
    ] {
        let d = told(&hide, Some(false), gone.clone());
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::AsIntended, None),
            "{d:?}"
        );
        let note = &d.verdict.findings()[0];
        assert_eq!(
            (note.code, note.severity),
            (Code::AllowedHours, Severity::Note)
        );
        assert_eq!(
            note.evidence[0].line(),
            "by the expectation: mon 09:00 to 17:30"
        );
        assert_eq!(
            note.evidence[1].line(),
            "now, Thursday 20:00 there: not staffed"
        );
        assert_eq!(d.verdict.chain()[2].state, LinkState::NotApplicable);
        // While it is staffed, and where nobody says when, it is broken.
        for staffed in [Some(true), None] {
            assert_eq!(
                told(&hide, staffed, gone.clone()).verdict.outcome(),
                Outcome::Broken
            );
        }
    }
    // Another cause is not explained by the hour.
    assert_eq!(
        told(&hide, Some(false), page("")).verdict.root(),
        Some(Code::PlacedAbsent)
    );
    let d = told(&hide, Some(false), healthy());
    assert_eq!(d.verdict.outcome(), Outcome::Working);
    assert!(codes(&d).contains(&("hours.open-out-of-hours", Severity::Fault)));
    let d = told(&hide, Some(true), healthy());
    assert!(codes(&d).iter().all(|(c, _)| !c.starts_with("hours.")));
}

#[test]
fn a_widget_that_says_somebody_is_there_while_nobody_is_is_a_fault() {
    let message = format!("outside_hours = 'message'\n{HOURS}");
    let told_by = |presence| {
        let visit = with(healthy(), |o| o.presence = presence);
        codes(&told(&message, Some(false), visit))
    };
    let fault = [("hours.open-out-of-hours", Severity::Fault)];
    assert_eq!(told_by(Some(Presence::Online)), fault);
    assert_eq!(told_by(Some(Presence::Away)), []);
    assert_eq!(told_by(None), []);
}

#[test]
fn a_widget_that_waits_for_consent_has_hours_too() {
    let hide = format!("outside_hours = 'hide'\n{HOURS}");
    let wanted = Wanted {
        consent: consent(),
        ..Wanted::default()
    };
    let held = page(&GOOD.replace("async", "type=text/plain data-wait=chat"));
    let visits = [held, granted(healthy())];
    let d = of(&wanted, &hide, Some(false), &visits);
    let told = [
        ("allowed.consent-waits", Severity::Note),
        ("hours.open-out-of-hours", Severity::Fault),
    ];
    assert_eq!(
        (d.verdict.outcome(), codes(&d)),
        (Outcome::AsIntended, told.to_vec())
    );
    assert!(
        d.verdict.findings()[1]
            .remedy
            .contains("hide outside its hours")
    );
    let d = of(&wanted, &hide, Some(true), &visits);
    assert_eq!(codes(&d), told[..1]);

    // Given consent it starts, and hides because nobody is there.
    for gone in [
        loaded(),
        launcher(|l| l.hidden_by = Some("display: none".into())),
    ] {
        let visits = [visits[0].clone(), granted(gone)];
        let d = of(&wanted, &hide, Some(false), &visits);
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::AsIntended, None),
            "{d:?}"
        );
        assert!(
            codes(&d).contains(&("allowed.hours", Severity::Note)),
            "{:?}",
            codes(&d)
        );
    }
}

#[test]
fn a_widget_that_is_gone_although_messages_should_stay_is_broken() {
    let d = told(HOURS, Some(false), loaded());
    assert_eq!(d.verdict.root(), Some(Code::AllowedHours));
    let root = d.verdict.root_finding().unwrap();
    assert!(root.remedy.contains("form for messages"));
    assert_eq!(root.candidates[0].code, Code::StartedSilent);
    assert_eq!(d.verdict.findings().len(), 1, "{:?}", codes(&d));
    assert_eq!(
        told(HOURS, Some(false), healthy()).verdict.outcome(),
        Outcome::Working
    );
}

#[test]
fn the_suppliers_word_that_it_is_closed_counts_unless_it_is_staffed() {
    let wanted = Wanted {
        supplier: Supplier::from_toml(&SAMPLE.replace("allowed.domain", "allowed.hours")).unwrap(),
        ..Wanted::default()
    };
    let closed = with(loaded(), |o| {
        o.requests.push(answer(403, "domain not allowed"))
    });
    let at = |more: &str, staffed| of(&wanted, more, staffed, std::slice::from_ref(&closed));
    assert_eq!(at("", None).verdict.outcome(), Outcome::AsIntended);
    let hide = format!("outside_hours = 'hide'\n{HOURS}");
    assert_eq!(
        at(&hide, Some(false)).verdict.outcome(),
        Outcome::AsIntended
    );
    let d = at(&hide, Some(true));
    assert_eq!(d.verdict.root(), Some(Code::AllowedHours));
    let lines: Vec<String> = d.verdict.findings()[0]
        .evidence
        .iter()
        .map(|e| e.line())
        .collect();
    assert!(
        lines[1].ends_with("staffed") && lines.iter().any(|l| l.contains("403")),
        "{lines:?}"
    );
}

#[test]
fn staffed_and_away_is_a_fault_told_with_the_widgets_own_word() {
    let says = |presence| with(healthy(), |o| o.presence = presence);
    let away = told(HOURS, Some(true), says(Some(Presence::Away)));
    assert_eq!(away.verdict.outcome(), Outcome::Working);
    let found = away
        .verdict
        .findings()
        .iter()
        .find(|f| f.code == Code::HoursStaffedButAway);
    assert!(found.unwrap().summary.contains("\u{201c}away\u{201d}"));
    for fine in [says(Some(Presence::Online)), says(None)] {
        assert!(
            told(HOURS, Some(true), fine)
                .verdict
                .findings()
                .iter()
                .all(|f| f.code != Code::HoursStaffedButAway)
        );
    }
    let night = told(HOURS, Some(false), says(Some(Presence::Away)));
    assert!(
        night
            .verdict
            .findings()
            .iter()
            .all(|f| f.code != Code::HoursStaffedButAway)
    );
}

/// The launcher comes at 900 ms on the sample page; the load is set.
#[test]
fn a_launcher_is_early_or_late_by_the_designed_delay() {
    let came = |load_ms: f64, launcher_ms: f64| {
        with(healthy(), |o| {
            o.metrics.load_ms = Some(load_ms);
            o.looks.launcher = Look::Seen { at_ms: launcher_ms };
        })
    };
    let fault = |more: &str, load_ms, launcher_ms| {
        let d = told(more, None, came(load_ms, launcher_ms));
        assert_eq!(
            d.verdict.outcome(),
            Outcome::Working,
            "a fault does not break"
        );
        let found = d
            .verdict
            .findings()
            .iter()
            .find(|f| f.code == Code::AllowedDelay);
        found.map(|f| (f.severity, f.summary.clone()))
    };
    assert!(fault("delay_s = 8.0", 500.0, 8_400.0).is_none());
    assert!(
        fault("delay_s = 8.0", 500.0, 7_600.0).is_none(),
        "0.9 s early"
    );
    let early = fault("delay_s = 8.0", 500.0, 7_400.0).unwrap();
    assert!(early.0 == Severity::Fault && early.1.contains("6.9 s after the load, before"));
    assert!(
        fault("delay_s = 8.0", 500.0, 11_400.0).is_none(),
        "2.9 s late"
    );
    assert!(
        fault("delay_s = 8.0", 500.0, 11_600.0)
            .unwrap()
            .1
            .contains("8 s are wanted")
    );
    // Where none is wanted nothing is early, and late is what the profile allows (5 s there).
    let none = "delay_s = 0.0";
    assert!(fault(none, 2_000.0, 900.0).is_none());
    assert!(fault(none, 500.0, 5_400.0).is_none());
    assert!(fault(none, 500.0, 5_600.0).is_some());
    // Where nobody asked, nothing is late.
    assert!(fault("", 500.0, 15_600.0).is_none());
}

#[test]
fn what_a_busy_machine_took_is_neither_a_delay_nor_an_absence_of_staff() {
    let visit = |lost_ms: f64, watched_ms: f64| {
        with(healthy(), |o| {
            o.metrics.load_ms = Some(500.0);
            o.looks.launcher = Look::Seen { at_ms: 6_500.0 };
            o.presence = Some(Presence::Away);
            o.withheld.watched_ms = watched_ms;
            o.withheld.stretches = vec![Stretch {
                from_ms: 500.0,
                until_ms: 6_500.0,
                lost_ms,
            }];
        })
    };
    let told = |lost_ms, watched_ms| {
        let d = told(
            &format!("delay_s = 0.0\n{HOURS}"),
            Some(true),
            visit(lost_ms, watched_ms),
        );
        let codes: Vec<&str> = d.verdict.findings().iter().map(|f| f.code.name()).collect();
        let open: Vec<String> = d
            .verdict
            .not_looked_at()
            .iter()
            .map(|g| g.what.clone())
            .collect();
        (codes.join(" "), open.join(" "))
    };
    let away = "hours.staffed-but-away";
    // Late by 6 s, of which 5 s are allowed and 1.5 s were lost.
    assert_eq!(told(900.0, 20_000.0).0, format!("{away} allowed.delay"));
    let (codes, open) = told(1_500.0, 20_000.0);
    assert_eq!((&*codes, &*open), (away, "when the launcher comes"));
    // A visit that lost most of its time says neither.
    let (codes, open) = told(3_900.0, 6_500.0);
    let both = "who is there by the widget when the launcher comes";
    assert_eq!((&*codes, &*open), ("", both));
    let (codes, open) = told(900.0, 2_000.0);
    assert_eq!(
        (&*codes, &*open),
        (&*format!("{away} allowed.delay"), ""),
        "too little to matter"
    );
}

#[test]
fn a_delay_beyond_a_visit_leaves_it_open() {
    let d = told("delay_s = 120.0", None, loaded());
    assert_eq!(
        (d.verdict.outcome(), d.verdict.root()),
        (Outcome::Unchecked, None)
    );
    assert!(d.verdict.not_looked_at()[0].what.contains("120 s"));
    assert_eq!(
        told("delay_s = 5.0", None, loaded()).verdict.outcome(),
        Outcome::Broken
    );
}

/// A visit to which the supplier answers by one of its own rules.
fn refused(code: &str) -> (Wanted, Observation) {
    let wanted = Wanted {
        supplier: Supplier::from_toml(&SAMPLE.replace("allowed.domain", code)).unwrap(),
        ..Wanted::default()
    };
    let closed = with(loaded(), |o| {
        o.requests.push(answer(403, "domain not allowed"))
    });
    (wanted, closed)
}

#[test]
fn a_suppliers_own_rule_that_contradicts_the_expectation_is_broken_with_both_sides() {
    let (wanted, closed) = refused("allowed.page-rule");
    let d = of(
        &wanted,
        "on = ['/shop/**']",
        None,
        std::slice::from_ref(&closed),
    );
    assert_eq!(
        (d.verdict.outcome(), d.verdict.root()),
        (Outcome::Broken, Some(Code::AllowedPageRule))
    );
    let found = d.verdict.root_finding().unwrap();
    assert_eq!(found.evidence[0].line(), "by the expectation: on /shop/**");
    assert!(found.evidence[1].line().contains("403"), "{found:?}");
    assert!(found.remedy.contains("let the page rules cover this page"));
}

#[test]
fn a_suppliers_delay_is_broken_where_none_or_a_shorter_one_is_wanted() {
    let (wanted, closed) = refused("allowed.delay");
    let root = |more: &str| {
        let d = of(&wanted, more, None, std::slice::from_ref(&closed));
        (d.verdict.outcome(), d.verdict.root())
    };
    let broken = (Outcome::Broken, Some(Code::AllowedDelay));
    assert_eq!(root("delay_s = 0.0"), broken);
    assert_eq!(root("delay_s = 5.0"), broken);
    // Nobody asked, or a visit does not watch so long: the supplier's word stands.
    assert_eq!(root(""), (Outcome::AsIntended, None));
    assert_eq!(root("delay_s = 120.0"), (Outcome::AsIntended, None));
}

#[test]
fn a_viewport_where_it_need_not_show_is_told_and_never_broken_by_its_absence() {
    let widget = widget("viewports = ['desktop']");
    let judged = |phone: Observation| {
        let all = [healthy(), phone];
        let mut d = Wanted::default().of(&all[..1]);
        other_viewports(&widget, &mut d.verdict, &all);
        d
    };
    let absent = judged(on_phone(loaded()));
    assert_eq!(absent.verdict.outcome(), Outcome::AsIntended);
    let note = absent
        .verdict
        .findings()
        .iter()
        .find(|f| f.code == Code::AllowedPageRule);
    assert!(note.unwrap().summary.contains("absent on phones"));
    let there = judged(on_phone(healthy()));
    assert_eq!(there.verdict.root(), Some(Code::PlacedUnexpected));
    assert!(there.verdict.findings()[0].remedy.contains("on phones"));
    assert_eq!(sample().id, "example");
}
