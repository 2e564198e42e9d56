//! The echo test: a message through the live widget, looked for at the supplier's console, answered
//! there, and the answer looked for in the widget.

use crate::ProbeError;
use crate::browser::Browser;
use crate::http::Http;
use crate::visit::{Tab, decide, opener};
use newtfern_core::echo::{Seen, Stopped, TestVisitor, Tidied};
use newtfern_core::observation::{ConsentAct, Viewport};
use newtfern_core::profile::{ConsentManager, EchoStep, EchoSteps, Supplier};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use url::Url;

/// One test.
pub struct EchoOrder<'a> {
    /// The page.
    pub url: &'a Url,
    /// The supplier whose widget is used.
    pub supplier: &'a Supplier,
    /// The consent manager of the site; the visitor agrees.
    pub consent: Option<&'a ConsentManager>,
    /// The key of the client's account.
    pub key: &'a str,
    /// Told apart from every other test by a stamp.
    pub message: &'a str,
    /// What is answered at the console.
    pub answer: &'a str,
    /// Who the test says that it is, where a form comes first.
    pub visitor: &'a TestVisitor,
    /// The console's token, from the sealed settings.
    pub token: Option<&'a str>,
}

const STEP_MS: u64 = 12_000;

/// The picture, if any, is the viewport with the answer in it.
///
/// # Errors
/// Where no browser can be had; how far the message got is in what it gives.
pub async fn run(
    browser: &Browser,
    http: &Http,
    request: &EchoOrder<'_>,
) -> Result<(Seen, Option<Vec<u8>>), ProbeError> {
    let mut seen = Seen {
        url: request.url.to_string(),
        text: request.message.into(),
        answer: request.answer.into(),
        ..Seen::default()
    };
    let Some(steps) = &request.supplier.echo else {
        seen.stopped_by = Some(Stopped::NoSteps);
        seen.stopped =
            "the supplier's profile has no [echo] section, so the console cannot be read".into();
        return Ok((seen, None));
    };
    let tab = Tab::open(browser, Viewport::Desktop, None).await?;
    let mut picture = None;
    match tokio::time::timeout(
        Duration::from_secs(60),
        talk(&tab, http, request, steps, &mut seen),
    )
    .await
    {
        Ok(Ok(())) => {}
        Ok(Err(ProbeError::BrowserGone { doing })) => {
            return Err(ProbeError::BrowserGone { doing });
        }
        Ok(Err(error)) => seen.stopped = error.to_string(),
        Err(_) => {
            seen.stopped_by = Some(Stopped::Deadline);
            seen.stopped = "the test took longer than 60 s".into();
        }
    }
    if seen.sent {
        picture = tab.picture().await.ok();
    }
    tab.close().await;
    Ok((seen, picture))
}

/// Notes why the test ends here.
fn stop(seen: &mut Seen, by: Stopped, why: &str) {
    seen.stopped_by = Some(by);
    seen.stopped = why.to_string();
}

async fn talk(
    tab: &Tab,
    http: &Http,
    request: &EchoOrder<'_>,
    steps: &EchoSteps,
    seen: &mut Seen,
) -> Result<(), ProbeError> {
    if !send(tab, request, steps, seen).await? {
        return Ok(());
    }
    seen.sent = true;
    let sent = Instant::now();
    let since = || Some(sent.elapsed().as_secs_f64() * 1000.0);
    let read = address(&steps.console_read, request.key, "");
    let answer_to = address(&steps.console_answer, request.key, "");
    let (Some(read), Some(answer_to)) = (read, answer_to) else {
        let why = "the profile's console addresses are no addresses";
        stop(seen, Stopped::NoSteps, why);
        return Ok(());
    };
    let Some(message) = at_console(http, request, &read, seen).await else {
        return Ok(());
    };
    seen.at_console_ms = since();
    let page = message["page"].as_str().unwrap_or_default();
    seen.page_at_console = page.chars().take(2_000).collect();
    let language = message["language"].as_str().unwrap_or_default();
    seen.language_at_console = language.chars().take(40).collect();
    let answered = answer(
        tab,
        http,
        request,
        steps,
        (&message, &answer_to),
        seen,
        sent,
    )
    .await;
    // Tidied up however the answer went.
    seen.tidied = tidy(http, request, steps, &message).await;
    answered
}

/// Answers at the console, and looks for the answer in the widget.
async fn answer(
    tab: &Tab,
    http: &Http,
    request: &EchoOrder<'_>,
    steps: &EchoSteps,
    (message, answer_to): (&Value, &Url),
    seen: &mut Seen,
    sent: Instant,
) -> Result<(), ProbeError> {
    let since = || Some(sent.elapsed().as_secs_f64() * 1000.0);
    let body = json!({"conversation": message["conversation"], "text": request.answer});
    let answered = http.json("POST", answer_to, Some(&body), request.token);
    match answered.await {
        Ok((200..=299, _)) => seen.answered_ms = since(),
        Ok((status, _)) => {
            let why = format!("the console refused the answer with status {status}");
            stop(seen, Stopped::Console, &why);
            return Ok(());
        }
        Err(failure) => {
            stop(seen, Stopped::Console, &failure.text);
            return Ok(());
        }
    }
    let came = poll(|| async {
        let found = tab.find(&steps.answers).await?;
        Ok(found.is_some_and(|f| f.text.contains(request.answer)))
    })
    .await?;
    if came {
        seen.answer_seen_ms = since();
    }
    Ok(())
}

/// Closes the talk and removes its contact, and looks whether that is so; nothing where the profile does not
/// say how.
async fn tidy(
    http: &Http,
    request: &EchoOrder<'_>,
    steps: &EchoSteps,
    message: &Value,
) -> Option<Tidied> {
    let talk = match &message["conversation"] {
        Value::String(text) => text.clone(),
        other => other.to_string(),
    };
    let tidy = address(&steps.console_tidy, request.key, &talk)?;
    match http.json("DELETE", &tidy, None, request.token).await {
        Ok((200..=299, _)) => {}
        _ => return Some(Tidied::Left),
    }
    let Some(proof) = address(&steps.console_talk, request.key, &talk) else {
        return Some(Tidied::Asked);
    };
    Some(match http.json("GET", &proof, None, request.token).await {
        // A talk that is gone altogether is closed, and its contact with it.
        Ok((404 | 410, _)) => Tidied::Proven,
        Ok((200, told)) if told["closed"] == true && told["contact"].is_null() => Tidied::Proven,
        Ok((200, _)) => Tidied::Left,
        _ => Tidied::Asked,
    })
}

/// Opens the panel and sends the message. False where it could not be sent, with the reason.
async fn send(
    tab: &Tab,
    request: &EchoOrder<'_>,
    steps: &EchoSteps,
    seen: &mut Seen,
) -> Result<bool, ProbeError> {
    if !tab.goto(request.url, 20_000).await? {
        stop(seen, Stopped::NoPage, "the page did not arrive");
        return Ok(false);
    }
    tab.wait_until(Duration::from_secs(10), |s| s.loaded || s.over)
        .await;
    if let Some(consent) = request.consent {
        decide(tab, consent, ConsentAct::Granted).await?;
    }
    if !poll(|| async { tab.look(request.supplier).await }).await? {
        stop(seen, Stopped::NoWidget, "the widget did not come up");
        return Ok(false);
    }
    tab.click_on(opener(request.supplier)).await?;
    let language = tab.ask_page("navigator.language").await?;
    seen.language = language.as_str().unwrap_or_default().to_string();
    for (i, step) in steps.before.iter().enumerate() {
        if !make(tab, request, step).await? {
            let why = format!(
                "step {} of {} before the talk: nothing that can be seen fits {}",
                i + 1,
                steps.before.len(),
                step.selector()
            );
            stop(seen, Stopped::Step, &why);
            return Ok(false);
        }
        seen.steps = i + 1;
    }
    if !poll(|| is_shown(tab, &steps.input)).await? {
        let (by, why) = match asks_first(tab, request.supplier).await {
            true => (
                Stopped::Form,
                "the panel shows a form, and no field for a message",
            ),
            false => (Stopped::NoField, "the panel shows no field to write in"),
        };
        stop(seen, by, why);
        return Ok(false);
    }
    tab.click_on(&steps.input).await?;
    let typed = json!({"text": request.message});
    tab.call("Input.insertText", typed).await?;
    let sent = tab.click_on(&steps.send).await?;
    if !sent {
        stop(seen, Stopped::NoField, "the panel shows no control to send");
    }
    Ok(sent)
}

async fn is_shown(tab: &Tab, selector: &str) -> Result<bool, ProbeError> {
    Ok(tab.find(selector).await?.is_some_and(|f| f.shown))
}

/// Makes one step before the talk. False where nothing is there to make it with.
async fn make(tab: &Tab, request: &EchoOrder<'_>, step: &EchoStep) -> Result<bool, ProbeError> {
    let selector = step.selector();
    if !poll(|| is_shown(tab, selector)).await? || !tab.click_on(selector).await? {
        return Ok(false);
    }
    if let EchoStep::Fill { with, .. } = step {
        let typed = json!({"text": request.visitor.words(with)});
        tab.call("Input.insertText", typed).await?;
    }
    Ok(true)
}

/// Fields other than the message's are in the panel, or in a frame of it.
async fn asks_first(tab: &Tab, supplier: &Supplier) -> bool {
    let fields = "'input:not([type=hidden]),select,textarea'";
    let here = format!(
        "(() => {{ const p = nf.pick({}); return !!p && [...p.querySelectorAll({fields})].some(nf.visible); }})()",
        Value::from(supplier.open.panel.clone())
    );
    let yes = |v: Result<Value, ProbeError>| v.ok().and_then(|v| v.as_bool()).unwrap_or(false);
    if yes(tab.evaluate(&here).await) {
        return true;
    }
    let inside = format!("[...document.querySelectorAll({fields})].some(nf.visible)");
    for session in tab.child_sessions() {
        if yes(tab.evaluate_in(&session, &inside).await) {
            return true;
        }
    }
    false
}

/// The message as the console has it, waited for; nothing where it did not come, with the reason.
async fn at_console(
    http: &Http,
    request: &EchoOrder<'_>,
    read: &Url,
    seen: &mut Seen,
) -> Option<Value> {
    let began = Instant::now();
    let mut trouble = None;
    while began.elapsed() < Duration::from_millis(STEP_MS) {
        match http.json("GET", read, None, request.token).await {
            Ok((200, list)) => {
                trouble = None;
                let mut messages = list["messages"].as_array().into_iter().flatten();
                if let Some(message) = messages.find(|m| m["text"] == request.message) {
                    return Some(message.clone());
                }
            }
            Ok((status, _)) => trouble = Some(format!("the console answers with status {status}")),
            Err(f) => trouble = Some(format!("the console cannot be reached: {}", f.text)),
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    if let Some(trouble) = trouble {
        stop(seen, Stopped::Console, &trouble);
    }
    None
}

fn address(template: &str, key: &str, talk: &str) -> Option<Url> {
    let values = [("key", key), ("conversation", talk)];
    newtfern_core::address_template::fill(template, None, &values).ok()
}

/// Asks until the answer is yes or the step's time is over.
async fn poll<F, Fut>(ask: F) -> Result<bool, ProbeError>
where
    F: Fn() -> Fut,
    Fut: Future<Output = Result<bool, ProbeError>>,
{
    let began = Instant::now();
    loop {
        if ask().await? {
            return Ok(true);
        }
        if began.elapsed() > Duration::from_millis(STEP_MS) {
            return Ok(false);
        }
        tokio::time::sleep(Duration::from_millis(80)).await;
    }
}
