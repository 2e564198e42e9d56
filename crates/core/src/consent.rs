//! The consent grid: consent states against signals, with a verdict by the rules of a region.
//!
//! What an opt-in region asks (Directive 2002/58/EC, article 5(3), as read by supervisory
//! authorities): nothing that is not strictly necessary is stored on or read from the visitor's
//! device before consent. Requests alone are judged by the region's profile.

use crate::finding::{Evidence, Finding, Severity};
use crate::observation::{ConsentAct, Observation};
use crate::profile::{ConsentClass, Supplier};
use serde::{Deserialize, Serialize};

/// Regional rules as data: which classes may do what while the visitor has not decided.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Region {
    pub id: String,
    pub name: String,
    pub before: Allowed,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Allowed {
    pub requests: Vec<ConsentClass>,
    pub storage: Vec<ConsentClass>,
}

impl Region {
    pub fn from_toml(text: &str) -> Result<Region, toml::de::Error> {
        toml::from_str(text)
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Signal {
    Requests,
    Cookies,
    Storage,
}

impl Signal {
    pub const ALL: [Signal; 3] = [Signal::Requests, Signal::Cookies, Signal::Storage];

    pub fn words(self) -> &'static str {
        match self {
            Signal::Requests => "requests",
            Signal::Cookies => "cookies",
            Signal::Storage => "storage",
        }
    }
}

/// One cell: how often the signal was seen, when first, and what exactly.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Cell {
    pub state: ConsentAct,
    pub signal: Signal,
    pub count: usize,
    pub first_ms: Option<f64>,
    pub examples: Vec<String>,
    pub allowed: bool,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Grid {
    pub region: String,
    pub cells: Vec<Cell>,
    /// Did the widget come up in each state that was visited?
    pub up: Vec<(ConsentAct, bool)>,
    /// A manager was found on the page or the states could be told apart.
    pub managed: bool,
}

/// Builds the grid from one visit for each consent state.
pub fn grid(supplier: &Supplier, region: &Region, visits: &[&Observation]) -> Grid {
    let class = supplier.consent.class;
    let mut cells = Vec::new();
    let mut up = Vec::new();
    for seen in visits {
        let state = seen.condition.consent;
        up.push((state, seen.alive.at_ms.is_some()));
        for signal in Signal::ALL {
            // A granted visit starts untouched: only what came before the act is judged by the rules of "before".
            let cutoff = if state == ConsentAct::Granted {
                seen.consent.acted_ms
            } else {
                None
            };
            let found = signals(supplier, seen, signal);
            let permitted = match signal {
                Signal::Requests => region.before.requests.contains(&class),
                _ => region.before.storage.contains(&class),
            };
            let early = found
                .iter()
                .filter(|(_, at)| cutoff.is_none_or(|c| *at < c))
                .count();
            let allowed = permitted
                || match state {
                    ConsentAct::Granted => cutoff.is_none() || early == 0,
                    _ => found.is_empty(),
                };
            cells.push(Cell {
                state,
                signal,
                count: found.len(),
                first_ms: found.iter().map(|(_, at)| *at).min_by(f64::total_cmp),
                examples: found.iter().take(5).map(|(what, _)| what.clone()).collect(),
                allowed,
            });
        }
    }
    let managed = visits.iter().any(|v| v.consent.manager || v.consent.tcf);
    Grid {
        region: region.name.clone(),
        cells,
        up,
        managed,
    }
}

/// Signals of the supplier with the time they were seen.
fn signals(supplier: &Supplier, seen: &Observation, signal: Signal) -> Vec<(String, f64)> {
    let ours = |place: &str| {
        supplier.hosts().any(|h| {
            place.trim_start_matches('.').eq_ignore_ascii_case(h)
                || place.contains(&format!("//{h}"))
        })
    };
    match signal {
        Signal::Requests => {
            let requests = seen
                .requests
                .iter()
                .filter(|r| r.host().is_some_and(|h| supplier.owns_host(&h)))
                .map(|r| (r.url.clone(), r.start_ms));
            let sockets = seen
                .sockets
                .iter()
                .filter(|s| {
                    url::Url::parse(&s.url)
                        .ok()
                        .and_then(|u| u.host_str().map(|h| supplier.owns_host(h)))
                        .unwrap_or(false)
                })
                .map(|s| (s.url.clone(), s.at_ms));
            requests.chain(sockets).collect()
        }
        Signal::Cookies | Signal::Storage => seen
            .stored
            .iter()
            .filter(|s| (s.kind == "cookie") == (signal == Signal::Cookies))
            .filter(|s| supplier.consent.storage.iter().any(|n| n == &s.name) || ours(&s.place))
            .map(|s| (format!("{} ({})", s.name, s.place), s.at_ms))
            .collect(),
    }
}

pub fn judge(grid: &Grid) -> Vec<Finding> {
    let mut out = Vec::new();
    let told = |state: ConsentAct| {
        if state == ConsentAct::Refused {
            "although consent was refused"
        } else {
            "before the visitor gave consent"
        }
    };
    for cell in grid.cells.iter().filter(|c| !c.allowed && c.count > 0) {
        let (code, what) = match cell.signal {
            Signal::Requests => ("consent.request-early", "requests go to the supplier"),
            Signal::Cookies => ("consent.cookie-early", "cookies of the widget are set"),
            Signal::Storage => (
                "consent.storage-early",
                "the widget stores data in the browser",
            ),
        };
        if out.iter().any(|f: &Finding| f.code == code) {
            continue;
        }
        out.push(
            Finding::new(
                code,
                Severity::Fault,
                format!("{}: {what} {}.", grid.region, told(cell.state)),
                "Hold the snippet back until consent: assign it to a category in the consent manager, or place its consent-gated form.",
            )
            .with_all(cell.examples.iter().map(|e| Evidence::fact(format!("{e}, first after {:.1} s", cell.first_ms.unwrap_or(0.0) / 1000.0)))),
        );
    }
    let started = |state| grid.up.iter().find(|(s, _)| *s == state).map(|(_, up)| *up);
    if started(ConsentAct::Granted) == Some(false) && started(ConsentAct::Untouched) == Some(false)
    {
        out.push(Finding::new(
            "consent.never-starts",
            Severity::Fault,
            "The widget does not start in any consent state.",
            "Look at the chain of this site first.",
        ));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::observation::{AliveSign, Condition, ConsentSeen, Request, Stored, Viewport};

    fn region() -> Region {
        Region::from_toml(
            "id='opt-in'\nname='Opt-in'\n[before]\nrequests=['necessary']\nstorage=['necessary']",
        )
        .unwrap()
    }

    fn visit(
        state: ConsentAct,
        request_ms: Option<f64>,
        cookie: bool,
        acted: Option<f64>,
    ) -> Observation {
        Observation {
            condition: Condition {
                viewport: Viewport::Desktop,
                consent: state,
            },
            requests: request_ms
                .map(|at| Request {
                    url: "https://cdn.example.test/l.js".into(),
                    start_ms: at,
                    ..Request::default()
                })
                .into_iter()
                .collect(),
            stored: if cookie {
                vec![Stored {
                    kind: "cookie".into(),
                    place: "kites.example".into(),
                    name: "ex_id".into(),
                    at_ms: 10.0,
                    ..Stored::default()
                }]
            } else {
                vec![]
            },
            alive: AliveSign {
                at_ms: request_ms,
                ..AliveSign::default()
            },
            consent: ConsentSeen {
                manager: true,
                acted_ms: acted,
                ..ConsentSeen::default()
            },
            ..Observation::default()
        }
    }

    fn codes(visits: &[&Observation]) -> Vec<String> {
        let s = crate::profile::tests::sample();
        judge(&grid(&s, &region(), visits))
            .into_iter()
            .map(|f| f.code)
            .collect()
    }

    #[test]
    fn waiting_and_then_starting_is_right() {
        let (a, b) = (
            visit(ConsentAct::Untouched, None, false, None),
            visit(ConsentAct::Granted, Some(900.0), false, Some(800.0)),
        );
        assert!(codes(&[&a, &b]).is_empty());
    }

    #[test]
    fn what_comes_before_consent_is_a_fault_of_its_kind() {
        let a = visit(ConsentAct::Untouched, Some(100.0), true, None);
        let b = visit(ConsentAct::Granted, Some(100.0), false, Some(800.0));
        assert_eq!(
            codes(&[&a, &b]),
            ["consent.request-early", "consent.cookie-early"]
        );
    }

    #[test]
    fn a_necessary_class_may_do_both() {
        let mut s = crate::profile::tests::sample();
        s.consent.class = ConsentClass::Necessary;
        let a = visit(ConsentAct::Untouched, Some(100.0), true, None);
        assert!(judge(&grid(&s, &region(), &[&a])).is_empty());
    }
}
