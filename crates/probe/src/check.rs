//! The visits of one check, as the core plans them step by step. Used by `newtfern check` and by
//! the worker alike.

use crate::browser::Pool;
use crate::http::Http;
use crate::visit::{self, Pictures};
use crate::{ProbeError, pace};
use newtfern_heavy::heavy;
use newtfern_standards::observation::{
    Aside, AsideLook, FailureKind, NotCheckedReason, Observation, Purpose,
};
use newtfern_verdict::consent::notice;
use newtfern_verdict::visits::{
    CheckOrder, FETCH_MS, FetchPlan, Step, VisitPlan, missed, next, was_had,
};
use std::time::{Duration, Instant};

/// Everything one check saw.
#[derive(Default)]
pub struct Evidence {
    /// The visits, in the order of the plan, with their pictures.
    pub visits: Vec<Observation>,
    /// Pictures in the same order.
    pub pictures: Vec<Pictures>,
    /// Copies without a browser.
    pub asides: Vec<Aside>,
}

/// Makes one visit. Where something did not come while the machine was busy with other work, it is
/// made once more with no other visit of ours beside it; the one that lost less counts.
///
/// # Errors
/// Where no browser can be had.
pub async fn one(pool: &Pool, plan: &VisitPlan<'_>) -> Result<(Observation, Pictures), ProbeError> {
    let beside = pool.beside_others().await;
    let first = made(pool, plan).await?;
    drop(beside);
    if !first.0.withheld.starved() || !missed(&first.0) {
        return Ok(first);
    }
    let _alone = pool.alone().await;
    let second = made(pool, plan).await?;
    let lost = |(seen, _): &(Observation, Pictures)| seen.withheld.total_ms();
    let better = !missed(&second.0) || lost(&second) < lost(&first);
    Ok(if better { second } else { first })
}

/// A visit by the pool's browser; one that goes away under it is replaced once.
async fn made(pool: &Pool, plan: &VisitPlan<'_>) -> Result<(Observation, Pictures), ProbeError> {
    let browser = pool.browser().await?;
    match visit::visit(&browser, plan).await {
        // A page that could not even be opened (a machine at its limit) says nothing of the site
        // either.
        Err(ProbeError::BrowserGone { .. } | ProbeError::Silent { .. }) => {
            let browser = pool.browser().await?;
            visit::visit(&browser, plan).await
        }
        other => other,
    }
}

/// Makes all that the core asks for, step by step; what a step asks for is made side by side.
///
/// # Errors
/// Where no browser can be had.
pub async fn run(pool: &Pool, http: &Http, order: &CheckOrder<'_>) -> Result<Evidence, ProbeError> {
    let began = Instant::now();
    let mut evidence = Evidence::default();
    loop {
        let spent_ms = pace::spent_since(began).as_millis() as u64;
        let step = heavy(|| next(order, &evidence.visits, &evidence.asides, spent_ms)).await;
        if step.is_empty() {
            return Ok(evidence);
        }
        make(pool, http, &step, &mut evidence).await?;
    }
}

/// Further visits, after those of the chain and side by side; none of a page that could not be had.
///
/// # Errors
/// Where no browser can be had.
pub async fn further(
    pool: &Pool,
    http: &Http,
    visits: Vec<VisitPlan<'_>>,
    evidence: &mut Evidence,
) -> Result<(), ProbeError> {
    if !evidence.visits.iter().any(was_had) {
        return Ok(());
    }
    let step = Step {
        visits,
        fetches: Vec::new(),
    };
    make(pool, http, &step, evidence).await
}

async fn make(
    pool: &Pool,
    http: &Http,
    step: &Step<'_>,
    evidence: &mut Evidence,
) -> Result<(), ProbeError> {
    let visits = futures_util::future::join_all(step.visits.iter().map(|plan| one(pool, plan)));
    let copies = futures_util::future::join_all(step.fetches.iter().map(|f| copy(http, f)));
    let (visits, copies) = futures_util::future::join(visits, copies).await;
    for made in visits {
        let (seen, pictures) = made?;
        evidence.visits.push(seen);
        evidence.pictures.push(pictures);
    }
    evidence.asides.extend(copies);
    Ok(())
}

/// The page that the widget's notice leads to, beside the visits; nothing where no notice was seen.
pub async fn privacy_page(http: &Http, evidence: &mut Evidence) {
    if let Some(url) = notice::link_of(&evidence.visits) {
        let fetch = FetchPlan {
            purpose: Purpose::Notice,
            url,
            ms: FETCH_MS,
        };
        evidence.asides.push(copy(http, &fetch).await);
    }
}

/// Fetches one copy; one that could not be had says why.
pub async fn copy(http: &Http, plan: &FetchPlan) -> Aside {
    let made = |status, html, look| Aside {
        purpose: plan.purpose,
        url: plan.url.to_string(),
        status,
        html,
        look,
        blob: None,
    };
    let missed = |why| made(0, String::new(), AsideLook::Missed { why });
    let fetched = tokio::time::timeout(Duration::from_millis(plan.ms), http.get(&plan.url)).await;
    match fetched {
        Err(_) => missed(NotCheckedReason::Deadline),
        Ok(f) => match f.failure.map(|failure| failure.kind) {
            Some(FailureKind::Guard) => missed(NotCheckedReason::Guarded),
            Some(_) => missed(NotCheckedReason::NotHad),
            None => made(f.status.unwrap_or(0), f.body, AsideLook::Had),
        },
    }
}
