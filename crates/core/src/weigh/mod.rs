//! What a widget costs a page: its own main-thread time and bytes, attributed from traces, and what
//! the page loses, from paired visits with and without it. Facts behind the method: thread time of
//! attributed events is the most repeatable figure; whole-page differences need many pairs and are
//! shown beside the floor of an A/A run.

pub mod attribution;
mod conclude;
pub mod moments;
pub mod owners;
pub mod statistics;
pub mod stopping;
pub mod suppliers;

pub use conclude::{conclude, verdict};
use moments::{Moment, Moments};
use owners::Shares;
use serde::{Deserialize, Serialize};

/// One load measured with a trace.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct OwnLoad {
    /// CPU time of the main thread, ms.
    pub thread_ms: f64,
    /// Time by the clock, ms.
    pub wall_ms: f64,
    /// Bytes on the wire of the widget's requests, headers included.
    pub bytes: u64,
    /// Requests of the widget.
    pub requests: u32,
    /// The same by what they brought.
    #[serde(default)]
    pub shares: Shares,
    /// Live connections of the widget.
    #[serde(default)]
    pub sockets: u32,
    /// The widget came up in it; a load without it says nothing of what the widget costs.
    pub up: bool,
    /// What it cost after it was up.
    #[serde(default)]
    pub moments: Moments,
}

/// The page figures of one load; `None` where the browser gave none.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct PageLoad {
    /// Total blocking time, ms.
    pub tbt_ms: Option<f64>,
    /// Largest contentful paint, ms.
    pub lcp_ms: Option<f64>,
    /// Load event, ms.
    pub load_ms: Option<f64>,
}

/// One pair: the same page with the widget and with its hosts withheld. `first_with` is the order.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Pair {
    /// As a visitor has it.
    pub with: PageLoad,
    /// With the widget's hosts withheld.
    pub without: PageLoad,
    /// The load with the widget came first.
    pub first_with: bool,
}

/// Everything a weigh-in measured.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Measured {
    /// Loads in which the widget's own work was measured.
    pub own: Vec<OwnLoad>,
    /// Loads with and without it.
    pub pairs: Vec<Pair>,
    /// Pairs of two loads without the widget: what chance alone does on this page and machine.
    pub floor: Vec<Pair>,
    /// Loads from which nothing came.
    pub failed_loads: u32,
    /// Loads of an empty page with nothing but the snippet, at the site's own address.
    #[serde(default)]
    pub empty: Vec<OwnLoad>,
    /// Loads on a phone whose processor is [`moments::PHONE_SLOW`] times slower.
    #[serde(default)]
    pub phone: Vec<OwnLoad>,
}

/// A median with its interval of 95 %.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Centre {
    /// The median.
    pub median: f64,
    /// Lower end.
    pub low: f64,
    /// Upper end.
    pub high: f64,
}

/// What the widget itself costs.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Own {
    /// CPU time of the main thread, ms.
    pub thread_ms: Centre,
    /// The interval of 95 % of the thread time alone, whatever looks at it a stopping rule owes; none of too few loads.
    #[serde(default)]
    pub interval_ms: Option<(f64, f64)>,
    /// Time by the clock, ms.
    pub wall_ms: Centre,
    /// On the wire, median.
    pub bytes: u64,
    /// Median.
    pub requests: u32,
    /// By what they brought, medians; all zero in what was weighed before this was kept.
    #[serde(default)]
    pub shares: Shares,
    /// Live connections, median.
    #[serde(default)]
    pub sockets: u32,
    /// What it costs after it is up, medians.
    #[serde(default)]
    pub moments: Moments,
}

impl Own {
    /// Its medians, to stand beside those of other moments.
    pub fn as_moment(&self) -> Moment {
        Moment {
            thread_ms: self.thread_ms.median,
            interval_ms: self.interval_ms,
            bytes: self.bytes,
            requests: self.requests,
        }
    }
}

/// A shift between two groups with its interval of 95 %.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Shift {
    /// The estimate (Hodges and Lehmann).
    pub shift: f64,
    /// Lower end.
    pub low: f64,
    /// Upper end.
    pub high: f64,
    /// Lower end of what chance alone does here.
    pub floor_low: f64,
    /// Upper end of what chance alone does here.
    pub floor_high: f64,
}

impl Shift {
    /// Against the budget: over it only where the whole interval is, and beyond what chance alone does.
    pub fn verdict(&self, budget_ms: f64) -> BudgetVerdict {
        if self.high <= budget_ms {
            BudgetVerdict::Under
        } else if self.low > budget_ms && self.shift > self.floor_high {
            BudgetVerdict::Over
        } else {
            BudgetVerdict::Undecided
        }
    }
}

/// What the widget changes of the page's own times.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct PageShifts {
    /// Total blocking time, ms.
    pub tbt_ms: Option<Shift>,
    /// Largest contentful paint, ms.
    pub lcp_ms: Option<Shift>,
    /// Load event, ms.
    pub load_ms: Option<Shift>,
}

/// Against the budget.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum BudgetVerdict {
    /// The whole interval lies under it.
    Under,
    /// The whole interval lies over it.
    Over,
    /// The interval crosses it, or too little was measured.
    Undecided,
}

impl BudgetVerdict {
    /// Decided only where the whole interval lies on one side of the budget.
    pub fn of(low: f64, high: f64, budget_ms: f64) -> BudgetVerdict {
        if high <= budget_ms {
            BudgetVerdict::Under
        } else if low > budget_ms {
            BudgetVerdict::Over
        } else {
            BudgetVerdict::Undecided
        }
    }

    /// The word of the public contract.
    pub fn word(self) -> &'static str {
        match self {
            BudgetVerdict::Under => "under",
            BudgetVerdict::Over => "over",
            BudgetVerdict::Undecided => "undecided",
        }
    }
}

/// The object that `newtfern weigh --json` prints.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct WeighIn {
    /// The page.
    pub url: String,
    /// Pairs that count.
    pub pairs: usize,
    /// Of the order of loads and of the resampling.
    pub seed: u64,
    /// What the widget itself costs.
    pub own: Own,
    /// What it changes of the page's own times.
    pub page: PageShifts,
    /// ms of the main thread.
    pub budget_ms: f64,
    /// Against the budget.
    pub verdict: BudgetVerdict,
    /// Loads with a trace that the own costs come from.
    #[serde(default)]
    pub loads: usize,
    /// Loads that did not finish and count nowhere.
    #[serde(default)]
    pub failed_loads: u32,
    /// Loads in which the widget did not start; they count nowhere either.
    #[serde(default)]
    pub not_started: u32,
    /// The confidence that the interval of the own costs really has.
    #[serde(default)]
    pub confidence: f64,
    /// The processor ran so many times slower.
    #[serde(default = "as_it_is")]
    pub slow: f64,
    /// What the widget costs on an empty page, so that suppliers can be compared; none where that was not
    /// weighed, or the widget did not start there.
    #[serde(default)]
    pub empty: Option<Own>,
    /// What it costs on a phone; none where that was not weighed, or the widget did not start there.
    #[serde(default)]
    pub phone: Option<OnPhone>,
}

/// What a widget costs on a phone, whose processor is slower.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct OnPhone {
    /// The processor ran so many times slower.
    pub slow: f64,
    /// What the widget itself costs there.
    pub own: Own,
}

impl OnPhone {
    /// Against a budget; undecided where there is no interval.
    pub fn verdict(&self, budget_ms: f64) -> BudgetVerdict {
        let interval = self.own.interval_ms;
        interval.map_or(BudgetVerdict::Undecided, |(low, high)| {
            BudgetVerdict::of(low, high, budget_ms)
        })
    }
}

fn as_it_is() -> f64 {
    1.0
}

/// What an interval must reach for a verdict.
pub const CONFIDENCE: f64 = 0.95;

impl WeighIn {
    /// What was measured at other times and places than the first load of this page, with what it is.
    pub fn elsewhere(&self) -> impl Iterator<Item = (&'static str, Moment)> {
        let empty = self.empty.map(|own| ("On an empty page", own.as_moment()));
        let phone = self.phone.map(|p| ("On a phone", p.own.as_moment()));
        self.own.moments.told().chain(empty).chain(phone)
    }

    /// Why there is no verdict, to follow a semicolon.
    pub fn undecided_because(&self) -> String {
        if self.confidence < CONFIDENCE {
            format!(
                "{} loads reach a confidence of {:.1} %, and 95 % is needed: weigh with more",
                self.loads,
                self.confidence * 100.0
            )
        } else {
            "the interval lies across the budget: weigh with more loads".into()
        }
    }
}

/// Why there is no weigh-in.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum WeighError {
    /// The widget came up in no load; what came of it instead is no measure of what it costs.
    #[error(
        "the widget never started in {loads} loads, so there is nothing to weigh: run a check first"
    )]
    NeverStarted {
        /// How many were made.
        loads: usize,
    },
    /// Fewer loads came about than a median needs.
    #[error("only {got} of {wanted} loads finished; the figures would mean nothing")]
    TooFewLoads {
        /// How many came about.
        got: usize,
        /// How many are needed.
        wanted: usize,
    },
}

/// A document with nothing but a snippet: what the supplier's own cost is measured on.
pub fn empty_page(snippet: &str) -> String {
    format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>Empty page</title></head>\n<body><p>Nothing but the widget.</p>\n{snippet}\n</body></html>\n"
    )
}

/// The order within each pair, from the seed: true puts the load with the widget first.
/// SplitMix64 (Steele, Lea, Flood 2014), so that a seed gives the same order everywhere.
pub fn order(seed: u64, pairs: usize) -> Vec<bool> {
    let mut state = seed;
    (0..pairs)
        .map(|_| {
            state = state.wrapping_add(0x9E37_79B9_7F4A_7C15);
            let mut z = state;
            z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
            z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
            (z ^ (z >> 31)) & 1 == 1
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_order_depends_on_the_seed_alone() {
        assert_eq!(order(7, 40), order(7, 40));
        assert_ne!(order(7, 40), order(8, 40));
        let first = order(7, 2000).into_iter().filter(|x| *x).count();
        assert!((900..1100).contains(&first), "{first}");
    }
}
