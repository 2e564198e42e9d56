//! The browser's trace of what a page does, recorded while something runs.

use crate::ProbeError;
use crate::browser::Browser;
use crate::cdp::Event;
use serde_json::{Value, json};
use std::time::Duration;
use tokio::sync::mpsc::UnboundedReceiver;

/// Categories of the browser's trace that a weigh-in reads.
const TRACED: [&str; 4] = [
    "devtools.timeline",
    "v8",
    "disabled-by-default-v8.compile",
    "__metadata",
];

/// Records while the work runs; what came of it, and the trace's events.
///
/// # Errors
/// Where the browser has gone or gives no trace.
pub async fn during<T>(
    browser: &Browser,
    work: impl Future<Output = T>,
) -> Result<(T, Vec<Value>), ProbeError> {
    let mut events = browser.cdp.listen("");
    let how = json!({
        "transferMode": "ReturnAsStream",
        "traceConfig": {
            "includedCategories": TRACED, "excludedCategories": ["*"],
                "recordMode": "recordUntilFull",
        },
    });
    browser.cdp.call("", "Tracing.start", how, 5000).await?;
    let outcome = work.await;
    browser
        .cdp
        .call("", "Tracing.end", json!({}), 10_000)
        .await?;
    let trace = read_trace(browser, &mut events).await;
    browser.cdp.forget("");
    Ok((outcome, trace?))
}

async fn read_trace(
    browser: &Browser,
    events: &mut UnboundedReceiver<Event>,
) -> Result<Vec<Value>, ProbeError> {
    let silent = || ProbeError::Silent {
        method: "Tracing.end".into(),
        ms: 20_000,
    };
    let complete = tokio::time::timeout(Duration::from_secs(20), async {
        while let Some(event) = events.recv().await {
            if event.method == "Tracing.tracingComplete" {
                return Some(event.params);
            }
        }
        None
    })
    .await
    .map_err(|_| silent())?
    .ok_or_else(silent)?;
    let stream = complete["stream"].clone();
    let mut text = String::new();
    loop {
        let part = browser
            .cdp
            .call(
                "",
                "IO.read",
                json!({"handle": stream, "size": 4_000_000}),
                20_000,
            )
            .await?;
        text.push_str(part["data"].as_str().unwrap_or_default());
        if part["eof"].as_bool().unwrap_or(true) {
            break;
        }
    }
    browser.cdp.send("", "IO.close", json!({"handle": stream}));
    let mut root: Value = serde_json::from_str(&text).map_err(|e| ProbeError::Command {
        method: "Tracing".into(),
        message: e.to_string(),
    })?;
    match root["traceEvents"].take() {
        Value::Array(events) => Ok(events),
        _ => Ok(Vec::new()),
    }
}
