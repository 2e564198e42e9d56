//! What a widget costs after it is up: at opening, while it stands open, and when the visitor comes again.

use super::statistics::median;
use serde::{Deserialize, Serialize};

/// The widget's own cost of one stretch of time.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Moment {
    /// CPU time of the main thread, ms.
    pub thread_ms: f64,
    /// On the wire, headers included.
    pub bytes: u64,
    /// What went over the wire; what the browser had already does not count.
    pub requests: u32,
}

impl Moment {
    /// The median of each figure; of at least one.
    pub fn median(moments: &[Moment]) -> Moment {
        let of =
            |value: &dyn Fn(&Moment) -> f64| median(&moments.iter().map(value).collect::<Vec<_>>());
        Moment {
            thread_ms: of(&|m| m.thread_ms),
            bytes: of(&|m| m.bytes as f64).round() as u64,
            requests: of(&|m| f64::from(m.requests)).round() as u32,
        }
    }

    /// For people: `10.7 ms \u{b7} 6.0 kB in 2 requests`.
    pub fn words(&self) -> String {
        let many = if self.requests == 1 { "" } else { "s" };
        format!(
            "{:.1} ms \u{b7} {:.1} kB in {} request{many}",
            self.thread_ms,
            self.bytes as f64 / 1000.0,
            self.requests
        )
    }
}

/// How long an opened widget is left alone: what it costs while it stands open is told for this.
pub const OPEN_MS: u64 = 2_000;

/// Each where it was measured.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Moments {
    /// From the click until the panel has stood for a second.
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

    /// Those that were measured, in their order, with what they are.
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
        };
        let again = Moment {
            thread_ms: 1.0,
            bytes: 0,
            requests: 1,
        };
        assert_eq!(told, [("At opening", opening), ("Visited again", again)]);
    }
}
