//! May a weigh-in stop early?

use crate::weigh::conclude::{centre, verdict};
use crate::weigh::stopping::LOOKS;
use crate::weigh::{BudgetVerdict, OwnLoad};

/// May the weigh-in stop after these loads?
pub fn decided(loads: &[OwnLoad], budget_ms: f64) -> bool {
    let started: Vec<f64> = loads.iter().filter(|l| l.up).map(|l| l.thread_ms).collect();
    let looks = LOOKS.iter().any(|(n, _)| *n == started.len());
    looks && verdict(started.len(), centre(&started), budget_ms) != BudgetVerdict::Undecided
}

#[cfg(test)]
mod tests {
    use super::*;

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
        assert!(!decided(&clear, 50.0), "nine is not a look");
        let across: Vec<OwnLoad> = (0..8).map(|i| load(46.0 + f64::from(i))).collect();
        assert!(!decided(&across, 50.0));
        // A load in which the widget did not start counts nowhere.
        let mut idle = clear;
        idle[0].up = false;
        assert!(decided(&idle, 50.0));
    }
}
