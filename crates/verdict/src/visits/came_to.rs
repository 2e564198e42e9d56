//! How a visit ended, as far as it decides whether another is made.

use newtfern_standards::observation::{
    FailureKind, Look, NetFailure, NotCheckedReason, Observation, VisitEnd,
};

/// Returns whether the page itself was delivered.
pub fn was_had(o: &Observation) -> bool {
    o.page.failure.is_none() && o.page.status.is_some_and(|s| s < 400)
}

/// Something that was waited for did not come, or came only after the visit moved and scrolled: on
/// a machine that is busy with other work that need not be the page's doing.
pub fn missed(o: &Observation) -> bool {
    let looks = &o.looks;
    let waited_for = [
        looks.document,
        looks.alive,
        looks.launcher,
        looks.stays,
        looks.opening,
        looks.closing,
        looks.keyboard,
        looks.consent_act,
    ];
    let absent = |look: &Look| {
        let cut_off = [NotCheckedReason::Deadline, NotCheckedReason::NoAnswer];
        look.not_there() || look.unlooked().is_some_and(|why| cut_off.contains(&why))
    };
    let too_slow = |f: &NetFailure| f.kind == FailureKind::Timeout;
    o.alive.after_interaction
        || o.ended != VisitEnd::Complete
        || o.page.failure.as_ref().is_some_and(too_slow)
        || waited_for.iter().any(absent)
        || o.launcher
            .as_ref()
            .is_some_and(|l| !l.present || l.hidden_by.is_some())
}

/// True for a page that our own network rule kept a visit away from.
pub fn guarded(visits: &[Observation]) -> Option<&str> {
    let failures = visits.iter().filter_map(|v| v.page.failure.as_ref());
    failures
        .filter(|f| f.kind == FailureKind::Guard)
        .map(|f| f.text.as_str())
        .next()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{healthy, launcher, loaded, page, with};

    #[test]
    fn a_visit_missed_something_where_a_look_was_in_vain_cut_off_or_too_slow() {
        assert!(!missed(&healthy()));
        assert!(missed(&loaded()) && missed(&page("")));
        assert!(missed(&launcher(
            |l| l.hidden_by = Some("display: none".into())
        )));
        assert!(missed(
            &with(healthy(), |o| o.alive.after_interaction = true)
        ));
        assert!(missed(&with(healthy(), |o| o.ended = VisitEnd::Deadline)));
        let cut_off = NotCheckedReason::Deadline;
        assert!(missed(&with(healthy(), |o| o.looks.keyboard =
            Look::NotLooked { why: cut_off })));
        // Nobody had to look there.
        let no_entry = NotCheckedReason::NoEntry;
        assert!(!missed(&with(healthy(), |o| o.looks.keyboard =
            Look::NotLooked { why: no_entry })));
        let failed = |kind| {
            with(healthy(), |o| {
                let text = String::new();
                o.page.failure = Some(NetFailure { kind, text });
            })
        };
        assert!(missed(&failed(FailureKind::Timeout)));
        assert!(!missed(&failed(FailureKind::Dns)), "an answer is an answer");
    }
}
