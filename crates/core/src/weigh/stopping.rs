//! When a weigh-in may stop early. It looks after 8, 12, 16 and 20 loads, and stops at the first look at
//! which the interval lies on one side of the budget. Looking four times at intervals of 95 % each would be
//! wrong more often than once in twenty; so each look has its own share of the error, and the shares add
//! up to less than 5 % (Bonferroni; a group-sequential design with unequal spending). The bound holds
//! whatever the shape of the noise; `./run bench weigh` shows by simulation what the rate really is.

use super::conclude::{centre, verdict};
use super::{BudgetVerdict, OwnLoad};

/// Loads at which a look is taken, and the share of the error that it may use. The first is what the whole
/// range of eight values leaves out: 2 / 2^8.
pub const LOOKS: [(usize, f64); 4] = [(8, 0.007_82), (12, 0.009), (16, 0.013), (20, 0.02)];

/// Loads at most: the last look.
pub const MOST_LOADS: usize = LOOKS[LOOKS.len() - 1].0;

/// The confidence that an interval of this many loads must have. Between two looks the later one's share
/// is used, which then is not used again.
pub fn confidence(loads: usize) -> f64 {
    let look = LOOKS.iter().find(|(n, _)| *n >= loads);
    1.0 - look.unwrap_or(&LOOKS[LOOKS.len() - 1]).1
}

/// May the weigh-in stop after these loads?
pub fn decided(loads: &[OwnLoad], budget_ms: f64) -> bool {
    let started: Vec<f64> = loads.iter().filter(|l| l.up).map(|l| l.thread_ms).collect();
    let looks = LOOKS.iter().any(|(n, _)| *n == started.len());
    looks && verdict(started.len(), centre(&started), budget_ms) != BudgetVerdict::Undecided
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::weigh::statistics::confidence_reached;

    #[test]
    fn the_shares_add_up_to_less_than_a_twentieth_and_each_can_be_had() {
        assert!(LOOKS.iter().map(|(_, a)| a).sum::<f64>() < 0.05);
        for (n, alpha) in LOOKS {
            let reached = confidence_reached(n, 1.0 - alpha);
            assert!(reached >= 1.0 - alpha, "{n} loads reach {reached}");
        }
        assert_eq!(confidence(8), confidence(3));
        assert_eq!((confidence(10), confidence(30)), (0.991, 0.98));
    }

    #[test]
    fn it_stops_at_a_look_that_is_clear_and_at_no_other_count() {
        let load = |thread_ms| OwnLoad {
            thread_ms,
            up: true,
            ..OwnLoad::default()
        };
        let clear = vec![load(20.0); 9];
        assert!(!decided(&clear[..7], 50.0));
        assert!(decided(&clear[..8], 50.0));
        assert!(!decided(&clear, 50.0), "nine is no look");
        let across: Vec<OwnLoad> = (0..8).map(|i| load(46.0 + f64::from(i))).collect();
        assert!(!decided(&across, 50.0));
        // A load in which the widget did not start counts nowhere.
        let mut idle = clear;
        idle[0].up = false;
        assert!(decided(&idle, 50.0));
    }
}
