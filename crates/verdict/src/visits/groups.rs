//! The visits of one check, by what each of them tells.

use newtfern_standards::observation::{Condition, ConsentAct, Observation};
use serde::{Deserialize, Serialize};

/// The groups of a check's visits, by the question that each answers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum VisitGroup {
    /// The chain, looks and texts.
    Chain,
    /// Looks and texts in another language of the site.
    Language,
    /// Consent, in a state beyond "no choice made" and "granted".
    State,
    /// Visit in another manner: enlarged, or for a second time.
    Manner,
}

impl VisitGroup {
    /// The group of a visit made like this, of a check whose own language is `locale`.
    pub fn of(condition: &Condition, locale: &str) -> VisitGroup {
        match condition.consent {
            _ if !condition.manner.is_usual() => VisitGroup::Manner,
            ConsentAct::Refused | ConsentAct::Withdrawn | ConsentAct::Gpc => VisitGroup::State,
            ConsentAct::Untouched | ConsentAct::Granted if condition.locale != locale => {
                VisitGroup::Language
            }
            ConsentAct::Untouched | ConsentAct::Granted => VisitGroup::Chain,
        }
    }
}

/// The visits of one check, each group together, whatever order they were made in.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(from = "StoredGroup")]
pub struct CheckVisits {
    locale: String,
    visits: Vec<Observation>,
}

#[derive(Deserialize)]
struct StoredGroup {
    locale: String,
    visits: Vec<Observation>,
}

impl From<StoredGroup> for CheckVisits {
    fn from(kept: StoredGroup) -> CheckVisits {
        CheckVisits::of(kept.visits, &kept.locale)
    }
}

impl CheckVisits {
    /// Groups visits by how they were made; `locale` is the check's own language, empty for the
    /// browser's. Within a group they keep their order.
    pub fn of(mut visits: Vec<Observation>, locale: &str) -> CheckVisits {
        visits.sort_by_key(|o| VisitGroup::of(&o.condition, locale));
        CheckVisits {
            locale: locale.to_string(),
            visits,
        }
    }

    /// Returns all visits of the check.
    pub fn all(&self) -> &[Observation] {
        &self.visits
    }

    /// Takes out all visits.
    pub fn into_all(self) -> Vec<Observation> {
        self.visits
    }

    /// Returns the visits that tell of the chain.
    pub fn chain(&self) -> &[Observation] {
        self.before(VisitGroup::Language).0
    }

    /// Returns the visits of the usual manner, in every language and consent state.
    pub fn usual(&self) -> &[Observation] {
        self.before(VisitGroup::Manner).0
    }

    /// Returns the visits of another manner.
    pub fn in_other_manners(&self) -> &[Observation] {
        self.before(VisitGroup::Manner).1
    }

    fn before(&self, group: VisitGroup) -> (&[Observation], &[Observation]) {
        let is_before = |o: &Observation| VisitGroup::of(&o.condition, &self.locale) < group;
        self.visits.split_at(self.visits.partition_point(is_before))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_standards::observation::Manner;

    fn visit(consent: ConsentAct, locale: &str, manner: Manner) -> Observation {
        Observation {
            condition: Condition {
                consent,
                locale: locale.into(),
                manner,
                ..Condition::default()
            },
            ..Observation::default()
        }
    }

    #[test]
    fn groups_do_not_depend_on_the_order_in_which_visits_were_made() {
        use ConsentAct::{Gpc, Granted, Refused, Untouched};
        let made = || {
            vec![
                visit(Untouched, "cy", Manner::Zoomed),
                visit(Refused, "cy", Manner::Usual),
                visit(Granted, "en", Manner::Usual),
                visit(Untouched, "cy", Manner::Usual),
                visit(Gpc, "cy", Manner::Again),
                visit(Granted, "cy", Manner::Usual),
            ]
        };
        let mut backwards = made();
        backwards.reverse();
        for visits in [made(), backwards] {
            let visits = CheckVisits::of(visits, "cy");
            assert_eq!(visits.all().len(), 6);
            assert_eq!(visits.chain().len(), 2);
            let own = |o: &Observation| o.condition.locale == "cy";
            assert!(visits.chain().iter().all(own));
            assert_eq!(visits.usual().len(), 4);
            assert_eq!(visits.in_other_manners().len(), 2);
            let json = serde_json::to_string(&visits).expect("visits are JSON");
            let read: CheckVisits = serde_json::from_str(&json).expect("as they were written");
            assert_eq!(read.chain().len(), 2);
        }
        assert!(CheckVisits::default().chain().is_empty());
    }
}
