//! From measurements to intervals and a verdict.

use super::measured::as_it_is;
use super::moments::{self, Moments, PHONE_SLOW};
use super::owners::Share;
use super::{
    BudgetVerdict, CONFIDENCE, Centre, Measured, OnPhone, OwnLoad, PageLoad, PageShifts, Pair,
    Shift, WeighError, WeighIn, WidgetCost, stopping,
};
use newtfern_standards::statistics::{self, Interval, shift};

/// Loads with the widget up that a median needs.
const LEAST_LOADS: usize = 3;

/// Concludes intervals and a verdict from measurements. The budget is on the widget's own thread
/// time.
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
    let own = own_of(&started);
    let page = PageShifts {
        tbt_ms: page_shift(measured, |l| l.tbt_ms),
        lcp_ms: page_shift(measured, |l| l.lcp_ms),
        load_ms: page_shift(measured, |l| l.load_ms),
    };
    let confidence = statistics::confidence_reached(loads, stopping::confidence(loads));
    Ok(WeighIn {
        url: url.to_string(),
        pairs: measured.pairs.len(),
        seed,
        own,
        page,
        budget_ms,
        verdict: verdict(loads, own.thread_ms, budget_ms),
        loads,
        failed_loads: measured.failed_loads,
        not_started: (made - loads) as u32,
        confidence,
        slow: as_it_is(),
        empty: of_enough(&measured.empty),
        phone: of_enough(&measured.phone).map(|own| OnPhone {
            slow: PHONE_SLOW,
            own,
        }),
    })
}

/// Returns the medians; none where too few loads came about to have one.
fn of_enough(loads: &[OwnLoad]) -> Option<WidgetCost> {
    let started: Vec<OwnLoad> = loads.iter().filter(|l| l.up).copied().collect();
    (started.len() >= LEAST_LOADS).then(|| own_of(&started))
}

fn own_of(loads: &[OwnLoad]) -> WidgetCost {
    let values = |pick: &dyn Fn(&OwnLoad) -> f64| -> Vec<f64> { loads.iter().map(pick).collect() };
    let median = |pick: &dyn Fn(&OwnLoad) -> f64| statistics::median(&values(pick));
    WidgetCost {
        thread_ms: centre(&values(&|l| l.thread_ms)),
        interval_ms: moments::interval(&values(&|l| l.thread_ms)),
        wall_ms: centre(&values(&|l| l.wall_ms)),
        bytes: median(&|l| l.bytes as f64).round() as u64,
        requests: median(&|l| f64::from(l.requests)).round() as u32,
        shares: std::array::from_fn(|i| Share {
            bytes: median(&|l| l.shares[i].bytes as f64).round() as u64,
            requests: median(&|l| f64::from(l.shares[i].requests)).round() as u32,
        }),
        sockets: median(&|l| f64::from(l.sockets)).round() as u32,
        moments: Moments::medians(loads.iter().map(|l| l.moments)),
    }
}

/// Returns the median with the interval that this many loads owe: those that may stop early owe a
/// wider one.
pub(super) fn centre(values: &[f64]) -> Centre {
    let interval = shift(values, stopping::confidence(values.len()));
    Centre {
        median: statistics::median(values),
        low: interval.low,
        high: interval.high,
    }
}

/// Decided only where the whole interval lies on one side of the line, and there are loads enough
/// for such an interval.
pub fn verdict(loads: usize, thread: Centre, budget_ms: f64) -> BudgetVerdict {
    if statistics::confidence_reached(loads, stopping::confidence(loads)) < CONFIDENCE {
        BudgetVerdict::Undecided
    } else {
        BudgetVerdict::of(thread.low, thread.high, budget_ms)
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
            ..Measured::default()
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

    /// The range of n values covers the centre with a confidence of 1 - 2 / 2^n: 0.9375 for five,
    /// 0.96875 for six (signed-rank distribution; Hollander, Wolfe, Chicken, table of P(T+ >= t)).
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

    /// A loader alone is light: taken for the widget, it would be under every budget.
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
}
