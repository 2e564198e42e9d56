//! The protocol's events as the browser sends them (shapes from the protocol's own description,
//! stable version 1.3), and what an observation makes of them.
#![allow(clippy::unwrap_used)]

mod bounds;
mod lines;

use super::collector::Collector;
use super::settle::blocking;
use crate::cdp::Event;
use crate::proxy::Failures;
use newtfern_standards::observation::{FailureKind, StorageKind, StoredItem, VisitEnd};
use serde_json::{Value, json};

const PAGE: &str = "https://mill.example/";
const LOADER: &str = "https://cdn.example.test/l.js";

struct Tape {
    state: Collector,
    proxy: Failures,
}

impl Tape {
    fn new() -> Tape {
        let state = Collector {
            sessions: vec![("S".into(), "T".into())],
            main_frame: "M".into(),
            keep_bodies: vec!["api.example.test".into()],
            ..Collector::default()
        };
        Tape {
            state,
            proxy: Failures::default(),
        }
    }

    fn play(&mut self, method: &str, params: Value) -> &mut Tape {
        self.play_in("S", method, params)
    }

    fn play_in(&mut self, session: &str, method: &str, params: Value) -> &mut Tape {
        self.state.take(
            &Event {
                session: session.into(),
                method: method.into(),
                params,
            },
            &self.proxy,
        );
        self
    }

    fn asks(&mut self, id: &str, url: &str, kind: &str, at: f64) -> &mut Tape {
        self.play(
            "Network.requestWillBeSent",
            json!({"requestId": id, "frameId": "M", "type": kind, "timestamp": at,
                "wallTime": 1.7e9 + at, "documentURL": PAGE, "request": {"url": url,
                    "method": "GET"}, "initiator": {"type": "parser", "url": PAGE,
                        "lineNumber": 6}}),
        )
    }

    fn answers(&mut self, id: &str, url: &str, kind: &str, status: u16, mime: &str) -> &mut Tape {
        self.play(
            "Network.responseReceived",
            json!({"requestId": id, "type": kind, "response": {"url": url, "status": status,
                "mimeType": mime, "remoteIPAddress": "192.0.2.7", "headers": {"Content-Type": mime,
                    "Set-Cookie": "a=1\nb=2", "X-Own": "v"}}}),
        )
    }

    fn ends(&mut self, id: &str, bytes: u64, at: f64) -> &mut Tape {
        self.play(
            "Network.loadingFinished",
            json!({"requestId": id, "timestamp": at, "encodedDataLength": bytes}),
        )
    }

    fn fails(&mut self, id: &str, at: f64, mut how: Value) -> &mut Tape {
        how["requestId"] = json!(id);
        how["timestamp"] = json!(at);
        self.play("Network.loadingFailed", how)
    }
}

#[test]
fn a_page_with_its_redirect_headers_and_script() {
    // Long for the protocol messages that it plays.
    let mut t = Tape::new();
    t.asks("1", "http://mill.example/", "Document", 100.0);
    t.play(
        "Network.requestWillBeSent",
        json!({"requestId": "1", "frameId": "M", "type": "Document", "timestamp": 100.05,
            "documentURL": PAGE, "request": {"url": PAGE, "method": "GET"},
                "initiator": {"type": "other"},
            "redirectResponse": {"url": "http://mill.example/", "status": 301,
                "encodedDataLength": 210}}),
    );
    t.answers("1", PAGE, "Document", 200, "text/html")
        .ends("1", 5_100, 100.2);
    t.asks("2", LOADER, "Script", 100.25)
        .answers("2", LOADER, "Script", 200, "text/javascript")
        .ends("2", 900, 100.3);
    t.play("Page.loadEventFired", json!({"timestamp": 100.4}));
    let s = &t.state.seen;
    assert!(t.state.loaded && t.state.document_done && !t.state.over);
    assert_eq!(
        (
            s.page.final_url.as_str(),
            s.page.status,
            s.page.remote.as_str()
        ),
        (PAGE, Some(200), "192.0.2.7")
    );
    assert_eq!(s.page.redirects.len(), 1);
    assert_eq!(
        (
            s.page.redirects[0].url.as_str(),
            s.page.redirects[0].status,
            s.page.redirects[0].location.as_str()
        ),
        ("http://mill.example/", 301, PAGE)
    );
    // The document keeps all headers, repeated ones apart; other answers keep those that matter.
    assert_eq!(
        s.page.header("set-cookie").collect::<Vec<_>>(),
        ["a=1", "b=2"]
    );
    assert_eq!(s.page.header("X-Own").count(), 1);
    assert_eq!(s.requests.len(), 3);
    assert_eq!(
        (
            s.requests[0].status,
            s.requests[0].bytes,
            s.requests[0].redirected_to.as_deref()
        ),
        (Some(301), 210, Some(PAGE))
    );
    let loader = &s.requests[2];
    assert_eq!(
        (loader.kind.word(), loader.bytes, loader.initiator.line),
        ("script", 900, Some(7))
    );
    assert!(
        (loader.start_ms - 250.0).abs() < 0.5 && (loader.end_ms.unwrap() - 300.0).abs() < 0.5,
        "{loader:?}"
    );
    assert!(
        loader.headers.iter().all(|(n, _)| n != "x-own")
            && loader.headers.iter().any(|(n, _)| n == "set-cookie")
    );
}

#[test]
fn times_are_tied_to_the_visit_by_the_wall_clock() {
    let mut t = Tape::new();
    // The visit began 1.5 s before the first request left.
    t.state.began_wall_s = 1.7e9 + 98.5;
    t.asks("1", PAGE, "Document", 100.0)
        .asks("2", LOADER, "Script", 100.25);
    assert!((t.state.seen.requests[0].start_ms - 1500.0).abs() < 1.0);
    assert!((t.state.seen.requests[1].start_ms - 1750.0).abs() < 1.0);
    // A wall clock that was set meanwhile says nothing: then the first request is the beginning.
    let mut t = Tape::new();
    t.state.began_wall_s = 1.7e9 - 86_400.0;
    t.asks("1", PAGE, "Document", 100.0);
    assert!(t.state.seen.requests[0].start_ms.abs() < 1e-9);
}

#[test]
fn an_answer_that_the_browser_blocks_keeps_its_status_whichever_word_comes_first() {
    let status = json!({"requestId": "2", "statusCode": 404});
    let blocked = json!({"errorText": "net::ERR_BLOCKED_BY_ORB", "type": "Script"});
    let mut before = Tape::new();
    before
        .asks("2", LOADER, "Script", 1.0)
        .play("Network.responseReceivedExtraInfo", status.clone())
        .fails("2", 1.1, blocked.clone());
    let mut after = Tape::new();
    after
        .asks("2", LOADER, "Script", 1.0)
        .fails("2", 1.1, blocked)
        .play("Network.responseReceivedExtraInfo", status);
    for t in [before, after] {
        let r = &t.state.seen.requests[0];
        assert_eq!(
            (r.status, r.failure.as_ref().map(|f| f.kind)),
            (Some(404), Some(FailureKind::Type))
        );
    }
    // The status of a redirect is not that of its target.
    let mut t = Tape::new();
    t.asks("2", LOADER, "Script", 1.0).play(
        "Network.responseReceivedExtraInfo",
        json!({"requestId": "2", "statusCode": 302}),
    );
    t.fails("2", 1.1, json!({"errorText": "net::ERR_FAILED"}));
    assert_eq!(t.state.seen.requests[0].status, None);
}

#[test]
fn bytes_that_came_before_a_failure_are_counted() {
    let mut t = Tape::new();
    t.asks("2", LOADER, "Script", 1.0)
        .answers("2", LOADER, "Script", 200, "text/javascript");
    t.play(
        "Network.dataReceived",
        json!({"requestId": "2", "dataLength": 900, "encodedDataLength": 400}),
    );
    t.play(
        "Network.dataReceived",
        json!({"requestId": "2", "dataLength": 90, "encodedDataLength": 40}),
    );
    t.fails("2", 2.0, json!({"errorText": "net::ERR_CONNECTION_RESET"}));
    let r = &t.state.seen.requests[0];
    assert_eq!(
        (r.bytes, r.failure.as_ref().map(|f| f.kind)),
        (440, Some(FailureKind::CutOff))
    );
}

#[test]
fn a_document_that_fails_ends_the_visit_one_that_breaks_off_does_not() {
    let mut t = Tape::new();
    t.asks("1", PAGE, "Document", 1.0).fails(
        "1",
        1.1,
        json!({"errorText": "net::ERR_NAME_NOT_RESOLVED"}),
    );
    assert!(t.state.over && t.state.seen.page.failure.as_ref().unwrap().kind == FailureKind::Dns);

    let mut t = Tape::new();
    t.asks("1", PAGE, "Document", 1.0)
        .answers("1", PAGE, "Document", 200, "text/html")
        .fails(
            "1",
            1.1,
            json!({"errorText": "net::ERR_CONTENT_LENGTH_MISMATCH"}),
        );
    assert!(!t.state.over && t.state.document_done);
    assert_eq!(
        t.state.seen.page.failure.as_ref().unwrap().kind,
        FailureKind::CutOff
    );

    // A page that leaves for another by itself aborts its own document: no failure.
    let mut t = Tape::new();
    t.asks("1", PAGE, "Document", 1.0)
        .answers("1", PAGE, "Document", 200, "text/html")
        .fails("1", 1.1, json!({"errorText": "net::ERR_ABORTED"}));
    assert!(!t.state.over && t.state.seen.page.failure.is_none());
}

#[test]
fn a_new_document_begins_anew() {
    let mut t = Tape::new();
    t.asks("1", PAGE, "Document", 1.0)
        .answers("1", PAGE, "Document", 200, "text/html")
        .ends("1", 10, 1.1);
    t.play("Page.loadEventFired", json!({}));
    t.state.alive_ms = Some(5.0);
    t.asks("9", "https://mill.example/shop", "Document", 2.0);
    t.play(
        "Page.frameNavigated",
        json!({"frame": {"id": "M", "url": "https://mill.example/shop"}}),
    );
    assert!(!t.state.loaded && !t.state.alive() && !t.state.document_done);
    assert_eq!(
        (t.state.document_id.as_str(), t.state.seen.navigations.len()),
        ("9", 1)
    );
    // A change of route within the document is noted, and changes nothing else; a frame's is not
    // ours.
    t.play(
        "Page.navigatedWithinDocument",
        json!({"frameId": "M", "url": "https://mill.example/shop#2"}),
    );
    t.play(
        "Page.navigatedWithinDocument",
        json!({"frameId": "F", "url": "https://mill.example/frame"}),
    );
    assert!(t.state.seen.navigations.len() == 2 && t.state.seen.navigations[1].same_document);
}

#[test]
fn a_page_that_sends_itself_on_and_on_is_a_loop() {
    let mut t = Tape::new();
    for i in 0..20 {
        t.play(
            "Page.frameNavigated",
            json!({"frame": {"id": "M", "url": format!("https://mill.example/{i}")}}),
        );
    }
    assert!(t.state.over);
    assert_eq!(
        t.state.seen.page.failure.unwrap().kind,
        FailureKind::RedirectLoop
    );
}

#[test]
fn frames_are_noted_with_their_parent_and_do_not_count_as_the_page() {
    let mut t = Tape::new();
    t.play(
        "Page.frameNavigated",
        json!({"frame": {"id": "F", "parentId": "M", "url": "https://app.example.test/panel"}}),
    );
    assert!(t.state.seen.navigations.is_empty());
    assert_eq!(
        (
            t.state.seen.frames[0].url.as_str(),
            t.state.seen.frames[0].parent.as_str()
        ),
        ("https://app.example.test/panel", "M")
    );
    // The load event of a frame's own session is not the page's.
    t.state.document_done = true;
    t.play_in("CHILD", "Page.loadEventFired", json!({}));
    assert!(!t.state.loaded);
}

#[test]
fn a_call_stack_is_followed_through_its_asynchronous_parents() {
    let mut t = Tape::new();
    let frames = |urls: &[&str]| {
        urls.iter()
            .map(|u| json!({"url": u, "functionName": "f", "lineNumber": 1, "columnNumber": 1}))
            .collect::<Vec<_>>()
    };
    let stack = json!({"callFrames": frames(&["", LOADER, LOADER]),
        "parent": {"callFrames": frames(&["https://mill.example/own.js"])}});
    t.play(
        "Network.requestWillBeSent",
        json!({"requestId": "3", "type": "Fetch", "timestamp": 1.0,
            "request": {"url": "https://api.example.test/s", "method": "POST"},
                "initiator": {"type": "script", "stack": stack}}),
    );
    let r = &t.state.seen.requests[0];
    assert_eq!(
        (r.method.as_str(), r.initiator.kind.word()),
        ("POST", "script")
    );
    assert_eq!(r.initiator.stack, [LOADER, "https://mill.example/own.js"]);
}

#[test]
fn addresses_that_carry_their_own_data_are_no_requests() {
    let mut t = Tape::new();
    t.asks("1", "data:text/plain,hello", "Image", 1.0)
        .asks("2", "blob:https://mill.example/1", "Script", 1.0)
        .ends("1", 5, 1.0);
    assert!(t.state.seen.requests.is_empty());
}

#[test]
fn bodies_are_asked_for_from_the_suppliers_hosts_only_and_never_of_pictures() {
    let mut t = Tape::new();
    for (id, url, kind, bytes) in [
        ("1", "https://API.example.test/s", "Fetch", 300),
        ("2", "https://api.example.test/i.png", "Image", 300),
        ("3", "https://api.example.test/big", "Fetch", 900_000),
        ("4", "https://mill.example/own", "Fetch", 300),
    ] {
        t.asks(id, url, kind, 1.0)
            .answers(id, url, kind, 200, "x/y")
            .ends(id, bytes, 1.1);
    }
    assert_eq!(
        t.state.wanted_bodies,
        [("S".to_string(), "1".to_string(), 0)]
    );
}

#[test]
fn storage_is_noted_once_with_the_time_it_appeared() {
    let mut t = Tape::new();
    let added = |local: bool, key: &str| {
        json!({"storageId": {"isLocalStorage": local,
        "storageKey": "https://mill.example/"}, "key": key, "newValue": "12345"})
    };
    t.play("DOMStorage.domStorageItemAdded", added(true, "a"))
        .play("DOMStorage.domStorageItemAdded", added(true, "a"))
        .play("DOMStorage.domStorageItemAdded", added(false, "a"));
    let kinds: Vec<(&str, &str, usize)> = t
        .state
        .seen
        .stored
        .iter()
        .map(|s| (s.kind.word(), s.place.as_str(), s.length))
        .collect();
    assert_eq!(
        kinds,
        [
            ("local", "https://mill.example", 5),
            ("session", "https://mill.example", 5)
        ]
    );
    let cookie = |at_ms| StoredItem {
        kind: StorageKind::Cookie,
        place: "mill.example".into(),
        name: "id".into(),
        length: 3,
        at_ms,
        expires_s: None,
    };
    t.state.store(cookie(10.0));
    t.state.store(cookie(900.0));
    assert_eq!(t.state.seen.stored[2].at_ms, 10.0);
}

#[test]
fn a_crashed_page_is_over() {
    let mut t = Tape::new();
    t.play("Inspector.targetCrashed", json!({}));
    assert!(t.state.over && t.state.seen.ended == VisitEnd::Crashed);
}

/// Whatever arrives, in whatever shape: no panic, and the bounds hold.
#[test]
fn events_of_any_shape_are_survived() {
    let methods = [
        "Network.requestWillBeSent",
        "Network.responseReceived",
        "Network.responseReceivedExtraInfo",
        "Network.dataReceived",
        "Network.loadingFinished",
        "Network.loadingFailed",
        "Network.requestServedFromCache",
        "Network.webSocketCreated",
        "Network.webSocketClosed",
        "Runtime.consoleAPICalled",
        "Log.entryAdded",
        "Runtime.exceptionThrown",
        "Page.frameNavigated",
        "Page.navigatedWithinDocument",
        "Page.loadEventFired",
        "Page.windowOpen",
        "DOMStorage.domStorageItemAdded",
        "Nothing.known",
    ];
    let shapes = [
        json!(null),
        json!([]),
        json!("text"),
        json!({}),
        json!({"requestId": 7, "request": [], "response": 3, "timestamp": "x", "frame": null,
            "args": {}, "exceptionDetails": [], "entry": 1, "storageId": ""}),
        json!({"requestId": "1", "timestamp": -1e308, "request": {"url": "::"},
            "response": {"status": -4, "headers": []}, "frame": {"url": 3}, "statusCode": 99999}),
        json!({"requestId": "1", "timestamp": f64::MAX, "redirectResponse": {},
            "request": {"url": "http://["}, "initiator": {"stack": {"parent": {"parent": {}}}}}),
    ];
    let mut t = Tape::new();
    for shape in &shapes {
        for method in methods {
            t.play(method, shape.clone());
        }
    }
    assert!(t.state.seen.requests.len() < 20);
}

/// Total blocking time as web.dev defines it ("Total Blocking Time", example with tasks of 250, 90,
/// 35, 30 and 155 ms: 200 + 40 + 0 + 0 + 105 = 345 ms).
#[test]
fn blocking_time_is_what_exceeds_fifty_milliseconds_after_the_first_paint() {
    let tasks = json!([
        [1000.0, 250.0],
        [1300.0, 90.0],
        [1500.0, 35.0],
        [1600.0, 30.0],
        [1700.0, 155.0]
    ]);
    assert_eq!(blocking(&tasks, 900.0), 345.0);
    // A task across the first paint counts from the paint; one before it not at all.
    assert_eq!(blocking(&json!([[800.0, 200.0]]), 900.0), 50.0);
    assert_eq!(blocking(&json!([[100.0, 500.0]]), 900.0), 0.0);
    for shape in [json!(null), json!({}), json!([1, [2], ["a", "b"], []])] {
        assert_eq!(blocking(&shape, 0.0), 0.0);
    }
}

/// A page that a busy machine keeps waiting may come alive by our movement before it has been given
/// the rest of it, or have been alive before the movement and told us after it.
#[test]
fn a_sign_of_life_is_after_interaction_by_when_it_came_not_by_when_it_was_told() {
    for (at, after) in [(9_000.0, false), (10_200.0, true)] {
        let mut t = Tape::new();
        t.state.began = std::time::Instant::now().checked_sub(std::time::Duration::from_secs(20));
        t.state.nudged_ms = Some(10_000.0);
        let told = json!({"t": "alive", "origin": 0.0, "at": at}).to_string();
        t.play(
            "Runtime.bindingCalled",
            json!({"name": "nfTell", "payload": told}),
        );
        assert_eq!(t.state.alive_ms, Some(at));
        assert_eq!(t.state.seen.alive.after_interaction, after, "{at}");
    }
}
