//! The echo test: a message through the live widget, looked for at the supplier's console, answered
//! there, and the answer looked for in the widget.

use crate::ProbeError;
use crate::browser::Browser;
use crate::http::Http;
use crate::visit::{Tab, decide, work_click};
use newtfern_core::echo::Seen;
use newtfern_core::observation::{ConsentAct, Viewport};
use newtfern_core::profile::{ConsentManager, EchoSteps, Supplier};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use url::Url;

pub struct Request<'a> {
    pub url: &'a Url,
    pub supplier: &'a Supplier,
    pub consent: Option<&'a ConsentManager>,
    pub key: &'a str,
    /// Told apart from every other test by a stamp.
    pub message: &'a str,
    pub answer: &'a str,
    /// The console's token, from the sealed settings.
    pub token: Option<&'a str>,
}

const STEP_MS: u64 = 12_000;

/// The picture, if any, is the viewport with the answer in it.
pub async fn run(
    browser: &Browser,
    http: &Http,
    request: &Request<'_>,
) -> Result<(Seen, Option<Vec<u8>>), ProbeError> {
    let mut seen = Seen {
        url: request.url.to_string(),
        text: request.message.into(),
        answer: request.answer.into(),
        ..Seen::default()
    };
    let Some(steps) = &request.supplier.echo else {
        seen.stopped =
            "the supplier's profile has no [echo] section, so the console cannot be read".into();
        return Ok((seen, None));
    };
    let tab = Tab::open(browser, Viewport::Desktop).await?;
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
        Err(_) => seen.stopped = "the test took longer than 60 s".into(),
    }
    if seen.sent {
        picture = tab.picture().await.ok();
    }
    tab.close().await;
    Ok((seen, picture))
}

async fn talk(
    tab: &Tab,
    http: &Http,
    request: &Request<'_>,
    steps: &EchoSteps,
    seen: &mut Seen,
) -> Result<(), ProbeError> {
    let stop = |seen: &mut Seen, why: &str| {
        seen.stopped = why.to_string();
        Ok(())
    };
    if !tab.goto(request.url, 20_000).await? {
        return stop(seen, "the page did not arrive");
    }
    tab.wait_until(Duration::from_secs(10), |s| s.loaded || s.over)
        .await;
    if let Some(consent) = request.consent {
        decide(tab, consent, ConsentAct::Granted).await?;
    }
    if !poll(|| async { Ok(tab.look(request.supplier).await? && tab.is_up()) }).await? {
        return stop(seen, "the widget did not come up");
    }
    let open = &request.supplier.open;
    let click = if open.click.is_empty() {
        &request.supplier.alive.launcher
    } else {
        &open.click
    };
    work_click(tab, click).await?;
    if !poll(|| async { Ok(tab.find(&steps.input).await?.is_some_and(|f| f.shown)) }).await? {
        return stop(seen, "the panel shows no field to write in");
    }
    work_click(tab, &steps.input).await?;
    tab.call("Input.insertText", json!({"text": request.message}))
        .await?;
    if !work_click(tab, &steps.send).await? {
        return stop(seen, "the panel shows no control to send");
    }
    seen.sent = true;
    let sent = Instant::now();
    let since = || Some(sent.elapsed().as_secs_f64() * 1000.0);
    let read = address(&steps.console_read, request.key);
    let answer_to = address(&steps.console_answer, request.key);
    let (Some(read), Some(answer_to)) = (read, answer_to) else {
        return stop(seen, "the profile's console addresses are no addresses");
    };
    let mut conversation = Value::Null;
    let mut trouble = String::new();
    while conversation.is_null() && sent.elapsed() < Duration::from_millis(STEP_MS) {
        match http.json("GET", &read, None, request.token).await {
            Ok((200, list)) => {
                let found = list["messages"]
                    .as_array()
                    .and_then(|m| m.iter().find(|m| m["text"] == request.message).cloned());
                if let Some(message) = found {
                    conversation = message["conversation"].clone();
                    seen.page_at_console = message["page"].as_str().unwrap_or_default().to_string();
                    seen.at_console_ms = since();
                }
            }
            Ok((status, _)) => trouble = format!("the console answers with status {status}"),
            Err(failure) => trouble = format!("the console cannot be reached: {}", failure.text),
        }
        if conversation.is_null() {
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }
    if conversation.is_null() {
        return stop(seen, &trouble);
    }
    let body = json!({"conversation": conversation, "text": request.answer});
    match http
        .json("POST", &answer_to, Some(&body), request.token)
        .await
    {
        Ok((200..=299, _)) => seen.answered_ms = since(),
        Ok((status, _)) => {
            return stop(
                seen,
                &format!("the console refused the answer with status {status}"),
            );
        }
        Err(failure) => return stop(seen, &failure.text),
    }
    let came = poll(|| async {
        Ok(tab
            .find(&steps.answers)
            .await?
            .is_some_and(|f| f.text.contains(request.answer)))
    })
    .await?;
    if came {
        seen.answer_seen_ms = since();
    }
    Ok(())
}

fn address(template: &str, key: &str) -> Option<Url> {
    Url::parse(&template.replace("{{key}}", key)).ok()
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
