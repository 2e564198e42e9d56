//! What the expectation says of when and where a widget shows, against what a visit was told: an
//! absence that is meant is no fault, and a presence that is not meant is one.

use crate::busy;
use crate::chain::{Outcome, Verdict};
use crate::visits::MOST_DELAY_MS;
use newtfern_model::code::{Code, Link};
use newtfern_model::expectation::{Expectation, OutsideHours, Widget};
use newtfern_model::finding::{Evidence, Finding, NotChecked, Severity};
use newtfern_model::pages::PageRules;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Observation, Presence, Viewport};

/// A launcher may come this much before its delay, s (contract).
const EARLY_S: f64 = 1.0;
/// And this much after it, s (contract).
const LATE_S: f64 = 3.0;
/// Time from which the delay counts where no load event came, ms (contract).
const NO_LOAD_MS: f64 = 10_000.0;

/// Intention for one widget at the time of a check.
pub(super) struct Intent<'a> {
    pub widget: &'a Widget,
    pub supplier: &'a Supplier,
    /// Whether somebody is there; none where no hours are given, or the zone is not known.
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
fn hides(d: &Verdict) -> bool {
    let quiet = [
        Code::StartedSilent,
        Code::ShownAbsent,
        Code::ShownHidden,
        Code::AllowedHours,
    ];
    d.outcome() == Outcome::Broken && d.root().is_some_and(|r| quiet.contains(&r))
}

fn explained(d: &Verdict, code: Code) -> bool {
    d.outcome() == Outcome::AsIntended && d.findings().iter().any(|f| f.code == code)
}

impl Intent<'_> {
    /// The verdict as the expectation means it.
    pub fn apply(&self, d: &mut Verdict, visits: &[Observation]) {
        self.hours(d, visits);
        self.suppliers_rule(d);
        self.delay(d, visits);
    }

    /// The supplier's own page rule or delay that keeps the widget from where, or when, it is
    /// wanted.
    fn suppliers_rule(&self, d: &mut Verdict) {
        let name = &self.supplier.name;
        let (code, summary, remedy, wanted) = match self.widget.delay_s {
            _ if explained(d, Code::AllowedPageRule) => (
                Code::AllowedPageRule,
                format!(
                    "A page rule at {name} keeps the widget off this page, where it is wanted."
                ),
                format!(
                    "In the account at {name}, let the page rules cover this page, or take the \
                     page \
                    out of the site's own rules."
                ),
                format!(
                    "by the expectation: on {}",
                    PageRules::line(&self.widget.on)
                ),
            ),
            // A visit watches for longer than this delay.
            Some(wanted)
                if explained(d, Code::AllowedDelay) && wanted * 1000.0 <= MOST_DELAY_MS as f64 =>
            {
                (
                    Code::AllowedDelay,
                    format!("The widget is still held back by a delay; {wanted} s are wanted."),
                    format!(
                        "Set the delay in the account at {name} or in the snippet, or the one that \
                         is \
                        wanted in the expectation."
                    ),
                    format!("by the expectation: a delay of {wanted} s"),
                )
            }
            _ => return,
        };
        let told = d.findings().iter().filter(|f| f.code == code);
        let told: Vec<Evidence> = told.flat_map(|f| f.evidence.clone()).collect();
        let found = Finding::broken(code, summary, remedy);
        d.replace(Verdict::broken(
            found.with(Evidence::fact(wanted)).with_all(told),
        ));
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

    fn hours(&self, d: &mut Verdict, visits: &[Observation]) {
        let name = &self.supplier.name;
        let closed = explained(d, Code::AllowedHours);
        let told: Vec<Evidence> = d
            .findings()
            .iter()
            .filter(|f| f.code == Code::AllowedHours || Some(f.code) == d.root())
            .flat_map(|f| f.evidence.clone())
            .collect();
        let code = Code::AllowedHours;
        match (self.staffed, self.widget.outside_hours) {
            (Some(true), _) if closed => {
                let summary = format!("{name} says that it is closed, and it is staffed now.");
                let remedy = format!(
                    "In the account at {name}, set the hours and their time zone as the \
                    expectation has them, or fix the expectation."
                );
                let found = Finding::broken(code, summary, remedy);
                let found = found.with_all(self.sides()).with_all(told);
                d.replace(Verdict::broken(found));
            }
            (Some(true), _) => self.presence(d, visits),
            (Some(false), OutsideHours::Hide) if hides(d) => {
                let note = Finding::note(code, "Nobody is there now, and the widget hides then.");
                d.replace(Verdict::as_intended(note.with_all(self.sides())));
            }
            (Some(false), OutsideHours::Hide)
                // Where it waits for consent it may be there as soon as that is given.
                if matches!(d.outcome(), Outcome::Working | Outcome::AsIntended)
                    && visits.iter().any(|v| launcher_ms(v).is_some()) =>
            {
                let summary = "The launcher is there although nobody is, and it should hide then.";
                let remedy = format!(
                    "In the account at {name}, let the widget hide outside its hours, and check \
                    its time zone."
                );
                let code = Code::HoursOpenOutOfHours;
                let found = Finding::new(code, Severity::Fault, summary, remedy);
                d.add([found.with_all(self.sides())]);
            }
            (Some(false), OutsideHours::Message) if hides(d) || closed => {
                self.gone_out_of_hours(d, told);
            }
            (Some(false), OutsideHours::Message) => self.open_out_of_hours(d, visits),
            _ => {}
        }
    }

    /// Nobody is there, and the widget is gone, so a visitor cannot leave a message.
    fn gone_out_of_hours(&self, d: &mut Verdict, told: Vec<Evidence>) {
        let code = Code::AllowedHours;
        let summary = "Nobody is there now, and the widget is gone: a way to leave a message \
            should stay.";
        let remedy = format!(
            "In the account at {}, let the form for messages stay outside hours, or say \
            \u{201c}hide\u{201d} in the expectation.",
            self.supplier.name
        );
        let found = Finding::broken(code, summary, remedy);
        let mut found = found.with_all(self.sides()).with_all(told);
        if let Some(root) = d.root().filter(|r| *r != code) {
            found = found.or_else(
                root,
                "It may be gone at all hours: visit again while it is staffed.",
            );
        }
        d.replace(Verdict::broken(found));
    }

    /// Nobody is there, and the widget says that somebody is: a visitor waits for an answer in
    /// vain.
    fn open_out_of_hours(&self, d: &mut Verdict, visits: &[Observation]) {
        let online = |v: &&Observation| v.presence == Some(Presence::Online);
        if !visits.iter().any(|v| online(&v)) {
            return;
        }
        let summary = "Nobody is there now, and the widget says that somebody is.";
        let remedy = format!(
            "In the account at {}, set the hours and their time zone as the expectation has them, \
             and \
            see who is signed in.",
            self.supplier.name
        );
        let code = Code::HoursOpenOutOfHours;
        let found = Finding::new(code, Severity::Fault, summary, remedy);
        d.add([found.with_all(self.sides())]);
    }

    fn presence(&self, d: &mut Verdict, visits: &[Observation]) {
        let away = |v: &&Observation| v.presence.is_some_and(|p| p != Presence::Online);
        let (starved, settled): (Vec<&Observation>, Vec<_>) =
            visits.iter().partition(|v| v.withheld.starved());
        let Some(told) = settled.into_iter().find(away).and_then(|v| v.presence) else {
            // It may not have come so far as to say that somebody is there.
            let open = starved.into_iter().find(away);
            if let Some(v) = open {
                d.leave_open(busy::gap("who is there by the widget", &v.withheld));
            }
            return;
        };
        let summary = format!(
            "It is staffed now, and the widget says \u{201c}{}\u{201d}.",
            told.word()
        );
        let remedy = format!(
            "See at the console of {} who is signed in and switched to online, and which hours \
            are set there.",
            self.supplier.name
        );
        let found = Finding::new(Code::HoursStaffedButAway, Severity::Fault, summary, remedy);
        d.add([found.with_all(self.sides())]);
    }

    fn delay(&self, d: &mut Verdict, visits: &[Observation]) {
        // Nobody asked for a delay, or for none.
        let Some(wanted) = self.widget.delay_s else {
            return;
        };
        let silent = [Code::StartedSilent, Code::ShownAbsent];
        let gone = d.outcome() == Outcome::Broken && d.root().is_some_and(|r| silent.contains(&r));
        if gone && wanted * 1000.0 > MOST_DELAY_MS as f64 {
            let gap = NotChecked {
                what: format!("whether the launcher comes after its delay of {wanted} s"),
                why: "a visit does not watch so long".into(),
            };
            return d.replace(Verdict::unchecked(Link::Started, gap));
        }
        let wrong = visits
            .iter()
            .find_map(|v| self.off_by(v, wanted).map(|came| (v, came)));
        let Some((visit, (came_s, certain))) = wrong else {
            return;
        };
        if !certain {
            let gap = busy::gap("when the launcher comes", &visit.withheld);
            return d.leave_open(gap);
        }
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
        d.add([found.with(Evidence::fact(format!("seen on {viewport}")))]);
    }

    /// Returns when the launcher came, in s after the load or the decision about consent, where
    /// that is not as designed, and whether that is certain: what a busy machine took may be the
    /// widget's delay or not.
    fn off_by(&self, v: &Observation, wanted: f64) -> Option<(f64, bool)> {
        let load = v.metrics.load_ms.unwrap_or(NO_LOAD_MS);
        let from = v.consent.acted_ms.map_or(load, |d| d.max(load));
        let came_ms = launcher_ms(v)?;
        let came_s = (came_ms - from) / 1000.0;
        let lost_s = v.withheld.lost_ms(from, came_ms) / 1000.0;
        let slow = match wanted > 0.0 {
            true => LATE_S,
            false => LATE_S.max(self.supplier.alive.start_within_ms as f64 / 1000.0),
        };
        let early = wanted > 0.0 && came_s < wanted - EARLY_S;
        let late = came_s > wanted + slow;
        let certain = early || (came_s - lost_s > wanted + slow && !v.withheld.starved());
        (early || late).then_some((came_s, certain))
    }
}

/// Hours of a site whose zone nobody gave: told, so that nobody takes them for looked at.
pub(super) fn without_zone(expectation: &Expectation) -> Vec<NotChecked> {
    let timed = |w: &&Widget| !w.hours.is_empty() || !w.closed.is_empty();
    let unzoned = expectation.time_zone.is_empty();
    let widgets = expectation.widgets.iter().filter(timed);
    let gaps = widgets.filter(|_| unzoned).map(|w| NotChecked {
        what: format!("the hours of {}", w.supplier),
        why: "the expectation gives no time_zone, so nobody knows when they are".into(),
    });
    gaps.collect()
}

/// A launcher on a viewport where the widget need not show, or a note that it is rightly absent
/// there.
pub(super) fn other_viewports(widget: &Widget, d: &mut Verdict, all: &[Observation]) {
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
        if d.outcome() != Outcome::Broken {
            d.replace(Verdict::broken(found));
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
        d.add([Finding::note(Code::AllowedPageRule, words)]);
    }
    // Of the visits of one page, one that is as intended counts before one that works (contract).
    d.intend();
}

#[cfg(test)]
mod tests;

fn on(viewport: Viewport) -> &'static str {
    match viewport {
        Viewport::Desktop => "on desktops",
        Viewport::Phone => "on phones",
    }
}
