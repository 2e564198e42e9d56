//! The grid, and what is judged by it.

use super::*;
use crate::chain::testing::{granted, page, ungranted, with};
use crate::testing::sample;
use newtfern_standards::observation::{Frame, Look, Request, StorageKind, StoredItem};

fn region() -> Region {
    Region::from_toml(
        "id='opt-in'\nname='Opt-in'\n[before]\nrequests=['necessary']\nstorage=['necessary']",
    )
    .unwrap()
}

fn request(o: &mut Observation, at_ms: f64) {
    o.requests.push(Request {
        url: "https://cdn.example.test/l.js".into(),
        start_ms: at_ms,
        ..Request::default()
    });
    o.looks.alive = Look::Seen { at_ms };
}

fn cookie(o: &mut Observation, at_ms: f64) {
    o.stored.push(StoredItem {
        kind: StorageKind::Cookie,
        place: "kites.example".into(),
        name: "ex_id".into(),
        at_ms,
        ..StoredItem::default()
    });
}

fn codes(visits: &[&Observation]) -> Vec<Code> {
    let grid = grid(&sample(), &region(), visits);
    judge(&grid).into_iter().map(|f| f.code).collect()
}

#[test]
fn waiting_and_then_starting_is_right() {
    // Consent is given after 400 ms.
    let after = with(granted(page("")), |o| {
        request(o, 900.0);
        cookie(o, 950.0);
    });
    assert_eq!(codes(&[&page(""), &after]), []);
    let grid = grid(&sample(), &region(), &[&after]);
    assert_eq!((grid.cells[0].count, grid.cells[0].before), (1, 0));
    assert!(grid.cells[0].allowed && !grid.cells[0].examples[0].before);
}

#[test]
fn what_comes_before_consent_is_a_fault_of_its_kind_with_its_own_time() {
    let early = with(page(""), |o| {
        request(o, 100.0);
        request(o, 300.0);
        cookie(o, 120.0);
        o.frames.push(Frame {
            url: "https://app.example.test/p".into(),
            at_ms: 500.0,
            ..Frame::default()
        });
    });
    let found = judge(&grid(&sample(), &region(), &[&early]));
    let codes: Vec<Code> = found.iter().map(|f| f.code).collect();
    let wanted = [
        Code::ConsentRequestEarly,
        Code::ConsentCookieEarly,
        Code::ConsentFrameEarly,
    ];
    assert_eq!(codes, wanted);
    let times: Vec<String> = found[0].evidence.iter().map(|e| e.line()).collect();
    assert!(
        times[0].ends_with("0.10 s") && times[1].ends_with("0.30 s"),
        "{times:?}"
    );
}

#[test]
fn in_a_granted_visit_only_what_came_before_the_decision_counts() {
    let both = with(granted(page("")), |o| {
        request(o, 100.0);
        request(o, 900.0);
    });
    let grid = grid(&sample(), &region(), &[&both]);
    assert_eq!((grid.cells[0].count, grid.cells[0].wrong()), (2, 1));
    let found = judge(&grid);
    assert_eq!(found[0].code, Code::ConsentRequestEarly);
    assert_eq!(found[0].evidence.len(), 1, "{:?}", found[0].evidence);
}

#[test]
fn a_decision_that_could_not_be_made_allows_nothing() {
    let failed = with(ungranted(page("")), |o| request(o, 900.0));
    let grid = grid(&sample(), &region(), &[&page(""), &failed]);
    assert_eq!(grid.not_made[0].0, ConsentAct::Granted);
    let codes: Vec<Code> = judge(&grid).into_iter().map(|f| f.code).collect();
    assert_eq!(codes, [Code::ConsentRequestEarly]);
    // A click that was made and did not take is no decision either.
    let in_vain = with(failed, |o| o.consent.acted_ms = Some(400.0));
    assert_eq!(
        super::grid(&sample(), &region(), &[&in_vain]).cells[0].wrong(),
        1
    );
}

#[test]
fn a_necessary_class_may_do_both_and_frames_follow_requests() {
    let mut s = sample();
    s.consent.class = ConsentClass::Necessary;
    let early = with(page(""), |o| {
        request(o, 100.0);
        cookie(o, 100.0);
    });
    let grid = grid(&s, &region(), &[&early]);
    assert!(judge(&grid).is_empty());
    assert!(grid.cells.iter().all(|c| c.allowed));
}

/// The answer of the standard interface goes before the look of a banner, with or without a manager
/// that is known.
#[test]
fn what_the_standard_interface_grants_is_not_early() {
    let granted = |tcf| {
        with(page(""), |o| {
            request(o, 100.0);
            o.consent.tcf = tcf;
            o.consent.state_before = ConsentAct::Granted.word().into();
        })
    };
    assert_eq!(codes(&[&granted(true)]), []);
    assert!(grid(&sample(), &region(), &[&granted(true)]).cells[0].allowed);
    // A manager's own word is not the interface's.
    assert_eq!(codes(&[&granted(false)]), [Code::ConsentRequestEarly]);
}

#[test]
fn what_our_own_click_brings_is_no_act_of_the_widgets() {
    let opened = with(page(""), |o| {
        request(o, 4_900.0);
        o.operation.get_or_insert_default().clicked_ms = Some(4_800.0);
    });
    assert_eq!(codes(&[&opened]), []);
    let before = with(opened, |o| o.requests[0].start_ms = 4_700.0);
    assert_eq!(codes(&[&before]), [Code::ConsentRequestEarly]);
}

#[test]
fn advice_and_evidence_fit_the_site() {
    let early = with(page(""), |o| request(o, 100.0));
    let unlisted = Region::for_country(&[region()], "ZZ");
    let told = judge(&grid(&sample(), &unlisted, &[&early]));
    assert!(
        told[0].remedy.contains("waits for a click"),
        "{:?}",
        told[0]
    );
    let why = told[0].evidence.last().unwrap().line();
    assert!(
        why.contains("judged by the strictest region, Opt-in") && why.contains("ZZ"),
        "{why}"
    );
    let managed = with(early, |o| o.consent.manager = true);
    let told = judge(&grid(&sample(), &region(), &[&managed]));
    assert!(told[0].remedy.contains("assign it to a category"));
    assert_eq!(told[0].evidence.len(), 1);
}

#[test]
fn never_starting_is_told_only_where_both_states_were_watched_to_the_end() {
    assert_eq!(
        codes(&[&page(""), &granted(page(""))]),
        [Code::ConsentNeverStarts]
    );
    let cut = with(granted(page("")), |o| o.looks.alive = Look::default());
    assert_eq!(codes(&[&page(""), &cut]), []);
    assert_eq!(codes(&[&page(""), &ungranted(page(""))]), []);
}

/// A visit in a state whose decision took at 400 ms.
fn decided(state: ConsentAct, change: impl FnOnce(&mut Observation)) -> Observation {
    with(granted(page("")), |o| {
        o.condition.consent = state;
        change(o);
    })
}

#[test]
fn what_comes_although_consent_was_refused_or_taken_back_is_told() {
    let refused = decided(ConsentAct::Refused, |o| request(o, 900.0));
    assert_eq!(codes(&[&page(""), &refused]), [Code::ConsentAfterRefusal]);
    // While consent was given it was allowed; what counts is what came after it was taken back.
    let back = decided(ConsentAct::Withdrawn, |o| request(o, 200.0));
    assert_eq!(codes(&[&page(""), &back]), []);
    let lingers = decided(ConsentAct::Withdrawn, |o| {
        request(o, 200.0);
        cookie(o, 5_000.0);
    });
    assert_eq!(codes(&[&page(""), &lingers]), [Code::ConsentLingers]);
    let cells = grid(&sample(), &region(), &[&lingers]).cells;
    let of = |signal| cells.iter().find(|c| c.signal == signal).unwrap();
    assert_eq!(
        (of(Signal::Requests).count, of(Signal::Cookies).count),
        (0, 1)
    );
}

#[test]
fn global_privacy_control_is_a_refusal_where_the_region_says_so() {
    let gpc = |at_ms: f64| {
        with(page(""), |o| {
            o.condition.consent = ConsentAct::Gpc;
            request(o, at_ms);
        })
    };
    assert_eq!(codes(&[&page(""), &gpc(500.0)]), [Code::ConsentGpcIgnored]);
    // What comes without it too is early, and told as that alone.
    let early = with(page(""), |o| request(o, 500.0));
    assert_eq!(codes(&[&early, &gpc(500.0)]), [Code::ConsentRequestEarly]);
    let of = |text: &str| {
        let region = Region::from_toml(text).unwrap();
        let grid = grid(&sample(), &region, &[&gpc(500.0)]);
        (grid.cells[0].allowed, judge(&grid).len())
    };
    let lax = "id='lax'\nname='Lax'\n[before]\nrequests=['functional']\nstorage=['functional']\n";
    assert_eq!(of(lax), (true, 0));
    let asked = lax.replace("[before]", "gpc='refusal'\n[before]");
    assert_eq!(of(&asked), (false, 1));
    let strict = "id='s'\nname='S'\n[before]\nrequests=['necessary']\nstorage=[]\n";
    assert_eq!(of(strict), (false, 1));
    // Ignored there: judged as a visitor who has not decided.
    let ignored = strict.replace("[before]", "gpc='ignore'\n[before]");
    assert_eq!(of(&ignored), (false, 1));
}

#[test]
fn a_banner_without_a_refusal_on_its_first_layer_is_a_warning() {
    let layer = |refuses, refuses_deeper| {
        decided(ConsentAct::Refused, |o| {
            o.consent.first_layer = Some(FirstLayer {
                accepts: true,
                refuses,
                refuses_deeper,
            });
        })
    };
    assert_eq!(codes(&[&page(""), &layer(true, None)]), []);
    let untouched = with(page(""), |o| {
        o.consent.first_layer = Some(FirstLayer {
            accepts: true,
            refuses: false,
            refuses_deeper: None,
        });
    });
    let evidence = |visits: &[&Observation]| {
        let told = judge(&grid(&sample(), &region(), visits));
        assert_eq!(told[0].code, Code::ConsentNoRefusal);
        told[0].evidence[0].line()
    };
    // Told of a banner that nobody touched, and by the look a layer deeper where one was made.
    assert!(evidence(&[&untouched]).contains("before any choice"));
    let refused = layer(false, Some(false));
    assert!(evidence(&[&untouched, &refused]).contains("below it either"));
    let grid = grid(
        &sample(),
        &region(),
        &[&page(""), &layer(false, Some(true))],
    );
    let told = judge(&grid);
    assert_eq!(told[0].code, Code::ConsentNoRefusal);
    assert_eq!(told[0].severity, Severity::Warning);
    assert!(told[0].evidence[0].line().contains("one layer below"));
}

#[test]
fn what_the_next_page_does_after_a_refusal_counts_with_its_address() {
    let gone = |leaks: bool| {
        decided(ConsentAct::Refused, |o| {
            o.navigations.push(Navigation {
                url: "https://kites.example/news".into(),
                at_ms: 5_000.0,
                same_document: false,
            });
            if leaks {
                request(o, 5_600.0);
            }
        })
    };
    assert_eq!(codes(&[&page(""), &gone(false)]), []);
    let grid = grid(&sample(), &region(), &[&page(""), &gone(true)]);
    let requests = |c: &&Cell| c.state == ConsentAct::Refused && c.signal == Signal::Requests;
    assert_eq!(grid.cells.iter().find(requests).unwrap().wrong(), 1);
    let found = judge(&grid);
    assert_eq!(found[0].code, Code::ConsentAfterRefusal);
    let line = found[0].evidence[0].line();
    assert!(
        line.contains("on the next page, https://kites.example/news after 5.60 s"),
        "{line}"
    );
}
