//! A look says how a widget was while somebody was there, or while nobody was: what the last look
//! at the other hours found wrong stays known until it has been looked at again.

use super::entry::FamilyResult;
use super::kind::{Family, Standing};
use jiff::Timestamp;
use newtfern_model::finding::{Evidence, Finding, Severity};

/// Families whose verdict depends on whether somebody is there.
const FAMILIES: [Family; 2] = [Family::Load, Family::Brand];

/// The last look of the other hours, by what is expected now.
#[derive(Debug, Clone)]
pub struct OtherLook {
    /// Beginning of that look.
    pub at: Timestamp,
    /// Whether somebody was there.
    pub staffed: bool,
    /// Its findings, each with its family.
    pub findings: Vec<(Family, Finding)>,
}

impl OtherLook {
    /// Findings that say that something is wrong at those hours.
    fn faults(&self) -> impl Iterator<Item = &(Family, Finding)> {
        let of_hours = |(family, f): &&(Family, Finding)| {
            FAMILIES.contains(family) && f.severity >= Severity::Fault
        };
        self.findings.iter().filter(of_hours)
    }

    fn words(&self) -> String {
        let who = match self.staffed {
            true => "While somebody was there",
            false => "While nobody was there",
        };
        format!("{who} ({})", self.at.strftime("%Y-%m-%d %H:%M UTC"))
    }

    /// Adds to results of today what was wrong at the other hours and is not seen now: a remark, as
    /// it may have been mended since. Returns whether there was any.
    pub fn remark(&self, families: &mut [FamilyResult]) -> bool {
        let mut any = false;
        for result in families {
            let new: Vec<Finding> = self
                .faults()
                .filter(|(family, _)| *family == result.family)
                .filter(|(_, old)| result.findings.iter().all(|f| f.code != old.code))
                .map(|(_, old)| self.told(old))
                .collect();
            let Some(first) = new.first() else { continue };
            any = true;
            if result.standing == Standing::Passing {
                result.standing = Standing::Remarks;
                result.summary.clone_from(&first.summary);
                result.remedy.clone_from(&first.remedy);
            }
            result.findings.extend(new);
        }
        any
    }

    fn told(&self, old: &Finding) -> Finding {
        let summary = format!("{}: {}", self.words(), old.summary);
        let found = Finding::new(old.code, Severity::Warning, summary, old.remedy.clone());
        let again = "It is looked at again at those hours; until then it may have been mended.";
        found
            .with_all(old.evidence.clone())
            .with(Evidence::fact(again))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_model::code::Code;

    fn result(family: Family, findings: Vec<Finding>) -> FamilyResult {
        FamilyResult {
            family,
            standing: Standing::Passing,
            summary: "All is in order.".into(),
            remedy: String::new(),
            findings,
            detail: None,
        }
    }

    fn online_at_night() -> OtherLook {
        let found = Finding::new(
            Code::HoursOpenOutOfHours,
            Severity::Fault,
            "Nobody is there now, and the widget says that somebody is.",
            "Set the hours in the account.",
        );
        let found = found.with(Evidence::fact("Friday 20:00: not staffed"));
        OtherLook {
            at: "2026-07-03T19:00:00Z".parse().unwrap(),
            staffed: false,
            findings: vec![(Family::Load, found)],
        }
    }

    #[test]
    fn what_was_wrong_at_the_other_hours_is_a_remark_until_it_is_seen_again() {
        let look = online_at_night();
        let mut today = [
            result(Family::Load, vec![]),
            result(Family::Consent, vec![]),
        ];
        assert!(look.remark(&mut today));
        let [load, consent] = today;
        assert_eq!(load.standing, Standing::Remarks);
        assert!(
            load.summary
                .starts_with("While nobody was there (2026-07-03 19:00 UTC): ")
        );
        assert_eq!(load.remedy, "Set the hours in the account.");
        let told: Vec<String> = load.findings[0].evidence.iter().map(|e| e.line()).collect();
        assert_eq!(told[0], "Friday 20:00: not staffed");
        assert_eq!(consent.standing, Standing::Passing);
    }

    #[test]
    fn what_is_seen_now_too_is_told_once() {
        let look = online_at_night();
        let (_, now) = look.findings[0].clone();
        let mut today = [result(Family::Load, vec![now])];
        today[0].standing = Standing::Failing;
        assert!(!look.remark(&mut today));
        assert_eq!(today[0].findings.len(), 1);
        assert_eq!(today[0].standing, Standing::Failing);
        assert_eq!(today[0].summary, "All is in order.");
    }
}
