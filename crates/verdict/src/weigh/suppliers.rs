//! Suppliers beside each other: what each one's widget costs where there is nothing else, by the
//! weigh-ins of the sites that have it.

use super::WeighIn;
use super::moments::Moment;
use std::collections::BTreeMap;

/// Cost of one supplier's widget on an empty page: medians over the sites on which it was weighed.
#[derive(Debug, Clone, PartialEq)]
pub struct SupplierWeight {
    /// Id of its profile.
    pub supplier: String,
    /// Weighed on so many sites.
    pub sites: usize,
    /// Cost of the first load; its interval goes from the lowest to the highest of what the sites'
    /// intervals leave open, and there is none where one of them has none.
    pub load: Moment,
    /// Cost of opening it, where that was measured.
    pub opening: Option<Moment>,
    /// The lightest and the heaviest of the sites' medians, ms of thread time.
    pub range_ms: (f64, f64),
}

impl SupplierWeight {
    /// Returns whether it is heavier than another one beyond what either's loads leave open.
    pub fn clearly_heavier_than(&self, other: &SupplierWeight) -> bool {
        let both = self.load.interval_ms.zip(other.load.interval_ms);
        both.is_some_and(|(ours, theirs)| ours.0 > theirs.1)
    }
}

/// The lightest first. A site whose weigh-in has no empty page tells nothing here.
pub fn beside_each_other<'a>(
    weighed: impl IntoIterator<Item = (&'a str, &'a WeighIn)>,
) -> Vec<SupplierWeight> {
    let mut loads: BTreeMap<&str, Vec<(Moment, Option<Moment>)>> = BTreeMap::new();
    for (supplier, w) in weighed {
        if let Some(empty) = &w.empty {
            let both = (empty.as_moment(), empty.moments.opening);
            loads.entry(supplier).or_default().push(both);
        }
    }
    let of = |(supplier, loads): (&str, Vec<(Moment, Option<Moment>)>)| {
        let first: Vec<Moment> = loads.iter().map(|(load, _)| *load).collect();
        let opening: Vec<Moment> = loads.iter().filter_map(|(_, o)| *o).collect();
        let times = first.iter().map(|m| m.thread_ms);
        let open: Option<Vec<(f64, f64)>> = first.iter().map(|m| m.interval_ms).collect();
        let hull = |open: Vec<(f64, f64)>| {
            let low = open.iter().map(|i| i.0).fold(f64::INFINITY, f64::min);
            (low, open.iter().map(|i| i.1).fold(0.0, f64::max))
        };
        SupplierWeight {
            supplier: supplier.to_string(),
            sites: loads.len(),
            range_ms: (
                times.clone().fold(f64::INFINITY, f64::min),
                times.fold(0.0, f64::max),
            ),
            load: Moment {
                interval_ms: open.map(hull),
                ..Moment::median(&first)
            },
            opening: (!opening.is_empty()).then(|| Moment::median(&opening)),
        }
    };
    let mut out: Vec<SupplierWeight> = loads.into_iter().map(of).collect();
    out.sort_by(|a, b| a.load.thread_ms.total_cmp(&b.load.thread_ms));
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::weigh::{Measured, OwnLoad, conclude};

    /// Six loads of an empty page about this figure.
    fn weighed(empty_ms: Option<f64>) -> WeighIn {
        let load = |thread_ms| OwnLoad {
            thread_ms,
            bytes: 9_000,
            requests: 3,
            up: true,
            ..OwnLoad::default()
        };
        let measured = Measured {
            own: vec![load(40.0); 8],
            empty: empty_ms.map_or(Vec::new(), |ms| {
                (0..6)
                    .map(|i| load(ms - 1.25 + f64::from(i) * 0.5))
                    .collect()
            }),
            ..Measured::default()
        };
        conclude("https://kites.example/", 1, &measured, 50.0).unwrap()
    }

    #[test]
    fn the_lightest_stands_first_by_what_was_measured_alone() {
        let all = [
            ("farthing", weighed(Some(30.0))),
            ("brindle", weighed(Some(8.0))),
            ("brindle", weighed(Some(12.0))),
            ("brindle", weighed(Some(10.0))),
            // Weighed before there were empty pages.
            ("plashet", weighed(None)),
        ];
        let told = beside_each_other(all.iter().map(|(s, w)| (*s, w)));
        let rows: Vec<(&str, usize, f64, (f64, f64))> = told
            .iter()
            .map(|t| (t.supplier.as_str(), t.sites, t.load.thread_ms, t.range_ms))
            .collect();
        assert_eq!(
            rows,
            [
                ("brindle", 3, 10.0, (8.0, 12.0)),
                ("farthing", 1, 30.0, (30.0, 30.0)),
            ]
        );
        assert_eq!((told[0].load.requests, told[0].opening), (3, None));
        assert_eq!(
            (told[0].load.interval_ms, told[1].load.interval_ms),
            (Some((6.75, 13.25)), Some((28.75, 31.25)))
        );
        assert!(told[1].clearly_heavier_than(&told[0]));
        assert!(!told[0].clearly_heavier_than(&told[1]));
        // What the loads leave open meets: one is lighter by its median, and nobody can say that it
        // is.
        let near = [("a", weighed(Some(10.0))), ("b", weighed(Some(11.0)))];
        let told = beside_each_other(near.iter().map(|(s, w)| (*s, w)));
        assert!(!told[1].clearly_heavier_than(&told[0]));
        // Too few loads have no interval, and tell nothing of the sort.
        let mut few = weighed(Some(50.0));
        few.empty.as_mut().unwrap().interval_ms = None;
        let few = [("a", weighed(Some(10.0))), ("b", few)];
        let told = beside_each_other(few.iter().map(|(s, w)| (*s, w)));
        assert!(!told[1].clearly_heavier_than(&told[0]));
    }
}
