//! A page in a context of its own: opened, set up, closed.

use super::collector::{Collector, text};
use super::emulation::{Identity, commands};
use super::failure;
use super::pump::{Pump, set_up};
pub(super) use super::scripts::Scripts;
use crate::ProbeError;
use crate::browser::Browser;
use crate::cdp::Cdp;
use crate::pace::{self, Timer};
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{
    Condition, ConsentAct, FailureKind, NetFailure, NotCheckedReason, Observation, Viewport,
    Withheld,
};
use serde_json::json;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::Notify;
use url::Url;

/// Opening an empty page is our own doing: a busy machine gets more time for it.
const OPEN_MS: u64 = 20_000;

/// One page being visited.
pub struct Tab {
    /// Connection of the debugging protocol.
    pub cdp: Cdp,
    /// The page's session in it.
    pub session: String,
    pub(super) context: String,
    pub(super) target: String,
    state: Arc<Mutex<Collector>>,
    changed: Arc<Notify>,
    pump: tokio::task::JoinHandle<()>,
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

    /// Returns what was seen so far.
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

    /// Returns whether nothing more can come.
    pub fn is_over(&self) -> bool {
        self.with(|s| s.over)
    }

    /// The supplier's sign is true.
    pub fn is_alive(&self) -> bool {
        self.with(|s| s.alive())
    }

    /// Returns whether its launcher was visible at the last look.
    pub(super) fn is_shown_now(&self) -> bool {
        self.with(|s| s.shown)
    }

    /// Forgets the launcher's visibility: what was visible before says nothing of now.
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

    /// ms since a moment of the visit, without those that the machine kept from the browser.
    pub(super) fn spent_ms(&self, since_ms: f64) -> f64 {
        let since = Duration::from_secs_f64(since_ms.max(0.0) / 1000.0);
        let since = self.with(|s| s.began).map(|began| began + since);
        since.map_or(0.0, |at| pace::spent_since(at).as_secs_f64() * 1000.0)
    }

    /// Returns what the machine kept from the visit so far.
    pub(super) fn withheld(&self) -> Withheld {
        let (began, late) = self.with(|s| (s.began, s.late_beats.clone()));
        let withheld = began.map(|began| pace::withheld(began, &late));
        withheld.unwrap_or_default()
    }

    /// Returns how long the page may still keep us waiting for an answer: to its limit, and a
    /// little.
    pub(super) fn patience_ms(&self) -> u64 {
        let limit = self.with(|s| s.page_limit_ms);
        (limit - self.spent_ms(0.0)).max(3_000.0) as u64
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

    /// Goes to another page, or to the same again, with what the browser has kept. False where it
    /// did not come in its time.
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

    /// Puts a document in place of what the address answers; everything else comes from the
    /// network.
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

    /// Returns the number of requests seen.
    pub fn requests_so_far(&self) -> usize {
        self.with(|s| s.seen.requests.len())
    }

    /// Waits for a state that events bring about; time in which the machine kept the browser from
    /// running does not count.
    pub async fn wait_until(
        &self,
        longest: Duration,
        reached: impl Fn(&Collector) -> bool,
    ) -> bool {
        let timer = Timer::new(longest);
        loop {
            let notified = self.changed.notified();
            tokio::pin!(notified);
            notified.as_mut().enable();
            if self.with(|s| reached(s)) {
                return true;
            }
            let left = timer.left();
            if left.is_zero() {
                return self.with(|s| reached(s));
            }
            // Told, or to see whether the timer has run out.
            let _ = tokio::time::timeout(left, notified).await;
        }
    }

    /// Ends the visit's looks that had not come to an end, for one reason.
    pub(super) fn close_looks(&self, why: NotCheckedReason) {
        self.with(|s| s.close_looks(why));
    }

    /// Closes the page and its context; a hung page does not keep us.
    pub async fn close(self) {
        let target = json!({"targetId": self.target});
        let _ = self.cdp.call("", "Target.closeTarget", target, 1000).await;
    }
}
