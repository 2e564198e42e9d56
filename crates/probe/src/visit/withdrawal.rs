//! Consent taken back as a visitor does it, and the page after a decision, where it must hold.

use super::consent::{control, deeper, press, refusal, state, take};
use super::tab::Tab;
use super::tcf;
use crate::ProbeError;
use newtfern_heavy::heavy;
use newtfern_model::profile::ConsentManager;
use newtfern_standards::html::Document;
use newtfern_standards::observation::{ConsentAct, Look};
use newtfern_verdict::visits::WaitTimes;
use url::Url;

/// A banner that is asked for again has this long to come.
const AGAIN_MS: u64 = 3_000;
/// The second page has this long to load.
const SECOND_MS: u64 = 10_000;

/// Takes consent back and goes to a second page. Where it was not given there is nothing to take
/// back.
///
/// # Errors
/// Where the page does not answer.
pub async fn take_back(
    tab: &Tab,
    consent: &ConsentManager,
    page: &Url,
    waits: WaitTimes,
) -> Result<(), ProbeError> {
    if tab.observation().looks.consent_act.seen_ms().is_none() {
        return Ok(());
    }
    tab.mark(|o| o.consent.acted_ms = None);
    let mut found = control(tab, consent, ConsentAct::Refused).await?;
    for way in [&consent.banner.reopen, &consent.banner.more] {
        if found.is_none() {
            press(tab, way, &consent.banner.reopen_text).await?;
            found = refusal(tab, consent, AGAIN_MS).await?;
        }
    }
    if found.is_none() && tcf::show(tab).await? {
        found = refusal(tab, consent, AGAIN_MS).await?;
    }
    if found.is_none() && deeper(tab, consent).await? {
        found = refusal(tab, consent, AGAIN_MS).await?;
    }
    let Some(r) = found else {
        let until_ms = tab.now_ms();
        let after = state(tab, Some(consent)).await?;
        tab.mark(|o| {
            o.looks.consent_act = Look::NotThere { until_ms };
            o.consent.state_after = after;
            o.consent.error = "consent was given, and no control to take it back was found".into();
        });
        return Ok(());
    };
    let now = tab.now_ms();
    tab.mark(|o| o.consent.acted_ms = Some(now));
    tab.click(r.x + r.width / 2.0, r.y + r.height / 2.0).await?;
    take(tab, consent, ConsentAct::Refused).await?;
    second_page(tab, page, waits).await
}

/// Goes to another page of the site, or to the same again, with what the browser has kept. Where
/// no decision was made there is nothing that the next page could forget.
///
/// # Errors
/// Where the page does not answer.
pub async fn second_page(tab: &Tab, page: &Url, waits: WaitTimes) -> Result<(), ProbeError> {
    if tab.observation().looks.consent_act.seen_ms().is_none() {
        return Ok(());
    }
    // The manager writes its decision down before the page goes.
    let html = tab.observation().page.html;
    let next = heavy(|| {
        let links = Document::parse(&html).links(page);
        let other = |l: &Url| l.origin() == page.origin() && l.path() != page.path();
        links.into_iter().find(other)
    });
    let next = next.await.unwrap_or_else(|| page.clone());
    let there = tab.go_on(&next, SECOND_MS).await?;
    if !there {
        tab.mark(|o| o.consent.error = "the second page did not arrive in its time".into());
    }
    tab.watch_on(waits.start_ms).await;
    Ok(())
}
