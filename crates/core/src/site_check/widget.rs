//! One widget of one page, as both a whole site's check and the check of one site of the estate judge it.

use super::intended::{Intent, other_viewports};
use super::{Told, ValueTold, form, looks, texts};
use crate::chain::{Case, Diagnosis, Expect, diagnose};
use crate::expectation::{Widget, staffed, zone};
use crate::observation::{Observation, Viewport};
use crate::profile::Supplier;
use crate::visits::of_the_chain;
use jiff::Timestamp;
use std::collections::BTreeMap;

/// Where and when hours are judged.
#[derive(Debug, Clone, Copy)]
pub struct Clock<'a> {
    /// IANA; empty where nobody gave it.
    pub time_zone: &'a str,
    /// The instant.
    pub at: Timestamp,
}

/// What should be of one widget, with all that was seen for it.
#[derive(Clone, Copy)]
pub struct WidgetCase<'a> {
    /// Whose.
    pub supplier: &'a Supplier,
    /// What should be.
    pub widget: &'a Widget,
    /// All visits, in every language and consent state.
    pub visits: &'a [Observation],
    /// Sample words by language, beyond those that are built in.
    pub sample_words: &'a BTreeMap<String, Vec<String>>,
}

/// The chain's verdict as the expectation means it: only where the widget should show, and with hours, presence
/// and delay.
pub fn verdict(case: &Case, widget: Option<&Widget>, clock: Clock) -> Diagnosis {
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
    let mut diagnosis = diagnose(&Case { visits, ..*case });
    if let Some(widget) = widget.filter(|_| case.expect == Expect::Present) {
        intent(case.supplier, widget, clock).apply(&mut diagnosis, visits);
        other_viewports(widget, &mut diagnosis, all);
    }
    diagnosis
}

fn intent<'a>(supplier: &'a Supplier, widget: &'a Widget, clock: Clock) -> Intent<'a> {
    let zone = zone(clock.time_zone);
    let timed = !widget.hours.is_empty() || !widget.closed.is_empty();
    let there = zone.as_ref().filter(|_| timed);
    let there = there.map(|z| staffed(&widget.hours, &widget.closed, z, clock.at));
    let local = zone.map(|z| z.to_datetime(clock.at).strftime("%A %H:%M").to_string());
    Intent {
        widget,
        supplier,
        staffed: there,
        at: format!("now, {} there", local.unwrap_or_default()),
    }
}

impl WidgetCase<'_> {
    /// Visits that tell of the chain.
    pub(super) fn chain(&self) -> &[Observation] {
        of_the_chain(self.visits)
    }

    /// Its texts in each language.
    pub fn texts(&self) -> Told<Vec<ValueTold>> {
        let mut out = Told::default();
        texts::of_widget(self, &mut out);
        out
    }

    /// How it starts, its form and its channels.
    pub fn form(&self) -> Told<Vec<ValueTold>> {
        let mut out = Told::default();
        form::of_widget(self, &mut out);
        out
    }

    /// The values of its design that are given.
    pub fn looks(&self) -> Told<Vec<ValueTold>> {
        let mut out = Told::default();
        looks::of_widget(self, &mut out);
        out
    }
}
