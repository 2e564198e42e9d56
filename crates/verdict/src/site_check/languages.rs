//! The chain in further languages of a site: visitors of a second language may be given pages
//! without the snippet.

use super::case::{SiteCase, Subject, WidgetCase};
use crate::chain::{Case, Outcome, Verdict, diagnose};
use newtfern_model::finding::{Evidence, Finding, NotChecked, Severity};
use newtfern_model::pages::Expect;
use newtfern_standards::observation::{ConsentAct, Observation};
use std::collections::BTreeMap;

/// Judges the visits in each further language; what is broken for everybody is told by the chain,
/// so this is asked where it holds.
pub(super) fn beside(case: &SiteCase, verdict: &mut Verdict) {
    let Some(page) = case.pages.first() else {
        return;
    };
    for (widget, subject) in case.widgets().zip(case.subjects) {
        if subject.rules.expects(&page.copy.at(), page.kind) != Expect::Present {
            continue;
        }
        for (language, visits) in by_language(&widget) {
            match in_language(case, subject, &visits) {
                Ok(found) => verdict.add(found.map(|f| told(f, language))),
                Err(gap) => verdict.leave_open(NotChecked {
                    what: format!("{} for visitors who speak {language}", gap.what),
                    why: gap.why,
                }),
            }
        }
    }
}

/// Visits of the chain's states in other languages than its own.
fn by_language<'a>(widget: &WidgetCase<'a>) -> BTreeMap<&'a str, Vec<Observation>> {
    let own = widget.chain().first().map(|v| v.condition.locale.as_str());
    let mut out: BTreeMap<&str, Vec<Observation>> = BTreeMap::new();
    let states = [ConsentAct::Untouched, ConsentAct::Granted];
    let others = widget.usual().iter().filter(|v| {
        let locale = v.condition.locale.as_str();
        Some(locale) != own && states.contains(&v.condition.consent)
    });
    for visit in others {
        let of_language = out.entry(&visit.condition.locale).or_default();
        of_language.push(visit.clone());
    }
    out
}

/// Returns why the widget does not work in these visits, if so.
fn in_language(
    case: &SiteCase,
    subject: &Subject,
    visits: &[Observation],
) -> Result<Option<Finding>, NotChecked> {
    let told = diagnose(&Case {
        supplier: subject.supplier,
        rivals: case.rivals,
        key: subject.key,
        expect: Expect::Present,
        consent: case.consent,
        visits,
        asides: &[],
        siblings: &[],
    });
    let verdict = told.verdict;
    match (verdict.outcome(), verdict.not_looked_at().first()) {
        (Outcome::Broken, _) => Ok(verdict.root_finding().cloned()),
        (Outcome::Unchecked, Some(gap)) => Err(gap.clone()),
        _ => Ok(None),
    }
}

fn told(found: Finding, language: &str) -> Finding {
    let seen = Evidence::fact(format!("seen with the language {language} in the browser"));
    Finding {
        severity: Severity::Fault,
        summary: format!("For visitors who speak {language}: {}", found.summary),
        ..found
    }
    .with(seen)
}
