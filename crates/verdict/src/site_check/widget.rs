//! One widget of one page, as both a whole site's check and the check of one site of the estate
//! judge it.

use super::case::{Clock, WidgetCase};
use super::intended::{Intent, other_viewports};
use super::{form, looks, texts};
use crate::busy;
use crate::chain::{Case, Verdict, diagnose};
use crate::report::{ComparedValue, Report};
use newtfern_model::expectation::{Opens, Widget, zone};
use newtfern_model::pages::Expect;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Look, NotCheckedReason, Observation, Viewport};

/// The chain's verdict as the expectation means it: only where the widget should show, and with
/// hours, presence and delay.
pub(super) fn verdict(case: &Case, widget: Option<&Widget>, clock: Clock) -> Verdict {
    let all = case.visits;
    let narrow: Vec<Observation>;
    let visits = match widget.filter(|w| w.viewports.len() < Viewport::ALL.len()) {
        None => all,
        Some(widget) => {
            let meant = |v: &&Observation| widget.viewports.contains(&v.condition.viewport);
            narrow = all.iter().filter(meant).cloned().collect();
            &narrow
        }
    };
    let apart: Vec<Observation>;
    let visits = match widget.is_some_and(|w| w.opens == Opens::Window) {
        false => visits,
        true => {
            apart = visits.iter().cloned().map(in_its_own_window).collect();
            &apart
        }
    };
    let mut verdict = diagnose(&Case { visits, ..*case }).verdict;
    if let Some(widget) = widget.filter(|_| case.expect == Expect::Present) {
        intent(case.supplier, widget, clock).apply(&mut verdict, visits);
        other_viewports(widget, &mut verdict, all);
    }
    verdict
}

/// A visit of a widget that is meant to open in a window of its own: that it did is what was
/// wanted, and what it does there is not looked at.
fn in_its_own_window(mut seen: Observation) -> Observation {
    let opened = seen.operation.as_mut().and_then(|o| o.new_window.take());
    if opened.is_some() {
        let why = NotCheckedReason::OwnWindow;
        let at_ms = seen.stages.last().map_or(0.0, |s| s.ended_ms);
        seen.looks.opening = Look::Seen { at_ms };
        seen.looks.closing = Look::NotLooked { why };
        seen.looks.keyboard = Look::NotLooked { why };
    }
    seen
}

fn intent<'a>(supplier: &'a Supplier, widget: &'a Widget, clock: Clock) -> Intent<'a> {
    let there = widget.staffed_at(clock.time_zone, clock.at);
    let local =
        zone(clock.time_zone).map(|z| z.to_datetime(clock.at).strftime("%A %H:%M").to_string());
    Intent {
        widget,
        supplier,
        staffed: there,
        at: format!("now, {} there", local.unwrap_or_default()),
    }
}

impl WidgetCase<'_> {
    /// Compares its texts in each language.
    pub fn texts(&self) -> Report<Vec<ComparedValue>> {
        let mut out = Report::default();
        texts::of_widget(self, &mut out);
        self.on_a_busy_machine("its texts", &mut out);
        out
    }

    /// Compares how it starts, its form and its channels.
    pub fn form(&self) -> Report<Vec<ComparedValue>> {
        let mut out = Report::default();
        form::of_widget(self, &mut out);
        self.on_a_busy_machine("its start, form and channels", &mut out);
        out
    }

    /// Compares what its design gives beyond colours and places.
    pub fn details(&self) -> Report<Vec<ComparedValue>> {
        let mut out = Report::default();
        looks::details_of(self, &mut out);
        self.on_a_busy_machine("the details of its looks", &mut out);
        out
    }

    /// The colours and places that its design gives.
    pub fn looks(&self) -> Report<Vec<ComparedValue>> {
        let mut out = Report::default();
        looks::of_widget(self, &mut out);
        self.on_a_busy_machine("its colours and places", &mut out);
        out
    }

    /// A value that differed on a machine too busy for the visit was not compared.
    fn on_a_busy_machine(&self, what: &str, out: &mut Report<Vec<ComparedValue>>) {
        if busy::take_back(what, self.usual(), out) {
            out.what.retain(|value| value.same);
        }
    }
}
