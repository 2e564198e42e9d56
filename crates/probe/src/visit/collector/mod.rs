//! Turns the ordered events of a page tree into an observation. Everything that comes from a page
//! is cut to a bound: addresses, texts, names, stacks, lists.

mod bounds;
mod lines;
mod navigations;
mod requests;
mod room;
mod told;

pub(super) use bounds::cut;
pub use bounds::text;
#[cfg(test)]
pub(super) use room::MOST_VISIT;

use crate::cdp::Event;
use crate::proxy::Failures;
use newtfern_standards::observation::{
    LeftOut, Look, Looks, NetFailure, NotCheckedReason, Observation, VisitEnd,
};
use newtfern_standards::tcf::ConsentClass;
use std::collections::HashMap;
use std::time::Instant;

#[derive(Default)]
pub struct Collector {
    pub seen: Observation,
    pub loaded: bool,
    pub document_done: bool,
    /// Time at which the document was whole.
    pub document_ms: Option<f64>,
    /// Whether nothing more can come: the page failed, crashed or loops.
    pub over: bool,
    /// Time at which the supplier's sign became true, by the page's clock.
    pub alive_ms: Option<f64>,
    /// Time at which the launcher was first seen, by the page's clock.
    pub launcher_ms: Option<f64>,
    /// Times in which a beat of the page's thread was late, ms since the navigation began.
    pub late_beats: Vec<(f64, f64)>,
    /// The launcher is visible now.
    pub shown: bool,
    /// Time at which the visit began to move, scroll and press, by our clock.
    pub nudged_ms: Option<f64>,
    /// Class of consent that the widget needs.
    pub class: ConsentClass,
    /// Whether the element that should hold the launcher shows no shadow root: it may have a closed
    /// one.
    pub sealed: bool,
    /// The page may keep us waiting until then.
    pub page_limit_ms: f64,
    /// Our worlds: session and frame to the context's unique id.
    pub(super) worlds: HashMap<(String, String), String>,
    /// Place where the debugger stopped: address, function, line.
    pub held_at: Option<(String, String, Option<u32>)>,
    /// Addresses of scripts, by the debugger's ids.
    pub(super) scripts: HashMap<String, String>,
    /// Addresses of style sheets with the line that each begins in, by the browser's ids.
    pub(super) sheets: HashMap<String, (String, u32)>,
    /// Times at which cookies came, by host and name.
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
    /// Answer that is given to a request that was stopped on its way.
    pub instead: Option<String>,
    /// Scripts that the widget pulled in are asked for by these ids.
    pub(super) index: HashMap<String, usize>,
    pub(super) sockets: HashMap<String, usize>,
    pub(super) t0: Option<f64>,
    pub(super) bytes: HashMap<String, u64>,
    pub(super) raw_status: HashMap<String, u16>,
    /// Failure of the document, until it is known whether another document follows.
    pub(super) document_failure: Option<NetFailure>,
    pub popup: Option<String>,
    /// Bytes of JSON that were kept so far.
    pub(super) kept: usize,
}

impl Collector {
    pub fn now_ms(&self) -> f64 {
        self.began
            .map_or(0.0, |b| b.elapsed().as_secs_f64() * 1000.0)
    }

    pub fn request_index(&self, id: &str) -> Option<usize> {
        self.index.get(id).copied()
    }

    /// Takes one event of the page tree in.
    pub fn take(&mut self, event: &Event, proxy: &Failures) {
        let p = &event.params;
        let method = event.method.as_str();
        match method.split_once('.').unwrap_or_default() {
            ("Network", what) if what.starts_with("webSocket") => self.socket_event(what, p),
            ("Network", what) => self.network_event(what, event, proxy),
            ("Runtime", what) => self.runtime_event(what, event),
            ("Page", what) => self.page_event(what, event),
            ("Log", "entryAdded") => self.log_entry(&p["entry"]),
            ("Debugger", "scriptParsed") => self.script_parsed(p),
            ("CSS", "styleSheetAdded") => self.sheet_added(&p["header"]),
            ("DOMStorage", "domStorageItemAdded") => self.storage_item(p),
            ("Inspector", "targetCrashed") => {
                self.seen.ended = VisitEnd::Crashed;
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
        let why = NotCheckedReason::EarlierStage;
        self.seen.looks = all_looks(Look::NotLooked { why });
    }

    /// Ends the looks that had not come to an end, for one reason.
    pub fn close_looks(&mut self, why: NotCheckedReason) {
        let open = Look::NotLooked {
            why: NotCheckedReason::EarlierStage,
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

    /// Adds one more frame or window with a session of its own.
    pub fn attach(&mut self, session: String, target: String) {
        if self.sessions.len() >= bounds::MOST_LINES {
            return self.leave_out(LeftOut::Frames);
        }
        self.sessions.push((session, target));
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

    fn is_main(&self, session: &str) -> bool {
        self.sessions.first().is_some_and(|(s, _)| s == session)
    }
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
