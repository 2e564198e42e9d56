//! One visit over time: the page's load, the visitor's decision, and each sign and signal of the
//! widget.

use crate::consent::is_ours;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{ConsentAct, Observation};

/// Lane of the drawing that something stands in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Lane {
    /// Events of the page itself.
    Page,
    /// Requests and live connections of the widget.
    Requests,
    /// Events of the page's frames.
    Frames,
    /// Cookies and storage that were set.
    Stored,
    /// Events of the widget that visitors see.
    Widget,
}

impl Lane {
    /// Every lane, from the top down.
    pub const ALL: [Lane; 5] = [
        Lane::Page,
        Lane::Requests,
        Lane::Frames,
        Lane::Stored,
        Lane::Widget,
    ];

    /// Returns the lane's name for people.
    pub fn words(self) -> &'static str {
        match self {
            Lane::Page => "page",
            Lane::Requests => "requests",
            Lane::Frames => "frames",
            Lane::Stored => "stored",
            Lane::Widget => "widget",
        }
    }
}

/// One event on the timeline of a visit.
#[derive(Debug, Clone, PartialEq)]
pub struct Mark {
    /// Lane that the event is drawn in.
    pub lane: Lane,
    /// ms after the navigation began.
    pub from_ms: f64,
    /// The same where it has no length.
    pub to_ms: f64,
    /// Event in words.
    pub words: String,
    /// Whether it came before the visitor had decided, where a decision was made.
    pub early: bool,
}

/// Events of one visit.
#[derive(Debug, Clone, PartialEq)]
pub struct Timeline {
    /// Events in the order of time.
    pub marks: Vec<Mark>,
    /// Time of the visitor's decision, if it was made and took.
    pub decided_ms: Option<f64>,
    /// The last that is known.
    pub end_ms: f64,
}

/// Marks of one lane that are drawn; more would be a solid bar.
const MOST_MARKS: usize = 80;

/// The timeline of a visit that looked for this supplier's widget.
pub fn of(supplier: &Supplier, seen: &Observation) -> Timeline {
    let decides = !matches!(
        seen.condition.consent,
        ConsentAct::Untouched | ConsentAct::Gpc
    );
    let took = seen.looks.consent_act.seen_ms().is_some();
    let decided_ms = seen.consent.acted_ms.filter(|_| decides && took);
    let mut marks = Vec::new();
    let mut add = |lane, from_ms: f64, to_ms: f64, words: String| {
        // What came before consent was taken back came while it was given.
        let asked = seen.condition.consent != ConsentAct::Withdrawn;
        let early = asked && lane != Lane::Page && decided_ms.is_some_and(|d| from_ms < d);
        let mark = Mark {
            lane,
            from_ms,
            to_ms: to_ms.max(from_ms),
            words,
            early,
        };
        marks.push(mark);
    };
    page(seen, &mut add);
    signals(supplier, seen, &mut add);
    widget(seen, &mut add);
    marks.sort_by(|a, b| {
        let order = a.lane.cmp(&b.lane);
        order.then(a.from_ms.total_cmp(&b.from_ms))
    });
    let last = marks.iter().map(|m| m.to_ms).chain(decided_ms);
    Timeline {
        end_ms: last.fold(0.0, f64::max),
        decided_ms,
        marks: bounded(marks),
    }
}

fn bounded(marks: Vec<Mark>) -> Vec<Mark> {
    let mut counts = [0; Lane::ALL.len()];
    let mut out = marks;
    out.retain(|m| {
        let count = &mut counts[m.lane as usize];
        *count += 1;
        *count <= MOST_MARKS
    });
    out
}

fn page(seen: &Observation, add: &mut impl FnMut(Lane, f64, f64, String)) {
    let m = &seen.metrics;
    if let Some(load) = m.load_ms {
        add(
            Lane::Page,
            0.0,
            load,
            format!("the page loads until {load:.0} ms"),
        );
    }
    for (what, at) in [("first paint", m.fcp_ms), ("largest paint", m.lcp_ms)] {
        if let Some(at) = at {
            add(Lane::Page, at, at, format!("{what} at {at:.0} ms"));
        }
    }
}

fn signals(supplier: &Supplier, seen: &Observation, add: &mut impl FnMut(Lane, f64, f64, String)) {
    let owned = |address: &str| supplier.owns(address);
    for r in seen.requests.iter().filter(|r| owned(&r.url)) {
        let end = r.end_ms.unwrap_or(r.start_ms);
        add(
            Lane::Requests,
            r.start_ms,
            end,
            format!("{} {}", r.kind, r.url),
        );
    }
    for s in seen.sockets.iter().filter(|s| owned(&s.url)) {
        add(
            Lane::Requests,
            s.at_ms,
            s.at_ms,
            format!("live connection {}", s.url),
        );
    }
    for f in seen.frames.iter().filter(|f| owned(&f.url)) {
        add(Lane::Frames, f.at_ms, f.at_ms, f.url.clone());
    }
    for s in seen.stored.iter().filter(|s| is_ours(supplier, s)) {
        let words = format!("{} {} ({})", s.kind, s.name, s.place);
        add(Lane::Stored, s.at_ms, s.at_ms, words);
    }
}

fn widget(seen: &Observation, add: &mut impl FnMut(Lane, f64, f64, String)) {
    let looks = [
        ("sign of life", seen.looks.alive.seen_ms()),
        ("launcher seen", seen.looks.launcher.seen_ms()),
        ("panel open", seen.looks.opening.seen_ms()),
        ("panel closed", seen.looks.closing.seen_ms()),
    ];
    for (what, at) in looks {
        if let Some(at) = at {
            add(Lane::Widget, at, at, format!("{what} at {at:.0} ms"));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{healthy, loader, with};
    use crate::testing::sample;
    use newtfern_standards::observation::Look;

    #[test]
    fn what_came_before_the_decision_is_early_and_lanes_are_in_order() {
        let seen = with(healthy(), |o| {
            o.condition.consent = ConsentAct::Granted;
            o.looks.consent_act = Look::Seen { at_ms: 700.0 };
            o.consent.acted_ms = Some(650.0);
            o.metrics.load_ms = Some(400.0);
            let mut early = loader(Some(200), None);
            early.start_ms = 100.0;
            early.end_ms = Some(180.0);
            let mut late = early.clone();
            late.start_ms = 700.0;
            late.end_ms = Some(720.0);
            o.requests = vec![late, early];
        });
        let told = of(&sample(), &seen);
        assert_eq!(told.decided_ms, Some(650.0));
        let requests: Vec<(f64, bool)> = told
            .marks
            .iter()
            .filter(|m| m.lane == Lane::Requests)
            .map(|m| (m.from_ms, m.early))
            .collect();
        assert_eq!(requests, [(100.0, true), (700.0, false)]);
        assert!(told.marks.iter().map(|m| m.lane).is_sorted());
        assert!(told.end_ms >= 1_200.0, "closing comes last");
        // Before consent was taken back it was given.
        let withdrawn = with(seen.clone(), |o| {
            o.condition.consent = ConsentAct::Withdrawn
        });
        let told = of(&sample(), &withdrawn);
        assert_eq!(told.decided_ms, Some(650.0));
        assert!(told.marks.iter().all(|m| !m.early));
        // A decision that did not take is none, and nothing is early by it.
        let undecided = with(seen, |o| {
            o.looks.consent_act = Look::NotThere { until_ms: 900.0 }
        });
        let told = of(&sample(), &undecided);
        assert_eq!(told.decided_ms, None);
        assert!(told.marks.iter().all(|m| !m.early));
    }
}
