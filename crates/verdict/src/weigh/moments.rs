//! What a widget costs after it is up: at opening, while it stands open, and when the visitor comes
//! again.

use super::CONFIDENCE;
use newtfern_standards::statistics::{confidence_reached, median, shift};
use serde::{Deserialize, Serialize};

/// The widget's own cost of one stretch of time.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Moment {
    /// CPU time of the main thread, ms.
    pub thread_ms: f64,
    /// Interval of 95 %; none of one load, and none of fewer loads than [`LOADS`].
    #[serde(default)]
    pub interval_ms: Option<(f64, f64)>,
    /// Bytes over the network, headers included.
    pub bytes: u64,
    /// Requests that went over the network; what the browser had already does not count.
    pub requests: u32,
}

impl Moment {
    /// The median of each figure; of at least one.
    pub fn median(moments: &[Moment]) -> Moment {
        let of =
            |value: &dyn Fn(&Moment) -> f64| median(&moments.iter().map(value).collect::<Vec<_>>());
        let threads: Vec<f64> = moments.iter().map(|m| m.thread_ms).collect();
        Moment {
            thread_ms: median(&threads),
            interval_ms: interval(&threads),
            bytes: of(&|m| m.bytes as f64).round() as u64,
            requests: of(&|m| f64::from(m.requests)).round() as u32,
        }
    }

    /// Returns the moment for people: `10.7 ms (9.9 to 11.2) \u{b7} 6.0 kB in 2 requests`.
    pub fn words(&self) -> String {
        let many = if self.requests == 1 { "" } else { "s" };
        let interval = self.interval_ms.map_or(String::new(), |(low, high)| {
            format!(" ({low:.1} to {high:.1})")
        });
        format!(
            "{:.1} ms{interval} \u{b7} {:.1} kB in {} request{many}",
            self.thread_ms,
            self.bytes as f64 / 1000.0,
            self.requests
        )
    }
}

/// Returns the interval that loads leave open, where there are enough of them for 95 %.
pub(super) fn interval(values: &[f64]) -> Option<(f64, f64)> {
    if confidence_reached(values.len(), CONFIDENCE) < CONFIDENCE {
        return None;
    }
    let interval = shift(values, CONFIDENCE);
    Some((interval.low, interval.high))
}

/// Loads in which moments are measured, and loads of the empty page: the fewest that have an
/// interval of 95 %, which is then their whole range.
pub const LOADS: usize = 6;

/// A phone's processor is about so many times slower than that of the machine that weighs (common
/// practice).
pub const PHONE_SLOW: f64 = 4.0;

/// Time that an opened widget is left alone, ms: its cost while it stands open is told for this.
pub const OPEN_MS: u64 = 2_000;

/// Each where it was measured.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Moments {
    /// Time from the click until the panel has stood for a second.
    pub opening: Option<Moment>,
    /// The [`OPEN_MS`] after that, when nobody does anything.
    pub open: Option<Moment>,
    /// The same page again with what the browser has kept.
    pub again: Option<Moment>,
}

impl Moments {
    /// The median of each over the loads that measured it.
    pub fn medians(loads: impl Iterator<Item = Moments> + Clone) -> Moments {
        let of = |pick: fn(&Moments) -> Option<Moment>| -> Option<Moment> {
            let seen: Vec<Moment> = loads.clone().filter_map(|m| pick(&m)).collect();
            (!seen.is_empty()).then(|| Moment::median(&seen))
        };
        Moments {
            opening: of(|m| m.opening),
            open: of(|m| m.open),
            again: of(|m| m.again),
        }
    }

    /// Returns the measured moments, in their order, with their names.
    pub fn told(&self) -> impl Iterator<Item = (&'static str, Moment)> {
        let all = [
            ("At opening", self.opening),
            ("While open, 2 s", self.open),
            ("Visited again", self.again),
        ];
        all.into_iter().filter_map(|(name, m)| Some((name, m?)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_moment_has_the_median_of_the_loads_that_measured_it() {
        let at = |thread_ms: f64, bytes| {
            Some(Moment {
                thread_ms,
                bytes,
                requests: 1,
                interval_ms: None,
            })
        };
        let load = |opening, again| Moments {
            opening,
            open: None,
            again,
        };
        let loads = [
            load(at(9.0, 900), None),
            load(at(5.0, 500), at(1.0, 0)),
            load(at(7.0, 700), None),
        ];
        let told: Vec<_> = Moments::medians(loads.into_iter()).told().collect();
        let opening = Moment {
            thread_ms: 7.0,
            bytes: 700,
            requests: 1,
            interval_ms: None,
        };
        let again = Moment {
            thread_ms: 1.0,
            bytes: 0,
            requests: 1,
            interval_ms: None,
        };
        assert_eq!(told, [("At opening", opening), ("Visited again", again)]);
    }
    /// The range of six values covers the centre with 1 - 2 / 2^6 = 0.96875, that of five with
    /// 0.9375 (signed-rank distribution).
    #[test]
    fn six_loads_are_the_fewest_that_have_an_interval() {
        let loads = |n: usize| {
            let at = |i: usize| Moment {
                thread_ms: 10.0 + i as f64,
                ..Moment::default()
            };
            Moment::median(&(0..n).map(at).collect::<Vec<_>>())
        };
        assert_eq!(loads(LOADS - 1).interval_ms, None);
        let six = loads(LOADS);
        assert_eq!((six.thread_ms, six.interval_ms), (12.5, Some((10.0, 15.0))));
        assert_eq!(
            six.words(),
            "12.5 ms (10.0 to 15.0) \u{b7} 0.0 kB in 0 requests"
        );
    }
}
