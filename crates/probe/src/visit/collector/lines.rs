//! What the page and the browser say: console lines, exceptions, live connections.

use super::Collector;
use super::bounds::{
    MOST_ADDRESS, MOST_LINES, MOST_NAME, MOST_TEXT, argument, cut, line_of, named, short, stack_of,
    text,
};
use newtfern_standards::observation::{LeftOut, Message, Socket};
use serde_json::Value;

impl Collector {
    pub(super) fn socket_event(&mut self, what: &str, p: &Value) {
        match what {
            "webSocketCreated" => self.socket_made(p),
            "webSocketHandshakeResponseReceived" => self.socket(p, |s, p, _| {
                s.status = p["response"]["status"].as_u64().map(|v| v as u16)
            }),
            "webSocketFrameReceived" => self.socket(p, |s, _, _| s.received += 1),
            "webSocketFrameError" => self.socket(p, |s, p, _| {
                s.error = cut(text(p, "errorMessage"), MOST_NAME)
            }),
            "webSocketClosed" => self.socket(p, |s, _, now| s.closed_ms = Some(now)),
            _ => {}
        }
    }

    fn socket_made(&mut self, p: &Value) {
        if self.seen.sockets.len() >= MOST_LINES {
            return self.leave_out(LeftOut::Sockets);
        }
        let socket = Socket {
            url: short(p, "url"),
            at_ms: self.now_ms(),
            ..Socket::default()
        };
        if self.room(LeftOut::Sockets, &socket) && self.room_for(LeftOut::Sockets, MOST_NAME) {
            let id = text(p, "requestId");
            self.sockets.insert(id, self.seen.sockets.len());
            self.seen.sockets.push(socket);
        }
    }

    fn socket(&mut self, p: &Value, change: impl Fn(&mut Socket, &Value, f64)) {
        let now = self.now_ms();
        if let Some(s) = self
            .sockets
            .get(&text(p, "requestId"))
            .and_then(|i| self.seen.sockets.get_mut(*i))
        {
            change(s, p, now);
        }
    }

    pub(super) fn console_call(&mut self, p: &Value) {
        let words = p["args"].as_array().into_iter().flatten().map(argument);
        let words: Vec<String> = words.collect();
        let place = &p["stackTrace"]["callFrames"][0];
        let line = line_of(place, "lineNumber");
        let (level, url) = (named(p, "type"), text(place, "url"));
        self.line(level, words.join(" "), url, line, &p["stackTrace"]);
    }

    pub(super) fn log_entry(&mut self, e: &Value) {
        let line = line_of(e, "lineNumber");
        let (level, words, url) = (named(e, "level"), text(e, "text"), text(e, "url"));
        self.line(level, words, url, line, &e["stackTrace"]);
    }

    fn line(
        &mut self,
        level: String,
        words: String,
        url: String,
        line: Option<u32>,
        trace: &Value,
    ) {
        let at_ms = self.now_ms();
        if self.seen.console.len() >= MOST_LINES {
            return self.leave_out(LeftOut::Lines);
        }
        let message = Message {
            level,
            text: cut(words, MOST_TEXT),
            url: cut(url, MOST_ADDRESS),
            line,
            stack: stack_of(trace),
            at_ms,
        };
        if self.room(LeftOut::Lines, &message) {
            self.seen.console.push(message);
        }
    }

    pub(super) fn exception(&mut self, d: &Value) {
        let at_ms = self.now_ms();
        if self.seen.exceptions.len() >= MOST_LINES {
            return self.leave_out(LeftOut::Errors);
        }
        let described = d["exception"]["description"]
            .as_str()
            .or(d["exception"]["value"].as_str())
            .unwrap_or_default();
        let first = described.lines().next().unwrap_or_default();
        let words = if first.is_empty() {
            text(d, "text")
        } else {
            first.to_string()
        };
        let stack = stack_of(&d["stackTrace"]);
        let url = match text(d, "url") {
            u if u.is_empty() => stack.first().cloned().unwrap_or_default(),
            u => u,
        };
        let error = Message {
            level: "error".into(),
            text: cut(words, MOST_TEXT),
            url: cut(url, MOST_ADDRESS),
            line: line_of(d, "lineNumber"),
            stack,
            at_ms,
        };
        if self.room(LeftOut::Errors, &error) {
            self.seen.exceptions.push(error);
        }
    }
}
