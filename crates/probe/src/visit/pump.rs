//! Takes the events of a page tree, in their order, into the collector, and answers those that want
//! an answer at once.

use super::collector::{Collector, text};
use crate::cdp::{Cdp, Event};
use crate::proxy::Failures;
use crate::visit::body::body_text;
use crate::visit::scripts::Scripts;
use base64::Engine;
use base64::prelude::BASE64_STANDARD as BASE64;
use newtfern_standards::observation::LeftOut;
use serde_json::json;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::Notify;
use tokio::sync::mpsc::UnboundedReceiver;

/// State of the pump.
pub struct Pump {
    pub cdp: Cdp,
    pub state: Arc<Mutex<Collector>>,
    pub changed: Arc<Notify>,
    pub proxy: Failures,
    pub scripts: Arc<Scripts>,
}

/// Bodies of the supplier's answers are kept up to this.
const MOST_BODY: usize = 64_000;

/// Domains and auto-attachment of one session.
pub fn set_up(cdp: &Cdp, session: &str, page: bool) {
    let buffers = json!({"maxTotalBufferSize": 50_000_000, "maxResourceBufferSize": 10_000_000});
    for (method, params) in [
        ("Network.enable", buffers),
        ("Runtime.enable", json!({})),
        ("Log.enable", json!({})),
        ("DOMStorage.enable", json!({})),
    ] {
        cdp.send(session, method, params);
    }
    if page {
        cdp.send(session, "Page.enable", json!({}));
    }
    let attach = json!({"autoAttach": true, "waitForDebuggerOnStart": true, "flatten": true});
    cdp.send(session, "Target.setAutoAttach", attach);
}

impl Pump {
    /// Until the page tree is gone.
    pub async fn run(self, mut events: UnboundedReceiver<Event>) {
        while let Some(event) = events.recv().await {
            match event.method.as_str() {
                "Target.attachedToTarget" => self.attached(&event),
                "Target.detachedFromTarget" => {
                    let child = text(&event.params, "sessionId");
                    self.with(|s| s.sessions.retain(|(session, _)| *session != child));
                }
                "Page.javascriptDialogOpening" => {
                    // A leaving question is accepted, or the page could not be closed.
                    let accept = json!({"accept": event.params["type"] == "beforeunload"});
                    self.cdp
                        .send(&event.session, "Page.handleJavaScriptDialog", accept);
                }
                "Fetch.requestPaused" => self.answer(&event),
                "Debugger.paused" => {
                    // Asked for by us or not: where it stood is noted, and on it goes.
                    self.with(|s| s.paused(&event.params));
                    self.cdp.send(&event.session, "Debugger.resume", json!({}));
                }
                _ => {
                    let wanted = self.with(|s| {
                        s.take(&event, &self.proxy);
                        std::mem::take(&mut s.wanted_bodies)
                    });
                    for (session, id, index) in wanted {
                        self.fetch_body(session, id, index);
                    }
                }
            }
            self.changed.notify_waiters();
        }
    }

    fn with<T>(&self, change: impl FnOnce(&mut Collector) -> T) -> T {
        change(&mut self.state.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn attached(&self, event: &Event) {
        let child = text(&event.params, "sessionId");
        let info = &event.params["targetInfo"];
        let (kind, target) = (text(info, "type"), text(info, "targetId"));
        let frame = kind == "iframe" || kind == "page";
        set_up(&self.cdp, &child, frame);
        if frame {
            self.scripts.install(&self.cdp, &child);
            self.with(|s| s.attach(child.clone(), target));
        }
        self.cdp
            .send(&child, "Runtime.runIfWaitingForDebugger", json!({}));
    }

    /// A request that was stopped on its way gets our own document.
    fn answer(&self, event: &Event) {
        let html = self.with(|s| s.instead.clone()).unwrap_or_default();
        let whole = json!({
            "requestId": event.params["requestId"], "responseCode": 200,
            "responseHeaders": [{"name": "Content-Type", "value": "text/html; charset=utf-8"}],
            "body": BASE64.encode(html),
        });
        self.cdp.send(&event.session, "Fetch.fulfillRequest", whole);
    }

    fn fetch_body(&self, session: String, id: String, index: usize) {
        let (cdp, state) = (self.cdp.clone(), self.state.clone());
        tokio::spawn(async move {
            let asked = json!({"requestId": id});
            let answer = cdp.call(&session, "Network.getResponseBody", asked, 3000);
            if let Ok(answer) = answer.await {
                let mut body = body_text(&answer);
                body.truncate(body.floor_char_boundary(MOST_BODY));
                let mut s = state.lock().unwrap_or_else(PoisonError::into_inner);
                if s.room(LeftOut::Answers, &body)
                    && let Some(r) = s.seen.requests.get_mut(index)
                {
                    r.body = Some(body);
                }
            }
        });
    }
}
