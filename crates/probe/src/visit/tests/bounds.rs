//! How much a page can make a visit keep.

use super::super::collector::MOST_VISIT;
use super::{PAGE, Tape};
use newtfern_standards::observation::LeftOut;
use serde_json::{Value, json};

#[test]
fn what_a_hostile_page_can_fill_has_a_bound() {
    let mut t = Tape::new();
    let long = "\u{e9}".repeat(5_000);
    for i in 0..5_000 {
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
    let left_out = [
        LeftOut::Lines,
        LeftOut::Errors,
        LeftOut::Sockets,
        LeftOut::Frames,
    ];
    assert_eq!(s.left_out, left_out);
}

#[test]
fn requests_past_the_bound_are_nobodys() {
    let mut t = Tape::new();
    for i in 0..5_000 {
        let url = format!("https://mill.example/{i}");
        t.asks(&format!("r{i}"), &url, "Fetch", 1.0);
    }
    assert_eq!(t.state.seen.requests.len(), 3000);
    assert_eq!(t.state.seen.left_out, [LeftOut::Requests]);
    // Their events are not a neighbour's.
    t.fails("r4999", 2.0, json!({"errorText": "net::ERR_FAILED"}));
    assert!(t.state.seen.requests.iter().all(|r| r.failure.is_none()));
}

/// Each text is short and each list is bounded, and together they would still be hundreds of
/// megabytes.
#[test]
fn a_visit_is_bounded_in_all_and_says_what_it_left_out() {
    let long = "\u{1}".repeat(2_000);
    let frame = json!({"url": long, "functionName": "f", "lineNumber": 1});
    let stack =
        json!({"callFrames": vec![frame.clone(); 20], "parent": {"callFrames": vec![frame; 20]}});
    let headers: serde_json::Map<String, Value> = (0..90)
        .map(|i| (format!("h{i}"), Value::from("v".repeat(16_000))))
        .collect();
    let mut t = Tape::new();
    for i in 0..400 {
        let (id, url) = (format!("r{i}"), format!("https://mill.example/{i}/{long}"));
        t.play(
            "Network.requestWillBeSent",
            json!({"requestId": id, "frameId": "M", "type": "Fetch", "timestamp": 1.0,
                "wallTime": 1.7e9, "documentURL": url, "request": {"url": url, "method": "GET"},
                    "initiator": {"type": "script", "url": url, "stack": stack}}),
        );
        t.play(
            "Network.responseReceived",
            json!({"requestId": id, "type": "Fetch", "response": {"url": url, "status": 200,
                "mimeType": "text/html", "headers": {"Set-Cookie": "v".repeat(16_000)}}}),
        );
        t.play(
            "Log.entryAdded",
            json!({"entry": {"level": "info", "text": long, "url": url, "stackTrace": stack}}),
        );
    }
    t.asks("d", PAGE, "Document", 2.0).play(
        "Network.responseReceived",
        json!({"requestId": "d", "type": "Document", "response": {"url": PAGE, "status": 200,
            "mimeType": "text/html", "headers": headers}}),
    );
    let seen = &t.state.seen;
    let bytes = serde_json::to_vec(seen).unwrap().len();
    assert!((1_500_000..MOST_VISIT).contains(&bytes), "{bytes}");
    assert!(!seen.requests.is_empty());
    for list in [LeftOut::Requests, LeftOut::Answers, LeftOut::Lines] {
        assert!(seen.left_out.contains(&list), "{:?}", seen.left_out);
    }
    // What the document answered is still known.
    assert_eq!(seen.page.status, Some(200));
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

/// Addresses, stacks, names, headers, texts: each place in which a page can put as much as it
/// likes.
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
            json!({"requestId": "r", "frameId": "M", "type": "Script", "timestamp": 1.0,
                "wallTime": 1.7e9, "documentURL": url, "request": {"url": url, "method": long},
                    "initiator": {"type": "script", "url": url, "stack": stack}}),
        ),
        (
            "Network.responseReceived",
            json!({"requestId": "r", "type": "Script", "response": {"url": url, "status": 200,
                "mimeType": long, "headers": {"Set-Cookie": long, "Server": long}}}),
        ),
        (
            "Network.loadingFailed",
            json!({"requestId": "r", "timestamp": 2.0, "errorText": long,
                "corsErrorStatus": {"corsError": long}}),
        ),
        (
            "Network.requestWillBeSent",
            json!({"requestId": "d", "loaderId": "d", "frameId": "M", "type": "Document",
                "timestamp": 1.0, "wallTime": 1.7e9, "documentURL": url, "request": {"url": url,
                    "method": "GET"}, "initiator": {"type": "other"}}),
        ),
        (
            "Network.responseReceived",
            json!({"requestId": "d", "loaderId": "d", "frameId": "M", "type": "Document",
                "response": {"url": url, "status": 200, "mimeType": long,
                    "headers": {"Set-Cookie": long, "Content-Security-Policy": long}}}),
        ),
        (
            "Log.entryAdded",
            json!({"entry": {"level": long, "text": long, "url": url, "stackTrace": stack}}),
        ),
        (
            "Runtime.consoleAPICalled",
            json!({"type": long, "args": [{"value": long}, {"description": long}],
                "stackTrace": stack}),
        ),
        (
            "Runtime.exceptionThrown",
            json!({"exceptionDetails": {"text": long, "url": url,
                "exception": {"description": long}, "stackTrace": stack}}),
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
