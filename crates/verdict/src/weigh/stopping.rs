//! When a weigh-in may stop early. It looks after 8, 12, 16 and 20 loads, and stops at the first
//! look at which the interval lies on one side of the budget. Looking four times at intervals of 95
//! % each would be wrong more often than once in twenty; so each look has its own share of the
//! error, and the shares add up to less than 5 % (Bonferroni; a group-sequential design with
//! unequal spending). The bound holds whatever the shape of the noise; `./run bench weigh` shows by
//! simulation what the rate really is.

/// Loads at which a look is taken, and the share of the error that it may use. The first is what
/// the whole range of eight values leaves out: 2 / 2^8.
pub const LOOKS: [(usize, f64); 4] = [(8, 0.007_82), (12, 0.009), (16, 0.013), (20, 0.02)];

/// Loads at most: the last look.
pub const MOST_LOADS: usize = LOOKS[LOOKS.len() - 1].0;

/// The confidence that an interval of this many loads must have. Between two looks the later one's
/// share is used, which then is not used again.
pub fn confidence(loads: usize) -> f64 {
    let look = LOOKS.iter().find(|(n, _)| *n >= loads);
    1.0 - look.unwrap_or(&LOOKS[LOOKS.len() - 1]).1
}

/// Confidence that an interval must reach for a verdict.
pub const CONFIDENCE: f64 = 0.95;

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_standards::statistics::confidence_reached;

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
}
