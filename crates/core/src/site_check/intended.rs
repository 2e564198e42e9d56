//! What the expectation says of when and where a widget shows, against what a visit was told: an absence that is
//! meant is no fault, and a presence that is not meant is one.

use crate::chain::together::PageVerdict;
use crate::chain::{Diagnosis, NotLookedAt, Outcome};
use crate::code::Code;
use crate::expectation::{Expectation, OutsideHours, Widget};
use crate::finding::{Evidence, Finding, Link, Severity};
use crate::observation::{Observation, Presence, Viewport};
use crate::profile::Supplier;
use crate::visits::MOST_DELAY_MS;

/// A launcher may come this much before its delay, s (contract).
const EARLY_S: f64 = 1.0;
/// And this much after it, s (contract).
const LATE_S: f64 = 3.0;
/// Where no load event came, the delay counts from here, ms (contract).
const NO_LOAD_MS: f64 = 10_000.0;

/// What is meant of one widget at the time of a check.
pub(super) struct Intent<'a> {
    pub widget: &'a Widget,
    pub supplier: &'a Supplier,
    /// Somebody is there; nothing where no hours are given, or the zone is not known.
    pub staffed: Option<bool>,
    /// The instant, for people.
    pub at: String,
}

fn launcher_ms(o: &Observation) -> Option<f64> {
    let shown = o
        .launcher
        .as_ref()
        .is_none_or(|l| l.present && l.hidden_by.is_none());
    o.looks.launcher.seen_ms().filter(|_| shown)
}

/// Roots that a widget which hides itself looks like.
fn hides(d: &Diagnosis) -> bool {
    let quiet = [
        Code::StartedSilent,
        Code::ShownAbsent,
        Code::ShownHidden,
        Code::AllowedHours,
    ];
    d.outcome == Outcome::Broken && d.root.is_some_and(|r| quiet.contains(&r))
}

fn explained(d: &Diagnosis, code: Code) -> bool {
    d.outcome == Outcome::AsIntended && d.findings.iter().any(|f| f.code == code)
}

/// Another verdict in place of the one that was given; what was remarked beside it stays.
fn replace(d: &mut Diagnosis, verdict: PageVerdict) {
    let old = d.root;
    let new = verdict.alone(&d.url);
    let taken = |f: &Finding| Some(f.code) == old || new.findings.iter().any(|n| n.code == f.code);
    let mut findings = new.findings.clone();
    findings.extend(d.findings.iter().filter(|f| !taken(f)).cloned());
    d.outcome = new.outcome;
    d.root = new.root;
    d.chain = new.chain;
    d.findings = findings;
    d.not_looked_at.extend(new.not_looked_at);
}

impl Intent<'_> {
    /// The verdict as the expectation means it.
    pub fn apply(&self, d: &mut Diagnosis, visits: &[Observation]) {
        self.hours(d, visits);
        self.delay(d, visits);
    }

    fn sides(&self) -> Vec<Evidence> {
        let shifts: Vec<String> = self.widget.hours.iter().map(|h| h.to_string()).collect();
        let shifts = match shifts.is_empty() {
            true => "always".into(),
            false => shifts.join("; "),
        };
        let now = match self.staffed {
            Some(true) => "staffed",
            _ => "not staffed",
        };
        vec![
            Evidence::fact(format!("by the expectation: {shifts}")),
            Evidence::fact(format!("{}: {now}", self.at)),
        ]
    }

    fn hours(&self, d: &mut Diagnosis, visits: &[Observation]) {
        let name = &self.supplier.name;
        let closed = explained(d, Code::AllowedHours);
        let told: Vec<Evidence> = d
            .findings
            .iter()
            .filter(|f| f.code == Code::AllowedHours || Some(f.code) == d.root)
            .flat_map(|f| f.evidence.clone())
            .collect();
        let code = Code::AllowedHours;
        match (self.staffed, self.widget.outside_hours) {
            (Some(true), _) if closed => {
                let summary = format!("{name} says that it is closed, and it is staffed now.");
                let remedy = format!(
                    "In the account at {name}, set the hours and their time zone as the expectation has them, or mend the expectation."
                );
                let found = Finding::broken(code, summary, remedy);
                let found = found.with_all(self.sides()).with_all(told);
                replace(d, PageVerdict::broken(found));
            }
            (Some(true), _) => self.presence(d, visits),
            (Some(false), OutsideHours::Hide) if hides(d) => {
                let note = Finding::note(code, "Nobody is there now, and the widget hides then.");
                replace(d, PageVerdict::as_intended(note.with_all(self.sides())));
            }
            (Some(false), OutsideHours::Hide)
                // Where it waits for consent it may be there as soon as that is given.
                if matches!(d.outcome, Outcome::Working | Outcome::AsIntended)
                    && visits.iter().any(|v| launcher_ms(v).is_some()) =>
            {
                let summary = "The launcher is there although nobody is, and it should hide then.";
                let remedy = format!(
                    "In the account at {name}, let the widget hide outside its hours, and check its time zone."
                );
                let code = Code::HoursOpenOutOfHours;
                let found = Finding::new(code, Severity::Fault, summary, remedy);
                d.findings.push(found.with_all(self.sides()));
            }
            (Some(false), OutsideHours::Message) if hides(d) || closed => {
                let summary = "Nobody is there now, and the widget is gone: a way to leave a message should stay.";
                let remedy = format!(
                    "In the account at {name}, let the form for messages stay outside hours, or say \u{201c}hide\u{201d} in the expectation."
                );
                let found = Finding::broken(code, summary, remedy);
                let mut found = found.with_all(self.sides()).with_all(told);
                if let Some(root) = d.root.filter(|r| *r != code) {
                    found = found.or_else(
                        root,
                        "It may be gone at all hours: visit again while it is staffed.",
                    );
                }
                replace(d, PageVerdict::broken(found));
            }
            _ => {}
        }
    }

    fn presence(&self, d: &mut Diagnosis, visits: &[Observation]) {
        let away = visits.iter().filter_map(|v| v.presence);
        let Some(told) = away.into_iter().find(|p| *p != Presence::Online) else {
            return;
        };
        let summary = format!(
            "It is staffed now, and the widget says \u{201c}{}\u{201d}.",
            told.word()
        );
        let remedy = format!(
            "See at the console of {} who is signed in and switched to online, and which hours are set there.",
            self.supplier.name
        );
        let found = Finding::new(Code::HoursStaffedButAway, Severity::Fault, summary, remedy);
        d.findings.push(found.with_all(self.sides()));
    }

    fn delay(&self, d: &mut Diagnosis, visits: &[Observation]) {
        let wanted = self.widget.delay_s;
        let silent = [Code::StartedSilent, Code::ShownAbsent];
        let gone = d.outcome == Outcome::Broken && d.root.is_some_and(|r| silent.contains(&r));
        if gone && wanted * 1000.0 > MOST_DELAY_MS as f64 {
            let gap = NotLookedAt {
                what: format!("whether the launcher comes after its delay of {wanted} s"),
                why: "a visit does not watch so long".into(),
            };
            return replace(d, PageVerdict::unchecked(Link::Started, gap));
        }
        let wrong = visits
            .iter()
            .find_map(|v| self.off_by(v).map(|came| (v, came)));
        let Some((visit, came_s)) = wrong else { return };
        let viewport = visit.condition.viewport.word();
        let summary = match came_s < wanted {
            true => format!(
                "The launcher comes {came_s:.1} s after the load, before its delay of {wanted} s."
            ),
            false => {
                format!("The launcher comes {came_s:.1} s after the load; {wanted} s are wanted.")
            }
        };
        let remedy = format!(
            "Set the delay in the account at {}, or the one that is wanted in the expectation.",
            self.supplier.name
        );
        let found = Finding::new(Code::AllowedDelay, Severity::Fault, summary, remedy);
        d.findings
            .push(found.with(Evidence::fact(format!("seen on {viewport}"))));
    }

    /// When the launcher came, in s after the load or the decision about consent, where that is not as designed.
    fn off_by(&self, v: &Observation) -> Option<f64> {
        let load = v.metrics.load_ms.unwrap_or(NO_LOAD_MS);
        let from = v.consent.acted_ms.map_or(load, |d| d.max(load));
        let came_s = (launcher_ms(v)? - from) / 1000.0;
        let wanted = self.widget.delay_s;
        let slow = match wanted > 0.0 {
            true => LATE_S,
            false => LATE_S.max(self.supplier.alive.start_within_ms as f64 / 1000.0),
        };
        let early = wanted > 0.0 && came_s < wanted - EARLY_S;
        (early || came_s > wanted + slow).then_some(came_s)
    }
}

/// Hours of a site whose zone nobody gave: told, so that nobody takes them for looked at.
pub(super) fn without_zone(expectation: &Expectation) -> Vec<NotLookedAt> {
    let timed = |w: &&Widget| !w.hours.is_empty() || !w.closed.is_empty();
    let unzoned = expectation.time_zone.is_empty();
    let widgets = expectation.widgets.iter().filter(timed);
    let gaps = widgets.filter(|_| unzoned).map(|w| NotLookedAt {
        what: format!("the hours of {}", w.supplier),
        why: "the expectation gives no time_zone, so nobody knows when they are".into(),
    });
    gaps.collect()
}

/// A launcher on a viewport where the widget need not show, or a note that it is rightly absent there.
pub(super) fn other_viewports(widget: &Widget, d: &mut Diagnosis, all: &[Observation]) {
    let not_meant = |v: &&Observation| !widget.viewports.contains(&v.condition.viewport);
    let mut others = all.iter().filter(not_meant).peekable();
    if others.peek().is_none() {
        return;
    }
    if let Some(seen) = others.find(|v| launcher_ms(v).is_some()) {
        let on = on(seen.condition.viewport);
        let found = Finding::broken(
            Code::PlacedUnexpected,
            format!("The launcher is there {on}, where the widget should not show."),
            format!("Switch the widget off {on} in the account at its supplier."),
        );
        let found = match seen.launcher.as_ref() {
            Some(l) => found.with(crate::chain::evidence::boxed("launcher", &l.rect)),
            None => found,
        };
        if d.outcome != Outcome::Broken {
            replace(d, PageVerdict::broken(found));
        }
        return;
    }
    let absent = Viewport::ALL
        .into_iter()
        .filter(|v| !widget.viewports.contains(v));
    for viewport in absent {
        let words = format!(
            "The widget is absent {}, as the expectation says.",
            on(viewport)
        );
        d.findings.push(Finding::note(Code::AllowedPageRule, words));
    }
}

#[cfg(test)]
#[path = "intended_tests.rs"]
mod tests;

fn on(viewport: Viewport) -> &'static str {
    match viewport {
        Viewport::Desktop => "on desktops",
        Viewport::Phone => "on phones",
    }
}
