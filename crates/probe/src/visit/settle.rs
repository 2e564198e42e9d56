//! What is read of a page once its widget is there, or has been waited for: launcher, fixed
//! elements, figures, the document as it stands, cookies.

use super::closed_roots;
use super::collector::text;
use super::tab::Tab;
use crate::ProbeError;
use crate::pace::Timer;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{
    Launcher, LeftOut, Look, Presence, StorageKind, StoredItem, Violation,
};
use serde_json::{Value, json};
use std::time::Duration;

/// The document as it stands at the end is kept up to this.
const MOST_FINAL: usize = 1_500_000;

/// The page's figures and what its events told.
const FIGURES: &str = "({
    view: [innerWidth, innerHeight], seen: nfSeen,
    load: (() => {
        const n = performance.getEntriesByType('navigation')[0];
        return n ? [n.loadEventEnd, n.domContentLoadedEventEnd] : [0, 0];
    })(),
    sight: (() => {
        const v = window.visualViewport;
        return v && {x: v.offsetLeft, y: v.offsetTop, width: v.width, height: v.height};
    })(),
    wide: (() => {
        let widest = null, right = screen.width + 1;
        if (document.documentElement.scrollWidth <= right) return null;
        for (const el of [...document.querySelectorAll('body *')].slice(0, 5000)) {
            const r = el.getBoundingClientRect();
            if (r.width > 0 && r.right + scrollX >= right && getComputedStyle(el).position !== \
            'fixed')
                [widest, right] = [el, r.right + scrollX];
        }
        return widest && {element: nf.describe(widest), rect: nf.rect(widest)};
    })(),
})";

impl Tab {
    /// Looks once for the sign of life and the launcher, without having watched. True when both are
    /// there.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn look(&self, supplier: &Supplier) -> Result<bool, ProbeError> {
        let sign = self.sign(supplier).await?;
        if supplier.alive.launcher.contains(">>>") {
            match closed_roots::adopt(self, &supplier.alive.launcher).await {
                Ok(()) | Err(ProbeError::Command { .. }) => {}
                Err(other) => return Err(other),
            }
        }
        let selector = Value::from(supplier.alive.launcher.clone());
        let expression = format!(
            "(() => {{ const el = nf.pick({selector}); return !!el && nf.visible(el); }})()"
        );
        let shown = match self.evaluate(&expression).await {
            Ok(value) => value.as_bool().unwrap_or(false),
            // A page that moves on between two looks is no error.
            Err(ProbeError::Command { .. }) => return Ok(false),
            Err(other) => return Err(other),
        };
        let wanted = !supplier.alive.launcher.is_empty();
        self.with(|s| {
            s.shown = shown || !wanted;
            if sign.unwrap_or(shown) {
                let at_ms = s.now_ms();
                s.alive_ms.get_or_insert(at_ms);
            }
        });
        Ok(self.is_up())
    }

    /// Asks the supplier's own sign; nothing where the profile has none. What it throws is kept.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn sign(&self, supplier: &Supplier) -> Result<Option<bool>, ProbeError> {
        let script = supplier.alive.script.trim();
        if script.is_empty() {
            return Ok(None);
        }
        match self.ask_page(&format!("!!({script})")).await {
            Ok(value) => Ok(value.as_bool()),
            Err(ProbeError::Command { message, .. }) => {
                self.mark(|o| o.alive.error = message);
                Ok(Some(false))
            }
            Err(other) => Err(other),
        }
    }

    /// Asks the widget who is there, where the profile says how. What throws says nothing.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn ask_presence(&self, supplier: &Supplier) -> Result<(), ProbeError> {
        let states = &supplier.alive.states;
        let asked = [
            (Presence::Online, &states.online),
            (Presence::Away, &states.away),
            (Presence::Closed, &states.closed),
        ];
        for (presence, script) in asked.into_iter().filter(|(_, s)| !s.trim().is_empty()) {
            match self.ask_page(&format!("!!({script})")).await {
                Ok(Value::Bool(true)) => {
                    self.mark(|o| o.presence = Some(presence));
                    return Ok(());
                }
                Ok(_) | Err(ProbeError::Command { .. }) => {}
                Err(other) => return Err(other),
            }
        }
        Ok(())
    }

    /// Reads the launcher until it stands still: widgets slide and fade in.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn launcher_at_rest(
        &self,
        selector: &str,
        most: Duration,
    ) -> Result<Launcher, ProbeError> {
        let expression = format!("nf.launcher({})", Value::from(selector));
        let timer = Timer::new(most);
        let mut before = self.evaluate(&expression).await?;
        loop {
            tokio::time::sleep(Duration::from_millis(60)).await;
            let now = self.evaluate(&expression).await?;
            if now == before || timer.is_over() {
                return Ok(serde_json::from_value(now).unwrap_or_default());
            }
            before = now;
        }
    }

    /// Accessible name and role of what the keyboard would reach in the launcher, as the browser
    /// computes them.
    pub async fn accessible(&self, selector: &str) -> (String, String) {
        let target = format!(
            "(() => {{ const el = nf.pick({}); return el && (nf.focusTarget(el) || el); }})()",
            Value::from(selector)
        );
        let ask = async {
            let object = self.evaluate_raw(&target, false).await?;
            let asked = json!({"objectId": object["objectId"], "fetchRelatives": false});
            let tree = self.call("Accessibility.getPartialAXTree", asked).await?;
            let node = &tree["nodes"][0];
            Ok::<_, ProbeError>((text(&node["name"], "value"), text(&node["role"], "value")))
        };
        let (name, role) = ask.await.unwrap_or_default();
        if name.is_empty() && role.to_lowercase().contains("iframe") {
            // The control is inside the frame.
            for session in self.child_sessions() {
                let found = self.evaluate_in(&session, "nf.controlName()").await;
                if let Ok(Value::String(found)) = found
                    && !found.is_empty()
                {
                    return (found, role);
                }
            }
        }
        (name, role)
    }

    /// Reads the page's figures and its fixed elements.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn read_figures(&self, selector: &str) -> Result<(), ProbeError> {
        let read = self.evaluate(FIGURES).await?;
        let fixed = format!("nf.fixed({})", Value::from(selector));
        let fixed = self.evaluate(&fixed).await?;
        self.with(|s| {
            let violations = read["seen"]["violations"].clone();
            let violations: Vec<Violation> = serde_json::from_value(violations).unwrap_or_default();
            for v in violations {
                if s.room(LeftOut::Violations, &v) {
                    s.seen.violations.push(v);
                }
            }
            let o = &mut s.seen;
            let view = &read["view"];
            let size = view[0].as_f64().zip(view[1].as_f64());
            o.layout = size.filter(|(w, h)| *w > 0.0 && *h > 0.0);
            o.sight = serde_json::from_value(read["sight"].clone()).unwrap_or_default();
            o.too_wide = serde_json::from_value(read["wide"].clone()).unwrap_or_default();
            let seen = &read["seen"];
            o.fixed = serde_json::from_value(fixed).unwrap_or_default();
            let m = &mut o.metrics;
            m.fcp_ms = seen["fcp"].as_f64();
            m.lcp_ms = seen["lcp"].as_f64();
            m.cls = seen["cls"].as_f64();
            m.load_ms = read["load"][0].as_f64().filter(|v| *v > 0.0);
            m.dcl_ms = read["load"][1].as_f64().filter(|v| *v > 0.0);
            m.tbt_ms = m.fcp_ms.map(|fcp| blocking(&seen["long"], fcp));
        });
        Ok(())
    }

    /// Reads the document as it stands.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn read_final(&self) -> Result<(), ProbeError> {
        let html = format!(
            "document.documentElement ? document.documentElement.outerHTML.slice(0, \
            {MOST_FINAL}) : ''"
        );
        let html = self.evaluate(&html).await?;
        self.with(|s| {
            let at_ms = s.now_ms();
            let mut html = html.as_str().unwrap_or_default().to_string();
            html.truncate(html.floor_char_boundary(MOST_FINAL));
            s.seen.final_html = html;
            s.seen.looks.final_document = Look::Seen { at_ms };
        });
        Ok(())
    }

    /// Cookies of the whole context, all hosts. Those whose coming was seen keep their own time.
    pub async fn read_storage(&self) {
        let context = json!({"browserContextId": self.context});
        let ms = self.patience_ms();
        let answer = self.cdp.call("", "Storage.getCookies", context, ms).await;
        let Ok(answer) = answer else { return };
        self.with(|s| {
            let now = s.now_ms();
            for c in answer["cookies"].as_array().into_iter().flatten() {
                let (name, domain) = (text(c, "name"), text(c, "domain"));
                s.store(StoredItem {
                    at_ms: s.cookie_came(&domain, &name).unwrap_or(now),
                    kind: StorageKind::Cookie,
                    length: text(c, "value").len(),
                    expires_s: c["expires"].as_f64().filter(|e| *e > 0.0),
                    place: domain,
                    name,
                });
            }
            s.seen.looks.storage = Look::Seen { at_ms: now };
        });
        let mut sessions = vec![self.session.clone()];
        sessions.extend(self.child_sessions());
        for session in sessions {
            self.read_databases(&session).await;
        }
    }

    /// Databases and caches of a session's origin. What a frame does not answer stays untold, as
    /// its cookies would; the time at which they came is not known, so it is that of the look.
    async fn read_databases(&self, session: &str) {
        let Ok(Value::String(origin)) = self.evaluate_in(session, "location.origin").await else {
            return;
        };
        if !origin.starts_with("http") {
            return;
        }
        let of_origin = json!({"securityOrigin": origin});
        let mut found = Vec::new();
        let asked = "IndexedDB.requestDatabaseNames";
        let names = self.cdp.call(session, asked, of_origin.clone(), NAMES_MS);
        if let Ok(answer) = names.await {
            let names = answer["databaseNames"].as_array().into_iter().flatten();
            found.extend(
                names
                    .filter_map(Value::as_str)
                    .map(|n| (StorageKind::Database, n.to_string())),
            );
        }
        let asked = "CacheStorage.requestCacheNames";
        let names = self.cdp.call(session, asked, of_origin, NAMES_MS);
        if let Ok(answer) = names.await {
            let caches = answer["caches"].as_array().into_iter().flatten();
            found.extend(caches.map(|c| (StorageKind::Cache, text(c, "cacheName"))));
        }
        self.with(|s| {
            let at_ms = s.now_ms();
            for (kind, name) in found {
                s.store(StoredItem {
                    kind,
                    place: origin.clone(),
                    name,
                    at_ms,
                    ..StoredItem::default()
                });
            }
        });
    }
}

/// Names of databases and caches are told within this, or not at all.
const NAMES_MS: u64 = 1_500;

/// Total blocking time: of every long task after the first contentful paint, what exceeds 50 ms.
pub fn blocking(tasks: &Value, fcp_ms: f64) -> f64 {
    let tasks = tasks.as_array().into_iter().flatten();
    tasks
        .filter_map(|t| Some((t[0].as_f64()?, t[1].as_f64()?)))
        .map(|(start, duration)| (start + duration - start.max(fcp_ms)).min(duration))
        .map(|d| (d - 50.0).max(0.0))
        .sum()
}
