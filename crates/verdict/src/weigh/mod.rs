//! What a widget costs a page: its own main-thread time and bytes, attributed from traces, and what
//! the page loses, from paired visits with and without it. Facts behind the method: thread time of
//! attributed events is the most repeatable figure; whole-page differences need many pairs and are
//! shown beside the floor of an A/A run.

pub mod attribution;
mod conclude;
pub mod early;
mod measured;
pub mod moments;
pub mod owners;
pub mod stopping;
pub mod suppliers;

pub use conclude::{conclude, verdict};
pub use measured::{
    BudgetVerdict, Centre, Measured, OnPhone, OwnLoad, PageLoad, PageShifts, Pair, Shift,
    WeighError, WeighIn, WidgetCost,
};
pub use stopping::CONFIDENCE;

/// A document with nothing but a snippet: what the supplier's own cost is measured on.
pub fn empty_page(snippet: &str) -> String {
    format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>Empty \
        page</title></head>\n<body><p>Nothing but the widget.</p>\n{snippet}\n</body></html>\n"
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
