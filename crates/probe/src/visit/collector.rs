//! Turns the ordered events of a page tree into an observation.

use super::failure;
use crate::cdp::Event;
use crate::proxy::Failures;
use newtfern_core::observation::{
    Ended, Frame, Hop, Initiator, Message, Navigation, NetFailure, Observation, Request, Socket,
    Stored,
};
use serde_json::Value;
use std::collections::HashMap;
use std::time::Instant;

/// Bounds on what one visit keeps; a hostile page does not fill the memory.
const MOST_REQUESTS: usize = 3000;
const MOST_LINES: usize = 300;
const MOST_REDIRECTING: usize = 12;

#[derive(Default)]
pub struct State {
    pub seen: Observation,
    pub loaded: bool,
    pub document_done: bool,
    /// Nothing more can come: failed, crashed or looping.
    pub over: bool,
    pub alive: bool,
    pub up: bool,
    pub nudged: bool,
    pub main_frame: String,
    /// Request id of the current main document.
    pub document_id: String,
    pub document_session: String,
    pub sessions: Vec<(String, String)>,
    pub began: Option<Instant>,
    /// The same instant in seconds since 1970.
    pub began_wall_s: f64,
    pub keep_bodies: Vec<String>,
    pub wanted_bodies: Vec<(String, String, usize)>,
    /// Scripts that the widget pulled in are asked for by these ids.
    pub(super) index: HashMap<String, usize>,
    pub(super) sockets: HashMap<String, usize>,
    pub(super) t0: Option<f64>,
    pub(super) bytes: HashMap<String, u64>,
    pub(super) raw_status: HashMap<String, u16>,
    /// Failure of the document, until it is known whether another document follows.
    pub(super) document_failure: Option<NetFailure>,
    pub popup: Option<String>,
}

impl State {
    pub fn now_ms(&self) -> f64 {
        self.began
            .map_or(0.0, |b| b.elapsed().as_secs_f64() * 1000.0)
    }

    pub fn request_index(&self, id: &str) -> Option<usize> {
        self.index.get(id).copied()
    }

    pub fn take(&mut self, event: &Event, proxy: &Failures) {
        let p = &event.params;
        match event.method.as_str() {
            "Network.requestWillBeSent" => self.request(event, p),
            "Network.responseReceived" => self.response(p),
            "Network.responseReceivedExtraInfo" => self.extra(p),
            "Network.dataReceived" => {
                *self.bytes.entry(text(p, "requestId")).or_default() +=
                    p["encodedDataLength"].as_u64().unwrap_or(0);
            }
            "Network.loadingFinished" => self.finished(event, p),
            "Network.loadingFailed" => self.failed(p, proxy),
            "Network.requestServedFromCache" => {
                if let Some(i) = self.request_index(&text(p, "requestId")) {
                    self.seen.requests[i].from_cache = true;
                }
            }
            "Network.webSocketCreated" => {
                let at_ms = self.now_ms();
                if self.seen.sockets.len() < MOST_LINES {
                    self.sockets
                        .insert(text(p, "requestId"), self.seen.sockets.len());
                    self.seen.sockets.push(Socket {
                        url: text(p, "url"),
                        at_ms,
                        ..Socket::default()
                    });
                }
            }
            "Network.webSocketHandshakeResponseReceived" => self.socket(p, |s, p, _| {
                s.status = p["response"]["status"].as_u64().map(|v| v as u16)
            }),
            "Network.webSocketFrameReceived" => self.socket(p, |s, _, _| s.received += 1),
            "Network.webSocketFrameError" => {
                self.socket(p, |s, p, _| s.error = text(p, "errorMessage"))
            }
            "Network.webSocketClosed" => self.socket(p, |s, _, now| s.closed_ms = Some(now)),
            "Runtime.consoleAPICalled" => {
                let words: Vec<String> = p["args"]
                    .as_array()
                    .into_iter()
                    .flatten()
                    .map(argument)
                    .collect();
                let place = &p["stackTrace"]["callFrames"][0];
                self.line(
                    text(p, "type"),
                    words.join(" "),
                    text(place, "url"),
                    line_of(place, "lineNumber"),
                    &p["stackTrace"],
                );
            }
            "Log.entryAdded" => {
                let e = &p["entry"];
                self.line(
                    text(e, "level"),
                    text(e, "text"),
                    text(e, "url"),
                    e["lineNumber"].as_u64().map(|l| l as u32 + 1),
                    &e["stackTrace"],
                );
            }
            "Runtime.exceptionThrown" => self.exception(&p["exceptionDetails"]),
            "Page.frameNavigated" => self.navigated(p),
            "Page.navigatedWithinDocument" if text(p, "frameId") == self.main_frame => {
                let at_ms = self.now_ms();
                self.push_navigation(Navigation {
                    url: text(p, "url"),
                    at_ms,
                    same_document: true,
                });
            }
            "Page.loadEventFired" if self.is_main(&event.session) => {
                self.loaded = self.document_done || self.seen.page.status.is_some()
            }
            "Page.windowOpen" => self.popup = Some(text(p, "url")),
            "DOMStorage.domStorageItemAdded" => {
                let local = p["storageId"]["isLocalStorage"].as_bool().unwrap_or(false);
                let place = p["storageId"]["securityOrigin"]
                    .as_str()
                    .or(p["storageId"]["storageKey"].as_str())
                    .unwrap_or_default()
                    .trim_end_matches('/')
                    .to_string();
                let at_ms = self.now_ms();
                self.store(Stored {
                    kind: if local { "local" } else { "session" }.into(),
                    place,
                    name: text(p, "key"),
                    length: text(p, "newValue").len(),
                    at_ms,
                    expires_s: None,
                });
            }
            "Inspector.targetCrashed" => {
                self.seen.ended = Ended::Crashed;
                self.over = true;
            }
            _ => {}
        }
    }

    fn is_main(&self, session: &str) -> bool {
        self.sessions.first().is_some_and(|(s, _)| s == session)
    }

    pub fn store(&mut self, item: Stored) {
        let same = |s: &Stored| s.kind == item.kind && s.place == item.place && s.name == item.name;
        if self.seen.stored.len() < MOST_REQUESTS && !self.seen.stored.iter().any(same) {
            self.seen.stored.push(item);
        }
    }

    fn time(&mut self, p: &Value) -> f64 {
        // The browser counts from its own start; its wall time at the first request ties that to the
        // beginning of the visit, so that requests and what we do to the page stand on one scale.
        let stamp = p["timestamp"].as_f64().unwrap_or(0.0);
        let began = self.began_wall_s;
        let zero = *self.t0.get_or_insert_with(|| {
            let after = p["wallTime"]
                .as_f64()
                .filter(|w| began > 0.0 && (0.0..60.0).contains(&(w - began)))
                .map_or(0.0, |w| w - began);
            stamp - after
        });
        (stamp - zero) * 1000.0
    }

    fn request(&mut self, event: &Event, p: &Value) {
        let id = text(p, "requestId");
        let at = self.time(p);
        let url = text(&p["request"], "url");
        if url.starts_with("data:") || url.starts_with("blob:") {
            return;
        }
        let main_document = p["type"] == "Document" && text(p, "frameId") == self.main_frame;
        if !p["redirectResponse"].is_null() {
            let status = p["redirectResponse"]["status"].as_u64().unwrap_or(0) as u16;
            let length = p["redirectResponse"]["encodedDataLength"]
                .as_u64()
                .unwrap_or(0);
            if let Some(i) = self.index.remove(&id) {
                let r = &mut self.seen.requests[i];
                r.status = Some(status);
                r.redirected_to = Some(url.clone());
                r.end_ms = Some(at);
                r.bytes = length;
                if main_document {
                    let hop = Hop {
                        url: r.url.clone(),
                        status,
                        location: url.clone(),
                    };
                    self.seen.page.redirects.push(hop);
                }
            }
        } else if main_document {
            self.seen.page.redirects.clear();
        }
        if main_document {
            self.document_id = id.clone();
            self.document_session = event.session.clone();
            self.document_done = false;
            self.document_failure = None;
        }
        if self.seen.requests.len() >= MOST_REQUESTS {
            return;
        }
        let initiator = &p["initiator"];
        let mut stack = Vec::new();
        let mut trace = &initiator["stack"];
        while !trace.is_null() && stack.len() < 40 {
            stack.extend(
                trace["callFrames"]
                    .as_array()
                    .into_iter()
                    .flatten()
                    .map(|f| text(f, "url"))
                    .filter(|u| !u.is_empty()),
            );
            trace = &trace["parent"];
        }
        stack.dedup();
        self.index.insert(id, self.seen.requests.len());
        self.seen.requests.push(Request {
            url,
            method: text(&p["request"], "method"),
            kind: text(p, "type").to_lowercase(),
            initiator: Initiator {
                kind: text(initiator, "type"),
                url: text(initiator, "url"),
                line: initiator["lineNumber"].as_u64().map(|l| l as u32 + 1),
                stack,
            },
            start_ms: at,
            document: text(p, "documentURL"),
            ..Request::default()
        });
    }

    fn response(&mut self, p: &Value) {
        let id = text(p, "requestId");
        let r = &p["response"];
        let headers = headers_of(r);
        let status = r["status"].as_u64().map(|s| s as u16);
        if let Some(i) = self.request_index(&id) {
            let request = &mut self.seen.requests[i];
            request.status = status;
            request.mime = text(r, "mimeType");
            request.headers = headers
                .iter()
                .filter(|(n, _)| KEPT.contains(&n.to_lowercase().as_str()))
                .cloned()
                .collect();
            request.from_cache |= r["fromDiskCache"].as_bool().unwrap_or(false);
            request.kind = text(p, "type").to_lowercase();
        }
        if id == self.document_id {
            let page = &mut self.seen.page;
            page.final_url = text(r, "url");
            page.status = status;
            page.mime = text(r, "mimeType");
            page.headers = headers;
            page.remote = text(r, "remoteIPAddress");
        }
    }

    /// The raw status. An answer that the browser blocks (opaque response blocking) never comes as a
    /// response; then this is the only word of its status.
    fn extra(&mut self, p: &Value) {
        let Some(status) = p["statusCode"]
            .as_u64()
            .map(|s| s as u16)
            .filter(|s| !(300..400).contains(s))
        else {
            return;
        };
        let id = text(p, "requestId");
        if let Some(i) = self.request_index(&id) {
            let r = &mut self.seen.requests[i];
            if r.failure.is_some() && r.status.is_none() {
                r.status = Some(status);
            }
        }
        self.raw_status.insert(id, status);
    }

    fn finished(&mut self, event: &Event, p: &Value) {
        let id = text(p, "requestId");
        let at = self.time(p);
        if id == self.document_id {
            self.document_done = true;
        }
        let Some(i) = self.request_index(&id) else {
            return;
        };
        let r = &mut self.seen.requests[i];
        r.end_ms = Some(at);
        r.bytes = p["encodedDataLength"].as_u64().unwrap_or(0);
        if r.host()
            .is_some_and(|h| self.keep_bodies.iter().any(|k| k.eq_ignore_ascii_case(&h)))
            && r.bytes < 400_000
            && !matches!(r.kind.as_str(), "image" | "font" | "media")
        {
            self.wanted_bodies.push((event.session.clone(), id, i));
        }
    }

    fn failed(&mut self, p: &Value, proxy: &Failures) {
        let id = text(p, "requestId");
        let at = self.time(p);
        let bytes = self.bytes.get(&id).copied().unwrap_or(0);
        let Some(i) = self.request_index(&id) else {
            return;
        };
        let r = &mut self.seen.requests[i];
        let found = failure::from_browser(
            proxy,
            &r.url,
            &text(p, "errorText"),
            &text(p, "blockedReason"),
            &text(&p["corsErrorStatus"], "corsError"),
            r.status.is_some(),
        );
        r.end_ms = Some(at);
        r.bytes = bytes;
        r.failure = Some(found.clone());
        r.status = r.status.or(self.raw_status.get(&id).copied());
        if r.kind.is_empty() {
            r.kind = text(p, "type").to_lowercase();
        }
        if id == self.document_id {
            self.document_failure = Some(found.clone());
            // A body that ends early has still been delivered in part; no answer at all has not.
            if self.seen.page.status.is_none()
                || found.kind != newtfern_core::observation::FailureKind::Aborted
            {
                self.seen.page.failure = Some(found);
                self.over |= self.seen.page.status.is_none();
            }
            self.document_done = true;
        }
    }

    fn navigated(&mut self, p: &Value) {
        let frame = &p["frame"];
        let url = text(frame, "url");
        let at_ms = self.now_ms();
        if !frame["parentId"].is_null() {
            if self.seen.frames.len() < MOST_LINES {
                self.seen.frames.push(Frame {
                    url,
                    parent: text(frame, "parentId"),
                    at_ms,
                });
            }
            return;
        }
        if url.starts_with("http") {
            self.push_navigation(Navigation {
                url,
                at_ms,
                same_document: false,
            });
            if self
                .seen
                .navigations
                .iter()
                .filter(|n| !n.same_document)
                .count()
                > MOST_REDIRECTING
            {
                self.seen.page.failure = Some(NetFailure {
                    kind: newtfern_core::observation::FailureKind::RedirectLoop,
                    text: format!("the page sent itself on more than {MOST_REDIRECTING} times"),
                });
                self.over = true;
            }
        }
        // A new document: what was loaded before does not count.
        self.loaded = false;
        self.alive = false;
        self.up = false;
    }

    fn push_navigation(&mut self, navigation: Navigation) {
        if self.seen.navigations.len() < MOST_LINES {
            self.seen.navigations.push(navigation);
        }
    }

    fn socket(&mut self, p: &Value, change: impl Fn(&mut Socket, &Value, f64)) {
        let now = self.now_ms();
        if let Some(s) = self
            .sockets
            .get(&text(p, "requestId"))
            .and_then(|i| self.seen.sockets.get_mut(*i))
        {
            change(s, p, now);
        }
    }

    fn line(
        &mut self,
        level: String,
        words: String,
        url: String,
        line: Option<u32>,
        trace: &Value,
    ) {
        let at_ms = self.now_ms();
        if self.seen.console.len() < MOST_LINES {
            self.seen.console.push(Message {
                level,
                text: cut(words),
                url,
                line,
                stack: stack_of(trace),
                at_ms,
            });
        }
    }

    fn exception(&mut self, d: &Value) {
        let at_ms = self.now_ms();
        if self.seen.exceptions.len() >= MOST_LINES {
            return;
        }
        let described = d["exception"]["description"]
            .as_str()
            .or(d["exception"]["value"].as_str())
            .unwrap_or_default();
        let first = described.lines().next().unwrap_or_default();
        let words = if first.is_empty() {
            text(d, "text")
        } else {
            first.to_string()
        };
        let stack = stack_of(&d["stackTrace"]);
        let url = match text(d, "url") {
            u if u.is_empty() => stack.first().cloned().unwrap_or_default(),
            u => u,
        };
        self.seen.exceptions.push(Message {
            level: "error".into(),
            text: cut(words),
            url,
            line: line_of(d, "lineNumber"),
            stack,
            at_ms,
        });
    }
}

/// Response headers that say something about widgets.
const KEPT: &[&str] = &[
    "content-type",
    "content-security-policy",
    "x-frame-options",
    "access-control-allow-origin",
    "cross-origin-resource-policy",
    "x-content-type-options",
    "cache-control",
    "location",
    "set-cookie",
    "server",
    "age",
];

pub fn text(value: &Value, name: &str) -> String {
    value[name].as_str().unwrap_or_default().to_string()
}

/// The protocol counts lines from 0.
fn line_of(value: &Value, name: &str) -> Option<u32> {
    value[name].as_u64().map(|l| l as u32 + 1)
}

fn stack_of(trace: &Value) -> Vec<String> {
    let mut stack: Vec<String> = trace["callFrames"]
        .as_array()
        .into_iter()
        .flatten()
        .map(|f| text(f, "url"))
        .filter(|u| !u.is_empty())
        .take(20)
        .collect();
    stack.dedup();
    stack
}

fn argument(value: &Value) -> String {
    match &value["value"] {
        Value::String(s) => s.clone(),
        Value::Null => text(value, "description"),
        other => other.to_string(),
    }
}

fn cut(mut words: String) -> String {
    words.truncate(words.floor_char_boundary(1000));
    words
}

/// Header values repeated in one answer come joined by line feeds.
fn headers_of(response: &Value) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for (name, value) in response["headers"].as_object().into_iter().flatten() {
        for part in value.as_str().unwrap_or_default().split('\n') {
            out.push((name.to_lowercase(), part.to_string()));
        }
    }
    out
}
