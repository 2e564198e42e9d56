//! Reads the visits of one check together.

use super::context::Ctx;
use super::rules::{BREAKING, REMARKS, held_by_consent};
use super::{Case, Diagnosis, Expect, LinkState, Outcome, chain_all, chain_until};
use crate::finding::{Evidence, Finding, Link, Severity};
use crate::observation::{ConsentAct, Observation, Viewport};

/// One visit judged alone.
struct Judged<'a> {
    seen: &'a Observation,
    root: Option<Finding>,
    remarks: Vec<Finding>,
    held: bool,
    /// No request went to the supplier and the widget is not up.
    quiet: bool,
    live_piece: bool,
}

impl Judged<'_> {
    fn link(&self) -> Option<Link> {
        self.root.as_ref().and_then(|f| f.link)
    }

    fn code(&self) -> &str {
        self.root.as_ref().map_or("", |f| f.code.as_str())
    }
}

fn judge<'a>(case: &'a Case<'a>, seen: &'a Observation) -> Judged<'a> {
    let ctx = Ctx::new(case, seen);
    let root = BREAKING.iter().find_map(|(_, rule)| rule(&ctx));
    let delivered = root
        .as_ref()
        .is_none_or(|f| f.link != Some(Link::Delivered));
    let remarks = if delivered {
        REMARKS.iter().filter_map(|rule| rule(&ctx)).collect()
    } else {
        Vec::new()
    };
    Judged {
        seen,
        held: held_by_consent(&ctx),
        quiet: !ctx.alive && ctx.loader_requests().next().is_none(),
        live_piece: ctx.live().next().is_some(),
        remarks,
        root,
    }
}

/// The verdict over all visits of one check.
pub fn diagnose(case: &Case) -> Diagnosis {
    let mut judged: Vec<Judged> = case.visits.iter().map(|seen| judge(case, seen)).collect();
    judged.sort_by_key(|j| {
        (
            j.seen.condition.viewport == Viewport::Phone,
            j.seen.condition.consent != ConsentAct::Untouched,
        )
    });
    let Some(first) = judged.first() else {
        return Diagnosis::unchecked(
            "",
            Finding::note("unchecked.no-visit", "No visit was made."),
        );
    };
    let verdict = if first.link() == Some(Link::Delivered) {
        broken(first.root.clone())
    } else if case.expect == Expect::Absent {
        expected_absent(&judged)
    } else {
        by_consent(case, &judged)
    };
    let mut findings: Vec<Finding> = verdict.finding.iter().cloned().collect();
    for j in &judged {
        for remark in &j.remarks {
            if !findings.iter().any(|f| f.code == remark.code) {
                findings.push(remark.clone());
            }
        }
    }
    if verdict.outcome != Outcome::Broken {
        findings.extend(verdict.notes);
    }
    let url = first.seen.url.clone();
    Diagnosis {
        url,
        final_url: if first.seen.page.final_url.is_empty() {
            first.seen.url.clone()
        } else {
            first.seen.page.final_url.clone()
        },
        outcome: verdict.outcome,
        root: verdict
            .finding
            .as_ref()
            .filter(|_| verdict.outcome == Outcome::Broken)
            .map(|f| f.code.clone()),
        chain: match (
            verdict.outcome,
            verdict.finding.as_ref().and_then(|f| f.link),
        ) {
            (Outcome::Working, _) => chain_all(LinkState::Holds),
            (Outcome::Broken, link) => chain_until(link),
            (_, _) => verdict.chain,
        },
        findings,
    }
}

struct Verdict {
    outcome: Outcome,
    finding: Option<Finding>,
    notes: Vec<Finding>,
    chain: Vec<super::ChainLink>,
}

fn broken(finding: Option<Finding>) -> Verdict {
    Verdict {
        outcome: Outcome::Broken,
        finding,
        notes: Vec::new(),
        chain: Vec::new(),
    }
}

fn working() -> Verdict {
    Verdict {
        outcome: Outcome::Working,
        finding: None,
        notes: Vec::new(),
        chain: Vec::new(),
    }
}

/// Absent and right so: the links up to the page hold, the reason's link is where it ends.
fn as_intended(note: Finding) -> Verdict {
    let until = note.link.unwrap_or(Link::Placed);
    let chain = Link::ALL
        .into_iter()
        .map(|link| super::ChainLink {
            link,
            state: if link < until {
                LinkState::Holds
            } else {
                LinkState::NotApplicable
            },
        })
        .collect();
    Verdict {
        outcome: Outcome::AsIntended,
        finding: None,
        notes: vec![note],
        chain,
    }
}

fn expected_absent(judged: &[Judged]) -> Verdict {
    match judged.iter().find(|j| j.live_piece || !j.quiet) {
        Some(j) => {
            let line = Evidence::fact(if j.quiet {
                "the snippet stands in the page"
            } else {
                "the widget's loader was asked for"
            });
            broken(Some(
                Finding::broken(
                    "placed.unexpected",
                    "The widget is on a page where the page rules say it must not be.",
                    "Exclude this page in the widget's page rules or in the slot's conditions.",
                )
                .with(line),
            ))
        }
        None => {
            let note = Finding::note(
                "allowed.page-rule",
                "The widget is absent here, as the page rules say.",
            );
            let mut verdict = as_intended(note);
            for link in &mut verdict.chain {
                link.state = if link.link == Link::Delivered {
                    LinkState::Holds
                } else {
                    LinkState::NotApplicable
                };
            }
            verdict
        }
    }
}

fn by_consent(case: &Case, judged: &[Judged]) -> Verdict {
    let (untouched, granted): (Vec<&Judged>, Vec<&Judged>) = judged
        .iter()
        .partition(|j| j.seen.condition.consent != ConsentAct::Granted);
    let before = by_viewport(&untouched);
    if granted.is_empty() {
        // Without a consent profile a managed page that holds the script back is as it should be.
        let held = untouched
            .iter()
            .find(|j| j.root.is_some() && j.held && j.quiet);
        let explains = before.finding.as_ref().is_some_and(|f| {
            matches!(
                f.code.as_str(),
                "placed.wrong-type" | "allowed.consent-waits" | "allowed.consent-stuck"
            )
        });
        return match held {
            Some(j) if explains => as_intended(waits(j)),
            _ => delay(case, &untouched).unwrap_or(before),
        };
    }
    if before.outcome == Outcome::Working && !untouched.is_empty() {
        // Starting while untouched is right or wrong by the region's rules, which the consent family judges.
        return by_viewport(judged.iter().collect::<Vec<_>>().as_slice());
    }
    let after = by_viewport(&granted);
    if after.outcome == Outcome::Working
        && before
            .finding
            .as_ref()
            .is_some_and(|f| f.code == "shown.covered")
    {
        // A banner that lies on the launcher until the visitor decides is no fault of the widget's.
        return working();
    }
    if after.outcome == Outcome::Working {
        let j = untouched.first().copied().unwrap_or(granted[0]);
        return as_intended(waits(j));
    }
    // Nothing moved although consent was given: it is stuck, unless something more definite is wrong.
    let vague = |code: &str| {
        matches!(
            code,
            "placed.wrong-type"
                | "allowed.consent-stuck"
                | "allowed.consent-waits"
                | "placed.absent"
                | "started.silent"
                | "placed.inert"
        )
    };
    let stuck = granted.iter().find(|j| {
        j.quiet
            && vague(j.code())
            && j.code() != "placed.absent"
            && (j.held || j.seen.consent.manager || j.seen.consent.tcf)
    });
    if let Some(j) = stuck {
        let mut finding = Finding::broken(
            "allowed.consent-stuck",
            "Consent was given and the widget still does not start.",
            "In the consent manager, assign the widget's script to the category that the visitor granted.",
        )
        .with(Evidence::fact(format!("consent was {} before and {} after", named(&j.seen.consent.state_before), named(&j.seen.consent.state_after))))
        .with_all(j.root.iter().flat_map(|f| f.evidence.clone()));
        if !j.seen.consent.error.is_empty() {
            finding = finding
                .with(Evidence::fact(j.seen.consent.error.clone()))
                .or_else(
                    "The visit may not have managed to give consent; give it by hand to tell.",
                );
        }
        return broken(Some(finding));
    }
    after
}

fn named(state: &str) -> &str {
    if state.is_empty() { "unknown" } else { state }
}

fn waits(j: &Judged) -> Finding {
    let held = j
        .root
        .as_ref()
        .map(|f| f.evidence.clone())
        .unwrap_or_default();
    Finding::note(
        "allowed.consent-waits",
        "The widget waits for consent, as it should.",
    )
    .with_all(held)
}

/// A delay that the snippet itself sets and that outlasts the visit.
fn delay(case: &Case, untouched: &[&Judged]) -> Option<Verdict> {
    let j = untouched
        .iter()
        .find(|j| matches!(j.code(), "started.silent" | "placed.absent"))?;
    let wait = visible_delay_ms(case, j.seen)?;
    (wait as f64 > j.seen.alive.watched_ms).then(|| {
        as_intended(Finding::note(
            "allowed.delay",
            format!(
                "The snippet starts the widget after {:.0} s; the visit watched {:.0} s.",
                wait as f64 / 1000.0,
                j.seen.alive.watched_ms / 1000.0
            ),
        ))
    })
}

/// The longest `setTimeout` delay in the snippet's own script text, in ms.
pub(crate) fn visible_delay_ms(case: &Case, seen: &Observation) -> Option<u64> {
    let inspector = crate::placement::Inspector::new(case.supplier, case.consent);
    inspector.delays(&seen.page.html).into_iter().max()
}

/// Desktop and phone of one consent state.
fn by_viewport(group: &[&Judged]) -> Verdict {
    let Some(first) = group.iter().find(|j| j.root.is_some()) else {
        return working();
    };
    let desktop_works = group
        .iter()
        .any(|j| j.seen.condition.viewport == Viewport::Desktop && j.root.is_none());
    let on_phone = first.seen.condition.viewport == Viewport::Phone;
    if desktop_works
        && on_phone
        && matches!(
            first.code(),
            "shown.hidden" | "shown.empty" | "shown.outside" | "started.silent"
        )
    {
        let root = first.root.clone().expect("found by its root");
        let finding = Finding {
            code: "shown.phone".into(),
            link: Some(Link::Shown),
            summary: format!("On a phone the widget is missing, on a desktop it works. {}", root.summary),
            remedy: "In the widget's settings, let it show on phones; then look in the site's styles for rules under 400 px width.".into(),
            ..root
        };
        return broken(Some(finding));
    }
    let mut finding = first.root.clone();
    if let Some(f) = finding.as_mut().filter(|_| desktop_works && on_phone) {
        f.evidence
            .push(Evidence::fact("on a phone only; on a desktop it works"));
        f.severity = Severity::Broken;
    }
    broken(finding)
}
