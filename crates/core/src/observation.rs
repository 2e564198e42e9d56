//! What one visit saw: plain data without opinion. The probe writes it, the store keeps it, the
//! checks read nothing else. Times are milliseconds since the visit's navigation began; boxes are
//! CSS px from the viewport's top left; sizes are bytes.
//!
//! Each stage of a visit also says how far the look went ([`Look`]): seen, not there, or not looked
//! at and why. What was not looked at is never judged as absent.

mod look;

pub use look::{Look, Looks, Stage, Unlooked};
use serde::{Deserialize, Serialize};

/// Raised when a field changes its meaning; new optional fields do not raise it. 2: looks say how
/// far they went. An older observation says of nothing how far it looked, so it is judged undecided.
pub const VERSION: u32 = 2;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Viewport {
    #[default]
    Desktop,
    Phone,
}

impl Viewport {
    pub fn word(self) -> &'static str {
        match self {
            Viewport::Desktop => "desktop",
            Viewport::Phone => "phone",
        }
    }

    /// Width and height in CSS px.
    pub fn size(self) -> (u32, u32) {
        match self {
            Viewport::Desktop => (1280, 800),
            Viewport::Phone => (390, 844),
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ConsentAct {
    #[default]
    Untouched,
    Granted,
    Refused,
    /// Granted, then taken back.
    Withdrawn,
    /// Untouched, with Global Privacy Control sent.
    Gpc,
}

impl ConsentAct {
    pub fn word(self) -> &'static str {
        match self {
            ConsentAct::Untouched => "untouched",
            ConsentAct::Granted => "granted",
            ConsentAct::Refused => "refused",
            ConsentAct::Withdrawn => "withdrawn",
            ConsentAct::Gpc => "gpc",
        }
    }
}

/// Is the widget let through, or are its hosts kept from answering?
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum WidgetLet {
    /// As a visitor has it.
    #[default]
    Present,
    /// Requests to the supplier's hosts do not leave.
    Withheld,
}

/// The circumstances of one visit.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Condition {
    pub viewport: Viewport,
    pub consent: ConsentAct,
    /// The visitor's language (BCP 47); empty for the browser's own.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub locale: String,
    pub widget: WidgetLet,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Observation {
    pub version: u32,
    pub url: String,
    pub condition: Condition,
    pub page: DeliveredPage,
    /// The document as it stood at the end, serialised and cut to a bound.
    pub final_html: String,
    pub navigations: Vec<Navigation>,
    pub requests: Vec<Request>,
    pub sockets: Vec<Socket>,
    pub console: Vec<Message>,
    pub exceptions: Vec<Message>,
    pub violations: Vec<Violation>,
    pub stored: Vec<Stored>,
    pub frames: Vec<Frame>,
    pub alive: AliveSign,
    pub launcher: Option<Launcher>,
    pub fixed: Vec<FixedElement>,
    /// Width and height of the viewport the page was laid out in. A page without a viewport meta
    /// element is laid out wider than a phone and shown smaller.
    pub layout: Option<(f64, f64)>,
    pub operation: Option<Operation>,
    pub metrics: Metrics,
    pub consent: ConsentSeen,
    pub ended: Ended,
    /// How far each look went.
    pub looks: Looks,
    /// What was done when.
    pub stages: Vec<Stage>,
    /// The script that held the page's thread when the visit gave up asking, if one did.
    pub held_by: Option<HeldBy>,
    /// More came than a visit keeps; what was left out.
    pub left_out: Vec<String>,
    /// Blob key of the viewport picture.
    pub picture: Option<String>,
    /// Blob key of the launcher's crop.
    pub launcher_picture: Option<String>,
    /// Blob key of the opened panel's crop.
    pub panel_picture: Option<String>,
    /// The colour that fills most of the launcher's picture, `#rrggbb`.
    pub launcher_colour: Option<String>,
    /// The same for the upper strip of the opened panel.
    pub header_colour: Option<String>,
    /// The colour of the page around the launcher.
    pub behind_colour: Option<String>,
    /// Visible text of the opened panel, cut to a bound.
    pub panel_text: String,
    pub browser: String,
    /// When the visit began, RFC 3339.
    pub at: String,
}

impl Observation {
    /// The size that boxes are measured against.
    pub fn view(&self) -> Rect {
        let (w, h) = self.condition.viewport.size();
        let (width, height) = self.layout.unwrap_or((f64::from(w), f64::from(h)));
        Rect {
            x: 0.0,
            y: 0.0,
            width,
            height,
        }
    }
}

/// The main document as delivered.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct DeliveredPage {
    pub final_url: String,
    pub redirects: Vec<Hop>,
    pub status: Option<u16>,
    pub mime: String,
    pub headers: Vec<(String, String)>,
    pub html: String,
    pub html_cut: bool,
    pub failure: Option<NetFailure>,
    pub remote: String,
}

impl DeliveredPage {
    pub fn header<'a>(&'a self, name: &'a str) -> impl Iterator<Item = &'a str> {
        self.headers
            .iter()
            .filter(move |(n, _)| n.eq_ignore_ascii_case(name))
            .map(|(_, v)| v.as_str())
    }
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Hop {
    pub url: String,
    pub status: u16,
    pub location: String,
}

/// Why bytes did not come.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NetFailure {
    pub kind: FailureKind,
    /// The browser's own word, for evidence.
    pub text: String,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum FailureKind {
    Dns,
    Refused,
    Tls,
    Timeout,
    RedirectLoop,
    CutOff,
    Type,
    Integrity,
    Cors,
    Policy,
    Mixed,
    BlockedClient,
    /// A port that browsers do not connect to (Fetch Standard, "bad port").
    BadPort,
    /// Refused by our own network guard.
    Guard,
    Aborted,
    Other,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Navigation {
    pub url: String,
    pub at_ms: f64,
    pub same_document: bool,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Request {
    pub url: String,
    pub method: String,
    /// The browser's resource type in lower case: document, script, xhr, fetch, image, ...
    pub kind: String,
    pub initiator: Initiator,
    pub status: Option<u16>,
    pub mime: String,
    pub failure: Option<NetFailure>,
    pub redirected_to: Option<String>,
    pub headers: Vec<(String, String)>,
    /// Bytes on the wire, headers included, as far as they had come.
    pub bytes: u64,
    pub start_ms: f64,
    pub end_ms: Option<f64>,
    pub from_cache: bool,
    /// The document that asked.
    pub document: String,
    /// Kept for the supplier's hosts only, cut to a bound.
    pub body: Option<String>,
}

impl Request {
    pub fn host(&self) -> Option<String> {
        url::Url::parse(&self.url)
            .ok()?
            .host_str()
            .map(str::to_string)
    }

    /// What became of it, in a few words.
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

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Initiator {
    /// parser, script, preload, other
    pub kind: String,
    pub url: String,
    pub line: Option<u32>,
    /// Addresses of the scripts on the call stack, innermost first.
    pub stack: Vec<String>,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Socket {
    pub url: String,
    pub status: Option<u16>,
    pub error: String,
    pub received: u32,
    pub at_ms: f64,
    pub closed_ms: Option<f64>,
}

/// A console line or an uncaught error.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Message {
    pub level: String,
    pub text: String,
    pub url: String,
    pub line: Option<u32>,
    pub stack: Vec<String>,
    pub at_ms: f64,
}

/// A content security policy violation, from the browser's own event.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Violation {
    pub directive: String,
    pub blocked: String,
    pub document: String,
    pub source: String,
    pub line: Option<u32>,
    pub sample: String,
    pub enforced: bool,
}

/// A cookie or a storage entry. Values are not kept: names and lengths suffice to judge.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Stored {
    /// cookie, local, session
    pub kind: String,
    /// Cookie domain or storage origin.
    pub place: String,
    pub name: String,
    pub length: usize,
    pub at_ms: f64,
    /// Seconds until a cookie expires; absent for a session cookie and for storage.
    pub expires_s: Option<f64>,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Frame {
    pub url: String,
    pub parent: String,
    pub at_ms: f64,
}

/// Where a script stood that let nothing else run.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct HeldBy {
    /// The script's address; that of the page for script in it.
    pub url: String,
    /// The function it was in, if it has a name.
    pub function: String,
    /// 1-based.
    pub line: Option<u32>,
    /// How long no question was answered.
    pub silent_ms: f64,
}

/// What the supplier's own sign said; when it came stands in [`Looks::alive`].
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct AliveSign {
    /// It came up only after the visit moved the mouse, scrolled and pressed a key.
    pub after_interaction: bool,
    /// The visit moved the mouse, scrolled and pressed a key, because nothing had come by itself.
    pub nudged: bool,
    /// What the profile's expression threw, if it did.
    pub error: String,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Rect {
    pub x: f64,
    pub y: f64,
    pub width: f64,
    pub height: f64,
}

impl Rect {
    pub fn area(&self) -> f64 {
        self.width.max(0.0) * self.height.max(0.0)
    }

    /// The part that two rectangles share.
    pub fn overlap(&self, other: &Rect) -> f64 {
        let w = (self.x + self.width).min(other.x + other.width) - self.x.max(other.x);
        let h = (self.y + self.height).min(other.y + other.height) - self.y.max(other.y);
        w.max(0.0) * h.max(0.0)
    }
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Launcher {
    /// An element fits the selector, whether it can be seen or not.
    pub present: bool,
    /// When it was taken away or hidden after it had been seen.
    pub lost_ms: Option<f64>,
    pub rect: Rect,
    pub tag: String,
    pub html: String,
    /// The style that hides it and the element that has it, such as `display: none on #chat`.
    pub hidden_by: Option<String>,
    pub background: String,
    pub colour: String,
    /// Share of sample points at which the topmost element is the launcher, 0 to 1.
    pub reachable: f64,
    /// What lies on top at the other points.
    pub covered_by: Vec<Cover>,
    pub name: String,
    pub role: String,
    pub focusable: bool,
}

#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Cover {
    pub element: String,
    /// Share of the sample points, 0 to 1.
    pub share: f64,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct FixedElement {
    pub element: String,
    pub rect: Rect,
    pub role: String,
}

/// What happened when the visit worked the launcher; whether it opened and closed stands in
/// [`Looks`].
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Operation {
    /// From the click to the panel, ms.
    pub opened_ms: Option<f64>,
    pub panel: Option<Rect>,
    pub new_window: Option<String>,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Metrics {
    pub fcp_ms: Option<f64>,
    pub lcp_ms: Option<f64>,
    pub cls: Option<f64>,
    pub tbt_ms: Option<f64>,
    pub load_ms: Option<f64>,
    pub dcl_ms: Option<f64>,
}

#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ConsentSeen {
    /// The page exposes the IAB interface (`__tcfapi`).
    pub tcf: bool,
    /// The given manager was recognised on the page.
    pub manager: bool,
    pub state_before: String,
    pub state_after: String,
    /// When the control was used. Whether the decision took stands in [`Looks::consent_act`].
    pub acted_ms: Option<f64>,
    pub error: String,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Ended {
    #[default]
    Complete,
    /// The page did not finish in its time.
    Deadline,
    /// No script of ours got an answer any more.
    Hung,
    Crashed,
}
