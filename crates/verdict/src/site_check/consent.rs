//! What the consent states that were visited tell of a site.

use super::case::{SiteCase, WidgetCase};
use crate::busy;
use crate::consent::notice::{self, PrivacyPage};
use crate::consent::{Grid, grid, judge};
use crate::report::Report;
use crate::visits::was_had;
use newtfern_model::code::Code;
use newtfern_model::expectation::ConsentException;
use newtfern_model::finding::{Evidence, Finding, NotChecked, Severity};
use newtfern_model::region::Signal;
use newtfern_standards::observation::{ConsentAct, Observation, Viewport};
use serde::Serialize;

/// The consent states of the address given, against signals.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ConsentReport {
    /// Id of the region whose rules judge.
    pub region: String,
    /// Cells, one for each state that was visited and each signal.
    pub cells: Vec<ConsentCellReport>,
}

/// One state and signal.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ConsentCellReport {
    /// Decision of the visitor.
    pub state: ConsentAct,
    /// Signal of the widget.
    pub signal: Signal,
    /// Number of the supplier's own signals.
    pub count: usize,
    /// ms from the start of the navigation; null at 0.
    pub first_ms: Option<f64>,
    /// The rule, whatever the count.
    pub allowed: bool,
}

/// Judges the visits of the address given: the first widget's grid is shown, each widget is judged.
pub(super) fn told(case: &SiteCase) -> Report<Option<ConsentReport>> {
    let mut out: Report<Option<ConsentReport>> = Report::default();
    for widget in case.widgets() {
        if widget.on_desktop().next().is_none() {
            continue;
        }
        let privacy_page = widget.privacy_page();
        let told = widget.consent(&privacy_page);
        out.findings.extend(told.findings);
        out.findings.extend(privacy_page.broken);
        out.gaps.extend(privacy_page.gap);
        out.gaps.extend(told.gaps);
        out.what.get_or_insert_with(|| shown(&told.what));
    }
    on_other_pages(case, &mut out.findings);
    out.gaps.extend(missed(case));
    out
}

/// Adds what further pages alone show: a template may have the code that all others hold back.
/// Their visitors agree as soon as they can, so what counts is what came before.
fn on_other_pages(case: &SiteCase, findings: &mut Vec<Finding>) {
    for page in case.pages.iter().skip(1) {
        for of_widget in &page.visited {
            let Some(subject) = case.subjects.get(of_widget.subject) else {
                continue;
            };
            let visits = of_widget.visits.usual();
            if busy::starved(visits).is_some() {
                continue;
            }
            let visits: Vec<&Observation> = visits.iter().filter(|v| was_had(v)).collect();
            let told = judge(&grid(subject.supplier, case.region, &visits));
            add_new_faults(findings, told, |found| {
                found.with(Evidence::fact(format!("on {}", page.copy.url)))
            });
        }
    }
}

/// Adds the faults of further visits that are not told yet. That it never starts is the chain's to
/// tell of all of them.
fn add_new_faults(
    findings: &mut Vec<Finding>,
    told: Vec<Finding>,
    named: impl Fn(Finding) -> Finding,
) {
    for found in told {
        let fault = found.severity >= Severity::Fault && found.code != Code::ConsentNeverStarts;
        if fault && findings.iter().all(|f| f.code != found.code) {
            findings.push(named(found));
        }
    }
}

/// What comes before consent is as the client agreed: worth a remark, and no fault.
fn agree(findings: &mut [Finding], agreed: &ConsentException) {
    let early = |f: &&mut Finding| {
        matches!(
            f.code,
            Code::ConsentRequestEarly
                | Code::ConsentCookieEarly
                | Code::ConsentStorageEarly
                | Code::ConsentFrameEarly
        )
    };
    for found in findings.iter_mut().filter(early) {
        found.severity = Severity::Warning;
        found.remedy = "Look at the exception again when the rules or the widget change.".into();
        found.evidence.push(Evidence::fact(agreed.words()));
    }
}

impl<'a> WidgetCase<'a> {
    /// Returns its visits on a desktop to which the page came.
    pub fn on_desktop(&self) -> impl Iterator<Item = &'a Observation> {
        let had = |o: &&Observation| o.condition.viewport == Viewport::Desktop && was_had(o);
        self.usual().iter().filter(had)
    }

    /// Judges what it did in each consent state, by the rules of the region.
    pub fn consent(&self, privacy_page: &PrivacyPage) -> Report<Grid> {
        let visits: Vec<&Observation> = self.on_desktop().collect();
        let what = grid(self.supplier, self.region, &visits);
        let mut findings = judge(&what);
        self.on_phones(&mut findings);
        if let Some(agreed) = self.consent_exception {
            agree(&mut findings, agreed);
        }
        findings.extend(privacy_page.silent(self.supplier, &what.declared));
        let gap = |(state, why): &(ConsentAct, String)| NotChecked {
            what: format!("consent state {}", state.word()),
            why: format!("the decision could not be made: {why}"),
        };
        // A decision was made, and what came after it was not seen.
        let cut = |o: &&&Observation| {
            o.looks.consent_act.seen_ms().is_some() && !o.consent.error.is_empty()
        };
        let next = |o: &&Observation| NotChecked {
            what: format!(
                "the next page in consent state {}",
                o.condition.consent.word()
            ),
            why: o.consent.error.clone(),
        };
        let not_made = what.not_made.iter().map(gap);
        let not_seen = visits.iter().filter(cut).map(next);
        let mut out = Report {
            gaps: not_made.chain(not_seen).collect(),
            findings,
            what,
            undecided: None,
        };
        busy::take_back(
            "whether it starts and stops with consent",
            self.usual(),
            &mut out,
        );
        out
    }

    /// Adds what phones alone show: a page may be held back for desktops and open for phones.
    fn on_phones(&self, findings: &mut Vec<Finding>) {
        let had = |o: &&Observation| o.condition.viewport == Viewport::Phone && was_had(o);
        let visits: Vec<&Observation> = self.usual().iter().filter(had).collect();
        let told = judge(&grid(self.supplier, self.region, &visits));
        add_new_faults(findings, told, |found| {
            let summary = found.summary.trim_end_matches('.');
            let summary = format!("{summary}, on phones alone.");
            Finding { summary, ..found }
        });
    }

    /// The page that its notice links to, read once for all that is asked of it.
    pub fn privacy_page(&self) -> PrivacyPage {
        notice::follow(self.asides())
    }
}

/// States that were asked for and have no visit.
fn missed(case: &SiteCase) -> Vec<NotChecked> {
    let visits = case.pages.first().into_iter().flat_map(|p| &p.visited);
    let seen: Vec<ConsentAct> = visits
        .flat_map(|v| v.visits.all())
        .map(|o| o.condition.consent)
        .collect();
    let states = case.states.iter().filter(|s| !seen.contains(s));
    let gap = |state: &ConsentAct| NotChecked {
        what: format!("consent state {}", state.word()),
        why: match case.consent {
            None => "the expectation names no consent manager that could be asked".into(),
            Some(_) => "the time was over, or the page could not be loaded".into(),
        },
    };
    states.map(gap).collect()
}

fn shown(grid: &Grid) -> ConsentReport {
    // A decision that could not be made is no state that was visited.
    let made = |state: ConsentAct| grid.not_made.iter().all(|(s, _)| *s != state);
    let cells = grid.cells.iter().filter(|c| made(c.state));
    ConsentReport {
        region: grid.region_id.clone(),
        cells: cells
            .map(|c| ConsentCellReport {
                state: c.state,
                signal: c.signal,
                count: c.count,
                first_ms: c.first_ms,
                allowed: c.allowed,
            })
            .collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{healthy, with};
    use crate::site_check::testing::judged;
    use crate::testing::SAMPLE;

    fn found(site: &str) -> Vec<Finding> {
        let file = format!("{site}\n---key = 'abcd-1234'");
        judged(&file, SAMPLE, vec![healthy()], told).findings
    }

    #[test]
    fn what_the_client_agreed_to_is_a_remark_with_name_and_date() {
        let early = |all: &[Finding]| {
            let found = all.iter().find(|f| f.code == Code::ConsentRequestEarly);
            let found = found.unwrap();
            (
                found.severity,
                found
                    .evidence
                    .iter()
                    .any(|e| e.line().contains("Ida agreed")),
            )
        };
        assert_eq!(early(&found("")), (Severity::Fault, false));
        let agreed = "consent_exception = { by = 'Ida', on = '2026-11-02', reason = 'x' }";
        assert_eq!(early(&found(agreed)), (Severity::Warning, true));
    }

    #[test]
    fn a_next_page_that_did_not_come_was_not_looked_at() {
        let gone = |error: &str| {
            let visit = with(crate::chain::testing::granted(healthy()), |o| {
                o.condition.consent = ConsentAct::Refused;
                o.consent.error = error.to_string();
            });
            judged("---", SAMPLE, vec![visit], told).gaps
        };
        assert!(gone("").iter().all(|g| !g.what.contains("next page")));
        let gaps = gone("the second page did not arrive in its time");
        let next = gaps
            .iter()
            .find(|g| g.what == "the next page in consent state refused");
        assert_eq!(
            next.unwrap().why,
            "the second page did not arrive in its time"
        );
    }
}
