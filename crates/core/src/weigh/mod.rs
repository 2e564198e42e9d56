//! What a widget costs a page: its own main-thread time and bytes, attributed from traces, and what
//! the page loses, from paired visits with and without it. Facts behind the method: thread time of
//! attributed events is the most repeatable figure; whole-page differences need many pairs and are
//! shown beside the floor of an A/A run.

pub mod attribution;
pub mod owners;
pub mod statistics;

use owners::{Share, Shares};
use serde::{Deserialize, Serialize};
use statistics::{Interval, shift};

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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
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
}

fn as_it_is() -> f64 {
    1.0
}

/// Loads with the widget up that a median needs.
const LEAST_LOADS: usize = 3;

/// What an interval must reach for a verdict.
pub const CONFIDENCE: f64 = 0.95;

impl WeighIn {
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

/// From measurements to intervals and a verdict. The budget is on the widget's own thread time.
///
/// # Errors
/// [`WeighError`], where too little was measured to say anything.
pub fn conclude(
    url: &str,
    seed: u64,
    measured: &Measured,
    budget_ms: f64,
) -> Result<WeighIn, WeighError> {
    let made = measured.own.len();
    let started: Vec<OwnLoad> = measured.own.iter().filter(|l| l.up).copied().collect();
    let loads = started.len();
    if made >= LEAST_LOADS && loads == 0 {
        return Err(WeighError::NeverStarted { loads: made });
    }
    if loads < LEAST_LOADS {
        return Err(WeighError::TooFewLoads {
            got: loads,
            wanted: LEAST_LOADS,
        });
    }
    let centre = |pick: fn(&OwnLoad) -> f64| {
        let values: Vec<f64> = started.iter().map(pick).collect();
        let interval = shift(&values, CONFIDENCE);
        Centre {
            median: statistics::median(&values),
            low: interval.low,
            high: interval.high,
        }
    };
    let median_of = |pick: fn(&OwnLoad) -> f64| {
        statistics::median(&started.iter().map(pick).collect::<Vec<_>>())
    };
    let own = Own {
        thread_ms: centre(|l| l.thread_ms),
        wall_ms: centre(|l| l.wall_ms),
        bytes: median_of(|l| l.bytes as f64).round() as u64,
        requests: median_of(|l| f64::from(l.requests)).round() as u32,
        shares: std::array::from_fn(|i| {
            let of = |pick: &dyn Fn(&OwnLoad) -> f64| {
                statistics::median(&started.iter().map(pick).collect::<Vec<_>>()).round()
            };
            Share {
                bytes: of(&|l| l.shares[i].bytes as f64) as u64,
                requests: of(&|l| f64::from(l.shares[i].requests)) as u32,
            }
        }),
        sockets: median_of(|l| f64::from(l.sockets)).round() as u32,
    };
    let page = PageShifts {
        tbt_ms: page_shift(measured, |l| l.tbt_ms),
        lcp_ms: page_shift(measured, |l| l.lcp_ms),
        load_ms: page_shift(measured, |l| l.load_ms),
    };
    // Too few loads have no interval of the asked confidence: then nothing is decided.
    let confidence = statistics::confidence_reached(loads, CONFIDENCE);
    let verdict = match confidence >= CONFIDENCE {
        true => verdict(own.thread_ms, budget_ms),
        false => BudgetVerdict::Undecided,
    };
    Ok(WeighIn {
        url: url.to_string(),
        pairs: measured.pairs.len(),
        seed,
        own,
        page,
        budget_ms,
        verdict,
        loads,
        failed_loads: measured.failed_loads,
        not_started: (made - loads) as u32,
        confidence,
        slow: as_it_is(),
    })
}

/// Decided only where the whole interval lies on one side of the line.
pub fn verdict(thread: Centre, budget_ms: f64) -> BudgetVerdict {
    if thread.high <= budget_ms {
        BudgetVerdict::Under
    } else if thread.low > budget_ms {
        BudgetVerdict::Over
    } else {
        BudgetVerdict::Undecided
    }
}

fn page_shift(measured: &Measured, pick: fn(&PageLoad) -> Option<f64>) -> Option<Shift> {
    let differences = |pairs: &[Pair]| -> Vec<f64> {
        pairs
            .iter()
            .filter_map(|p| Some(pick(&p.with)? - pick(&p.without)?))
            .collect()
    };
    let main = differences(&measured.pairs);
    // Fewer pairs have no interval of the asked confidence.
    if statistics::confidence_reached(main.len(), CONFIDENCE) < CONFIDENCE {
        return None;
    }
    let Interval {
        estimate,
        low,
        high,
    } = shift(&main, CONFIDENCE);
    let aa = differences(&measured.floor);
    let floor = if statistics::confidence_reached(aa.len(), CONFIDENCE) < CONFIDENCE {
        Interval {
            estimate: 0.0,
            low: 0.0,
            high: 0.0,
        }
    } else {
        shift(&aa, CONFIDENCE)
    };
    Some(Shift {
        shift: estimate,
        low,
        high,
        floor_low: floor.low,
        floor_high: floor.high,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn own(thread_ms: f64) -> OwnLoad {
        OwnLoad {
            thread_ms,
            wall_ms: thread_ms * 1.2,
            bytes: 9000,
            requests: 3,
            up: true,
            ..OwnLoad::default()
        }
    }

    fn measured(thread: &[f64]) -> Measured {
        let at = |v: f64| PageLoad {
            tbt_ms: Some(v),
            lcp_ms: None,
            load_ms: Some(v),
        };
        Measured {
            own: thread.iter().map(|t| own(*t)).collect(),
            pairs: (0..10)
                .map(|i| Pair {
                    with: at(100.0 + f64::from(i)),
                    without: at(60.0),
                    first_with: true,
                })
                .collect(),
            floor: (0..10)
                .map(|i| Pair {
                    with: at(60.0 + f64::from(i % 3) - 1.0),
                    without: at(60.0),
                    first_with: true,
                })
                .collect(),
            failed_loads: 0,
        }
    }

    #[test]
    fn the_verdict_is_undecided_where_the_interval_straddles_the_budget() {
        let m = measured(&[48.0, 50.0, 52.0, 49.0, 51.0, 47.0, 53.0, 50.5]);
        let at = |budget| conclude("http://a.test/", 1, &m, budget).unwrap().verdict;
        assert_eq!(
            (at(100.0), at(50.0), at(10.0)),
            (
                BudgetVerdict::Under,
                BudgetVerdict::Undecided,
                BudgetVerdict::Over
            )
        );
    }

    /// The range of n values covers the centre with a confidence of 1 - 2 / 2^n: 0.9375 for five, 0.96875
    /// for six (signed-rank distribution; Hollander, Wolfe, Chicken, table of P(T+ >= t)).
    #[test]
    fn five_loads_or_pairs_decide_nothing_however_clear_they_look() {
        let of = |n: usize| {
            let mut m = measured(&vec![5.0; n]);
            m.pairs.truncate(n);
            conclude("http://a.test/", 1, &m, 50.0).unwrap()
        };
        let (five, six) = (of(5), of(6));
        assert_eq!(
            (five.verdict, six.verdict),
            (BudgetVerdict::Undecided, BudgetVerdict::Under)
        );
        assert_eq!((five.confidence, six.confidence), (0.9375, 0.96875));
        assert!(five.page.tbt_ms.is_none() && six.page.tbt_ms.is_some());
    }

    #[test]
    fn a_metric_the_browser_never_gave_stays_empty() {
        let w = conclude("http://a.test/", 1, &measured(&[1.0, 2.0, 3.0]), 50.0).unwrap();
        assert_eq!(w.page.lcp_ms, None);
        let tbt = w.page.tbt_ms.unwrap();
        assert!(tbt.low > 39.0 && tbt.high < 50.0 && tbt.floor_low <= 0.0 && tbt.floor_high >= 0.0);
    }

    /// Its loader alone is light: taken for the widget, it would be under every budget.
    #[test]
    fn a_widget_that_never_started_has_no_weight() {
        let idle = OwnLoad {
            up: false,
            ..own(2.0)
        };
        for load in [OwnLoad::default(), idle] {
            let m = Measured {
                own: vec![load; 5],
                ..measured(&[])
            };
            let none = conclude("x", 1, &m, 50.0);
            assert_eq!(none, Err(WeighError::NeverStarted { loads: 5 }));
        }
        // Where it started in some, the others count nowhere.
        let mut m = measured(&[60.0; 8]);
        m.own.extend([idle; 4]);
        let w = conclude("x", 1, &m, 50.0).unwrap();
        assert_eq!(
            (w.loads, w.not_started, w.verdict),
            (8, 4, BudgetVerdict::Over)
        );
        m.own.truncate(2);
        let few = WeighError::TooFewLoads { got: 2, wanted: 3 };
        assert_eq!(conclude("x", 1, &m, 50.0), Err(few));
    }

    #[test]
    fn the_order_depends_on_the_seed_alone() {
        assert_eq!(order(7, 40), order(7, 40));
        assert_ne!(order(7, 40), order(8, 40));
        let first = order(7, 2000).into_iter().filter(|x| *x).count();
        assert!((900..1100).contains(&first), "{first}");
    }
}
