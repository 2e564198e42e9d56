//! What an expectation asks for and a check does not compare yet: told, so that nobody takes it for right.

use crate::chain::NotLookedAt;
use crate::expectation::{Expectation, Form, Start, Widget, WidgetDesign};

/// One entry for each part that is given.
pub(super) fn of(expectation: &Expectation) -> Vec<NotLookedAt> {
    let widgets = expectation.widgets.iter().enumerate();
    let given = widgets.flat_map(|(i, w)| parts(w).map(move |part| (i, part)));
    given
        .map(|(i, part)| NotLookedAt {
            what: format!("{part} of widget {}", i + 1),
            why: "a check does not compare this yet".into(),
        })
        .collect()
}

fn parts(w: &Widget) -> impl Iterator<Item = &'static str> {
    [
        (w.viewports.len() < 2, "the viewports"),
        (w.delay_s > 0.0, "the delay"),
        (w.start != Start::Closed, "how it starts"),
        (w.form != Form::Launcher, "the form"),
        (!w.hours.is_empty() || !w.closed.is_empty(), "the hours"),
        (!w.channels.is_empty(), "the channels"),
        (w.design != WidgetDesign::default(), "the design"),
        (!w.texts.is_empty(), "the texts"),
    ]
    .into_iter()
    .filter_map(|(given, part)| given.then_some(part))
}
