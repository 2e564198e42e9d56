//! What the consent states that were visited tell of a site.

use super::{SiteCase, Told};
use crate::chain::NotLookedAt;
use crate::consent::{Grid, Region, Signal, grid, judge, notice};
use crate::observation::{ConsentAct, Observation, Viewport};
use crate::visits::was_had;
use serde::Serialize;

/// The consent states of the address given, against signals.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ConsentTold {
    /// Id of the region whose rules judge.
    pub region: String,
    /// One for each state that was visited and each signal.
    pub cells: Vec<CellTold>,
}

/// One state and signal.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct CellTold {
    /// The visitor's decision.
    pub state: ConsentAct,
    /// What the widget did.
    pub signal: Signal,
    /// The supplier's own.
    pub count: usize,
    /// ms from the start of the navigation; null at 0.
    pub first_ms: Option<f64>,
    /// The rule, whatever the count.
    pub allowed: bool,
}

/// Judges the visits of the address given: the first widget's grid is shown, each widget is judged.
pub(super) fn told(case: &SiteCase) -> Told<Option<ConsentTold>> {
    let mut out: Told<Option<ConsentTold>> = Told::default();
    let region = Region::for_country(case.regions, &case.expectation.country);
    let given = case.pages.first().into_iter().flat_map(|p| &p.visited);
    for visited in given {
        let Some(subject) = case.subjects.get(visited.subject) else {
            continue;
        };
        let desktop = |o: &&Observation| o.condition.viewport == Viewport::Desktop && was_had(o);
        let visits: Vec<&Observation> = visited.visits.iter().filter(desktop).collect();
        if visits.is_empty() || case.expectation.widgets.is_empty() {
            continue;
        }
        let grid = grid(subject.supplier, &region, &visits);
        out.findings.extend(judge(&grid));
        let privacy_page = notice::follow(&visited.asides);
        let silent = privacy_page.silent(subject.supplier, &grid.declared);
        out.findings
            .extend(silent.into_iter().chain(privacy_page.broken));
        out.gaps.extend(privacy_page.gap);
        out.gaps
            .extend(grid.not_made.iter().map(|(state, why)| NotLookedAt {
                what: format!("consent state {}", state.word()),
                why: format!("the decision could not be made: {why}"),
            }));
        out.what.get_or_insert_with(|| shown(&grid));
    }
    out.gaps.extend(missed(case));
    out
}

/// States that were asked for and have no visit.
fn missed(case: &SiteCase) -> Vec<NotLookedAt> {
    let visits = case.pages.first().into_iter().flat_map(|p| &p.visited);
    let seen: Vec<ConsentAct> = visits
        .flat_map(|v| &v.visits)
        .map(|o| o.condition.consent)
        .collect();
    let states = case.states.iter().filter(|s| !seen.contains(s));
    let gap = |state: &ConsentAct| NotLookedAt {
        what: format!("consent state {}", state.word()),
        why: match case.consent {
            None => "the expectation names no consent manager that could be asked".into(),
            Some(_) => "the time was over, or the page could not be had".into(),
        },
    };
    states.map(gap).collect()
}

fn shown(grid: &Grid) -> ConsentTold {
    // A decision that could not be made is no state that was visited.
    let made = |state: ConsentAct| grid.not_made.iter().all(|(s, _)| *s != state);
    let cells = grid.cells.iter().filter(|c| made(c.state));
    ConsentTold {
        region: grid.region_id.clone(),
        cells: cells
            .map(|c| CellTold {
                state: c.state,
                signal: c.signal,
                count: c.count,
                first_ms: c.first_ms,
                allowed: c.allowed,
            })
            .collect(),
    }
}
