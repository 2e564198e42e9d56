//! The visits of one check: desktop and phone, consent untouched and granted, and the copies fetched
//! beside them when the snippet is missing. Used by `newtfern check` and by the worker alike.

use crate::ProbeError;
use crate::browser::Pool;
use crate::http::Http;
use crate::visit::{self, Pictures, Plan};
use newtfern_core::chain::{Aside, Purpose};
use newtfern_core::html::Document;
use newtfern_core::observation::{Condition, ConsentAct, Observation, Viewport};
use newtfern_core::placement::{Inspector, State};
use newtfern_core::profile::{ConsentManager, Supplier};
use std::time::{Duration, Instant};
use url::Url;

/// Limits of the contract: a page 20 s, a whole check 50 s.
pub const PAGE_MS: u64 = 20_000;
pub const CHECK_MS: u64 = 50_000;
const ASIDES_MS: u64 = 6_000;
const MOST_LINKED: usize = 5;

pub struct Request<'a> {
    pub url: &'a Url,
    pub supplier: &'a Supplier,
    pub consent: Option<&'a ConsentManager>,
    pub viewports: &'a [Viewport],
    pub pictures: bool,
}

pub struct Evidence {
    pub visits: Vec<(Observation, Pictures)>,
    pub asides: Vec<Aside>,
}

/// One visit; a browser that goes away under it is replaced once.
pub async fn one(pool: &Pool, plan: &Plan<'_>) -> Result<(Observation, Pictures), ProbeError> {
    let browser = pool.browser().await?;
    match visit::visit(&browser, plan).await {
        // A page that could not even be opened (a machine at its limit) says nothing of the site either.
        Err(ProbeError::BrowserGone { .. } | ProbeError::Silent { .. }) => {
            let browser = pool.browser().await?;
            visit::visit(&browser, plan).await
        }
        other => other,
    }
}

/// The conditions of a full check, in the order they are visited.
pub fn conditions(viewports: &[Viewport], with_consent: bool) -> Vec<Condition> {
    let states: &[ConsentAct] = if with_consent {
        &[ConsentAct::Untouched, ConsentAct::Granted]
    } else {
        &[ConsentAct::Untouched]
    };
    states
        .iter()
        .flat_map(|consent| {
            viewports.iter().map(move |viewport| Condition {
                viewport: *viewport,
                consent: *consent,
            })
        })
        .collect()
}

pub async fn run(pool: &Pool, http: &Http, request: &Request<'_>) -> Result<Evidence, ProbeError> {
    let began = Instant::now();
    let mut visits: Vec<(Observation, Pictures)> = Vec::new();
    let mut asides = Vec::new();
    let wanted = conditions(request.viewports, request.consent.is_some());
    let rounds = wanted.len().div_ceil(request.viewports.len().max(1)) as u64;
    for (round, pair) in wanted.chunks(request.viewports.len().max(1)).enumerate() {
        let spent = began.elapsed().as_millis() as u64;
        let remaining = CHECK_MS.saturating_sub(ASIDES_MS + 1500 + spent);
        let total_ms = (remaining / (rounds - round as u64)).max(5000);
        let plans: Vec<Plan> = pair
            .iter()
            .map(|condition| Plan {
                url: request.url,
                condition: *condition,
                supplier: request.supplier,
                consent: request.consent,
                page_ms: PAGE_MS.min(total_ms),
                total_ms,
                pictures: request.pictures,
            })
            .collect();
        // Two at a time: more only queue for the processor.
        let results =
            futures_util::future::join_all(plans.iter().map(|plan| one(pool, plan))).await;
        for result in results {
            visits.push(result?);
        }
        if round == 0 {
            // A page that cannot be had will not be had with consent either.
            if visits
                .iter()
                .all(|(o, _)| o.page.failure.is_some() || o.page.status.is_none_or(|s| s >= 400))
            {
                break;
            }
            asides = tokio::time::timeout(
                Duration::from_millis(ASIDES_MS),
                fetch_asides(http, request, &visits),
            )
            .await
            .unwrap_or_default();
        }
    }
    Ok(Evidence { visits, asides })
}

/// Only where the snippet is not live in what visitors get.
async fn fetch_asides(
    http: &Http,
    request: &Request<'_>,
    visits: &[(Observation, Pictures)],
) -> Vec<Aside> {
    let Some((seen, _)) = visits
        .iter()
        .find(|(o, _)| o.page.failure.is_none() && o.alive.at_ms.is_none())
    else {
        return Vec::new();
    };
    let Ok(page) = Url::parse(&seen.page.final_url) else {
        return Vec::new();
    };
    let inspector = Inspector::new(request.supplier, request.consent);
    if inspector
        .pieces(&seen.page.html, &page)
        .iter()
        .any(|p| p.state == State::Live)
    {
        return Vec::new();
    }
    let mut wanted = vec![(Purpose::Uncached, uncached(&page))];
    let links = Document::parse(&seen.page.html).links(&page);
    wanted.extend(
        links
            .into_iter()
            .filter(|l| l.origin() == page.origin() && l.path() != page.path())
            .take(MOST_LINKED)
            .map(|l| (Purpose::Linked, l)),
    );
    let fetched = futures_util::future::join_all(wanted.iter().map(|(_, url)| http.get(url))).await;
    wanted
        .into_iter()
        .zip(fetched)
        .filter(|(_, f)| f.failure.is_none())
        .map(|((purpose, url), f)| Aside {
            purpose,
            url: url.to_string(),
            status: f.status.unwrap_or(0),
            html: f.body,
        })
        .collect()
}

/// The same address with a query no cache has seen.
fn uncached(page: &Url) -> Url {
    let mut url = page.clone();
    let stamp = std::time::SystemTime::now()
        .duration_since(std::time::UNIX_EPOCH)
        .map_or(0, |d| d.as_nanos());
    url.query_pairs_mut()
        .append_pair("newtfern", &format!("{stamp:x}"));
    url
}
