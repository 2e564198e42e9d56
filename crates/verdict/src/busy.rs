//! Visits made on a machine that was busy with other work. What did not come in such a visit may
//! have had no chance to, so nothing that rests on waiting is told of it: it is undecided, with the
//! machine as the reason.

use crate::report::Report;
use newtfern_model::code::Code;
use newtfern_model::finding::NotChecked;
use newtfern_standards::observation::{Observation, Withheld};

/// Returns what the machine withheld from the worst off of these visits, where that is so much that
/// they do not count.
pub fn starved<'a>(visits: impl IntoIterator<Item = &'a Observation>) -> Option<&'a Withheld> {
    let all = visits.into_iter().map(|v| &v.withheld);
    let starved = all.filter(|w| w.starved());
    starved.max_by(|a, b| a.total_ms().total_cmp(&b.total_ms()))
}

/// Returns the gap for what was not judged, with the machine as the reason.
pub fn gap(what: impl Into<String>, withheld: &Withheld) -> NotChecked {
    NotChecked {
        what: what.into(),
        why: withheld.words(),
    }
}

/// Takes back what rests on waiting, if one of the visits it was read from was starved. True where
/// something was.
pub(crate) fn take_back<T>(what: &str, visits: &[Observation], out: &mut Report<T>) -> bool {
    let Some(withheld) = starved(visits) else {
        return false;
    };
    let before = out.findings.len();
    out.findings.retain(|f| !f.code.rests_on_waiting());
    if out.findings.len() == before {
        return false;
    }
    let gap = gap(what, withheld);
    out.undecided = Some(format!("It is not known, because {}.", gap.why));
    out.gaps.push(gap);
    true
}

/// A finding of this code says that something did not come, or not in time.
pub(crate) fn rests(code: Code, seen: &Observation) -> bool {
    seen.withheld.starved() && code.rests_on_waiting()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{
        GOOD, Wanted, consent, granted, healthy, loaded, loader, page, with,
    };
    use crate::chain::{LinkState, Outcome};
    use crate::family::{Family, Standing};
    use newtfern_model::code::{Code, Link};
    use newtfern_model::pages::Expect;
    use newtfern_standards::observation::{Manner, Observation, Stretch};

    /// The same visit on a machine that kept four of its six seconds from it.
    fn starved(visit: Observation) -> Observation {
        with(visit, |o| {
            o.withheld.watched_ms = 6_000.0;
            o.withheld.stretches = vec![Stretch {
                from_ms: 0.0,
                until_ms: 5_000.0,
                lost_ms: 4_000.0,
            }];
        })
    }

    #[test]
    fn what_did_not_come_on_a_busy_machine_is_undecided_with_the_machine_as_the_reason() {
        assert_eq!(
            Wanted::default().of(&[loaded()]).verdict.root(),
            Some(Code::StartedSilent)
        );
        let d = Wanted::default().of(&[starved(loaded())]);
        assert_eq!(
            (d.verdict.outcome(), d.verdict.root()),
            (Outcome::Unchecked, None)
        );
        let started = d.verdict.chain().iter().find(|l| l.link == Link::Started);
        assert_eq!(started.unwrap().state, LinkState::Undecided);
        assert!(
            d.verdict.not_looked_at()[0]
                .why
                .contains("our machine was busy: 4 s of the visit\u{2019}s 6 s were lost"),
            "{:?}",
            d.verdict.not_looked_at()
        );
        // One visit of two is enough to doubt it.
        let both = Wanted::default().of(&[healthy(), starved(loaded())]);
        assert_eq!(both.verdict.outcome(), Outcome::Unchecked);
    }

    #[test]
    fn what_did_come_is_certain_on_any_machine() {
        assert_eq!(
            Wanted::default()
                .of(&[starved(healthy())])
                .verdict
                .outcome(),
            Outcome::Working
        );
        let refused = with(page(GOOD), |o| {
            o.requests.push(loader(Some(404), None));
        });
        let root = Wanted::default()
            .of(std::slice::from_ref(&refused))
            .verdict
            .root();
        assert!(
            root.is_some_and(|code| !code.rests_on_waiting()),
            "{root:?}"
        );
        assert_eq!(
            Wanted::default().of(&[starved(refused)]).verdict.root(),
            root
        );
    }

    /// Tells of the visit before consent: with consent it works, and only the other visit would
    /// have told whether it waits.
    #[test]
    fn a_visit_that_decides_nothing_is_told_too() {
        let untouched = page(&format!("<template>{GOOD}</template>"));
        let told = |untouched: Observation| {
            let wanted = Wanted {
                consent: consent(),
                ..Wanted::default()
            };
            let d = wanted.of(&[untouched, granted(healthy())]);
            let open: Vec<String> = d
                .verdict
                .not_looked_at()
                .iter()
                .map(|g| g.why.clone())
                .collect();
            (d.verdict.outcome(), open.join(" "))
        };
        let (quiet, open) = told(untouched.clone());
        assert_eq!((quiet, &*open), (Outcome::AsIntended, ""));
        let (busy, open) = told(starved(untouched));
        assert_eq!(busy, Outcome::Working);
        assert!(open.contains("our machine was busy"), "{open}");
    }

    #[test]
    fn a_start_after_our_movement_is_no_optimisers_doing_there() {
        let late = with(healthy(), |o| o.alive.after_interaction = true);
        let codes = |visit: Observation| -> Vec<Code> {
            let told = Wanted::default().of(&[visit]);
            told.verdict.findings().iter().map(|f| f.code).collect()
        };
        assert_eq!(codes(late.clone()), [Code::PlacedLateDelay]);
        assert_eq!(codes(starved(late)), []);
    }

    #[test]
    fn a_widget_that_should_be_absent_is_not_told_to_be() {
        let absent = |visit| {
            let wanted = Wanted {
                expect: Expect::Absent,
                ..Wanted::default()
            };
            wanted.of(&[visit]).verdict.outcome()
        };
        assert_eq!(absent(page("")), Outcome::AsIntended);
        assert_eq!(absent(starved(page(""))), Outcome::Unchecked);
        // One that is there is there.
        assert_eq!(absent(starved(healthy())), Outcome::Broken);
    }

    #[test]
    fn looks_that_differ_there_are_undecided_and_those_that_do_not_are_told() {
        let brand = |visits: &[Observation]| {
            let file = "key = 'abcd-1234'\n[widget.design]\ncorner = 'bottom-left'".to_string();
            let visits = visits.to_vec();
            let judged =
                crate::site_check::testing::judged(&file, crate::testing::SAMPLE, visits, |case| {
                    crate::assess::check(case, None, None)
                });
            let brand = judged
                .families
                .into_iter()
                .find(|f| f.family == Family::Brand);
            brand.unwrap()
        };
        let quiet = brand(&[healthy()]);
        assert_eq!(quiet.standing, Standing::Failing, "{}", quiet.summary);
        let busy = brand(&[starved(healthy())]);
        assert_eq!(busy.standing, Standing::Undecided, "{}", busy.summary);
        assert!(
            busy.findings.is_empty() && busy.summary.contains("our machine was busy"),
            "{}",
            busy.summary
        );
    }

    #[test]
    fn other_manners_of_visiting_are_not_judged_there() {
        let outside = |o: &mut Observation| {
            o.condition.manner = Manner::Zoomed;
            o.launcher.as_mut().unwrap().rect.x = 5_000.0;
        };
        let told = |visit: Observation| {
            let widget = newtfern_model::expectation::Widget::of("example", "abcd-1234");
            crate::manners::judge(&widget, &[visit])
        };
        assert_eq!(told(with(healthy(), outside)).findings.len(), 1);
        let busy = told(starved(with(healthy(), outside)));
        assert!(busy.findings.is_empty());
        assert!(
            busy.gaps[0].why.contains("our machine was busy"),
            "{:?}",
            busy.gaps
        );
    }
}
