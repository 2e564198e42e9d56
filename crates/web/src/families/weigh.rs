//! What the widget costs: each figure with its interval, on scales that are the same for every
//! site.

use super::Cell;
use super::view::{View, drawn};
use crate::draw::interval::{self, Bar, OWN, PAGE};
use askama::Template;
use newtfern_verdict::family;
use newtfern_verdict::family::detail::weigh::Detail;
use newtfern_verdict::weigh::moments::Moment;
use newtfern_verdict::weigh::owners::{self, Owner};
use newtfern_verdict::weigh::{BudgetVerdict, Centre, Shift, WeighIn};

/// View of the family in lists and on the bench.
pub const VIEW: View = View {
    legend: || {
        "0 to 200 ms. The bar is the 95 % interval of the median, the vertical line is the budget."
            .into()
    },
    cell: |data| match data.detail {
        Some(family::Detail::Weigh(d)) => cell(d),
        _ => Cell::default(),
    },
    body: |_, drawing| {
        drawn(drawing, |detail| match detail {
            family::Detail::Weigh(d) => section(d),
            _ => Ok(String::new()),
        })
    },
    ..View::PLAIN
};

fn cell(d: &Detail) -> Cell {
    let (w, t) = (&d.weigh, d.weigh.own.thread_ms);
    let words = format!(
        "{:.0} ms, {:.0} to {:.0}, budget {:.0}",
        t.median, t.low, t.high, w.budget_ms
    );
    let kilobytes = w.own.bytes as f64 / 1000.0;
    Cell {
        drawing: interval::svg(&bar(t), Some(w.budget_ms), None, OWN, &words),
        note: format!(
            "{:.0} ms \u{b7} {kilobytes:.1} kB in {} requests",
            t.median, w.own.requests
        ),
        ..Cell::default()
    }
}

fn bar(c: Centre) -> Bar {
    Bar {
        low: c.low,
        mid: c.median,
        high: c.high,
    }
}

/// One figure with its drawing.
pub struct Line {
    pub name: &'static str,
    pub drawing: String,
    pub figures: String,
}

fn own(name: &'static str, c: Centre, budget: Option<f64>) -> Line {
    let figures = format!("{:.1} ms ({:.1} to {:.1})", c.median, c.low, c.high);
    Line {
        name,
        drawing: interval::svg(&bar(c), budget, None, OWN, &figures),
        figures,
    }
}

fn page(name: &'static str, shift: Option<Shift>, budget_ms: f64) -> Option<Line> {
    let s = shift?;
    let verdict = match s.verdict(budget_ms) {
        BudgetVerdict::Under => "within the budget",
        BudgetVerdict::Over => "over the budget",
        BudgetVerdict::Undecided => "undecided",
    };
    let figures = format!(
        "{:+.1} ms ({:+.1} to {:+.1}), random variation {:+.1} to {:+.1}: {verdict}",
        s.shift, s.low, s.high, s.floor_low, s.floor_high
    );
    let bar = Bar {
        low: s.low,
        mid: s.shift,
        high: s.high,
    };
    let floor = Some((s.floor_low, s.floor_high));
    Some(Line {
        name,
        drawing: interval::svg(&bar, None, floor, PAGE, &figures),
        figures,
    })
}

/// All figures of a weigh-in.
pub fn lines(w: &WeighIn) -> Vec<Line> {
    let mut out = vec![
        own(
            "Widget: main-thread time",
            w.own.thread_ms,
            Some(w.budget_ms),
        ),
        own("Widget: elapsed time", w.own.wall_ms, None),
    ];
    let shifts = [
        page("Page: blocking time", w.page.tbt_ms, w.budget_ms),
        page("Page: largest paint", w.page.lcp_ms, w.budget_ms),
        page("Page: load", w.page.load_ms, w.budget_ms),
    ];
    out.extend(shifts.into_iter().flatten());
    out
}

/// A bar with what it stands for.
struct Share {
    name: &'static str,
    /// Width of the bar, px of 200.
    width: f64,
    /// px of 200: what the loads leave open.
    open: Option<(f64, f64)>,
    figures: String,
}

/// The heaviest is as long as the row; nothing where this was not kept.
fn parts(w: &WeighIn) -> Vec<Share> {
    let shares = Owner::ALL.iter().zip(w.own.shares);
    let heaviest = w
        .own
        .shares
        .iter()
        .map(|s| s.bytes)
        .max()
        .unwrap_or(0)
        .max(1);
    let part = |(owner, s): (&Owner, owners::Share)| Share {
        name: owner.words(),
        width: (s.bytes * 200 / heaviest).max(1) as f64,
        open: None,
        figures: format!("{:.1} kB in {}", s.bytes as f64 / 1000.0, s.requests),
    };
    shares.filter(|(_, s)| s.requests > 0).map(part).collect()
}

/// A moment's thread time as a bar of 200 px for 200 ms: its width, and what the loads leave open.
pub fn moment_bar(m: &Moment) -> (f64, Option<(f64, f64)>) {
    let px = |ms: f64| ms.clamp(0.0, 200.0);
    let open = m.interval_ms.map(|(low, high)| (px(low), px(high)));
    (m.thread_ms.clamp(0.5, 200.0), open)
}

/// Returns what the widget costs at other times and places than the first load of this page, on the
/// same scale.
fn beside(w: &WeighIn) -> Vec<Share> {
    let row = |(name, m): (&'static str, Moment)| {
        let (width, open) = moment_bar(&m);
        Share {
            name,
            width,
            open,
            figures: m.words(),
        }
    };
    let first = ("First load", w.own.as_moment());
    let others: Vec<_> = w.elsewhere().collect();
    match others.is_empty() {
        // What was weighed before these were looked at.
        true => Vec::new(),
        false => std::iter::once(first).chain(others).map(row).collect(),
    }
}

#[derive(Template)]
#[template(path = "family/weigh.html")]
struct Section<'a> {
    w: &'a WeighIn,
    lines: Vec<Line>,
    parts: Vec<Share>,
    beside: Vec<Share>,
    /// Against the budget on a phone, in words.
    phone: &'static str,
    percent: String,
}

fn section(d: &Detail) -> askama::Result<String> {
    Section {
        w: &d.weigh,
        lines: lines(&d.weigh),
        parts: parts(&d.weigh),
        beside: beside(&d.weigh),
        phone: match d.weigh.phone.map(|p| p.verdict(d.weigh.budget_ms)) {
            Some(BudgetVerdict::Over) => "over the budget on a phone",
            Some(BudgetVerdict::Under) => "within the budget on a phone too",
            _ => "undecided whether it is within the budget on a phone",
        },
        percent: format!("{:.0}", d.weigh.confidence * 100.0),
    }
    .render()
}
