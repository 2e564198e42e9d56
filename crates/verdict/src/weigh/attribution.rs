//! Main-thread time of a widget from a browser trace (the Trace Event Format: `ph` X, B/E, `ts` and
//! `dur` in microseconds, `tdur` thread time where the platform gives it).
//!
//! An event belongs to the widget if the script it names is the widget's: an address on the
//! supplier's hosts, one that the widget's scripts pulled in (initiator chain), or script text in
//! the page by its lines. Only the outermost such event of a thread is counted, so that nested work
//! is not counted twice; work below it that names another script is taken off again.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::{HashMap, HashSet};
use std::ops::Range;

/// Addresses of scripts that are the widget's.
#[derive(Debug, Clone, Default)]
pub struct WidgetScripts {
    /// Hosts of the widget.
    pub hosts: Vec<String>,
    /// Addresses pulled in by the widget from other hosts.
    pub addresses: HashSet<String>,
    /// Lines of inline pieces in the page, with the page's address.
    pub page: String,
    /// Lines of the page that hold the snippet, 1-based, both included.
    pub inline_lines: Vec<(u32, u32)>,
}

impl WidgetScripts {
    fn owns(&self, address: &str, line: Option<u64>) -> bool {
        if address == self.page {
            return line.is_some_and(|l| {
                self.inline_lines
                    .iter()
                    .any(|(a, b)| (u64::from(*a)..=u64::from(*b)).contains(&l))
            });
        }
        self.addresses.contains(address)
            || url::Url::parse(address)
                .ok()
                .and_then(|u| {
                    u.host_str()
                        .map(|h| self.hosts.iter().any(|o| o.eq_ignore_ascii_case(h)))
                })
                .unwrap_or(false)
    }
}

/// Cost of the widget's work.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Cost {
    /// CPU time of the main thread, ms.
    pub thread_ms: f64,
    /// Time by the clock, ms.
    pub wall_ms: f64,
}

#[derive(Debug)]
struct Event {
    start: f64,
    end: f64,
    wall: f64,
    thread: f64,
    /// `Some(true)`: the widget's; `Some(false)`: another script's; `None`: names no script.
    ours: Option<bool>,
}

/// Sums the widget's events on every renderer main thread of the trace: the page's own and those of
/// the widget's frames.
pub fn attribute(events: &[Value], ours: &WidgetScripts) -> Cost {
    attribute_within(events, ours, &(f64::NEG_INFINITY..f64::INFINITY))
}

/// The same of events that begin within a stretch of the trace's clock, microseconds.
pub fn attribute_within(events: &[Value], ours: &WidgetScripts, when: &Range<f64>) -> Cost {
    let mut threads: HashMap<(u64, u64), Vec<Event>> = HashMap::new();
    let mut main_threads: HashSet<(u64, u64)> = HashSet::new();
    for e in events {
        let id = (
            e["pid"].as_u64().unwrap_or(0),
            e["tid"].as_u64().unwrap_or(0),
        );
        if e["ph"] == "M" && e["name"] == "thread_name" && e["args"]["name"] == "CrRendererMain" {
            main_threads.insert(id);
        }
        if e["ph"] != "X" {
            continue;
        }
        let Some(name) = e["name"].as_str().filter(|n| COUNTED.contains(n)) else {
            continue;
        };
        let (Some(ts), Some(dur)) = (e["ts"].as_f64(), e["dur"].as_f64()) else {
            continue;
        };
        if !when.contains(&ts) {
            continue;
        }
        let (address, line) = script_of(name, &e["args"]);
        let ours = address.map(|a| ours.owns(a, line));
        threads.entry(id).or_default().push(Event {
            start: ts,
            end: ts + dur,
            wall: dur,
            thread: e["tdur"].as_f64().unwrap_or(dur),
            ours,
        });
    }
    let mut cost = Cost::default();
    for (id, mut events) in threads {
        if !main_threads.is_empty() && !main_threads.contains(&id) {
            continue;
        }
        events.sort_by(|a, b| a.start.total_cmp(&b.start).then(b.end.total_cmp(&a.end)));
        add_thread(&events, &mut cost);
    }
    Cost {
        thread_ms: cost.thread_ms / 1000.0,
        wall_ms: cost.wall_ms / 1000.0,
    }
}

/// Walks properly nested events; the nearest named script around an event decides whose it is.
fn add_thread(events: &[Event], cost: &mut Cost) {
    let mut open: Vec<(f64, bool)> = Vec::new();
    for e in events {
        while open.last().is_some_and(|(end, _)| *end <= e.start) {
            open.pop();
        }
        let around = open.last().is_some_and(|(_, ours)| *ours);
        let mine = e.ours.unwrap_or(around);
        // Entering the widget's code adds its time, leaving it for another script's takes it off.
        let sign = match (around, mine) {
            (false, true) => 1.0,
            (true, false) => -1.0,
            _ => 0.0,
        };
        cost.wall_ms += sign * e.wall;
        cost.thread_ms += sign * e.thread;
        open.push((e.end, mine));
    }
}

/// Timeline events that name the script they run or compile.
const COUNTED: &[&str] = &[
    "EvaluateScript",
    "FunctionCall",
    "v8.compile",
    "v8.compileModule",
    "v8.evaluateModule",
    "v8.run",
    "TimerFire",
    "FireAnimationFrame",
    "FireIdleCallback",
    "EventDispatch",
    "XHRReadyStateChange",
    "XHRLoad",
    "RunMicrotasks",
];

fn script_of<'a>(name: &str, args: &'a Value) -> (Option<&'a str>, Option<u64>) {
    let data = &args["data"];
    let address = data["url"]
        .as_str()
        .or_else(|| args["fileName"].as_str())
        .or_else(|| data["stackTrace"][0]["url"].as_str());
    let line = data["lineNumber"]
        .as_u64()
        .or_else(|| args["lineNumber"].as_u64());
    // The dispatch of an event or timer belongs to whoever is called inside it, told by
    // FunctionCall.
    match name {
        "EvaluateScript" | "FunctionCall" | "v8.compile" | "v8.compileModule"
        | "v8.evaluateModule" | "v8.run" => (address.filter(|a| !a.is_empty()), line),
        _ => (None, None),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn x(name: &str, ts: u64, dur: u64, url: &str) -> Value {
        json!({"ph": "X", "pid": 1, "tid": 7, "name": name, "ts": ts, "dur": dur, "tdur": dur / 2,
            "args": {"data": {"url": url, "lineNumber": 3}}})
    }

    fn ours() -> WidgetScripts {
        WidgetScripts {
            hosts: vec!["cdn.example.test".into()],
            page: "https://a.test/".into(),
            inline_lines: vec![(2, 4)],
            ..WidgetScripts::default()
        }
    }

    #[test]
    fn nested_events_count_once_and_foreign_ones_inside_are_taken_off() {
        let l = "https://cdn.example.test/l.js";
        let events = [
            json!({"ph": "M", "pid": 1, "tid": 7, "name": "thread_name",
                "args": {"name": "CrRendererMain"}}),
            x("EvaluateScript", 1000, 10_000, l),
            x("v8.compile", 1000, 2000, l),
            x("FunctionCall", 4000, 5000, l),
            x("FunctionCall", 5000, 1000, "https://a.test/own.js"),
            x("FunctionCall", 20_000, 3000, "https://a.test/own.js"),
            x("FunctionCall", 21_000, 1000, l),
        ];
        let cost = attribute(&events, &ours());
        assert!((cost.wall_ms - (10.0 - 1.0 + 1.0)).abs() < 1e-9, "{cost:?}");
        assert!((cost.thread_ms - 5.0).abs() < 1e-9, "{cost:?}");
        let late = attribute_within(&events, &ours(), &(15_000.0..f64::INFINITY));
        assert!((late.wall_ms - 1.0).abs() < 1e-9, "{late:?}");
    }

    #[test]
    fn other_threads_and_other_lines_of_the_page_do_not_count() {
        let mut other = x("FunctionCall", 0, 1000, "https://cdn.example.test/l.js");
        other["tid"] = json!(8);
        let events = [
            json!({"ph": "M", "pid": 1, "tid": 7, "name": "thread_name",
                "args": {"name": "CrRendererMain"}}),
            other,
            x("EvaluateScript", 0, 4000, "https://a.test/"),
        ];
        assert!((attribute(&events, &ours()).wall_ms - 4.0).abs() < 1e-9);
        let mut elsewhere = ours();
        elsewhere.inline_lines = vec![(9, 9)];
        assert_eq!(attribute(&events, &elsewhere), Cost::default());
    }
}
