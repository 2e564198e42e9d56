//! Deciding in a consent banner as a visitor does, and whether the decision took.

use super::tab::Tab;
use super::tcf;
use crate::ProbeError;
use crate::pace::Timer;
use newtfern_model::profile::{ConsentManager, Texts};
use newtfern_standards::observation::{ConsentAct, FirstLayer, Look, Rect};
use newtfern_verdict::consent::words::Meaning;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::time::Duration;

/// Time that the banner is waited for, ms.
const BANNER_MS: u64 = 6_000;
/// Time that a banner with one button has to show the other, ms.
const WHOLE_MS: u64 = 400;
/// Time that a decision has to take effect, ms.
const TAKE_MS: u64 = 2_000;

/// The word for the state: by the framework's interface where there is one, else the manager's own;
/// empty where the profile has no script for it.
pub(super) async fn state(
    tab: &Tab,
    consent: Option<&ConsentManager>,
) -> Result<String, ProbeError> {
    if let Some(word) = tcf::state(tab).await? {
        return Ok(word.to_string());
    }
    let script = consent.map(|c| c.state.script.trim()).unwrap_or_default();
    if script.is_empty() {
        return Ok(String::new());
    }
    let asked =
        format!("(() => {{ try {{ return String({script}); }} catch {{ return ''; }} }})()");
    match tab.ask_page(&asked).await {
        Ok(Value::String(s)) => Ok(s.chars().take(100).collect()),
        Ok(_) | Err(ProbeError::Command { .. }) => Ok(String::new()),
        Err(other) => Err(other),
    }
}

/// Notes whether a consent interface is on the page, and in which state.
///
/// # Errors
/// Where the page does not answer.
pub async fn note(tab: &Tab, consent: Option<&ConsentManager>) -> Result<(), ProbeError> {
    let empty = ConsentManager::default();
    let marks = &consent.unwrap_or(&empty).recognise;
    let globals = json!(marks.globals);
    let interface = format!(
        "({{
            tcf: typeof window.__tcfapi === 'function',
            by_global: {globals}.some((g) => {{
                try {{
                    return g.split('.').reduce((o, k) => o?.[k], window) !== undefined;
                }} catch {{
                    return false;
                }}
            }}),
        }})"
    );
    let page = match tab.ask_page(&interface).await {
        Ok(page) => page,
        Err(ProbeError::Command { .. }) => Value::Null,
        Err(other) => return Err(other),
    };
    let looked = format!(
        "({{locator: !!document.querySelector('iframe[name=__tcfapiLocator]'), by_selector: \
        {}.some((s) => !!nf.pick(s))}})",
        json!(marks.selectors)
    );
    let looked = tab.evaluate(&looked).await?;
    let before = state(tab, consent).await?;
    let yes = |v: &Value| v.as_bool().unwrap_or(false);
    tab.mark(|o| {
        let from = |h: String| marks.hosts.iter().any(|x| x.eq_ignore_ascii_case(&h));
        let by_host = o.requests.iter().any(|r| r.host().is_some_and(from));
        o.consent.tcf = yes(&page["tcf"]) || yes(&looked["locator"]);
        o.consent.manager = yes(&page["by_global"]) || yes(&looked["by_selector"]) || by_host;
        if o.consent.state_before.is_empty() {
            o.consent.state_before = before;
        }
    });
    Ok(())
}

/// Looks for the way to refuse, a layer deeper too, and notes which ways the first layer has.
async fn look_for_refusal(
    tab: &Tab,
    consent: &ConsentManager,
    mut found: Option<Rect>,
) -> Result<Option<Rect>, ProbeError> {
    let accepts = found.is_some() || control(tab, consent, ConsentAct::Granted).await?.is_some();
    if accepts && found.is_none() {
        // The banner may have come between the two looks, or its buttons one after the other.
        found = refusal(tab, consent, WHOLE_MS).await?;
    }
    let layer = FirstLayer {
        accepts,
        refuses: found.is_some(),
        refuses_deeper: None,
    };
    if accepts {
        tab.mark(|o| {
            o.consent.first_layer.get_or_insert(layer);
        });
    }
    if accepts && found.is_none() && deeper(tab, consent).await? {
        found = refusal(tab, consent, TAKE_MS).await?;
        let there = found.is_some();
        tab.mark(|o| {
            if let Some(layer) = &mut o.consent.first_layer {
                layer.refuses_deeper = Some(there || layer.refuses_deeper == Some(true));
            }
        });
    }
    Ok(found)
}

/// Notes which choices a banner offers that nobody has touched.
///
/// # Errors
/// Where the page does not answer.
pub async fn note_first_layer(tab: &Tab, consent: &ConsentManager) -> Result<(), ProbeError> {
    if !consent.banner.asks {
        return Ok(());
    }
    if control(tab, consent, ConsentAct::Granted).await?.is_none() {
        return Ok(());
    }
    let refuses = refusal(tab, consent, WHOLE_MS).await?.is_some();
    let layer = FirstLayer {
        accepts: true,
        refuses,
        refuses_deeper: None,
    };
    tab.mark(|o| o.consent.first_layer = Some(layer));
    Ok(())
}

/// Decides as asked: by the profile's selector, else by the texts of buttons. What became of it is
/// noted; a decision that cannot be made is no error.
///
/// # Errors
/// Where the page does not answer.
pub async fn decide(
    tab: &Tab,
    consent: &ConsentManager,
    act: ConsentAct,
) -> Result<(), ProbeError> {
    note(tab, Some(consent)).await?;
    let timer = Timer::ms(BANNER_MS);
    while !timer.is_over() {
        let mut found = control(tab, consent, act).await?;
        if act == ConsentAct::Refused {
            found = look_for_refusal(tab, consent, found).await?;
        }
        if let Some(r) = found {
            note(tab, Some(consent)).await?;
            let now = tab.now_ms();
            tab.mark(|o| o.consent.acted_ms = Some(now));
            tab.click(r.x + r.width / 2.0, r.y + r.height / 2.0).await?;
            return take(tab, consent, act).await;
        }
        tokio::time::sleep(Duration::from_millis(60)).await;
    }
    note(tab, Some(consent)).await?;
    let after = state(tab, Some(consent)).await?;
    let until_ms = tab.now_ms();
    let word = act.word();
    tab.mark(|o| {
        // Somebody decided already: by the visitor's region, say.
        o.looks.consent_act = match after == word {
            true => Look::Seen { at_ms: until_ms },
            false => Look::NotThere { until_ms },
        };
        if after != word {
            o.consent.error = format!(
                "no control to give the decision \u{201c}{word}\u{201d} was found in {} s",
                BANNER_MS / 1000
            );
        }
        o.consent.state_after = after;
    });
    Ok(())
}

/// Waits for a control that refuses.
pub(super) async fn refusal(
    tab: &Tab,
    consent: &ConsentManager,
    ms: u64,
) -> Result<Option<Rect>, ProbeError> {
    let timer = Timer::ms(ms);
    while !timer.is_over() {
        let found = control(tab, consent, ConsentAct::Refused).await?;
        if found.is_some() {
            return Ok(found);
        }
        tokio::time::sleep(Duration::from_millis(60)).await;
    }
    Ok(None)
}

/// Presses the first of the controls that is there. True where one was.
pub(super) async fn press(
    tab: &Tab,
    selectors: &Texts,
    texts: &BTreeMap<String, Texts>,
) -> Result<bool, ProbeError> {
    let words: Vec<&String> = texts.values().flat_map(|t| &t.0).collect();
    let bring = format!("nf.bring({}, {})", json!(selectors.0), json!(words));
    tab.evaluate(&bring).await?;
    let Some(r) = named(tab, selectors, texts).await? else {
        return Ok(false);
    };
    tab.click(r.x + r.width / 2.0, r.y + r.height / 2.0).await?;
    Ok(true)
}

/// Opens the next layer: by the profile's selectors, else by the usual words for it.
pub(super) async fn deeper(tab: &Tab, consent: &ConsentManager) -> Result<bool, ProbeError> {
    if press(tab, &consent.banner.more, &BTreeMap::new()).await? {
        return Ok(true);
    }
    match by_usual_words(tab, consent, Meaning::More).await? {
        Some(r) => {
            tab.click(r.x + r.width / 2.0, r.y + r.height / 2.0).await?;
            Ok(true)
        }
        None => Ok(false),
    }
}

/// Returns where to click: by the profile's selectors and words, else by the usual words of many
/// languages, inside the banner only.
pub(super) async fn control(
    tab: &Tab,
    consent: &ConsentManager,
    act: ConsentAct,
) -> Result<Option<Rect>, ProbeError> {
    let (selectors, texts, meaning) = match act {
        ConsentAct::Refused => (
            &consent.banner.refuse,
            &consent.banner.refuse_text,
            Meaning::Refuse,
        ),
        _ => (
            &consent.banner.accept,
            &consent.banner.accept_text,
            Meaning::Accept,
        ),
    };
    match named(tab, selectors, texts).await? {
        Some(found) => Ok(Some(found)),
        None => by_usual_words(tab, consent, meaning).await,
    }
}

/// A control inside the banner whose name has one of the usual words; nothing where the profile
/// does not say what the banner is, since a page has buttons of its own.
async fn by_usual_words(
    tab: &Tab,
    consent: &ConsentManager,
    meaning: Meaning,
) -> Result<Option<Rect>, ProbeError> {
    let inside = &consent.recognise.selectors;
    if inside.is_empty() {
        return Ok(None);
    }
    let words: Vec<&str> = meaning.words().collect();
    let asked = format!("nf.byWords({}, {})", json!(words), json!(inside));
    let value = tab.evaluate(&asked).await?;
    Ok(serde_json::from_value(value["rect"].clone()).ok())
}

/// The first of the selectors that shows something, else a button with one of the texts.
async fn named(
    tab: &Tab,
    selectors: &Texts,
    texts: &BTreeMap<String, Texts>,
) -> Result<Option<Rect>, ProbeError> {
    for selector in &selectors.0 {
        if let Some(found) = tab.find(selector).await?.filter(|f| f.shown) {
            return Ok(Some(found.rect));
        }
    }
    let texts: Vec<&String> = texts.values().flat_map(|t| &t.0).collect();
    if texts.is_empty() {
        return Ok(None);
    }
    let value = tab
        .evaluate(&format!("nf.byText({})", json!(texts)))
        .await?;
    Ok(serde_json::from_value(value["rect"].clone()).ok())
}

/// The manager takes a moment; its own state tells when. Without one, the banner's going tells.
pub(super) async fn take(
    tab: &Tab,
    consent: &ConsentManager,
    act: ConsentAct,
) -> Result<(), ProbeError> {
    let timer = Timer::ms(TAKE_MS);
    let told = !consent.state.script.trim().is_empty() || tab.with(|s| s.seen.consent.tcf);
    loop {
        let after = state(tab, Some(consent)).await?;
        let took = match told {
            true => after == act.word(),
            false => control(tab, consent, act).await?.is_none(),
        };
        let over = timer.is_over();
        if took || over {
            let now = tab.now_ms();
            tab.mark(|o| {
                o.looks.consent_act = match took {
                    true => Look::Seen { at_ms: now },
                    false => Look::NotThere { until_ms: now },
                };
                if !took {
                    o.consent.error = format!(
                        "the control for \u{201c}{}\u{201d} was used, and the state \
                        stayed \u{201c}{after}\u{201d}",
                        act.word()
                    );
                }
                o.consent.state_after = after;
            });
            return Ok(());
        }
        tokio::time::sleep(Duration::from_millis(40)).await;
    }
}
