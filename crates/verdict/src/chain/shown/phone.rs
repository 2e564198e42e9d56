//! `shown.phone`: missing on phones only. Needs both viewports: alone, a phone visit cannot say
//! that a desktop works.

use crate::chain::judged::JudgedVisits;
use crate::chain::verdict::Verdict;
use newtfern_model::code::{Code, Link};
use newtfern_model::finding::{Evidence, Finding};

const MISSING: [Code; 5] = [
    Code::ShownAbsent,
    Code::ShownHidden,
    Code::ShownEmpty,
    Code::ShownOutside,
    Code::StartedSilent,
];

/// Reads the visits together.
pub fn judge(t: &JudgedVisits) -> Option<Verdict> {
    let deciding = t.deciding();
    let desktop = deciding.iter().find(|j| !j.on_phone() && j.works())?;
    let mut others = deciding.iter().filter(|j| j.found().is_some());
    let phone = others.next().filter(|j| j.on_phone())?;
    let root = phone.found().filter(|f| MISSING.contains(&f.code))?;
    let came = desktop.seen().looks.launcher.seen_ms();
    // What hides it, or moves it out of sight, is named with its place.
    let remedy = match root.code {
        Code::ShownHidden | Code::ShownOutside => root.remedy.clone(),
        _ => "In the widget's settings, let it show on phones; then look in the site's styles \
            for rules under 400 px width."
            .into(),
    };
    let finding = Finding {
        code: Code::ShownPhone,
        link: Some(Link::Shown),
        summary: format!(
            "On a phone the widget is missing, on a desktop it works. {}",
            root.summary
        ),
        remedy,
        ..root.clone()
    }
    .with_all(
        came.map(|ms| Evidence::fact(format!("on a desktop it came after {:.1} s", ms / 1000.0))),
    );
    Some(Verdict::broken(finding))
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{Wanted, healthy, loaded, on_phone, with};
    use newtfern_model::code::{Code, Link};
    use newtfern_model::finding::Evidence;
    use newtfern_standards::observation::{Look, NotCheckedReason, Observation};

    fn hidden() -> Observation {
        with(on_phone(healthy()), |o| {
            o.launcher.as_mut().unwrap().hidden_by = Some("display: none on #x".into());
        })
    }

    #[test]
    fn missing_on_the_phone_alone_is_told_as_such() {
        let d = Wanted::default().of(&[healthy(), hidden()]);
        assert_eq!(d.verdict.root(), Some(Code::ShownPhone));
        let lines: Vec<String> = d.verdict.findings()[0]
            .evidence
            .iter()
            .map(|e| e.line())
            .collect();
        assert!(
            lines
                .iter()
                .any(|l| l.contains("on a desktop it came after 0.9 s"))
        );
    }

    #[test]
    fn alone_or_with_a_desktop_that_fails_too_it_is_no_matter_of_phones() {
        assert_eq!(
            Wanted::default().of(&[hidden()]).verdict.root(),
            Some(Code::ShownHidden)
        );
        let both = with(hidden(), |o| o.condition.viewport = Default::default());
        let d = Wanted::default().of(&[both, hidden()]);
        assert_eq!(d.verdict.root(), Some(Code::ShownHidden));
    }

    #[test]
    fn another_fault_of_the_phone_keeps_its_code() {
        let deaf = with(on_phone(healthy()), |o| {
            o.looks.opening = Look::NotThere { until_ms: 6000.0 };
        });
        let d = Wanted::default().of(&[healthy(), deaf]);
        assert_eq!(d.verdict.root(), Some(Code::UsableNoOpen));
        let alone = Evidence::fact("on a phone only; on a desktop it works");
        assert!(d.verdict.findings()[0].evidence.contains(&alone));
    }

    #[test]
    fn it_is_told_in_its_own_words_whatever_kept_it_away() {
        let silent = on_phone(loaded());
        let d = Wanted::default().of(&[healthy(), silent]);
        let found = d.verdict.root_finding().unwrap();
        assert_eq!(
            (found.code, found.link),
            (Code::ShownPhone, Some(Link::Shown))
        );
        assert!(found.summary.contains("on a desktop it works"), "{found:?}");
        assert!(found.remedy.contains("let it show on phones"), "{found:?}");
    }

    #[test]
    fn a_desktop_of_which_nothing_is_known_does_not_work() {
        let open = with(healthy(), |o| {
            o.looks.stays = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        });
        let d = Wanted::default().of(&[open, hidden()]);
        assert_eq!(d.verdict.root(), Some(Code::ShownHidden));
    }
}
