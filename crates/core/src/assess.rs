//! From what should be and what was seen to a site's standings, family by family.

use crate::brand::{self, Compared};
use crate::chain::{Aside, Case, Diagnosis, Expect, diagnose};
use crate::colour::Rgb;
use crate::consent::{self, Grid, Region};
use crate::design::Design;
use crate::echo;
use crate::finding::Finding;
use crate::observation::{ConsentAct, Observation, Viewport};
use crate::profile::{ConsentManager, Supplier};
use crate::standing::{self, Family, State};
use crate::weigh::WeighIn;
use serde_json::{Value, json};

/// What should be on a site.
pub struct Expectation<'a> {
    pub supplier: &'a Supplier,
    pub rivals: &'a [Supplier],
    pub key: &'a str,
    pub consent: Option<&'a ConsentManager>,
    pub design: &'a Design,
    pub brand: Option<Rgb>,
    pub region: &'a Region,
}

/// One family's new standing, with the data its drawing and evidence need.
#[derive(Debug, Clone)]
pub struct Assessed {
    pub family: Family,
    pub state: State,
    pub summary: String,
    pub remedy: String,
    pub detail: Value,
}

fn first_remedy(findings: &[Finding]) -> String {
    findings
        .iter()
        .max_by_key(|f| f.severity)
        .map(|f| f.remedy.clone())
        .unwrap_or_default()
}

/// Judges the visits of one check. Gives the diagnosis and the standings it settles.
pub fn check(
    expectation: &Expectation,
    visits: &[Observation],
    asides: &[Aside],
) -> (Diagnosis, Vec<Assessed>) {
    let diagnosis = diagnose(&Case {
        supplier: expectation.supplier,
        rivals: expectation.rivals,
        key: Some(expectation.key).filter(|k| !k.is_empty()),
        expect: Expect::Present,
        consent: expectation.consent,
        visits,
        asides,
    });
    let mut out = vec![placing(&diagnosis), loading(&diagnosis, visits)];
    out.push(consent_family(expectation, visits));
    out.push(brand_family(expectation, visits));
    out.push(Assessed {
        family: Family::Watch,
        state: State::Passing,
        summary: "Visited; nothing newer is known.".into(),
        remedy: String::new(),
        detail: json!({"outcome": diagnosis.outcome, "root": diagnosis.root}),
    });
    (diagnosis, out)
}

fn placing(d: &Diagnosis) -> Assessed {
    let (state, summary) = standing::of_placing(d);
    let remedy = d
        .root_finding()
        .map(|f| f.remedy.clone())
        .unwrap_or_default();
    let placed: Vec<&Finding> = d
        .findings
        .iter()
        .filter(|f| f.code.starts_with("placed.") || f.code.starts_with("delivered."))
        .collect();
    Assessed {
        family: Family::Place,
        state,
        summary,
        remedy,
        detail: json!({"findings": placed}),
    }
}

fn loading(d: &Diagnosis, visits: &[Observation]) -> Assessed {
    let (state, summary) = standing::of_chain(d);
    let shots: Vec<Value> = visits
        .iter()
        .map(|v| json!({"viewport": v.condition.viewport, "consent": v.condition.consent, "picture": v.picture, "up_ms": v.alive.at_ms, "requests": v.requests.len()}))
        .collect();
    Assessed {
        family: Family::Load,
        state,
        summary,
        remedy: d
            .root_finding()
            .map(|f| f.remedy.clone())
            .unwrap_or_default(),
        detail: json!({"diagnosis": d, "shots": shots}),
    }
}

fn consent_family(e: &Expectation, visits: &[Observation]) -> Assessed {
    let desktop: Vec<&Observation> = visits
        .iter()
        .filter(|v| v.condition.viewport == Viewport::Desktop)
        .collect();
    let grid: Grid = consent::grid(e.supplier, e.region, &desktop);
    let findings = consent::judge(&grid);
    let reached = desktop
        .iter()
        .any(|v| v.page.status.is_some_and(|s| s < 400));
    let came = grid.cells.iter().any(|c| c.count > 0);
    let (state, summary) = if !reached {
        (
            State::Undecided,
            "The page could not be had, so nothing is known about consent.".to_string(),
        )
    } else if grid.up.iter().all(|(_, up)| !up)
        && grid.cells.iter().all(|c| c.allowed || c.count == 0)
    {
        (
            State::Undecided,
            "The widget starts in no consent state: see the chain first.".to_string(),
        )
    } else if !came && findings.is_empty() {
        (
            State::Undecided,
            "The widget sent no signal in any state, so nothing is known about consent."
                .to_string(),
        )
    } else {
        standing::of_findings(
            &findings,
            "Nothing of the widget before consent that the region forbids.",
        )
    };
    Assessed {
        family: Family::Consent,
        state,
        summary,
        remedy: first_remedy(&findings),
        detail: json!({"grid": grid, "findings": findings}),
    }
}

/// The visit on which the widget is up, a desktop before a phone.
pub fn best_visit(visits: &[Observation]) -> Option<&Observation> {
    let shown = |v: &&Observation| {
        v.launcher
            .as_ref()
            .is_some_and(|l| l.present && l.hidden_by.is_none())
    };
    visits.iter().filter(shown).min_by_key(|v| {
        (
            v.condition.viewport == Viewport::Phone,
            v.condition.consent == ConsentAct::Untouched && visits.len() > 2,
        )
    })
}

fn brand_family(e: &Expectation, visits: &[Observation]) -> Assessed {
    let seen = best_visit(visits);
    let compared: Option<Compared> = seen.and_then(|v| brand::compare(v, e.design, e.brand));
    let (Some(seen), Some(compared)) = (seen, compared) else {
        return Assessed {
            family: Family::Brand,
            state: State::Undecided,
            summary: "No launcher was seen, so its looks are unknown.".into(),
            remedy: String::new(),
            detail: json!({}),
        };
    };
    let findings = brand::judge(seen, e.design, &compared);
    let (state, summary) = standing::of_findings(&findings, "The widget looks as designed.");
    Assessed {
        family: Family::Brand,
        state,
        summary,
        remedy: first_remedy(&findings),
        detail: json!({"compared": compared, "findings": findings}),
    }
}

pub fn weighing(w: &WeighIn) -> Assessed {
    let t = w.own.thread_ms;
    let (state, summary) = standing::of_weigh(w.verdict, t.median, t.low, t.high, w.budget_ms);
    let remedy = if state == State::Failing {
        "Talk to the client about the budget, or choose a lighter widget."
    } else {
        ""
    };
    Assessed {
        family: Family::Weigh,
        state,
        summary,
        remedy: remedy.into(),
        detail: json!({"weigh": w}),
    }
}

pub fn echoing(seen: &echo::Seen) -> Assessed {
    let findings = echo::judge(seen);
    let good = match (seen.at_console_ms, seen.answer_seen_ms) {
        (Some(there), Some(back)) => format!(
            "There after {:.2} s, the answer back after {:.2} s.",
            there / 1000.0,
            back / 1000.0
        ),
        _ => String::new(),
    };
    let (state, summary) = standing::of_findings(&findings, &good);
    Assessed {
        family: Family::Echo,
        state,
        summary,
        remedy: first_remedy(&findings),
        detail: json!({"seen": seen, "findings": findings}),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::Layer;

    #[test]
    fn a_page_that_cannot_be_had_settles_only_what_it_can() {
        let supplier = crate::profile::tests::sample();
        let design = Design::resolve(&Layer::new(), &Layer::new(), &Layer::new());
        let region =
            Region::from_toml("id='o'\nname='O'\n[before]\nrequests=[]\nstorage=[]").unwrap();
        let e = Expectation {
            supplier: &supplier,
            rivals: &[],
            key: "abcd-1234",
            consent: None,
            design: &design,
            brand: None,
            region: &region,
        };
        let seen = Observation {
            url: "https://kites.example/".into(),
            page: crate::observation::Page {
                final_url: "https://kites.example/".into(),
                status: Some(500),
                mime: "text/html".into(),
                ..Default::default()
            },
            ..Observation::default()
        };
        let (d, all) = check(&e, &[seen], &[]);
        assert_eq!(d.root.as_deref(), Some("delivered.status"));
        let states: Vec<(Family, State)> = all.iter().map(|a| (a.family, a.state)).collect();
        assert_eq!(
            states,
            [
                (Family::Place, State::Undecided),
                (Family::Load, State::Failing),
                (Family::Consent, State::Undecided),
                (Family::Brand, State::Undecided),
                (Family::Watch, State::Passing)
            ]
        );
    }
}
