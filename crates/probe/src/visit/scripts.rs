//! Our own scripts in a page.

use crate::cdp::Cdp;
use newtfern_model::profile::Supplier;
use serde_json::{Value, json};

const TOOLS: &str = include_str!("../page/tools.js");
const WATCH: &str = include_str!("../page/watch.js");
/// Global Privacy Control as pages ask for it.
const GPC: &str = "Object.defineProperty(Navigator.prototype, 'globalPrivacyControl', \
    { get: () => true, configurable: true, enumerable: true });";
const SIGN: &str = include_str!("../page/sign.js");
/// The world of our own scripts.
pub(super) const WORLD: &str = "newtfern";

/// Scripts that run in every document before the page's own.
pub struct Scripts {
    ours: String,
    /// Script in the page's own world that reads the supplier's sign.
    sign: Option<String>,
    /// Watch for who holds the thread.
    debug: bool,
    /// The browser asks for privacy.
    gpc: bool,
}

impl Scripts {
    /// Without a supplier nothing is watched: the page's own figures only.
    pub(super) fn new(supplier: Option<&Supplier>, gpc: bool) -> Scripts {
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
