//! What was measured, and what was concluded of it.

use crate::weigh::moments::{Moment, Moments};
use crate::weigh::owners::Shares;
use crate::weigh::stopping::CONFIDENCE;
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
    /// Cost after it was up.
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
    /// Time of the load event, ms.
    pub load_ms: Option<f64>,
}

/// One pair: the same page with the widget and with its hosts withheld. `first_with` is the order.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Pair {
    /// Load as a visitor has it.
    pub with: PageLoad,
    /// Load with the widget's hosts withheld.
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
    /// Loads on a phone whose processor is `moments::PHONE_SLOW` times slower.
    #[serde(default)]
    pub phone: Vec<OwnLoad>,
}

/// A median with its interval of 95 %.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Centre {
    /// Median of the values.
    pub median: f64,
    /// Lower end of the 95 % interval.
    pub low: f64,
    /// Upper end of the 95 % interval.
    pub high: f64,
}

/// Cost of the widget itself.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct WidgetCost {
    /// CPU time of the main thread, ms.
    pub thread_ms: Centre,
    /// The interval of 95 % of the thread time alone, whatever looks at it a stopping rule owes;
    /// none of too few loads.
    #[serde(default)]
    pub interval_ms: Option<(f64, f64)>,
    /// Time by the clock, ms.
    pub wall_ms: Centre,
    /// Median bytes over the network.
    pub bytes: u64,
    /// Median number of requests.
    pub requests: u32,
    /// Medians by what the requests brought; all zero in what was weighed before this was stored.
    #[serde(default)]
    pub shares: Shares,
    /// Median number of live connections.
    #[serde(default)]
    pub sockets: u32,
    /// Median costs after it is up.
    #[serde(default)]
    pub moments: Moments,
}

impl WidgetCost {
    /// Returns its medians, to stand beside those of other moments.
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
    /// Lower end of the 95 % interval.
    pub low: f64,
    /// Upper end of the 95 % interval.
    pub high: f64,
    /// Lower end of what chance alone does here.
    pub floor_low: f64,
    /// Upper end of what chance alone does here.
    pub floor_high: f64,
}

impl Shift {
    /// Against the budget: over it only where the whole interval is, and beyond what chance alone
    /// does.
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

/// Changes that the widget makes to the page's own times.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct PageShifts {
    /// Total blocking time, ms.
    pub tbt_ms: Option<Shift>,
    /// Largest contentful paint, ms.
    pub lcp_ms: Option<Shift>,
    /// Shift of the load event, ms.
    pub load_ms: Option<Shift>,
}

/// Comparison of a weigh-in with its budget.
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
    /// Address of the weighed page.
    pub url: String,
    /// Number of pairs that count.
    pub pairs: usize,
    /// Seed of the order of loads and of the resampling.
    pub seed: u64,
    /// Cost of the widget itself.
    pub own: WidgetCost,
    /// Changes of the page's own times.
    pub page: PageShifts,
    /// ms of the main thread.
    pub budget_ms: f64,
    /// Comparison with the budget.
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
    /// Cost of the widget on an empty page, so that suppliers can be compared; none where that was
    /// not weighed, or the widget did not start there.
    #[serde(default)]
    pub empty: Option<WidgetCost>,
    /// Cost of the widget on a phone; none where that was not weighed, or the widget did not start
    /// there.
    #[serde(default)]
    pub phone: Option<OnPhone>,
}

/// Cost of a widget on a phone, whose processor is slower.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct OnPhone {
    /// The processor ran so many times slower.
    pub slow: f64,
    /// Cost of the widget itself there.
    pub own: WidgetCost,
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

pub(super) fn as_it_is() -> f64 {
    1.0
}

impl WeighIn {
    /// Returns what was measured at other times and places than the first load of this page, with
    /// its name.
    pub fn elsewhere(&self) -> impl Iterator<Item = (&'static str, Moment)> {
        let empty = self.empty.map(|own| ("On an empty page", own.as_moment()));
        let phone = self.phone.map(|p| ("On a phone", p.own.as_moment()));
        self.own.moments.told().chain(empty).chain(phone)
    }

    /// Returns why there is no verdict, to follow a semicolon.
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

/// Reason why there is no weigh-in.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum WeighError {
    /// The widget came up in no load; what came of it instead is no measure of what it costs.
    #[error(
        "the widget never started in {loads} loads, so there is nothing to weigh: run a check first"
    )]
    NeverStarted {
        /// Number of loads that were made.
        loads: usize,
    },
    /// Fewer loads came about than a median needs.
    #[error("only {got} of {wanted} loads finished; the figures would mean nothing")]
    TooFewLoads {
        /// Number of loads that came about.
        got: usize,
        /// Number of loads that are needed.
        wanted: usize,
    },
}
