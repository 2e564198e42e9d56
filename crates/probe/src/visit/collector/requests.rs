//! Requests, answers and their ends.

use super::super::failure;
use super::Collector;
use super::bounds::{KEPT, MOST_NAME, MOST_REQUESTS, cut, headers_of, named, short, text};
use super::room::ANSWER_BYTES;
use crate::cdp::Event;
use crate::proxy::Failures;
use newtfern_standards::observation::{
    Hop, Initiator, InitiatorKind, LeftOut, Request, RequestKind,
};
use serde_json::Value;

impl Collector {
    pub(super) fn network_event(&mut self, what: &str, event: &Event, proxy: &Failures) {
        let p = &event.params;
        match what {
            "requestWillBeSent" => self.request(event, p),
            "responseReceived" => self.response(p),
            "responseReceivedExtraInfo" => self.extra(p),
            "dataReceived" => {
                let came = p["encodedDataLength"].as_u64().unwrap_or(0);
                let id = text(p, "requestId");
                if self.index.contains_key(&id) {
                    *self.bytes.entry(id).or_default() += came;
                }
            }
            "loadingFinished" => self.finished(event, p),
            "loadingFailed" => self.failed(p, proxy),
            "requestServedFromCache" => {
                if let Some(i) = self.request_index(&text(p, "requestId")) {
                    self.seen.requests[i].from_cache = true;
                }
            }
            _ => {}
        }
    }

    fn time(&mut self, p: &Value) -> f64 {
        // The browser counts from its own start; its wall time at the first request ties that to
        // the beginning of the visit, so that requests and what we do to the page stand on one
        // scale.
        let stamp = p["timestamp"].as_f64().unwrap_or(0.0);
        let began = self.began_wall_s;
        let zero = *self.t0.get_or_insert_with(|| {
            let after = p["wallTime"]
                .as_f64()
                .filter(|w| began > 0.0 && (0.0..60.0).contains(&(w - began)))
                .map_or(0.0, |w| w - began);
            stamp - after
        });
        (stamp - zero) * 1000.0
    }

    pub(super) fn request(&mut self, event: &Event, p: &Value) {
        let id = text(p, "requestId");
        let at = self.time(p);
        let url = short(&p["request"], "url");
        if url.starts_with("data:") || url.starts_with("blob:") {
            return;
        }
        let main_document = p["type"] == "Document" && text(p, "frameId") == self.main_frame;
        if !p["redirectResponse"].is_null() {
            self.redirected(&id, &url, at, main_document, &p["redirectResponse"]);
        } else if main_document {
            self.seen.page.redirects.clear();
        }
        if main_document {
            self.document_id = id.clone();
            self.document_session = event.session.clone();
            self.document_done = false;
            self.document_failure = None;
        }
        if self.seen.requests.len() >= MOST_REQUESTS {
            return self.leave_out(LeftOut::Requests);
        }
        let initiator = &p["initiator"];
        let stack = asked_by(initiator);
        let request = Request {
            url,
            method: named(&p["request"], "method"),
            kind: RequestKind::of(&named(p, "type")),
            initiator: Initiator {
                kind: InitiatorKind::of(&named(initiator, "type")),
                url: short(initiator, "url"),
                line: initiator["lineNumber"].as_u64().map(|l| l as u32 + 1),
                stack,
            },
            start_ms: at,
            document: short(p, "documentURL"),
            ..Request::default()
        };
        if self.room(LeftOut::Requests, &request) && self.room_for(LeftOut::Requests, ANSWER_BYTES)
        {
            self.index.insert(id, self.seen.requests.len());
            self.seen.requests.push(request);
        }
    }

    pub(super) fn response(&mut self, p: &Value) {
        let id = text(p, "requestId");
        let r = &p["response"];
        let mut headers = headers_of(r);
        let status = r["status"].as_u64().map(|s| s as u16);
        if let Some(i) = self.request_index(&id) {
            let told = |(n, _): &&(String, String)| KEPT.contains(&n.to_lowercase().as_str());
            let mut kept: Vec<(String, String)> = headers.iter().filter(told).cloned().collect();
            if !self.room(LeftOut::Answers, &kept) {
                kept.clear();
            }
            let mime = self.fit(cut(text(r, "mimeType"), MOST_NAME));
            let request = &mut self.seen.requests[i];
            request.status = status;
            request.mime = mime;
            request.headers = kept;
            request.from_cache |= r["fromDiskCache"].as_bool().unwrap_or(false);
            request.kind = RequestKind::of(&named(p, "type"));
        }
        if id == self.document_id {
            if !self.room(LeftOut::Answers, &headers) {
                headers.clear();
            }
            let page = &mut self.seen.page;
            page.final_url = short(r, "url");
            page.status = status;
            page.mime = cut(text(r, "mimeType"), MOST_NAME);
            page.headers = headers;
            page.remote = named(r, "remoteIPAddress");
        }
    }

    /// The raw status. An answer that the browser blocks (opaque response blocking) never comes as
    /// a response; then this is the only word of its status.
    pub(super) fn extra(&mut self, p: &Value) {
        let Some(status) = p["statusCode"]
            .as_u64()
            .map(|s| s as u16)
            .filter(|s| !(300..400).contains(s))
        else {
            return;
        };
        let id = text(p, "requestId");
        self.cookies_of(&id, &p["headers"]);
        if let Some(i) = self.request_index(&id) {
            let r = &mut self.seen.requests[i];
            if r.failure.is_some() && r.status.is_none() {
                r.status = Some(status);
            }
        }
        if self.raw_status.len() < 2 * MOST_REQUESTS {
            self.raw_status.insert(id, status);
        }
    }

    pub(super) fn finished(&mut self, event: &Event, p: &Value) {
        let id = text(p, "requestId");
        let at = self.time(p);
        if id == self.document_id {
            self.document_done = true;
            self.document_ms = Some(at);
        }
        let Some(i) = self.request_index(&id) else {
            return;
        };
        let r = &mut self.seen.requests[i];
        r.end_ms = Some(at);
        r.bytes = p["encodedDataLength"].as_u64().unwrap_or(0);
        if r.host()
            .is_some_and(|h| self.keep_bodies.iter().any(|k| k.eq_ignore_ascii_case(&h)))
            && r.bytes < 400_000
            && !matches!(
                r.kind,
                RequestKind::Image | RequestKind::Font | RequestKind::Media
            )
        {
            self.wanted_bodies.push((event.session.clone(), id, i));
        }
    }

    pub(super) fn failed(&mut self, p: &Value, proxy: &Failures) {
        let id = text(p, "requestId");
        let at = self.time(p);
        let bytes = self.bytes.get(&id).copied().unwrap_or(0);
        let Some(i) = self.request_index(&id) else {
            return;
        };
        let r = &mut self.seen.requests[i];
        let said = failure::FailureNotice {
            text: &named(p, "errorText"),
            blocked: &named(p, "blockedReason"),
            cors: &named(&p["corsErrorStatus"], "corsError"),
            answered: r.status.is_some(),
        };
        let mut found = failure::from_browser(proxy, &r.url, &said);
        found.text = self.fit(found.text);
        let r = &mut self.seen.requests[i];
        r.end_ms = Some(at);
        r.bytes = bytes;
        r.failure = Some(found.clone());
        r.status = r.status.or(self.raw_status.get(&id).copied());
        if r.kind == RequestKind::Untold {
            r.kind = RequestKind::of(&named(p, "type"));
        }
        if id == self.document_id {
            self.document_failure = Some(found.clone());
            // A body that ends early has still been delivered in part; no answer at all has not.
            if self.seen.page.status.is_none()
                || found.kind != newtfern_standards::observation::FailureKind::Aborted
            {
                self.seen.page.failure = Some(found);
                self.over |= self.seen.page.status.is_none();
            }
            self.document_done = true;
        }
    }

    fn redirected(&mut self, id: &str, to: &str, at: f64, main: bool, answer: &Value) {
        let Some(i) = self.index.remove(id) else {
            return;
        };
        // Twice where it is a hop of the document's.
        let room = self.room_for(LeftOut::Requests, 4 * to.len());
        let to = if room { to } else { "" };
        let r = &mut self.seen.requests[i];
        let status = answer["status"].as_u64().unwrap_or(0) as u16;
        r.status = Some(status);
        r.redirected_to = Some(to.to_string());
        r.end_ms = Some(at);
        r.bytes = answer["encodedDataLength"].as_u64().unwrap_or(0);
        if main && self.seen.page.redirects.len() < 40 {
            let hop = Hop {
                url: r.url.clone(),
                status,
                location: to.to_string(),
            };
            self.seen.page.redirects.push(hop);
        }
    }

    /// Cookies that an answer sets, with the time of the answer.
    fn cookies_of(&mut self, id: &str, headers: &Value) {
        let host = self
            .request_index(id)
            .and_then(|i| self.seen.requests[i].host());
        let set = headers.as_object().into_iter().flatten();
        let set = set.filter(|(n, _)| n.eq_ignore_ascii_case("set-cookie"));
        let lines: Vec<String> = set
            .flat_map(|(_, v)| v.as_str().unwrap_or_default().split('\n'))
            .map(str::to_string)
            .collect();
        let at_ms = self.now_ms();
        for line in lines {
            let name = line.split(['=', ';']).next().unwrap_or_default().trim();
            self.cookie(host.as_deref().unwrap_or_default(), name, at_ms);
        }
    }
}

/// Addresses of the scripts that asked, innermost first, across asynchronous calls.
fn asked_by(initiator: &Value) -> Vec<String> {
    let mut stack: Vec<String> = Vec::new();
    let mut trace = &initiator["stack"];
    // Each trace may name its parent; a page can make that chain long.
    for _ in 0..40 {
        if trace.is_null() || stack.len() >= 40 {
            break;
        }
        let frames = trace["callFrames"].as_array().into_iter().flatten();
        let urls = frames.map(|f| short(f, "url")).filter(|u| !u.is_empty());
        stack.extend(urls.take(40 - stack.len()));
        trace = &trace["parent"];
    }
    stack.dedup();
    stack
}
