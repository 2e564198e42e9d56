//! Sockets, console lines and errors.

use super::{LOADER, PAGE, Tape};
use serde_json::json;

#[test]
fn sockets_are_followed_to_their_end() {
    let mut t = Tape::new();
    t.play(
        "Network.webSocketCreated",
        json!({"requestId": "w", "url": "wss://live.example.test/s"}),
    );
    t.play(
        "Network.webSocketHandshakeResponseReceived",
        json!({"requestId": "w", "response": {"status": 101}}),
    );
    t.play("Network.webSocketFrameReceived", json!({"requestId": "w"}))
        .play("Network.webSocketFrameReceived", json!({"requestId": "w"}));
    t.play(
        "Network.webSocketFrameReceived",
        json!({"requestId": "unknown"}),
    );
    t.play(
        "Network.webSocketFrameError",
        json!({"requestId": "w", "errorMessage": "reset"}),
    )
    .play("Network.webSocketClosed", json!({"requestId": "w"}));
    let s = &t.state.seen.sockets[0];
    assert_eq!(
        (
            s.status,
            s.received,
            s.error.as_str(),
            s.closed_ms.is_some()
        ),
        (Some(101), 2, "reset", true)
    );
}

#[test]
fn console_lines_and_errors_keep_their_place() {
    let mut t = Tape::new();
    let stack = json!({"callFrames": [{"url": LOADER, "lineNumber": 3}]});
    t.play(
        "Runtime.consoleAPICalled",
        json!({"type": "warning", "args": [{"type": "string", "value": "no"}, {"type": "number",
            "value": 4}, {"type": "object", "description": "Object"}], "stackTrace": stack}),
    );
    t.play(
        "Log.entryAdded",
        json!({"entry": {"level": "error", "text": "Refused", "url": PAGE, "lineNumber": 11}}),
    );
    t.play(
        "Runtime.exceptionThrown",
        json!({"exceptionDetails": {"text": "Uncaught", "lineNumber": 3,
            "exception": {"description": "TypeError: x is not a function\n    at \
                                          l.js:4:1"}, "stackTrace": stack}}),
    );
    t.play(
        "Runtime.exceptionThrown",
        json!({"exceptionDetails": {"text": "Uncaught", "url": PAGE,
        "lineNumber": 0, "exception": {"type": "string", "value": "plain"}}}),
    );
    t.play(
        "Runtime.exceptionThrown",
        json!({"exceptionDetails": {"text": "Uncaught (in \
        promise)", "url": PAGE, "lineNumber": 0}}),
    );
    let (c, e) = (&t.state.seen.console, &t.state.seen.exceptions);
    assert_eq!(
        (c[0].text.as_str(), c[0].url.as_str(), c[0].line),
        ("no 4 Object", LOADER, Some(4))
    );
    assert_eq!((c[1].level.as_str(), c[1].line), ("error", Some(12)));
    assert_eq!(
        (e[0].text.as_str(), e[0].url.as_str(), e[0].line),
        ("TypeError: x is not a function", LOADER, Some(4))
    );
    assert_eq!(
        (e[1].text.as_str(), e[2].text.as_str()),
        ("plain", "Uncaught (in promise)")
    );
}

/// When the widget came up is the page's own word, by the page's clock; we hear of it later.
#[test]
fn the_sign_of_life_has_the_time_at_which_it_came() {
    let at = |told_ms: f64| {
        let mut t = Tape::new();
        t.state.began = std::time::Instant::now().checked_sub(std::time::Duration::from_secs(10));
        t.state.began_wall_s = 1.7e9;
        // The document began 200 ms into the visit; its clock counts from there.
        let told = json!({"t": "alive", "origin": 1.7e12 + 200.0, "at": told_ms});
        let call = json!({"name": "nfTell", "payload": told.to_string()});
        t.play("Runtime.bindingCalled", call);
        t.state.alive_ms.unwrap()
    };
    assert!((at(600.0) - 800.0).abs() < 1.0, "{}", at(600.0));
    // Not before the visit began, and not after now.
    assert_eq!(at(-5_000.0), 0.0);
    assert!((10_000.0..20_000.0).contains(&at(9e9)));
}

/// A beat that comes late says that the page's thread stood still until then.
#[test]
fn late_beats_of_the_page_are_kept_with_the_time_in_which_it_stood_still() {
    let mut t = Tape::new();
    t.state.began = std::time::Instant::now().checked_sub(std::time::Duration::from_secs(10));
    for (at, ms) in [(2_000.0, 700.0), (300.0, 9_000.0)] {
        let told = json!({"t": "late", "origin": 0.0, "at": at, "ms": ms}).to_string();
        t.play(
            "Runtime.bindingCalled",
            json!({"name": "nfTell", "payload": told}),
        );
    }
    // Not before the visit began.
    assert_eq!(t.state.late_beats, [(1_300.0, 2_000.0), (0.0, 300.0)]);
}
