//! What went over the network, and what the page and the browser said of it.

use super::{InitiatorKind, RequestKind};
use serde::{Deserialize, Serialize};

/// One redirect on the way to a page.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Hop {
    /// Address that redirects.
    pub url: String,
    /// Status of the redirect.
    pub status: u16,
    /// Target, as the header has it.
    pub location: String,
}

/// Failure that kept bytes from coming.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NetFailure {
    /// Kind of the failure.
    pub kind: FailureKind,
    /// The browser's own word, for evidence.
    pub text: String,
}

/// Kind of a request's failure.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum FailureKind {
    /// The name does not resolve.
    Dns,
    /// The connection was refused, or ended before an answer.
    Refused,
    /// No secure connection came about.
    Tls,
    /// The request took too long.
    Timeout,
    /// Redirects in a circle.
    RedirectLoop,
    /// The answer ended before it was whole.
    CutOff,
    /// The browser refused its type.
    Type,
    /// The answer does not match its integrity value.
    Integrity,
    /// Cross-origin rules forbid reading it.
    Cors,
    /// A content security policy forbids it.
    Policy,
    /// `http` on an `https` page.
    Mixed,
    /// Blocked in the browser.
    BlockedClient,
    /// A port that browsers do not connect to (Fetch Standard, "bad port").
    BadPort,
    /// Refused by our own network guard.
    Guard,
    /// Given up by the page.
    Aborted,
    /// Something else; the text says what.
    Other,
}

/// One request of a page, with its answer.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Request {
    /// Address of the request.
    pub url: String,
    /// Method of the request.
    pub method: String,
    /// Purpose of the request.
    pub kind: RequestKind,
    /// Origin of the request.
    pub initiator: Initiator,
    /// Status of the answer.
    pub status: Option<u16>,
    /// Media type of the answer.
    pub mime: String,
    /// Failure, where no answer came.
    pub failure: Option<NetFailure>,
    /// Address that it was redirected to.
    pub redirected_to: Option<String>,
    /// Headers of the answer that say something about widgets.
    pub headers: Vec<(String, String)>,
    /// Bytes on the wire, headers included, as far as they had come.
    pub bytes: u64,
    /// ms after the navigation began.
    pub start_ms: f64,
    /// ms after the navigation began; `None` while it is under way.
    pub end_ms: Option<f64>,
    /// The browser had it already.
    pub from_cache: bool,
    /// The document that asked.
    pub document: String,
    /// Kept for the supplier's hosts only, cut to a bound.
    pub body: Option<String>,
}

impl Request {
    /// Host of its address.
    pub fn host(&self) -> Option<String> {
        url::Url::parse(&self.url)
            .ok()?
            .host_str()
            .map(str::to_string)
    }

    /// Returns the outcome in a few words.
    pub fn outcome(&self) -> String {
        match (&self.failure, self.status) {
            (Some(f), Some(status)) => format!("{status}, then {}", f.text),
            (Some(f), None) => f.text.clone(),
            (None, Some(status)) if self.mime.is_empty() => status.to_string(),
            (None, Some(status)) => format!("{status}, {}", self.mime),
            (None, None) => "no answer".to_string(),
        }
    }
}

/// Origin of a request.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Initiator {
    /// Kind of what asked for the request.
    pub kind: InitiatorKind,
    /// Address of the script or document.
    pub url: String,
    /// Line in the script, counted from 1.
    pub line: Option<u32>,
    /// Addresses of the scripts on the call stack, innermost first.
    pub stack: Vec<String>,
}

/// One WebSocket connection.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Socket {
    /// Address of the connection.
    pub url: String,
    /// Status of the handshake; 101 opens it.
    pub status: Option<u16>,
    /// Error of the connection; empty where there was none.
    pub error: String,
    /// Messages that came in.
    pub received: u32,
    /// ms after the navigation began.
    pub at_ms: f64,
    /// ms after the navigation began.
    pub closed_ms: Option<f64>,
}

/// A console line or an uncaught error.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Message {
    /// log, warning, error, ...
    pub level: String,
    /// Text of the message.
    pub text: String,
    /// Address of the script that wrote it.
    pub url: String,
    /// Line in the script, counted from 1.
    pub line: Option<u32>,
    /// Addresses of the scripts on the stack, innermost first.
    pub stack: Vec<String>,
    /// ms after the navigation began.
    pub at_ms: f64,
}

/// A content security policy violation, from the browser's own event.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Violation {
    /// The directive that was broken.
    pub directive: String,
    /// Blocked address, or a word for it.
    pub blocked: String,
    /// Address of the document.
    pub document: String,
    /// Address of the script, if one is to blame.
    pub source: String,
    /// Line in the script, counted from 1.
    pub line: Option<u32>,
    /// The beginning of what was blocked.
    pub sample: String,
    /// Whether it was blocked, not only reported.
    pub enforced: bool,
}
