//! Turns the ordered events of a page tree into an observation. Everything that comes from a page is
//! cut to a bound: addresses, texts, names, stacks, lists.

mod requests;

use crate::cdp::Event;
use crate::proxy::Failures;
use newtfern_core::observation::{
    Ended, Frame, Launcher, Look, Looks, Message, Navigation, NetFailure, Observation, Socket,
    Stored, Unlooked,
};
use serde_json::Value;
use std::collections::HashMap;
use std::time::Instant;

/// Bounds on what one visit keeps; a hostile page does not fill the memory.
const MOST_REQUESTS: usize = 3000;
const MOST_LINES: usize = 300;
const MOST_REDIRECTING: usize = 12;
/// In bytes: longer addresses than this are data, not places.
pub(super) const MOST_ADDRESS: usize = 2_000;
pub(super) const MOST_TEXT: usize = 1_000;
pub(super) const MOST_NAME: usize = 300;
/// Headers of the document, and bytes of one value; a long policy is still a policy.
const MOST_HEADERS: usize = 100;
const MOST_HEADER: usize = 16_000;

#[derive(Default)]
pub struct Collector {
    pub seen: Observation,
    pub loaded: bool,
    pub document_done: bool,
    /// When the document was whole.
    pub document_ms: Option<f64>,
    /// Nothing more can come: failed, crashed or looping.
    pub over: bool,
    /// When the supplier's sign became true, by the page's clock.
    pub alive_ms: Option<f64>,
    /// When the launcher was first seen, by the page's clock.
    pub launcher_ms: Option<f64>,
    /// The launcher is visible now.
    pub shown: bool,
    pub nudged: bool,
    /// The page may keep us waiting until then.
    pub page_limit_ms: f64,
    /// Our worlds: session and frame to the context's unique id.
    pub(super) worlds: HashMap<(String, String), String>,
    /// Where the debugger stopped: address, function, line.
    pub held_at: Option<(String, String, Option<u32>)>,
    /// Addresses of scripts, by the debugger's ids.
    pub(super) scripts: HashMap<String, String>,
    /// When cookies came, by host and name.
    pub(super) cookies: HashMap<(String, String), f64>,
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

impl Collector {
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
                        url: short(p, "url"),
                        at_ms,
                        ..Socket::default()
                    });
                }
            }
            "Network.webSocketHandshakeResponseReceived" => self.socket(p, |s, p, _| {
                s.status = p["response"]["status"].as_u64().map(|v| v as u16)
            }),
            "Network.webSocketFrameReceived" => self.socket(p, |s, _, _| s.received += 1),
            "Network.webSocketFrameError" => self.socket(p, |s, p, _| {
                s.error = cut(text(p, "errorMessage"), MOST_NAME)
            }),
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
            "Debugger.scriptParsed" => {
                let url = short(p, "url");
                if !url.is_empty() && self.scripts.len() < MOST_REQUESTS {
                    self.scripts.insert(text(p, "scriptId"), url);
                }
            }
            "Runtime.executionContextCreated" => self.world_made(&event.session, &p["context"]),
            "Runtime.executionContextDestroyed" => {
                let gone = text(p, "executionContextUniqueId");
                self.worlds.retain(|_, id| *id != gone);
            }
            "Runtime.executionContextsCleared" => {
                let session = &event.session;
                self.worlds.retain(|(s, _), _| s != session);
            }
            "Runtime.bindingCalled" if p["name"] == "nfTell" => {
                if let Ok(told) = serde_json::from_str(p["payload"].as_str().unwrap_or_default()) {
                    self.told(&told);
                }
            }
            "Page.frameNavigated" => self.navigated(p),
            "Page.navigatedWithinDocument" if text(p, "frameId") == self.main_frame => {
                let at_ms = self.now_ms();
                self.push_navigation(Navigation {
                    url: short(p, "url"),
                    at_ms,
                    same_document: true,
                });
            }
            "Page.loadEventFired" if self.is_main(&event.session) => {
                self.loaded = self.document_done || self.seen.page.status.is_some();
                if self.loaded {
                    let at_ms = self.now_ms();
                    self.seen.looks.load = Look::Seen { at_ms };
                }
            }
            "Page.windowOpen" => self.popup = Some(short(p, "url")),
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

    /// The navigation begins now; the page may take until `limit_ms`.
    pub fn begin(&mut self, limit_ms: f64) {
        self.began = Some(Instant::now());
        self.page_limit_ms = limit_ms;
        self.began_wall_s = std::time::SystemTime::now()
            .duration_since(std::time::UNIX_EPOCH)
            .map_or(0.0, |d| d.as_secs_f64());
        // From here on a look that does not come about has a reason.
        let why = Unlooked::EarlierStage;
        self.seen.looks = all_looks(Look::NotLooked { why });
    }

    /// Ends the looks that had not come to an end, for one reason.
    pub fn close_looks(&mut self, why: Unlooked) {
        let open = Look::NotLooked {
            why: Unlooked::EarlierStage,
        };
        let closed = Look::NotLooked { why };
        let l = &mut self.seen.looks;
        for look in [
            &mut l.document,
            &mut l.load,
            &mut l.alive,
            &mut l.launcher,
            &mut l.stays,
            &mut l.opening,
            &mut l.closing,
            &mut l.keyboard,
            &mut l.consent_act,
            &mut l.storage,
            &mut l.final_document,
        ] {
            if *look == open {
                *look = closed;
            }
        }
    }

    /// The supplier's sign is true.
    pub fn alive(&self) -> bool {
        self.alive_ms.is_some()
    }

    fn world_made(&mut self, session: &str, context: &Value) {
        let aux = &context["auxData"];
        if text(context, "name") == super::tab::WORLD && self.worlds.len() < MOST_LINES {
            let key = (session.to_string(), text(aux, "frameId"));
            self.worlds.insert(key, text(context, "uniqueId"));
        }
    }

    /// The frame whose document is a session's own.
    pub fn root_frame(&self, session: &str) -> String {
        if self.is_main(session) {
            return self.main_frame.clone();
        }
        // A frame's target id is its frame id.
        let found = self.sessions.iter().find(|(s, _)| s == session);
        found.map(|(_, target)| target.clone()).unwrap_or_default()
    }

    /// Our world in a session's root document.
    pub fn world_of(&self, session: &str) -> Option<String> {
        let key = (session.to_string(), self.root_frame(session));
        self.worlds.get(&key).cloned()
    }

    /// The page's clock, as ms since the navigation began.
    fn page_time(&self, told: &Value) -> f64 {
        let now = self.now_ms();
        let origin = told["origin"].as_f64().unwrap_or(0.0);
        let at = told["at"].as_f64().unwrap_or(0.0);
        let ms = origin + at - self.began_wall_s * 1000.0;
        // The two clocks differ by little; a page cannot be seen before it began or after now.
        if ms.is_finite() {
            ms.clamp(0.0, now)
        } else {
            now
        }
    }

    /// What our own script in the page says.
    fn told(&mut self, told: &Value) {
        let at_ms = self.page_time(told);
        match told["t"].as_str().unwrap_or_default() {
            "alive" if self.alive_ms.is_none() => {
                self.alive_ms = Some(at_ms);
                self.seen.alive.after_interaction = self.nudged;
            }
            "error" => self.seen.alive.error = cut(text(told, "text"), MOST_NAME),
            "launcher" => {
                self.shown = told["shown"].as_bool().unwrap_or(false);
                if self.shown {
                    self.launcher_ms.get_or_insert(at_ms);
                } else if self.launcher_ms.is_some() {
                    let launcher = self.seen.launcher.get_or_insert_with(Launcher::default);
                    launcher.lost_ms.get_or_insert(at_ms);
                }
            }
            "cookies" => {
                let host = text(told, "host");
                for name in told["names"].as_array().into_iter().flatten() {
                    let name = name.as_str().unwrap_or_default();
                    self.cookie(&host, name, at_ms);
                }
            }
            _ => {}
        }
    }

    pub(super) fn cookie(&mut self, host: &str, name: &str, at_ms: f64) {
        if self.cookies.len() < MOST_REQUESTS {
            let key = (host.to_string(), cut(name.to_string(), MOST_NAME));
            self.cookies.entry(key).or_insert(at_ms);
        }
    }

    /// When a cookie of a domain was first seen to come.
    pub fn cookie_came(&self, domain: &str, name: &str) -> Option<f64> {
        let bare = domain.trim_start_matches('.');
        let same = |host: &str| host == bare || host.ends_with(&format!(".{bare}"));
        let came = self
            .cookies
            .iter()
            .filter(|((h, n), _)| n == name && same(h));
        came.map(|(_, at)| *at).min_by(f64::total_cmp)
    }

    /// Where the debugger stopped the page.
    pub fn paused(&mut self, p: &Value) {
        let frame = &p["callFrames"][0];
        let line = frame["location"]["lineNumber"].as_u64();
        let script = text(&frame["location"], "scriptId");
        let url = self.scripts.get(&script).cloned();
        self.held_at = Some((
            url.unwrap_or_else(|| short(frame, "url")),
            cut(text(frame, "functionName"), MOST_NAME),
            line.map(|l| l as u32 + 1),
        ));
    }

    fn is_main(&self, session: &str) -> bool {
        self.sessions.first().is_some_and(|(s, _)| s == session)
    }

    /// Keeps a cookie or a storage entry, once.
    pub fn store(&mut self, mut item: Stored) {
        item.name = cut(item.name, MOST_NAME);
        item.place = cut(item.place, MOST_NAME);
        let same = |s: &Stored| s.kind == item.kind && s.place == item.place && s.name == item.name;
        if self.seen.stored.len() < MOST_REQUESTS && !self.seen.stored.iter().any(same) {
            self.seen.stored.push(item);
        }
    }

    fn navigated(&mut self, p: &Value) {
        let frame = &p["frame"];
        let url = short(frame, "url");
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
        self.alive_ms = None;
        self.launcher_ms = None;
        self.shown = false;
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
                text: cut(words, MOST_TEXT),
                url: cut(url, MOST_ADDRESS),
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
            text: cut(words, MOST_TEXT),
            url: cut(url, MOST_ADDRESS),
            line: line_of(d, "lineNumber"),
            stack,
            at_ms,
        });
    }
}

/// Response headers that say something about widgets.
pub(super) const KEPT: &[&str] = &[
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
        .map(|f| short(f, "url"))
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

/// A text cut to a bound, in bytes. A NUL is replaced: no database keeps it.
pub(super) fn cut(mut words: String, most: usize) -> String {
    words.truncate(words.floor_char_boundary(most));
    if words.contains('\0') {
        words = words.replace('\0', "\u{fffd}");
    }
    words
}

/// An address, cut to a bound.
pub(super) fn short(value: &Value, name: &str) -> String {
    cut(text(value, name), MOST_ADDRESS)
}

fn all_looks(look: Look) -> Looks {
    Looks {
        document: look,
        load: look,
        alive: look,
        launcher: look,
        stays: look,
        opening: look,
        closing: look,
        keyboard: look,
        consent_act: look,
        storage: look,
        final_document: look,
    }
}

/// Header values repeated in one answer come joined by line feeds.
pub(super) fn headers_of(response: &Value) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for (name, value) in response["headers"].as_object().into_iter().flatten() {
        for part in value.as_str().unwrap_or_default().split('\n') {
            if out.len() < MOST_HEADERS {
                let name = cut(name.to_lowercase(), MOST_NAME);
                out.push((name, cut(part.to_string(), MOST_HEADER)));
            }
        }
    }
    out
}
