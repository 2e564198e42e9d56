//! Documents that the page and its frames went to.

use super::Collector;
use super::bounds::{MOST_LINES, MOST_REDIRECTING, short, text};
use crate::cdp::Event;
use newtfern_standards::observation::{FailureKind, Frame, LeftOut, Look, Navigation, NetFailure};
use serde_json::Value;

impl Collector {
    pub(super) fn page_event(&mut self, what: &str, event: &Event) {
        let p = &event.params;
        let at_ms = self.now_ms();
        match what {
            "frameNavigated" => self.navigated(p),
            "navigatedWithinDocument" if text(p, "frameId") == self.main_frame => {
                self.push_navigation(Navigation {
                    url: short(p, "url"),
                    at_ms,
                    same_document: true,
                });
            }
            "loadEventFired" if self.is_main(&event.session) => {
                self.loaded = self.document_done || self.seen.page.status.is_some();
                if self.loaded {
                    self.seen.looks.load = Look::Seen { at_ms };
                }
            }
            "windowOpen" => self.popup = Some(short(p, "url")),
            _ => {}
        }
    }

    fn navigated(&mut self, p: &Value) {
        let frame = &p["frame"];
        let url = short(frame, "url");
        let at_ms = self.now_ms();
        if !frame["parentId"].is_null() {
            let frame = Frame {
                url,
                parent: text(frame, "parentId"),
                at_ms,
            };
            let size = (self.seen.frames.len(), MOST_LINES);
            if self.room_in(LeftOut::Frames, size, &frame) {
                self.seen.frames.push(frame);
            }
            return;
        }
        if url.starts_with("http") {
            self.push_navigation(Navigation {
                url,
                at_ms,
                same_document: false,
            });
            let sent_on = self.seen.navigations.iter().filter(|n| !n.same_document);
            if sent_on.count() > MOST_REDIRECTING {
                self.seen.page.failure = Some(NetFailure {
                    kind: FailureKind::RedirectLoop,
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
        let size = (self.seen.navigations.len(), MOST_LINES);
        if self.room_in(LeftOut::Frames, size, &navigation) {
            self.seen.navigations.push(navigation);
        }
    }
}
