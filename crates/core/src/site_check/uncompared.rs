//! What an expectation asks for and a check does not compare yet: told, so that nobody takes it for right.

use crate::chain::NotLookedAt;
use crate::expectation::{Expectation, Form, Start, Widget};

/// One entry for each part that is given.
pub(super) fn of(expectation: &Expectation) -> Vec<NotLookedAt> {
    let timed = |w: &Widget| !w.hours.is_empty() || !w.closed.is_empty();
    let no_zone = expectation.time_zone.is_empty();
    let hours = expectation.widgets.iter().filter(|w| timed(w) && no_zone);
    let hours = hours.map(|w| NotLookedAt {
        what: format!("the hours of {}", w.supplier),
        why: "the expectation gives no time_zone, so nobody knows when they are".into(),
    });
    let widgets = expectation.widgets.iter().enumerate();
    let given = widgets.flat_map(|(i, w)| parts(w).map(move |part| (i, part)));
    given
        .map(|(i, part)| NotLookedAt {
            what: format!("{part} of widget {}", i + 1),
            why: "a check does not compare this yet".into(),
        })
        .chain(hours)
        .collect()
}

fn parts(w: &Widget) -> impl Iterator<Item = &'static str> {
    [
        (w.start != Start::Closed, "how it starts"),
        (w.form != Form::Launcher, "the form"),
        (!w.channels.is_empty(), "the channels"),
    ]
    .into_iter()
    .filter_map(|(given, part)| given.then_some(part))
}
