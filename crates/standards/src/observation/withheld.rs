//! Time that our own machine kept from a visit: others ran while the browser was ready to.

use serde::{Deserialize, Serialize};

/// A visit that lost this share of its time saw a page that had no chance to do better. What is
/// lost before that is waited for longer.
const STARVED_SHARE: f64 = 0.6;
/// Less than this is lost on any machine, ms.
const STARVED_MS: f64 = 2_000.0;

/// Stretch of a visit in which the machine was busy with something else.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Stretch {
    /// ms since the navigation began.
    pub from_ms: f64,
    /// ms since the navigation began.
    pub until_ms: f64,
    /// Part of that time in which the browser could not run, ms.
    pub lost_ms: f64,
}

/// Time that the machine withheld from one visit.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Withheld {
    /// Until when the machine was watched, ms since the navigation began.
    pub watched_ms: f64,
    /// Stretches in the order of time; those in which nothing to speak of was lost are left out.
    pub stretches: Vec<Stretch>,
    /// Time in which the page's own thread could not run, whether its own work or another's kept it
    /// from that, ms.
    pub page_late_ms: f64,
}

impl Withheld {
    /// Nobody watched, or nothing was lost.
    pub fn is_nothing(&self) -> bool {
        self.stretches.is_empty()
    }

    /// ms that were lost between two moments of the visit.
    pub fn lost_ms(&self, from_ms: f64, until_ms: f64) -> f64 {
        let part = |s: &Stretch| {
            let length = s.until_ms - s.from_ms;
            let shared = s.until_ms.min(until_ms) - s.from_ms.max(from_ms);
            if length > 0.0 && shared > 0.0 {
                s.lost_ms * (shared / length).min(1.0)
            } else {
                0.0
            }
        };
        self.stretches.iter().map(part).sum()
    }

    /// ms that were lost in all.
    pub fn total_ms(&self) -> f64 {
        self.stretches.iter().map(|s| s.lost_ms).sum()
    }

    /// So much was lost that what did not come may have had no chance to come.
    pub fn starved(&self) -> bool {
        let lost = self.total_ms();
        lost >= STARVED_MS && lost >= self.watched_ms * STARVED_SHARE
    }

    /// Returns why nothing that rests on waiting was judged, to follow "because".
    pub fn words(&self) -> String {
        let late = match self.page_late_ms {
            ms if ms >= 500.0 => {
                format!(
                    "; the page\u{2019}s thread stood still for {:.0} s",
                    ms / 1000.0
                )
            }
            _ => String::new(),
        };
        format!(
            "our machine was busy: {:.0} s of the visit\u{2019}s {:.0} s were lost to other \
            work{late}",
            self.total_ms() / 1000.0,
            self.watched_ms / 1000.0
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn withheld(watched_ms: f64, stretches: &[(f64, f64, f64)]) -> Withheld {
        let stretch = |&(from_ms, until_ms, lost_ms): &(f64, f64, f64)| Stretch {
            from_ms,
            until_ms,
            lost_ms,
        };
        Withheld {
            watched_ms,
            stretches: stretches.iter().map(stretch).collect(),
            page_late_ms: 0.0,
        }
    }

    #[test]
    fn time_is_lost_in_the_part_of_a_stretch_that_lies_between() {
        let w = withheld(
            6_000.0,
            &[(0.0, 1_000.0, 600.0), (2_000.0, 3_000.0, 1_000.0)],
        );
        assert_eq!(w.total_ms(), 1_600.0);
        assert_eq!(w.lost_ms(0.0, 500.0), 300.0);
        assert_eq!(w.lost_ms(500.0, 2_500.0), 800.0);
        assert_eq!(w.lost_ms(3_000.0, 9_000.0), 0.0);
        assert_eq!(w.lost_ms(2_500.0, 2_000.0), 0.0);
    }

    #[test]
    fn a_visit_is_starved_by_its_share_and_never_by_a_moment() {
        assert!(!Withheld::default().starved());
        // A short one that lost nearly all of a second.
        assert!(!withheld(1_200.0, &[(0.0, 1_000.0, 950.0)]).starved());
        assert!(!withheld(30_000.0, &[(0.0, 20_000.0, 17_000.0)]).starved());
        let most = withheld(30_000.0, &[(0.0, 20_000.0, 18_000.0)]);
        assert!(most.starved());
        assert!(
            most.words().contains("18 s of the visit\u{2019}s 30 s"),
            "{}",
            most.words()
        );
        let late = Withheld {
            page_late_ms: 17_200.0,
            ..most
        };
        assert!(late.words().ends_with("thread stood still for 17 s"));
    }
}
