//! What our own script in the page tells, what is stored there, and where scripts come from.

use super::Collector;
use super::bounds::{MOST_LINES, MOST_NAME, MOST_REQUESTS, cut, named, short, text};
use crate::cdp::Event;
use newtfern_standards::observation::{Launcher, LeftOut, StorageKind, StoredItem};
use serde_json::Value;

impl Collector {
    pub(super) fn runtime_event(&mut self, what: &str, event: &Event) {
        let (p, session) = (&event.params, &event.session);
        match what {
            "consoleAPICalled" => self.console_call(p),
            "exceptionThrown" => self.exception(&p["exceptionDetails"]),
            "executionContextCreated" => self.world_made(session, &p["context"]),
            "executionContextDestroyed" => {
                let gone = text(p, "executionContextUniqueId");
                self.worlds.retain(|_, id| *id != gone);
            }
            "executionContextsCleared" => self.worlds.retain(|(s, _), _| s != session),
            "bindingCalled" if p["name"] == "nfTell" => {
                if let Ok(told) = serde_json::from_str(p["payload"].as_str().unwrap_or_default()) {
                    self.told(&told);
                }
            }
            _ => {}
        }
    }

    pub(super) fn script_parsed(&mut self, p: &Value) {
        let url = short(p, "url");
        if !url.is_empty() && self.scripts.len() < MOST_REQUESTS {
            self.scripts.insert(text(p, "scriptId"), url);
        }
    }

    pub(super) fn sheet_added(&mut self, header: &Value) {
        if self.sheets.len() < MOST_REQUESTS {
            let line = header["startLine"].as_u64();
            let line = line.and_then(|l| u32::try_from(l).ok()).unwrap_or_default();
            self.sheets.insert(
                text(header, "styleSheetId"),
                (short(header, "sourceURL"), line),
            );
        }
    }

    pub(super) fn storage_item(&mut self, p: &Value) {
        let of = &p["storageId"];
        let local = of["isLocalStorage"].as_bool().unwrap_or(false);
        let place = of["securityOrigin"].as_str().or(of["storageKey"].as_str());
        let place = place.unwrap_or_default().trim_end_matches('/').to_string();
        let at_ms = self.now_ms();
        self.store(StoredItem {
            kind: if local {
                StorageKind::Local
            } else {
                StorageKind::Session
            },
            place,
            name: named(p, "key"),
            length: text(p, "newValue").len(),
            at_ms,
            expires_s: None,
        });
    }

    fn world_made(&mut self, session: &str, context: &Value) {
        let aux = &context["auxData"];
        if text(context, "name") == super::super::scripts::WORLD && self.worlds.len() < MOST_LINES {
            let key = (session.to_string(), text(aux, "frameId"));
            self.worlds.insert(key, text(context, "uniqueId"));
        }
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

    /// Takes a message of our own script in the page.
    fn told(&mut self, told: &Value) {
        let at_ms = self.page_time(told);
        match told["t"].as_str().unwrap_or_default() {
            "alive" if self.alive_ms.is_none() => {
                self.alive_ms = Some(at_ms);
                self.seen.alive.after_interaction = self.nudged_ms.is_some_and(|ms| at_ms >= ms);
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
            "sealed" => self.sealed = true,
            "late" if self.late_beats.len() < MOST_REQUESTS => {
                let ms = told["ms"].as_f64().unwrap_or_default();
                let ms = ms.clamp(0.0, at_ms);
                self.late_beats.push((at_ms - ms, at_ms));
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

    pub(in crate::visit) fn cookie(&mut self, host: &str, name: &str, at_ms: f64) {
        if self.cookies.len() < MOST_REQUESTS {
            let name = cut(name.to_string(), MOST_NAME);
            let key = (cut(host.to_string(), MOST_NAME), name);
            self.cookies.entry(key).or_insert(at_ms);
        }
    }

    /// Returns when a cookie of a domain was first seen to come.
    pub fn cookie_came(&self, domain: &str, name: &str) -> Option<f64> {
        let bare = domain.trim_start_matches('.');
        let same = |host: &str| host == bare || host.ends_with(&format!(".{bare}"));
        let came = self
            .cookies
            .iter()
            .filter(|((h, n), _)| n == name && same(h));
        came.map(|(_, at)| *at).min_by(f64::total_cmp)
    }

    /// Notes where the debugger stopped the page.
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

    /// Keeps a cookie or a storage entry, once.
    pub fn store(&mut self, mut item: StoredItem) {
        item.name = cut(item.name, MOST_NAME);
        item.place = cut(item.place, MOST_NAME);
        let same =
            |s: &StoredItem| s.kind == item.kind && s.place == item.place && s.name == item.name;
        let size = (self.seen.stored.len(), MOST_REQUESTS);
        if !self.seen.stored.iter().any(same) && self.room_in(LeftOut::Stored, size, &item) {
            self.seen.stored.push(item);
        }
    }
}
