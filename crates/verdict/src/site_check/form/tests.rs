//! Start, form and channels of a widget against the expectation's.

use super::*;
use crate::chain::testing::{healthy, with};
use crate::site_check::testing::judged;
use crate::testing::SAMPLE;
use newtfern_standards::observation::Operation;

const LIST: &str = "[channels]\nitems = '#list a'\n[open]";

fn of_first(case: &crate::site_check::SiteCase) -> Report<Vec<ComparedValue>> {
    case.widgets().next().unwrap().form()
}

fn compared(widget: &str, seen: Observation) -> Report<Vec<ComparedValue>> {
    judged(
        widget,
        &SAMPLE.replace("[open]", LIST),
        vec![seen],
        of_first,
    )
}

fn with_links(links: &[(&str, &str)]) -> Observation {
    with(healthy(), |o| {
        let seen = links.iter().map(|(text, href)| ChannelSeen {
            text: text.to_string(),
            href: href.to_string(),
        });
        o.channels = Some(seen.collect());
        o.launcher.as_mut().unwrap().fixed = Some(true);
    })
}

/// A launcher at these px from the left, 60 by 60, that stays where it is or not.
fn at(x: f64, fixed: bool) -> Observation {
    with(healthy(), |o| {
        let launcher = o.launcher.as_mut().unwrap();
        launcher.rect.x = x;
        launcher.rect.y = 300.0;
        launcher.fixed = Some(fixed);
    })
}

fn told_of(told: &Report<Vec<ComparedValue>>) -> Vec<(&'static str, String)> {
    let findings = told.findings.iter();
    findings
        .map(|f| (f.code.name(), f.summary.clone()))
        .collect()
}

const CHANNELS: &str = "form = 'channels'\n[[widget.channel]]\nkind = 'phone'\ntarget = \
    'tel:+44-1632-960-123'\n[[widget.channel]]\nkind = 'mail'\ntarget = \
    'mailto:hello@kites.example'\n[[widget.channel]]\nkind = 'messaging'\ntarget = \
    'https://m.example/GustKites'\n";

#[test]
fn channels_are_the_same_where_their_standards_say_so() {
    let seen = with_links(&[
        ("Call", "TEL:+44(1632)960123"),
        ("Write", "mailto:hello@KITES.example"),
        ("Message", "https://M.example/GustKites"),
    ]);
    let told = compared(CHANNELS, seen);
    assert_eq!(told_of(&told), []);
    assert_eq!(told.what.len(), 4);
    assert!(told.what.iter().all(|v| v.same));
}

#[test]
fn another_clients_handle_leads_elsewhere_and_says_both_sides() {
    let seen = with_links(&[
        ("Call", "tel:+441632960123"),
        ("Write", "mailto:hello@kites.example"),
        ("Message", "https://m.example/TideMill"),
    ]);
    let told = compared(CHANNELS, seen);
    let elsewhere = "The channel messaging leads elsewhere.".to_string();
    assert_eq!(told_of(&told), [("brand.channel", elsewhere)]);
    let lines: Vec<String> = told.findings[0].evidence.iter().map(|e| e.line()).collect();
    assert_eq!(
        lines,
        [
            "designed: https://m.example/GustKites",
            "seen: https://m.example/TideMill \u{201c}Message\u{201d}"
        ]
    );
    assert!(told.findings[0].remedy.contains("in the account at"));
}

#[test]
fn missing_surplus_and_disorder_are_told_apart() {
    let summaries = |links: &[(&str, &str)]| -> Vec<String> {
        let told = compared(CHANNELS, with_links(links));
        told_of(&told).into_iter().map(|(_, s)| s).collect()
    };
    let (call, write) = (
        ("Call", "tel:+441632960123"),
        ("Write", "mailto:hello@kites.example"),
    );
    let message = ("Message", "https://m.example/GustKites");
    assert_eq!(
        summaries(&[call, write]),
        ["The channel messaging is missing."]
    );
    assert_eq!(
        summaries(&[call, write, message, ("More", "https://other.test/x")]),
        ["The channel \u{201c}More\u{201d} is not designed."]
    );
    assert_eq!(
        summaries(&[write, call, message]),
        ["The channels stand in another order."]
    );
}

#[test]
fn a_list_that_was_not_read_is_no_missing_channel() {
    let unread = with(healthy(), |o| {
        o.launcher.as_mut().unwrap().fixed = Some(true)
    });
    let told = compared(CHANNELS, unread.clone());
    assert_eq!(told_of(&told), []);
    assert!(told.gaps.iter().any(|g| g.what.starts_with("the channels")));
    let unknown = judged(CHANNELS, SAMPLE, vec![unread], of_first);
    assert!(
        unknown
            .gaps
            .iter()
            .any(|g| g.why.contains("does not say where they are"))
    );
}

#[test]
fn the_form_is_told_by_where_it_stands_and_whether_it_scrolls() {
    let codes = |widget: &str, seen: Observation| -> Vec<&'static str> {
        told_of(&compared(widget, seen))
            .into_iter()
            .map(|(c, _)| c)
            .collect()
    };
    assert!(codes("", at(1_200.0, true)).is_empty());
    assert_eq!(codes("", at(1_220.0, true)), ["brand.form"]);
    assert_eq!(codes("", at(600.0, false)), ["brand.form"]);
    assert!(codes("form = 'tab'", at(1_220.0, true)).is_empty());
    assert_eq!(codes("form = 'tab'", at(1_200.0, true)), ["brand.form"]);
    assert!(codes("form = 'inline'", at(600.0, false)).is_empty());
    assert_eq!(codes("form = 'inline'", at(1_200.0, true)), ["brand.form"]);
    // A design that puts the button at the edge means it.
    let flush = "[widget.design]\noffset_side_px = 0";
    assert!(codes(flush, at(1_220.0, true)).is_empty());
    // A tab at the wrong side.
    let left = "form = 'tab'\n[widget.design]\ncorner = 'bottom-left'";
    assert_eq!(codes(left, at(1_220.0, true)), ["brand.corner"]);
    assert!(codes(left, at(0.0, true)).is_empty());
}

#[test]
fn open_or_closed_is_what_was_there_before_anything_was_pressed() {
    let open = |open| {
        with(at(1_200.0, true), |o| {
            o.operation
                .get_or_insert_with(Operation::default)
                .open_at_start = open;
        })
    };
    let told = compared("start = 'open'", open(Some(false)));
    assert_eq!(told_of(&told)[0].0, "brand.start");
    assert!(told_of(&told)[0].1.contains("comes closed"));
    assert_eq!(told_of(&compared("", open(Some(true))))[0].0, "brand.start");
    assert!(told_of(&compared("start = 'open'", open(Some(true)))).is_empty());
    let unknown = compared("start = 'open'", open(None));
    assert!(told_of(&unknown).is_empty() && unknown.gaps.len() == 1);
}
