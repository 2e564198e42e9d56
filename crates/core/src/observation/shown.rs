//! What stood on the screen: the launcher, what lies on or beside it, and what came of using it.

use super::Look;
use crate::image_hash::ImageHash;
use serde::{Deserialize, Serialize};

/// A box in CSS px, from the viewport's upper left corner.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Rect {
    /// From the left.
    pub x: f64,
    /// From the top.
    pub y: f64,
    /// Its width.
    pub width: f64,
    /// Its height.
    pub height: f64,
}

impl Rect {
    /// Width times height.
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

/// The launcher as it was seen.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Launcher {
    /// An element fits the selector, whether it can be seen or not.
    pub present: bool,
    /// When it was taken away or hidden after it had been seen.
    pub lost_ms: Option<f64>,
    /// Its box.
    pub rect: Rect,
    /// Its element's name.
    pub tag: String,
    /// The beginning of its markup.
    pub html: String,
    /// The style that hides it and the element that has it, such as `display: none on #chat`.
    pub hidden_by: Option<String>,
    /// Its background, as the browser computed it.
    pub background: String,
    /// Its text or icon colour, as the browser computed it.
    pub colour: String,
    /// Share of sample points at which the topmost element is the launcher, 0 to 1.
    pub reachable: f64,
    /// What lies on top at the other points.
    pub covered_by: Vec<Cover>,
    /// Its accessible name.
    pub name: String,
    /// Its role for assistive technology.
    pub role: String,
    /// It can be reached by keyboard.
    pub focusable: bool,
    /// It stays where it is when the page scrolls; none in a look of older make.
    pub fixed: Option<bool>,
}

/// Something that lies on the launcher.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Cover {
    /// It, as a selector.
    pub element: String,
    /// Share of the sample points, 0 to 1.
    pub share: f64,
}

/// Something that stays in place when the page scrolls.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct FixedElement {
    /// It, as a selector.
    pub element: String,
    /// Its box.
    pub rect: Rect,
    /// Its role for assistive technology.
    pub role: String,
}

/// What happened when the visit worked the launcher; whether it opened and closed stands in
/// [`Looks`].
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Operation {
    /// The panel was shown before anything was pressed; none in a look of older make.
    pub open_at_start: Option<bool>,
    /// From the click to the panel, ms.
    pub opened_ms: Option<f64>,
    /// The panel's box.
    pub panel: Option<Rect>,
    /// Address of a window that opened instead.
    pub new_window: Option<String>,
}

/// One link to another channel, in the order of the widget's list.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct ChannelSeen {
    /// Its words or accessible name.
    pub text: String,
    /// Where it leads, as it is written.
    pub href: String,
}

/// What a visitor saw who came again.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct SecondVisit {
    /// The launcher at the second load.
    pub launcher: Look,
    /// The panel was open before anything was pressed; none where the profile names no panel.
    pub open: Option<bool>,
    /// A link to another page that the page's own script followed without leaving the document; none where
    /// there was no such link.
    pub route: Option<RouteSeen>,
}

/// A change of route by a link.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct RouteSeen {
    /// Where the link leads.
    pub to: String,
    /// The launcher two seconds later.
    pub launcher: Look,
}

/// What an open panel shows beside its texts.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct PanelDetails {
    /// It is laid out from right to left, as the browser computed it; none where that was not read.
    pub right_to_left: Option<bool>,
    /// The families that its words are set in, as the browser computed them.
    pub typeface: Option<String>,
    /// Fields that a visitor fills in before a talk; none where they could not be read.
    pub fields: Option<Vec<FieldSeen>>,
    /// Pictures that the profile names.
    pub pictures: Vec<PictureSeen>,
    /// Bubbles that the profile names, of those that stand there.
    pub bubbles: Vec<BubbleSeen>,
    /// Parts that the profile names.
    pub parts: Vec<PartSeen>,
}

/// Who says something in a talk.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Speaker {
    /// Who visits the page.
    Visitor,
    /// Who answers.
    Agent,
}

/// The look of what somebody says, as the browser computed it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BubbleSeen {
    /// Who says it.
    pub by: Speaker,
    /// Its ground.
    pub ground: String,
    /// Of its words.
    pub words: String,
}

/// A part of the open panel that a design shows or hides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Part {
    /// The client's logo.
    Logo,
    /// The supplier's own mark.
    SupplierMark,
    /// A rating of the talk.
    Rating,
    /// The talk by mail.
    Transcript,
    /// A place for files.
    Files,
}

/// Whether a part shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PartSeen {
    /// Which.
    pub part: Part,
    /// It shows; none where a frame of the panel gave no answer, and it was seen in no other.
    pub shown: Option<bool>,
}

/// A field for a visitor.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct FieldSeen {
    /// Its label or accessible name.
    pub label: String,
    /// What it is for, as HTML has it: text, email, tel, ...
    pub kind: String,
    /// It must be filled in.
    pub required: bool,
}

/// A picture of the widget.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct PictureSeen {
    /// What it is: one of the names below.
    pub name: String,
    /// Its address; empty where no picture shows.
    pub src: String,
    /// Of what its address gives.
    pub hash: Option<ImageHash>,
    /// Of what the designed picture's address gave at the same time.
    pub designed: Option<ImageHash>,
    /// Why one of the two is missing.
    pub why: String,
}

impl PictureSeen {
    /// Of whoever answers.
    pub const PHOTO: &str = "photo";
    /// On the launcher.
    pub const LAUNCHER: &str = "launcher picture";
    /// At the place of the part.
    pub const LOGO: &str = "logo picture";
}
