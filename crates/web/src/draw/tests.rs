//! The small pictures: well-formed, on a common scale, told in words as well as drawn.

use super::{chain, grid, interval};
use newtfern_model::code::Link;
use newtfern_model::region::Signal;
use newtfern_standards::observation::ConsentAct;
use newtfern_verdict::chain::{ChainLink, LinkState};
use newtfern_verdict::consent::{Cell, Example, Grid};
use proptest::prelude::*;

/// What an XML reader would refuse: unbalanced elements, raw angle brackets in words, numbers that
/// are none.
fn assert_sound(svg: &str) {
    let (mut open, mut rest) = (Vec::new(), svg);
    while let Some(at) = rest.find('<') {
        let end = rest[at..].find('>').expect("an element that ends") + at;
        let tag = &rest[at + 1..end];
        assert!(!tag.contains('<'), "{tag}");
        if let Some(name) = tag.strip_prefix('/') {
            assert_eq!(open.pop().as_deref(), Some(name), "{svg}");
        } else if !tag.ends_with('/') {
            open.push(
                tag.split_whitespace()
                    .next()
                    .unwrap_or_default()
                    .to_string(),
            );
        }
        rest = &rest[end + 1..];
    }
    assert!(
        open.is_empty() && !svg.contains("NaN") && !svg.contains("inf"),
        "{svg}"
    );
}

fn bar(low: f64, mid: f64, high: f64) -> interval::Bar {
    interval::Bar { low, mid, high }
}

/// The x at which an element of this class begins.
fn x_of(svg: &str, class: &str) -> f64 {
    let at = svg
        .find(class)
        .unwrap_or_else(|| panic!("no {class} in {svg}"));
    let path = &svg[at..];
    path[path.find('M').unwrap() + 1..]
        .split([' ', 'h', 'v', 'H'])
        .next()
        .unwrap()
        .parse()
        .unwrap()
}

#[test]
fn the_bars_colour_is_the_verdict() {
    for (b, class) in [
        (bar(10.0, 20.0, 30.0), "range ok"),
        (bar(60.0, 70.0, 80.0), "range bad"),
        (bar(40.0, 50.0, 60.0), "range open"),
        (bar(50.0, 50.0, 50.0), "range ok"),
    ] {
        assert!(
            interval::svg(&b, Some(50.0), None, interval::OWN, "").contains(class),
            "{class}"
        );
    }
    // Without a budget there is no verdict.
    assert!(
        interval::svg(&bar(60.0, 70.0, 80.0), None, None, interval::OWN, "").contains("range open")
    );
}

#[test]
fn every_row_has_the_same_scale() {
    let at = |v: f64| {
        x_of(
            &interval::svg(&bar(v, v, v), Some(50.0), None, interval::OWN, ""),
            "range",
        )
    };
    assert_eq!((at(0.0), at(100.0), at(200.0)), (6.0, 130.0, 254.0));
    let budget = |b: f64| {
        x_of(
            &interval::svg(&bar(1.0, 2.0, 3.0), Some(b), None, interval::OWN, ""),
            "\"budget\"",
        )
    };
    assert_eq!(budget(100.0), at(100.0));
    // The zero line stands on the same scale where values can be negative.
    assert_eq!(
        x_of(
            &interval::svg(
                &bar(-5.0, 1.0, 9.0),
                None,
                None,
                interval::Scale {
                    from: -100.0,
                    to: 100.0
                },
                ""
            ),
            "zero"
        ),
        130.0
    );
}

#[test]
fn what_lies_beyond_the_scale_is_drawn_at_its_end_with_an_arrow() {
    let beyond = interval::svg(
        &bar(150.0, 400.0, 900.0),
        Some(50.0),
        Some((-3.0, 3.0)),
        interval::OWN,
        "900 ms",
    );
    assert_sound(&beyond);
    assert!(
        beyond.contains("l5 5l-5 5") && beyond.contains("H254.0"),
        "{beyond}"
    );
    assert!(
        !interval::svg(&bar(1.0, 2.0, 3.0), Some(50.0), None, interval::OWN, "")
            .contains("l5 5l-5 5")
    );
}

#[test]
fn a_chain_says_each_link_in_words_and_breaks_where_it_broke() {
    let states = |link: Link| match link {
        Link::Allowed => LinkState::Undecided,
        l if l < Link::Fetched => LinkState::Holds,
        Link::Fetched => LinkState::Broken,
        _ => LinkState::NotReached,
    };
    let links: Vec<ChainLink> = Link::ALL
        .into_iter()
        .map(|link| ChainLink {
            link,
            state: states(link),
        })
        .collect();
    for large in [false, true] {
        let svg = chain::svg(&links, large);
        assert_sound(&svg);
        assert_eq!(
            (
                svg.matches("ring ok").count(),
                svg.matches("ring bad").count(),
                svg.matches("ring faint").count()
            ),
            (2, 1, 4)
        );
        assert!(
            svg.contains(
                "<title>delivered holds, placed holds, allowed undecided, fetched \
            broken, ran not reached"
            ),
            "{svg}"
        );
    }
    // Eight names, and the question mark of the link that could not be told.
    assert_eq!(chain::svg(&links, true).matches("<text").count(), 9);
    assert_eq!(chain::svg(&links, false).matches(">?</text>").count(), 1);
}

#[test]
fn the_grid_tells_silence_from_what_may_be_and_what_may_not() {
    let cell = |state, signal, count, allowed| Cell {
        state,
        signal,
        count,
        before: 0,
        allowed,
        allowed_before: false,
        first_ms: Some(12.0),
        examples: vec![Example {
            what: "<b>&\"".into(),
            at_ms: 12.0,
            before: false,
        }],
    };
    let cells = vec![
        cell(ConsentAct::Untouched, Signal::ALL[0], 3, false),
        cell(ConsentAct::Untouched, Signal::ALL[1], 0, false),
        cell(ConsentAct::Granted, Signal::ALL[0], 5, true),
    ];
    let svg = grid::svg(&Grid {
        cells,
        region: "opt-in".into(),
        region_id: "opt-in".into(),
        for_want_of: None,
        not_made: vec![],
        first_layer: None,
        declared: Vec::new(),
        strings: Vec::new(),
        up: vec![],
        managed: true,
    });
    assert_sound(&svg);
    let count = |class: &str| svg.matches(class).count();
    // One too early, one silent, one in order; what was not looked at is a dash, not silence.
    assert_eq!(
        (
            count("cell bad"),
            count("<circle class=\"cell none\""),
            count("cell ok"),
            count("<path class=\"cell none\"")
        ),
        (1, 1, 1, Signal::ALL.len() * 2 - 3)
    );
    assert!(
        svg.contains("no choice")
            && svg.contains("granted")
            && !svg.contains("refused")
            && svg.contains(", not allowed")
    );
}

proptest! {
    /// Whatever was measured, the picture stays sound and inside its frame.
    #[test]
    fn any_interval_is_drawn_soundly(a in -1e6..1e6f64, b in -1e6..1e6f64, c in -1e6..1e6f64,
        budget in proptest::option::of(0.0..1e4f64), words in ".{0,20}") {
        let mut v = [a, b, c];
        v.sort_by(f64::total_cmp);
        let svg = interval::svg(&bar(v[0], v[1], v[2]), budget, Some((v[0] / 2.0, v[2] / 2.0)),
            interval::PAGE, &words);
        assert_sound(&svg.replace("&gt;", ""));
        prop_assert!((6.0..=254.0).contains(&x_of(&svg, "range")));
    }
}
