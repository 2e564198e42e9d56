//! What one visit saw: plain data without opinion. The probe writes it, the store keeps it, the
//! checks read nothing else. Times are milliseconds since the visit's navigation began; boxes are
//! CSS px from the viewport's top left; sizes are bytes.
//!
//! Each stage of a visit also says how far the look went ([`Look`]): seen, not there, or not looked
//! at and why. What was not looked at is never judged as absent.

mod aside;
mod kinds;
mod left_out;
mod look;
mod network;
mod shown;
mod withheld;

pub use aside::{Aside, AsideLook, Purpose};
pub use kinds::{InitiatorKind, RequestKind, StorageKind, TextName};
pub use left_out::LeftOut;
pub use look::{Look, Looks, NotCheckedReason, Stage};
pub use network::{FailureKind, Hop, Initiator, Message, NetFailure, Request, Socket, Violation};
pub use shown::{
    BubbleSeen, ChannelSeen, Cover, FieldSeen, FixedElement, Launcher, Operation, PanelDetails,
    PanelFrame, Part, PartSeen, PictureSeen, Rect, RouteSeen, SecondVisit, Speaker, StyleRule,
    WideElement,
};
pub use withheld::{Stretch, Withheld};

use serde::{Deserialize, Serialize};

/// Raised when a field changes its meaning; new optional fields do not raise it. 2: looks say how
/// far they went. An older observation says of nothing how far it looked, so it is judged
/// undecided.
pub const VERSION: u32 = 2;

/// Screen that a visit is made on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Viewport {
    /// 1280 x 800, a pointer.
    #[default]
    Desktop,
    /// 390 x 844 at three device pixels, touch.
    Phone,
}

impl Viewport {
    /// Both screens, desktop first.
    pub const ALL: [Viewport; 2] = [Viewport::Desktop, Viewport::Phone];

    /// The word of the public contract.
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

/// Decision of the visitor about consent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ConsentAct {
    /// The visitor decides nothing.
    #[default]
    Untouched,
    /// The visitor agrees to everything.
    Granted,
    /// Refuses what can be refused.
    Refused,
    /// Granted, then taken back.
    Withdrawn,
    /// Untouched, with Global Privacy Control sent.
    Gpc,
}

impl ConsentAct {
    /// All of them, in the order of the grid.
    pub const ALL: [ConsentAct; 5] = [
        ConsentAct::Untouched,
        ConsentAct::Refused,
        ConsentAct::Granted,
        ConsentAct::Withdrawn,
        ConsentAct::Gpc,
    ];

    /// The word of the public contract.
    pub fn word(self) -> &'static str {
        match self {
            ConsentAct::Untouched => "untouched",
            ConsentAct::Granted => "granted",
            ConsentAct::Refused => "refused",
            ConsentAct::Withdrawn => "withdrawn",
            ConsentAct::Gpc => "gpc",
        }
    }

    /// Returns the decision in words for people.
    pub fn words(self) -> &'static str {
        match self {
            ConsentAct::Untouched => "no choice made",
            ConsentAct::Granted => "consent granted",
            ConsentAct::Refused => "consent refused",
            ConsentAct::Withdrawn => "consent withdrawn",
            ConsentAct::Gpc => "Global Privacy Control",
        }
    }
}

/// Whether the widget is let through, or its hosts are kept from answering.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum WidgetLet {
    /// The widget comes, as visitors have it.
    #[default]
    Present,
    /// Requests to the supplier's hosts do not leave.
    Withheld,
}

/// Manner in which a visitor comes, beside screen, decision and language.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Manner {
    /// The visitor comes for the first time, at the usual size.
    #[default]
    Usual,
    /// At a zoom of 200 %, with a system that asks for less motion.
    Zoomed,
    /// The visitor comes for a second time with what the browser has kept; then goes to another
    /// page of the site by a link.
    Again,
}

impl Manner {
    /// Returns the manner for lists of visits; empty for the usual one.
    pub fn words(self) -> &'static str {
        match self {
            Manner::Usual => "",
            Manner::Zoomed => "at 200 % zoom",
            Manner::Again => "for the second time",
        }
    }

    /// Returns whether it is the usual one.
    pub fn is_usual(&self) -> bool {
        *self == Manner::Usual
    }
}

/// The circumstances of one visit.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Condition {
    /// Screen of the visit.
    pub viewport: Viewport,
    /// Decision about consent.
    pub consent: ConsentAct,
    /// The visitor's language (BCP 47); empty for the browser's own.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub locale: String,
    /// Whether the widget may come.
    pub widget: WidgetLet,
    /// Manner in which the visitor comes.
    #[serde(skip_serializing_if = "Manner::is_usual")]
    pub manner: Manner,
}

/// Everything that one visit saw.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Observation {
    /// Version of the shape; [`VERSION`] when it was made by this program.
    pub version: u32,
    /// The address that was asked for.
    pub url: String,
    /// Circumstances of the visit.
    pub condition: Condition,
    /// The document as it arrived.
    pub page: DeliveredPage,
    /// The document as it stood at the end, serialised and cut to a bound.
    pub final_html: String,
    /// Blob key of that document, where it is kept apart.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub final_blob: Option<String>,
    /// Documents that the page went to.
    pub navigations: Vec<Navigation>,
    /// Requests in the order in which they were made.
    pub requests: Vec<Request>,
    /// Live connections that were opened.
    pub sockets: Vec<Socket>,
    /// Lines of the console.
    pub console: Vec<Message>,
    /// Errors that nobody caught.
    pub exceptions: Vec<Message>,
    /// Resources that a policy forbade.
    pub violations: Vec<Violation>,
    /// Items that the page stored.
    pub stored: Vec<StoredItem>,
    /// Frames of the page.
    pub frames: Vec<Frame>,
    /// The supplier's sign of life.
    pub alive: AliveSign,
    /// The launcher, if one was seen.
    pub launcher: Option<Launcher>,
    /// Elements that stay in place when the page scrolls.
    pub fixed: Vec<FixedElement>,
    /// Width and height of the viewport the page was laid out in. A page without a viewport meta
    /// element is laid out wider than a phone and shown smaller.
    pub layout: Option<(f64, f64)>,
    /// Part of that viewport that the screen shows at first, where the browser tells.
    pub sight: Option<Rect>,
    /// Element that makes the page wider than the screen.
    pub too_wide: Option<WideElement>,
    /// Functions of the browser that are not its own on this page; asked for where the widget's
    /// code threw.
    pub replaced: Vec<String>,
    /// Result of using the launcher.
    pub operation: Option<Operation>,
    /// Times and shifts of the page.
    pub metrics: Metrics,
    /// State of the consent manager.
    pub consent: ConsentSeen,
    /// Texts that were found where the profile says.
    pub texts: Vec<TextSeen>,
    /// Links to other channels, in their order; none where they were not looked for.
    pub channels: Option<Vec<ChannelSeen>>,
    /// The prompt was watched for until then, ms after the navigation began; nothing where nobody
    /// asked for it.
    pub prompt_until_ms: Option<f64>,
    /// Presence of agents, where the profile says how the widget tells it and it told.
    pub presence: Option<Presence>,
    /// Parts of the open panel beside its texts; none where it was not read.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub details: Option<PanelDetails>,
    /// Parts of the launcher that moved without end where less motion was asked for; none where
    /// nobody looked.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub moving: Option<Vec<String>>,
    /// Second visit of the same visitor; none where nobody made it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub second: Option<SecondVisit>,
    /// End of the visit.
    pub ended: VisitEnd,
    /// Result of each look.
    pub looks: Looks,
    /// Steps of the visit with their times.
    pub stages: Vec<Stage>,
    /// Time that our own machine kept from it.
    #[serde(skip_serializing_if = "Withheld::is_nothing")]
    pub withheld: Withheld,
    /// The script that held the page's thread when the visit gave up asking, if one did.
    pub held_by: Option<BlockingScript>,
    /// More came than a visit keeps: the lists that are not whole.
    pub left_out: Vec<LeftOut>,
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
    /// Product and version of the browser.
    pub browser: String,
    /// Beginning of the visit, RFC 3339.
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
    /// Address after redirects.
    pub final_url: String,
    /// Redirects in the order in which they came.
    pub redirects: Vec<Hop>,
    /// Status of the last answer.
    pub status: Option<u16>,
    /// Media type of the last answer.
    pub mime: String,
    /// Headers of the last answer, names in lower case.
    pub headers: Vec<(String, String)>,
    /// The body as text.
    pub html: String,
    /// Blob key of the body, where it is kept apart.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub html_blob: Option<String>,
    /// The body was longer than is kept.
    pub html_cut: bool,
    /// Reason why there is no document.
    pub failure: Option<NetFailure>,
    /// Address and port that answered.
    pub remote: String,
}

impl DeliveredPage {
    /// The values of a header.
    pub fn header<'a>(&'a self, name: &'a str) -> impl Iterator<Item = &'a str> {
        self.headers
            .iter()
            .filter(move |(n, _)| n.eq_ignore_ascii_case(name))
            .map(|(_, v)| v.as_str())
    }
}

/// The page went somewhere.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Navigation {
    /// Address of the navigation.
    pub url: String,
    /// ms after the visit's navigation began.
    pub at_ms: f64,
    /// Without a new document (a route of the page's own).
    pub same_document: bool,
}

/// A cookie or a storage entry. Values are not kept: names and lengths suffice to judge.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct StoredItem {
    /// Place in which it was stored.
    pub kind: StorageKind,
    /// Cookie domain or storage origin.
    pub place: String,
    /// Name of the stored item.
    pub name: String,
    /// Length of its value, in characters; values are not kept.
    pub length: usize,
    /// ms after the navigation began.
    pub at_ms: f64,
    /// Seconds until a cookie expires; absent for a session cookie and for storage.
    pub expires_s: Option<f64>,
}

/// A frame of the page.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Frame {
    /// Address of the frame.
    pub url: String,
    /// Identifier of the frame that holds it.
    pub parent: String,
    /// ms after the navigation began.
    pub at_ms: f64,
}

/// Script that let nothing else run.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct BlockingScript {
    /// The script's address; that of the page for script in it.
    pub url: String,
    /// The function it was in, if it has a name.
    pub function: String,
    /// Line in the document, counted from 1.
    pub line: Option<u32>,
    /// Time for which no question was answered, ms.
    pub silent_ms: f64,
}

/// State of the supplier's own sign of life; when it came stands in [`Looks::alive`].
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct AliveSign {
    /// Whether it came up only after the visit moved the mouse, scrolled and pressed a key.
    pub after_interaction: bool,
    /// The visit moved the mouse, scrolled and pressed a key, because nothing had come by itself.
    pub nudged: bool,
    /// Error that the profile's expression threw; empty if it threw none.
    pub error: String,
}

/// Times and shifts of the page (web.dev "Web Vitals" for their definitions).
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Metrics {
    /// First contentful paint, ms.
    pub fcp_ms: Option<f64>,
    /// Largest contentful paint, ms.
    pub lcp_ms: Option<f64>,
    /// Cumulative layout shift, no unit.
    pub cls: Option<f64>,
    /// Total blocking time, ms.
    pub tbt_ms: Option<f64>,
    /// Time of the load event, ms since the navigation began.
    pub load_ms: Option<f64>,
    /// Time at which the document was parsed, ms since the navigation began.
    pub dcl_ms: Option<f64>,
}

/// A text of a widget, as it was seen.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct TextSeen {
    /// Name of the text.
    pub name: TextName,
    /// Text as it is shown; of a link its target, as it is written.
    pub text: String,
    /// The same without the words of its links, of a notice.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub besides_links: Option<String>,
    /// ms after the navigation began.
    pub at_ms: f64,
}

/// Presence of agents, as a widget tells it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Presence {
    /// Somebody is there to answer.
    Online,
    /// Nobody is there at the moment.
    Away,
    /// The chat is closed.
    Closed,
}

impl Presence {
    /// Returns the state as a word.
    pub fn word(self) -> &'static str {
        match self {
            Presence::Online => "online",
            Presence::Away => "away",
            Presence::Closed => "closed",
        }
    }
}

/// Observations of a consent manager.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ConsentSeen {
    /// The page exposes the IAB interface (`__tcfapi`).
    pub tcf: bool,
    /// The consent string that the interface gave last; empty where it gave none.
    pub tc_string: String,
    /// The given manager was recognised on the page.
    pub manager: bool,
    /// Visitor's decision that it states before the act.
    pub state_before: String,
    /// Visitor's decision that it states after the act.
    pub state_after: String,
    /// Time at which the control was used. Whether the decision took stands in
    /// [`Looks::consent_act`].
    pub acted_ms: Option<f64>,
    /// Reason why the act did not come about.
    pub error: String,
    /// Choices that the banner offered at first, where it was looked at.
    pub first_layer: Option<FirstLayer>,
}

/// Choices that a banner offers before anything of it was pressed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct FirstLayer {
    /// A control that agrees.
    pub accepts: bool,
    /// A control that refuses.
    pub refuses: bool,
    /// Whether a refusal was found behind another control of it; none where nobody looked there.
    pub refuses_deeper: Option<bool>,
}

/// End of a visit.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum VisitEnd {
    /// The visit went to the end of its plan.
    #[default]
    Complete,
    /// The page did not finish in its time.
    Deadline,
    /// No script of ours got an answer any more.
    Hung,
    /// The page's process crashed.
    Crashed,
}
