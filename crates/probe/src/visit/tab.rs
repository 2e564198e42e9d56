//! A page in a context of its own: opened, set up, asked, worked, closed.

use super::collector::{State, text};
use super::{emulation, failure};
use crate::ProbeError;
use crate::browser::Browser;
use crate::cdp::{Cdp, Event};
use newtfern_core::observation::{Launcher, Observation, Rect, Stored, Viewport};
use newtfern_core::profile::Supplier;
use serde_json::{Value, json};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use tokio::sync::Notify;
use url::Url;

const TOOLS: &str = include_str!("../page/tools.js");
const WATCH: &str = include_str!("../page/watch.js");
/// One evaluation may take this long before the page counts as hung.
const ANSWER_MS: u64 = 5000;
/// Opening an empty page is our own doing: a busy machine gets more time for it.
const OPEN_MS: u64 = 20_000;

pub struct Tab {
    pub cdp: Cdp,
    pub session: String,
    context: String,
    target: String,
    state: Arc<Mutex<State>>,
    changed: Arc<Notify>,
    pump: tokio::task::JoinHandle<()>,
}

/// Where something is on the page, found in the page itself or in one of its frames.
pub struct Found {
    pub rect: Rect,
    pub shown: bool,
    pub text: String,
    /// The session whose document holds it.
    pub session: String,
}

impl Drop for Tab {
    fn drop(&mut self) {
        self.pump.abort();
        self.cdp.forget(&self.session);
        // A visit that was dropped half-way leaves no context behind.
        self.cdp.send(
            "",
            "Target.disposeBrowserContext",
            json!({"browserContextId": self.context}),
        );
    }
}

impl Tab {
    pub async fn open(browser: &Browser, viewport: Viewport) -> Result<Tab, ProbeError> {
        let cdp = browser.cdp.clone();
        let context = text(
            &cdp.call(
                "",
                "Target.createBrowserContext",
                json!({"disposeOnDetach": true}),
                OPEN_MS,
            )
            .await?,
            "browserContextId",
        );
        cdp.send(
            "",
            "Browser.setDownloadBehavior",
            json!({"behavior": "deny", "browserContextId": context}),
        );
        let (width, height) = viewport.size();
        let target = text(
            &cdp.call("", "Target.createTarget", json!({"url": "about:blank", "browserContextId": context, "width": width, "height": height}), OPEN_MS)
                .await?,
            "targetId",
        );
        let session = text(
            &cdp.call(
                "",
                "Target.attachToTarget",
                json!({"targetId": target, "flatten": true}),
                OPEN_MS,
            )
            .await?,
            "sessionId",
        );
        let events = cdp.listen(&session);
        let state = Arc::new(Mutex::new(State {
            sessions: vec![(session.clone(), target.clone())],
            ..State::default()
        }));
        let changed = Arc::new(Notify::new());
        let pump = tokio::spawn(pump(
            events,
            cdp.clone(),
            state.clone(),
            changed.clone(),
            browser.proxy.failures(),
        ));
        let tab = Tab {
            cdp,
            session,
            context,
            target,
            state,
            changed,
            pump,
        };
        let tree = tab
            .cdp
            .call(&tab.session, "Page.getFrameTree", json!({}), OPEN_MS)
            .await?;
        tab.with(|s| s.main_frame = text(&tree["frameTree"]["frame"], "id"));
        for (method, params) in emulation(viewport, &browser.user_agent) {
            tab.cdp.call(&tab.session, method, params, OPEN_MS).await?;
        }
        set_up(&tab.cdp, &tab.session, true);
        // The last of the set-up commands answers after all before it.
        tab.cdp
            .call(
                &tab.session,
                "Page.addScriptToEvaluateOnNewDocument",
                json!({"source": WATCH}),
                OPEN_MS,
            )
            .await?;
        Ok(tab)
    }

    fn with<T>(&self, change: impl FnOnce(&mut State) -> T) -> T {
        let mut state = self
            .state
            .lock()
            .unwrap_or_else(std::sync::PoisonError::into_inner);
        change(&mut state)
    }

    pub fn observation(&self) -> Observation {
        self.with(|s| {
            let mut seen = s.seen.clone();
            if let (Some(popup), Some(operation)) = (&s.popup, seen.operation.as_mut()) {
                operation.new_window.get_or_insert_with(|| popup.clone());
            }
            seen
        })
    }

    pub fn mark(&self, change: impl FnOnce(&mut Observation)) {
        self.with(|s| change(&mut s.seen));
    }

    pub fn keep_bodies(&self, hosts: Vec<String>) {
        self.with(|s| s.keep_bodies = hosts);
    }

    pub fn is_over(&self) -> bool {
        self.with(|s| s.over)
    }

    pub fn is_alive(&self) -> bool {
        self.with(|s| s.alive)
    }

    /// Alive and its launcher visible.
    pub fn is_up(&self) -> bool {
        self.with(|s| s.alive && s.up)
    }

    pub fn document_arrived(&self) -> bool {
        self.with(|s| s.document_done && s.seen.page.status.is_some())
    }

    pub fn popup(&self) -> Option<String> {
        self.with(|s| s.popup.clone())
    }

    pub fn note_nudge(&self) {
        self.with(|s| s.nudged = true);
    }

    pub fn note_watched(&self) {
        self.with(|s| s.seen.alive.watched_ms = s.now_ms());
    }

    pub fn now_ms(&self) -> f64 {
        self.with(|s| s.now_ms())
    }

    pub async fn call(&self, method: &str, params: Value) -> Result<Value, ProbeError> {
        self.cdp
            .call(&self.session, method, params, ANSWER_MS)
            .await
    }

    /// Starts loading. False where nothing came, with the reason in the observation.
    pub async fn goto(&self, url: &Url, ms: u64) -> Result<bool, ProbeError> {
        self.with(|s| {
            s.began = Some(Instant::now());
            s.began_wall_s = std::time::SystemTime::now()
                .duration_since(std::time::UNIX_EPOCH)
                .map_or(0.0, |d| d.as_secs_f64());
        });
        let answer = match self
            .cdp
            .call(
                &self.session,
                "Page.navigate",
                json!({"url": url.as_str()}),
                ms,
            )
            .await
        {
            Ok(answer) => answer,
            // A server that answers nothing keeps this command waiting too.
            Err(ProbeError::Silent { .. }) => {
                self.mark(|o| {
                    o.page.failure = Some(failure::timeout("the page did not arrive in its time"))
                });
                return Ok(false);
            }
            Err(other) => return Err(other),
        };
        let error = text(&answer, "errorText");
        if error.is_empty() {
            return Ok(true);
        }
        // The event of the failed request follows the answer; it carries the cause.
        self.wait_until(Duration::from_millis(500), |s| {
            s.seen.page.failure.is_some()
        })
        .await;
        self.with(|s| {
            if s.seen.page.failure.is_none() {
                s.seen.page.failure = Some(newtfern_core::observation::NetFailure {
                    kind: newtfern_core::observation::FailureKind::Other,
                    text: error,
                });
            }
        });
        Ok(self.with(|s| s.seen.page.status.is_some()))
    }

    /// Waits for a state that events bring about.
    pub async fn wait_until(&self, longest: Duration, reached: impl Fn(&State) -> bool) -> bool {
        let deadline = Instant::now() + longest;
        loop {
            let notified = self.changed.notified();
            if self.with(|s| reached(s)) {
                return true;
            }
            let left = deadline.saturating_duration_since(Instant::now());
            if left.is_zero() || tokio::time::timeout(left, notified).await.is_err() {
                return self.with(|s| reached(s));
            }
        }
    }

    /// Reads the delivered document's bytes.
    pub async fn fetch_document(&self) {
        let (session, id) = self.with(|s| (s.document_session.clone(), s.document_id.clone()));
        if let Ok(body) = self
            .cdp
            .call(
                &session,
                "Network.getResponseBody",
                json!({"requestId": id}),
                ANSWER_MS,
            )
            .await
        {
            let mut html = body_text(&body);
            let cut = html.len() > 2_000_000;
            html.truncate(html.floor_char_boundary(2_000_000));
            self.mark(|o| {
                o.page.html = html;
                o.page.html_cut = cut;
            });
        }
    }

    /// Evaluates in the page, with the helpers at hand; gives the value as JSON.
    pub async fn evaluate(&self, expression: &str) -> Result<Value, ProbeError> {
        self.evaluate_in(&self.session, expression).await
    }

    pub async fn evaluate_in(&self, session: &str, expression: &str) -> Result<Value, ProbeError> {
        let source = format!("(() => {{ {TOOLS}\n return {expression}; }})()");
        let answer = self
            .cdp
            .call(
                session,
                "Runtime.evaluate",
                json!({"expression": source, "returnByValue": true, "silent": true}),
                ANSWER_MS,
            )
            .await?;
        if !answer["exceptionDetails"].is_null() {
            let message = answer["exceptionDetails"]["exception"]["description"]
                .as_str()
                .unwrap_or("the page threw")
                .to_string();
            return Err(ProbeError::Command {
                method: "Runtime.evaluate".into(),
                message,
            });
        }
        Ok(answer["result"]["value"].clone())
    }

    /// Looks once for the sign of life and the launcher. True when both are there.
    pub async fn look(&self, supplier: &Supplier) -> Result<bool, ProbeError> {
        let script = if supplier.alive.script.trim().is_empty() {
            "null"
        } else {
            &supplier.alive.script
        };
        let selector = Value::from(supplier.alive.launcher.clone());
        let read = self
            .evaluate(&format!("(() => {{ let alive = null, error = ''; try {{ alive = !!({script}); }} catch (e) {{ error = String(e); }} const el = nf.pick({selector}); return {{alive, error, there: !!el, shown: !!el && nf.visible(el)}}; }})()"))
            .await;
        let read = match read {
            Ok(read) => read,
            // A page that moves on between two looks is no error.
            Err(ProbeError::Command { .. }) => return Ok(false),
            Err(other) => return Err(other),
        };
        Ok(self.with(|s| {
            let now = s.now_ms();
            let shown = read["shown"].as_bool().unwrap_or(false);
            let alive = read["alive"].as_bool().unwrap_or(shown);
            s.seen.alive.error = text(&read, "error");
            if alive && s.seen.alive.at_ms.is_none() {
                s.seen.alive.at_ms = Some(now);
                s.seen.alive.after_interaction = s.nudged;
            }
            s.alive |= alive;
            let wanted = !supplier.alive.launcher.is_empty();
            if shown {
                s.seen
                    .launcher
                    .get_or_insert_with(Launcher::default)
                    .seen_ms
                    .get_or_insert(now);
            } else if let Some(l) = s.seen.launcher.as_mut()
                && l.seen_ms.is_some()
            {
                l.lost_ms.get_or_insert(now);
            }
            s.up = shown || !wanted;
            // Once seen it counts as come, even if it goes again: that is watched for.
            s.alive
                && (shown
                    || !wanted
                    || s.seen
                        .launcher
                        .as_ref()
                        .is_some_and(|l| l.seen_ms.is_some()))
        }))
    }

    /// Takes what was read at the end into the observation.
    pub fn settle(&self, read: &Value, selector: &str, name: (String, String)) {
        self.with(|s| {
            s.seen.final_html = text(read, "html");
            s.seen.layout = read["view"][0]
                .as_f64()
                .zip(read["view"][1].as_f64())
                .filter(|(w, h)| *w > 0.0 && *h > 0.0);
            let seen = &read["seen"];
            s.seen.violations =
                serde_json::from_value(seen["violations"].clone()).unwrap_or_default();
            s.seen.fixed = serde_json::from_value(read["fixed"].clone()).unwrap_or_default();
            let m = &mut s.seen.metrics;
            m.fcp_ms = seen["fcp"].as_f64();
            m.lcp_ms = seen["lcp"].as_f64();
            m.cls = seen["cls"].as_f64();
            m.load_ms = read["load"][0].as_f64().filter(|v| *v > 0.0);
            m.dcl_ms = read["load"][1].as_f64().filter(|v| *v > 0.0);
            m.tbt_ms = m.fcp_ms.map(|fcp| blocking(&seen["long"], fcp));
            if selector.is_empty() {
                return;
            }
            let mut launcher: Launcher =
                serde_json::from_value(read["launcher"].clone()).unwrap_or_default();
            let before = s.seen.launcher.take().unwrap_or_default();
            launcher.seen_ms = before.seen_ms;
            launcher.lost_ms = before.lost_ms;
            (launcher.name, launcher.role) = name;
            s.up = launcher.present && launcher.hidden_by.is_none() && launcher.rect.area() > 0.0;
            s.seen.launcher = Some(launcher);
        });
    }

    /// Accessible name and role of what the keyboard would reach in the launcher, as the browser computes them.
    pub async fn accessible(&self, selector: &str) -> (String, String) {
        let source = format!(
            "(() => {{ {TOOLS}\n const el = nf.pick({}); return el && (nf.focusTarget(el) || el); }})()",
            Value::from(selector)
        );
        let ask = async {
            let object = self
                .call(
                    "Runtime.evaluate",
                    json!({"expression": source, "silent": true}),
                )
                .await?;
            let id = object["result"]["objectId"].clone();
            let tree = self
                .call(
                    "Accessibility.getPartialAXTree",
                    json!({"objectId": id, "fetchRelatives": false}),
                )
                .await?;
            let node = &tree["nodes"][0];
            Ok::<_, ProbeError>((text(&node["name"], "value"), text(&node["role"], "value")))
        };
        let (name, role) = ask.await.unwrap_or_default();
        if name.is_empty() && role.to_lowercase().contains("iframe") {
            // The control is inside the frame.
            for session in self.child_sessions() {
                if let Ok(found) = self.evaluate_in(&session, "(() => { const el = document.querySelector('button,[role=button],a[href],[tabindex]'); return el ? (el.getAttribute('aria-label') || el.title || el.innerText || '').trim() : ''; })()").await
                    && let Some(found) = found.as_str().filter(|f| !f.is_empty())
                {
                    return (found.to_string(), role);
                }
            }
        }
        (name, role)
    }

    pub fn child_sessions(&self) -> Vec<String> {
        self.with(|s| {
            s.sessions
                .iter()
                .skip(1)
                .map(|(session, _)| session.clone())
                .collect()
        })
    }

    /// Finds an element in the page or in a frame of another site; the box is in page coordinates.
    pub async fn find(&self, selector: &str) -> Result<Option<Found>, ProbeError> {
        if selector.is_empty() {
            return Ok(None);
        }
        let expression = format!("nf.box({})", Value::from(selector));
        let here = found(
            &self.evaluate(&expression).await?,
            &self.session,
            (0.0, 0.0),
        );
        if here.as_ref().is_some_and(|f| f.shown) {
            return Ok(here);
        }
        let children: Vec<(String, String)> =
            self.with(|s| s.sessions.iter().skip(1).cloned().collect());
        for (session, target) in children {
            let Ok(value) = self.evaluate_in(&session, &expression).await else {
                continue;
            };
            if value.is_null() {
                continue;
            }
            let offset = self.frame_offset(&target).await;
            return Ok(found(&value, &session, offset));
        }
        Ok(here)
    }

    /// Top left of a frame's content in the page.
    async fn frame_offset(&self, target: &str) -> (f64, f64) {
        let ask = async {
            // A frame's target id is its frame id.
            let owner = self
                .call("DOM.getFrameOwner", json!({"frameId": target}))
                .await?;
            let model = self
                .call(
                    "DOM.getBoxModel",
                    json!({"backendNodeId": owner["backendNodeId"]}),
                )
                .await?;
            let quad = &model["model"]["content"];
            Ok::<_, ProbeError>((
                quad[0].as_f64().unwrap_or(0.0),
                quad[1].as_f64().unwrap_or(0.0),
            ))
        };
        ask.await.unwrap_or((0.0, 0.0))
    }

    pub async fn click(&self, x: f64, y: f64) -> Result<(), ProbeError> {
        let base = json!({"x": x, "y": y, "button": "left", "clickCount": 1});
        for kind in ["mouseMoved", "mousePressed", "mouseReleased"] {
            let mut params = base.clone();
            params["type"] = json!(kind);
            if kind == "mouseMoved" {
                params["button"] = json!("none");
            }
            self.call("Input.dispatchMouseEvent", params).await?;
        }
        Ok(())
    }

    pub async fn press(&self, key: &str) -> Result<(), ProbeError> {
        let (code, number, typed) = match key {
            "Enter" => ("Enter", 13, "\r"),
            " " => ("Space", 32, " "),
            "Tab" => ("Tab", 9, ""),
            other => (other, 27, ""),
        };
        for kind in ["keyDown", "keyUp"] {
            let mut params = json!({"type": kind, "key": key, "code": code, "windowsVirtualKeyCode": number, "nativeVirtualKeyCode": number});
            if kind == "keyDown" && !typed.is_empty() {
                params["text"] = json!(typed);
            }
            self.call("Input.dispatchKeyEvent", params).await?;
        }
        Ok(())
    }

    /// Keeps requests to these hosts from leaving.
    pub async fn withhold(&self, hosts: &[String]) -> Result<(), ProbeError> {
        if hosts.is_empty() {
            return Ok(());
        }
        let patterns: Vec<Value> = hosts
            .iter()
            .flat_map(|h| [format!("http://{h}:*/*"), format!("https://{h}:*/*")])
            .map(|p| json!({"urlPattern": p, "block": true}))
            .collect();
        self.call("Network.setBlockedURLs", json!({"urlPatterns": patterns}))
            .await
            .map(|_| ())
    }

    pub async fn picture(&self) -> Result<Vec<u8>, ProbeError> {
        let answer = self
            .cdp
            .call(
                &self.session,
                "Page.captureScreenshot",
                json!({"format": "png", "optimizeForSpeed": true}),
                8000,
            )
            .await?;
        decode(&text(&answer, "data"))
    }

    /// Cookies of the whole context, all hosts.
    pub async fn read_storage(&self) {
        let Ok(answer) = self
            .cdp
            .call(
                "",
                "Storage.getCookies",
                json!({"browserContextId": self.context}),
                ANSWER_MS,
            )
            .await
        else {
            return;
        };
        self.with(|s| {
            let at_ms = s.now_ms();
            for c in answer["cookies"].as_array().into_iter().flatten() {
                let expires_s = c["expires"].as_f64().filter(|e| *e > 0.0);
                s.store(Stored {
                    kind: "cookie".into(),
                    place: text(c, "domain"),
                    name: text(c, "name"),
                    length: text(c, "value").len(),
                    at_ms,
                    expires_s,
                });
            }
        });
    }

    /// Closes the page and its context; a hung page does not keep us.
    pub async fn close(self) {
        let _ = self
            .cdp
            .call(
                "",
                "Target.closeTarget",
                json!({"targetId": self.target}),
                1000,
            )
            .await;
        let _ = self
            .cdp
            .call(
                "",
                "Target.disposeBrowserContext",
                json!({"browserContextId": self.context}),
                2000,
            )
            .await;
    }
}

fn found(value: &Value, session: &str, offset: (f64, f64)) -> Option<Found> {
    let mut rect: Rect = serde_json::from_value(value["rect"].clone()).ok()?;
    rect.x += offset.0;
    rect.y += offset.1;
    Some(Found {
        rect,
        shown: value["shown"].as_bool().unwrap_or(false),
        text: text(value, "text"),
        session: session.to_string(),
    })
}

/// Total blocking time: of every long task after the first contentful paint, what exceeds 50 ms.
pub fn blocking(tasks: &Value, fcp_ms: f64) -> f64 {
    tasks
        .as_array()
        .into_iter()
        .flatten()
        .filter_map(|t| Some((t[0].as_f64()?, t[1].as_f64()?)))
        .map(|(start, duration)| (start + duration - start.max(fcp_ms)).min(duration))
        .map(|d| (d - 50.0).max(0.0))
        .sum()
}

fn body_text(answer: &Value) -> String {
    let body = text(answer, "body");
    if answer["base64Encoded"].as_bool().unwrap_or(false) {
        decode(&body)
            .map(|b| String::from_utf8_lossy(&b).into_owned())
            .unwrap_or_default()
    } else {
        body
    }
}

pub fn decode(text: &str) -> Result<Vec<u8>, ProbeError> {
    use base64::Engine;
    base64::engine::general_purpose::STANDARD
        .decode(text)
        .map_err(|e| ProbeError::Command {
            method: "base64".into(),
            message: e.to_string(),
        })
}

/// Domains and auto-attachment of one session.
fn set_up(cdp: &Cdp, session: &str, page: bool) {
    for (method, params) in [
        (
            "Network.enable",
            json!({"maxTotalBufferSize": 50_000_000, "maxResourceBufferSize": 10_000_000}),
        ),
        ("Runtime.enable", json!({})),
        ("Log.enable", json!({})),
        ("DOMStorage.enable", json!({})),
    ] {
        cdp.send(session, method, params);
    }
    if page {
        cdp.send(session, "Page.enable", json!({}));
    }
    cdp.send(
        session,
        "Target.setAutoAttach",
        json!({"autoAttach": true, "waitForDebuggerOnStart": true, "flatten": true}),
    );
}

async fn pump(
    mut events: tokio::sync::mpsc::UnboundedReceiver<Event>,
    cdp: Cdp,
    state: Arc<Mutex<State>>,
    changed: Arc<Notify>,
    proxy: crate::proxy::Failures,
) {
    while let Some(event) = events.recv().await {
        match event.method.as_str() {
            "Target.attachedToTarget" => {
                let child = text(&event.params, "sessionId");
                let kind = text(&event.params["targetInfo"], "type");
                let target = text(&event.params["targetInfo"], "targetId");
                let frame = kind == "iframe" || kind == "page";
                set_up(&cdp, &child, frame);
                if frame {
                    cdp.send(
                        &child,
                        "Page.addScriptToEvaluateOnNewDocument",
                        json!({"source": WATCH}),
                    );
                    if let Ok(mut s) = state.lock() {
                        s.sessions.push((child.clone(), target));
                    }
                }
                cdp.send(&child, "Runtime.runIfWaitingForDebugger", json!({}));
            }
            "Target.detachedFromTarget" => {
                let child = text(&event.params, "sessionId");
                if let Ok(mut s) = state.lock() {
                    s.sessions.retain(|(session, _)| *session != child);
                }
            }
            "Page.javascriptDialogOpening" => {
                // A leaving question is accepted, or the page could not be closed.
                let accept = event.params["type"] == "beforeunload";
                cdp.send(
                    &event.session,
                    "Page.handleJavaScriptDialog",
                    json!({"accept": accept}),
                );
            }
            _ => {
                let wanted = match state.lock() {
                    Ok(mut s) => {
                        s.take(&event, &proxy);
                        std::mem::take(&mut s.wanted_bodies)
                    }
                    Err(_) => Vec::new(),
                };
                for (session, id, index) in wanted {
                    let (cdp, state) = (cdp.clone(), state.clone());
                    tokio::spawn(async move {
                        if let Ok(answer) = cdp
                            .call(
                                &session,
                                "Network.getResponseBody",
                                json!({"requestId": id}),
                                3000,
                            )
                            .await
                        {
                            let mut body = body_text(&answer);
                            body.truncate(body.floor_char_boundary(64_000));
                            if let Ok(mut s) = state.lock()
                                && let Some(r) = s.seen.requests.get_mut(index)
                            {
                                r.body = Some(body);
                            }
                        }
                    });
                }
            }
        }
        changed.notify_waiters();
    }
}
