//! A page in a context of its own: opened, set up, closed.

use super::collector::{Collector, text};
use super::emulation::{Identity, commands};
use super::failure;
use super::pump::{Pump, set_up};
use crate::ProbeError;
use crate::browser::Browser;
use crate::cdp::Cdp;
use newtfern_core::observation::{
    Condition, ConsentAct, FailureKind, NetFailure, Observation, Unlooked, Viewport,
};
use newtfern_core::profile::Supplier;
use serde_json::{Value, json};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::Notify;
use url::Url;

const TOOLS: &str = include_str!("../page/tools.js");
const WATCH: &str = include_str!("../page/watch.js");
/// Global Privacy Control as pages ask for it.
const GPC: &str = "Object.defineProperty(Navigator.prototype, 'globalPrivacyControl', \
    { get: () => true, configurable: true, enumerable: true });";
const SIGN: &str = include_str!("../page/sign.js");
/// The world of our own scripts.
pub(super) const WORLD: &str = "newtfern";
/// Opening an empty page is our own doing: a busy machine gets more time for it.
const OPEN_MS: u64 = 20_000;

/// One page being visited.
pub struct Tab {
    /// The browser's protocol.
    pub cdp: Cdp,
    /// The page's session in it.
    pub session: String,
    pub(super) context: String,
    pub(super) target: String,
    state: Arc<Mutex<Collector>>,
    changed: Arc<Notify>,
    pump: tokio::task::JoinHandle<()>,
}

/// Scripts that run in every document before the page's own.
pub struct Scripts {
    ours: String,
    /// In the page's own world: the supplier's sign.
    sign: Option<String>,
    /// Watch for who holds the thread.
    debug: bool,
    /// The browser asks for privacy.
    gpc: bool,
}

impl Scripts {
    /// Without a supplier nothing is watched: the page's own figures only.
    fn new(supplier: Option<&Supplier>, gpc: bool) -> Scripts {
        let event = format!("nf{:x}", rand::random::<u128>());
        let watch = match supplier {
            Some(s) => json!({"launcher": s.alive.launcher, "event": event}),
            None => Value::Null,
        };
        let watch = WATCH.replace("__WATCH__", &watch.to_string());
        let sign = supplier
            .map(|s| s.alive.script.trim())
            .filter(|s| !s.is_empty());
        Scripts {
            ours: format!("{TOOLS}\n{watch}"),
            sign: sign.map(|s| SIGN.replace("__EVENT__", &event).replace("__SIGN__", s)),
            debug: supplier.is_some(),
            gpc,
        }
    }

    /// Sends them to a session; they run in its next document.
    pub(super) fn install(&self, cdp: &Cdp, session: &str) {
        let binding = json!({"name": "nfTell", "executionContextName": WORLD});
        cdp.send(session, "Runtime.addBinding", binding);
        let ours = json!({"source": self.ours, "worldName": WORLD, "runImmediately": true});
        cdp.send(session, "Page.addScriptToEvaluateOnNewDocument", ours);
        if let Some(sign) = &self.sign {
            let sign = json!({"source": sign});
            cdp.send(session, "Page.addScriptToEvaluateOnNewDocument", sign);
        }
        if self.gpc {
            // https://w3c.github.io/gpc/: a header of every request, and a property that is true.
            let header = json!({"headers": {"Sec-GPC": "1"}});
            cdp.send(session, "Network.setExtraHTTPHeaders", header);
            let property = json!({"source": GPC, "runImmediately": true});
            cdp.send(session, "Page.addScriptToEvaluateOnNewDocument", property);
        }
        if self.debug {
            // A thread that is held can be asked where only if the debugger listened before. The
            // page's own breakpoints do nothing.
            cdp.send(session, "Debugger.enable", json!({}));
            let off = json!({"active": false});
            cdp.send(session, "Debugger.setBreakpointsActive", off);
        }
    }
}

impl Drop for Tab {
    fn drop(&mut self) {
        self.pump.abort();
        self.cdp.forget(&self.session);
        // A visit that was dropped half-way leaves no context behind.
        let context = json!({"browserContextId": self.context});
        self.cdp.send("", "Target.disposeBrowserContext", context);
    }
}

/// An empty page in a context of its own: context, target and session.
async fn blank(cdp: &Cdp, viewport: Viewport) -> Result<(String, String, String), ProbeError> {
    let dispose = json!({"disposeOnDetach": true});
    let context = cdp
        .call("", "Target.createBrowserContext", dispose, OPEN_MS)
        .await?;
    let context = text(&context, "browserContextId");
    let deny = json!({"behavior": "deny", "browserContextId": context});
    cdp.send("", "Browser.setDownloadBehavior", deny);
    let (width, height) = viewport.size();
    let blank = json!({
        "url": "about:blank", "browserContextId": context, "width": width, "height": height,
    });
    let target = cdp.call("", "Target.createTarget", blank, OPEN_MS).await?;
    let target = text(&target, "targetId");
    let attach = json!({"targetId": target, "flatten": true});
    let session = cdp
        .call("", "Target.attachToTarget", attach, OPEN_MS)
        .await?;
    Ok((context, target, text(&session, "sessionId")))
}

impl Tab {
    /// Opens an empty page. With a supplier, its sign and launcher are watched from the first
    /// document on.
    ///
    /// # Errors
    /// Where the browser is gone or does not answer.
    pub async fn open(
        browser: &Browser,
        viewport: Viewport,
        supplier: Option<&Supplier>,
    ) -> Result<Tab, ProbeError> {
        let condition = Condition {
            viewport,
            ..Condition::default()
        };
        Tab::open_as(browser, &condition, supplier).await
    }

    /// The same as the visitor of a condition: with their language and what their browser asks for.
    ///
    /// # Errors
    /// Where the browser is gone or does not answer.
    pub async fn open_as(
        browser: &Browser,
        condition: &Condition,
        supplier: Option<&Supplier>,
    ) -> Result<Tab, ProbeError> {
        let viewport = condition.viewport;
        let cdp = browser.cdp.clone();
        let (context, target, session) = blank(&cdp, viewport).await?;
        let events = cdp.listen(&session);
        let state = Collector {
            sessions: vec![(session.clone(), target.clone())],
            // A page's target id is its main frame's id.
            main_frame: target.clone(),
            ..Collector::default()
        };
        let state = Arc::new(Mutex::new(state));
        let changed = Arc::new(Notify::new());
        let scripts = Arc::new(Scripts::new(supplier, condition.consent == ConsentAct::Gpc));
        let pump = Pump {
            cdp: cdp.clone(),
            state: state.clone(),
            changed: changed.clone(),
            proxy: browser.proxy.failures(),
            scripts: scripts.clone(),
        };
        let tab = Tab {
            cdp,
            session,
            context,
            target,
            state,
            changed,
            pump: tokio::spawn(pump.run(events)),
        };
        let who = Identity {
            product: &browser.version,
            agent: &browser.user_agent,
        };
        for (method, params) in commands(condition, &who) {
            tab.cdp.send(&tab.session, method, params);
        }
        set_up(&tab.cdp, &tab.session, true);
        scripts.install(&tab.cdp, &tab.session);
        // The last of the set-up commands answers after all before it.
        let tree = tab
            .cdp
            .call(&tab.session, "Page.getFrameTree", json!({}), OPEN_MS)
            .await?;
        tab.with(|s| s.main_frame = text(&tree["frameTree"]["frame"], "id"));
        Ok(tab)
    }

    pub(super) fn with<T>(&self, change: impl FnOnce(&mut Collector) -> T) -> T {
        change(&mut self.state.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// What was seen so far.
    pub fn observation(&self) -> Observation {
        self.with(|s| {
            let mut seen = s.seen.clone();
            if let (Some(popup), Some(operation)) = (&s.popup, seen.operation.as_mut()) {
                operation.new_window.get_or_insert_with(|| popup.clone());
            }
            seen
        })
    }

    /// Notes something in the observation.
    pub fn mark(&self, change: impl FnOnce(&mut Observation)) {
        self.with(|s| change(&mut s.seen));
    }

    /// Bodies of answers from these hosts are kept.
    pub fn keep_bodies(&self, hosts: Vec<String>) {
        self.with(|s| s.keep_bodies = hosts);
    }

    /// Nothing more can come.
    pub fn is_over(&self) -> bool {
        self.with(|s| s.over)
    }

    /// The supplier's sign is true.
    pub fn is_alive(&self) -> bool {
        self.with(|s| s.alive())
    }

    /// Its launcher was visible at the last look.
    pub(super) fn is_shown_now(&self) -> bool {
        self.with(|s| s.shown)
    }

    /// What was visible before says nothing of now.
    pub(super) fn forget_shown(&self) {
        self.with(|s| s.shown = false);
    }

    /// Alive and its launcher visible.
    pub fn is_up(&self) -> bool {
        self.with(|s| s.alive() && s.shown)
    }

    /// ms since the navigation began.
    pub fn now_ms(&self) -> f64 {
        self.with(|s| s.now_ms())
    }

    /// How long the page may still keep us waiting for an answer: to its limit, and a little.
    pub(super) fn patience_ms(&self) -> u64 {
        self.with(|s| (s.page_limit_ms - s.now_ms()).max(3_000.0) as u64)
    }

    /// Starts loading; the page has until `ms`. False where nothing came, with the reason in the
    /// observation.
    ///
    /// # Errors
    /// Where the browser is gone.
    pub async fn goto(&self, url: &Url, ms: u64) -> Result<bool, ProbeError> {
        self.with(|s| s.begin(ms as f64));
        let navigate = json!({"url": url.as_str()});
        let answer = self
            .cdp
            .call(&self.session, "Page.navigate", navigate, ms)
            .await;
        let answer = match answer {
            Ok(answer) => answer,
            // A server that answers nothing keeps this command waiting too.
            Err(ProbeError::Silent { .. }) => {
                self.mark(|o| {
                    let text = "the page did not arrive in its time";
                    o.page.failure.get_or_insert_with(|| failure::timeout(text));
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
        let told = |s: &Collector| s.seen.page.failure.is_some();
        self.wait_until(Duration::from_millis(500), told).await;
        self.with(|s| {
            s.seen.page.failure.get_or_insert(NetFailure {
                kind: FailureKind::Other,
                text: error,
            });
            Ok(s.seen.page.status.is_some())
        })
    }

    /// Goes to another page, or to the same again, with what the browser has kept. False where it did not
    /// come in its time.
    ///
    /// # Errors
    /// Where the browser is gone.
    pub async fn go_on(&self, url: &Url, ms: u64) -> Result<bool, ProbeError> {
        let from_ms = self.now_ms();
        let address = json!({"url": url.as_str()});
        let asked = self.cdp.call(&self.session, "Page.navigate", address, ms);
        match asked.await {
            // A page that answers nothing tells as much as one that is empty.
            Ok(_) | Err(ProbeError::Silent { .. }) => {}
            Err(other) => return Err(other),
        }
        let moved = |s: &Collector| s.seen.navigations.iter().any(|n| n.at_ms >= from_ms);
        let arrived = Duration::from_millis(ms);
        Ok(self
            .wait_until(arrived, |s| s.over || (s.loaded && moved(s)))
            .await)
    }

    /// From now on this document is what the address answers; everything else comes from the network.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn put_in_place(&self, url: &Url, html: &str) -> Result<(), ProbeError> {
        self.with(|s| s.instead = Some(html.to_string()));
        // In a pattern of the protocol these stand for others.
        let pattern = url.as_str().replace('\\', "\\\\");
        let pattern = pattern.replace('*', "\\*").replace('?', "\\?");
        let patterns = json!({"patterns": [{"urlPattern": pattern, "resourceType": "Document"}]});
        self.call("Fetch.enable", patterns).await?;
        Ok(())
    }

    /// How many requests were seen.
    pub fn requests_so_far(&self) -> usize {
        self.with(|s| s.seen.requests.len())
    }

    /// Waits for a state that events bring about.
    pub async fn wait_until(
        &self,
        longest: Duration,
        reached: impl Fn(&Collector) -> bool,
    ) -> bool {
        let deadline = Instant::now() + longest;
        loop {
            let notified = self.changed.notified();
            tokio::pin!(notified);
            notified.as_mut().enable();
            if self.with(|s| reached(s)) {
                return true;
            }
            let left = deadline.saturating_duration_since(Instant::now());
            if left.is_zero() || tokio::time::timeout(left, notified).await.is_err() {
                return self.with(|s| reached(s));
            }
        }
    }

    /// Ends the visit's looks that had not come to an end, for one reason.
    pub(super) fn close_looks(&self, why: Unlooked) {
        self.with(|s| s.close_looks(why));
    }

    /// Closes the page and its context; a hung page does not keep us.
    pub async fn close(self) {
        let target = json!({"targetId": self.target});
        let _ = self.cdp.call("", "Target.closeTarget", target, 1000).await;
    }
}
