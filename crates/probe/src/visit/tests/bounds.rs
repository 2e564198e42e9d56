//! How much a page can make a visit keep.

use super::{PAGE, Tape};
use serde_json::{Value, json};

#[test]
fn what_a_hostile_page_can_fill_has_a_bound() {
    let mut t = Tape::new();
    let long = "\u{e9}".repeat(5_000);
    for i in 0..5_000 {
        t.asks(
            &format!("r{i}"),
            &format!("https://mill.example/{i}"),
            "Fetch",
            1.0,
        );
        t.play(
            "Log.entryAdded",
            json!({"entry": {"level": "info", "text": long}}),
        );
        t.play(
            "Runtime.exceptionThrown",
            json!({"exceptionDetails": {"text": long}}),
        );
        t.play(
            "Network.webSocketCreated",
            json!({"requestId": format!("w{i}"), "url": "wss://x.test/"}),
        );
        t.play(
            "Page.frameNavigated",
            json!({"frame": {"id": format!("f{i}"), "parentId": "M", "url": "https://x.test/"}}),
        );
        t.play(
            "Page.navigatedWithinDocument",
            json!({"frameId": "M", "url": PAGE}),
        );
    }
    let s = &t.state.seen;
    assert_eq!(s.requests.len(), 3000);
    for n in [
        s.console.len(),
        s.exceptions.len(),
        s.sockets.len(),
        s.frames.len(),
        s.navigations.len(),
    ] {
        assert_eq!(n, 300);
    }
    assert!(
        s.console
            .iter()
            .chain(&s.exceptions)
            .all(|m| m.text.len() <= 1000)
    );
    // Events of requests past the bound are nobody's, not a neighbour's.
    t.fails("r4999", 2.0, json!({"errorText": "net::ERR_FAILED"}));
    assert!(t.state.seen.requests.iter().all(|r| r.failure.is_none()));
}

/// The longest text anywhere in a value.
fn longest(value: &Value) -> usize {
    match value {
        Value::String(text) => text.len(),
        Value::Array(items) => items.iter().map(longest).max().unwrap_or(0),
        Value::Object(map) => map
            .iter()
            .map(|(name, value)| name.len().max(longest(value)))
            .max()
            .unwrap_or(0),
        _ => 0,
    }
}

/// Addresses, stacks, names, headers, texts: each place in which a page can put as much as it likes.
#[test]
fn each_text_of_a_page_is_cut() {
    // Long for the protocol messages that it plays.
    let long = "\u{e9}".repeat(50_000);
    let url = format!("https://cdn.example.test/{long}");
    let frame = json!({"url": url, "functionName": long, "lineNumber": 1});
    let stack = json!({"callFrames": [frame, frame], "parent": {"callFrames": [frame]}});
    let events = [
        (
            "Network.requestWillBeSent",
            json!({"requestId": "r", "frameId": "M", "type": "Script", "timestamp": 1.0, "wallTime": 1.7e9, "documentURL": url, "request": {"url": url, "method": long}, "initiator": {"type": "script", "url": url, "stack": stack}}),
        ),
        (
            "Network.responseReceived",
            json!({"requestId": "r", "type": "Script", "response": {"url": url, "status": 200, "mimeType": long, "headers": {"Set-Cookie": long, "Server": long}}}),
        ),
        (
            "Network.loadingFailed",
            json!({"requestId": "r", "timestamp": 2.0, "errorText": long, "corsErrorStatus": {"corsError": long}}),
        ),
        (
            "Network.requestWillBeSent",
            json!({"requestId": "d", "loaderId": "d", "frameId": "M", "type": "Document", "timestamp": 1.0, "wallTime": 1.7e9, "documentURL": url, "request": {"url": url, "method": "GET"}, "initiator": {"type": "other"}}),
        ),
        (
            "Network.responseReceived",
            json!({"requestId": "d", "loaderId": "d", "frameId": "M", "type": "Document", "response": {"url": url, "status": 200, "mimeType": long, "headers": {"Set-Cookie": long, "Content-Security-Policy": long}}}),
        ),
        (
            "Log.entryAdded",
            json!({"entry": {"level": long, "text": long, "url": url, "stackTrace": stack}}),
        ),
        (
            "Runtime.consoleAPICalled",
            json!({"type": long, "args": [{"value": long}, {"description": long}], "stackTrace": stack}),
        ),
        (
            "Runtime.exceptionThrown",
            json!({"exceptionDetails": {"text": long, "url": url, "exception": {"description": long}, "stackTrace": stack}}),
        ),
        (
            "Network.webSocketCreated",
            json!({"requestId": "w", "url": url}),
        ),
        (
            "Network.webSocketFrameError",
            json!({"requestId": "w", "errorMessage": long}),
        ),
        (
            "Page.frameNavigated",
            json!({"frame": {"id": "f", "parentId": "M", "url": url, "name": long}}),
        ),
        (
            "Page.navigatedWithinDocument",
            json!({"frameId": "M", "url": url}),
        ),
    ];
    let mut t = Tape::new();
    for (method, params) in events {
        t.play(method, params);
        let seen = serde_json::to_value(&t.state.seen).unwrap();
        // A policy is long and still a policy; all else is far shorter.
        assert!(longest(&seen) <= 16_000, "{method}: {}", longest(&seen));
        let mut headless = seen.clone();
        headless["page"]["headers"] = Value::Null;
        for request in headless["requests"].as_array_mut().unwrap() {
            request["headers"] = Value::Null;
        }
        assert!(
            longest(&headless) <= 2_000,
            "{method}: {}",
            longest(&headless)
        );
    }
    assert!(t.state.seen.requests.len() == 2 && t.state.seen.console.len() == 2);
}
