//! Rank statistics for paired differences: the Hodges-Lehmann estimate and the interval from the
//! exact distribution of Wilcoxon's signed-rank statistic (Hollander, Wolfe, Chicken,
//! "Nonparametric Statistical Methods", 3rd ed., sections 3.1 to 3.3). No normal approximation is
//! used; the distribution is built in full, which costs the cube of the count: fine for hundreds of
//! values.

/// An estimate with the bounds of its interval.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Interval {
    /// Estimated value.
    pub estimate: f64,
    /// Lower end of the interval.
    pub low: f64,
    /// Upper end of the interval.
    pub high: f64,
}

/// The middle value; the mean of the two middle ones for an even count. NaN for none.
pub fn median(values: &[f64]) -> f64 {
    let mut sorted = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    median_sorted(&sorted)
}

fn median_sorted(sorted: &[f64]) -> f64 {
    match sorted.len() {
        0 => f64::NAN,
        n if n % 2 == 1 => sorted[n / 2],
        n => (sorted[n / 2 - 1] + sorted[n / 2]) / 2.0,
    }
}

/// Walsh averages, sorted: (x_i + x_j) / 2 for i <= j.
fn walsh(values: &[f64]) -> Vec<f64> {
    let mut averages = Vec::with_capacity(values.len() * (values.len() + 1) / 2);
    for (i, a) in values.iter().enumerate() {
        averages.extend(values[i..].iter().map(|b| (a + b) / 2.0));
    }
    averages.sort_by(f64::total_cmp);
    averages
}

/// P(T+ <= k) for k = 0.. n(n+1)/2, under no shift.
pub fn signed_rank_cdf(n: usize) -> Vec<f64> {
    let most = n * (n + 1) / 2;
    let mut probability = vec![0.0; most + 1];
    probability[0] = 1.0;
    // Each rank joins the sum with probability one half.
    for rank in 1..=n {
        for k in (0..=most).rev() {
            let with = if k >= rank {
                probability[k - rank]
            } else {
                0.0
            };
            probability[k] = 0.5 * (probability[k] + with);
        }
    }
    let mut sum = 0.0;
    probability
        .iter()
        .map(|p| {
            sum += p;
            sum
        })
        .collect()
}

/// The Hodges-Lehmann shift of paired differences and an interval of at least the asked
/// confidence. With very few values no such interval exists; then the whole range is given.
pub fn shift(differences: &[f64], confidence: f64) -> Interval {
    let averages = walsh(differences);
    let estimate = median_sorted(&averages);
    let alpha = 1.0 - confidence;
    let cdf = signed_rank_cdf(differences.len());
    // The largest count of averages that may be cut off at each end: P(T+ <= k - 1) <= alpha / 2.
    let cut = cdf.iter().take_while(|p| **p <= alpha / 2.0).count();
    match averages.len() {
        0 => Interval {
            estimate: f64::NAN,
            low: f64::NAN,
            high: f64::NAN,
        },
        m => Interval {
            estimate,
            low: averages[cut.saturating_sub(1)],
            high: averages[m - cut.max(1)],
        },
    }
}

/// The confidence that [`shift`]'s interval really has: at least the asked one, or, with too few
/// values for that, what the whole range gives.
pub fn confidence_reached(n: usize, asked: f64) -> f64 {
    if n == 0 {
        return 0.0;
    }
    let cdf = signed_rank_cdf(n);
    let cut = cdf
        .iter()
        .take_while(|p| **p <= (1.0 - asked) / 2.0)
        .count();
    1.0 - 2.0 * cdf[cut.max(1) - 1]
}

/// Wilcoxon's statistic T+ of differences without zeros, ties sharing their mean rank.
pub fn signed_rank_statistic(differences: &[f64]) -> f64 {
    let mut values: Vec<f64> = differences.iter().copied().filter(|d| *d != 0.0).collect();
    values.sort_by(|a, b| a.abs().total_cmp(&b.abs()));
    let mut sum = 0.0;
    let mut i = 0;
    while i < values.len() {
        let mut j = i;
        while j + 1 < values.len() && values[j + 1].abs() == values[i].abs() {
            j += 1;
        }
        let rank = (i + j) as f64 / 2.0 + 1.0;
        sum += values[i..=j].iter().filter(|v| **v > 0.0).count() as f64 * rank;
        i = j + 1;
    }
    sum
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_distribution_sums_to_one_and_is_symmetric() {
        for n in 1..=40 {
            let cdf = signed_rank_cdf(n);
            assert!((cdf[cdf.len() - 1] - 1.0).abs() < 1e-12);
            for k in 0..cdf.len() - 1 {
                assert!(
                    (cdf[k] + cdf[cdf.len() - 2 - k] - 1.0).abs() < 1e-12,
                    "n {n} k {k}"
                );
            }
        }
    }

    #[test]
    fn few_values_give_their_range() {
        let i = shift(&[1.0, 2.0, 4.0], 0.95);
        assert_eq!((i.low, i.high), (1.0, 4.0));
    }

    /// The interval covers the true shift about as often as it says (2,000 draws, fixed seed).
    #[test]
    fn coverage_is_at_least_the_confidence() {
        let mut state = 42u64;
        let mut uniform = || {
            state = state
                .wrapping_mul(6364136223846793005)
                .wrapping_add(1442695040888963407);
            (state >> 11) as f64 / (1u64 << 53) as f64
        };
        let mut covered = 0;
        for _ in 0..2000 {
            // Symmetric and heavy-tailed: the logistic distribution around 3.
            let draw: Vec<f64> = (0..12)
                .map(|_| {
                    let u: f64 = uniform();
                    3.0 + (u / (1.0 - u)).ln()
                })
                .collect();
            let i = shift(&draw, 0.95);
            covered += usize::from(i.low <= 3.0 && 3.0 <= i.high);
        }
        assert!((1880..=1940).contains(&covered), "{covered} of 2000");
    }
}
