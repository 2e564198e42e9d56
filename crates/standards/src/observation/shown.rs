//! What stood on the screen: the launcher, what lies on or beside it, and what came of using it.

use super::Look;
use crate::image_hash::ImageHash;
use serde::{Deserialize, Serialize};

/// A box in CSS px, from the viewport's upper left corner.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Rect {
    /// Distance from the left edge, CSS px.
    pub x: f64,
    /// Distance from the top edge, CSS px.
    pub y: f64,
    /// Width in CSS px.
    pub width: f64,
    /// Height in CSS px.
    pub height: f64,
}

impl Rect {
    /// Returns width times height.
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
    /// Time at which it was taken away or hidden after it had been seen.
    pub lost_ms: Option<f64>,
    /// Box of the launcher in the viewport.
    pub rect: Rect,
    /// Name of the launcher's element.
    pub tag: String,
    /// The beginning of its markup.
    pub html: String,
    /// The style that hides it and the element that has it, such as `display: none on #chat`.
    pub hidden_by: Option<String>,
    /// Background colour, as the browser computed it.
    pub background: String,
    /// Colour of its text or icon, as the browser computed it.
    pub colour: String,
    /// Share of sample points at which the topmost element is the launcher, 0 to 1.
    pub reachable: f64,
    /// Elements that lie on top at the other points.
    pub covered_by: Vec<Cover>,
    /// Accessible name of the launcher.
    pub name: String,
    /// Role for assistive technology.
    pub role: String,
    /// Whether it can be reached by keyboard.
    pub focusable: bool,
    /// Whether it stays in place when the page scrolls; none in a look of older make.
    pub fixed: Option<bool>,
    /// Rule that hides it, as far as the browser tells.
    pub hidden_rule: Option<StyleRule>,
}

/// A style rule, and where it stands.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct StyleRule {
    /// Address of the style sheet, or what it is.
    pub sheet: String,
    /// Line in it, counted from 1; none where it has none.
    pub line: Option<u32>,
    /// Selector of the rule; empty of an element's own style.
    pub selector: String,
    /// Declaration that counts.
    pub declaration: String,
}

/// An element that is wider than the screen.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct WideElement {
    /// Selector of the element.
    pub element: String,
    /// Box of the element in the viewport.
    pub rect: Rect,
}

/// Something that lies on the launcher.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Cover {
    /// Selector of the element.
    pub element: String,
    /// Share of the sample points, 0 to 1.
    pub share: f64,
}

/// Something that stays in place when the page scrolls.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct FixedElement {
    /// Selector of the element.
    pub element: String,
    /// Box of the element in the viewport.
    pub rect: Rect,
    /// Role for assistive technology.
    pub role: String,
    /// Its label, or the beginning of its text.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub label: String,
    /// Its place in the stack; 0 where it has none of its own.
    #[serde(skip_serializing_if = "is_flat")]
    pub z: i64,
}

fn is_flat(z: &i64) -> bool {
    *z == 0
}

/// Result of working the launcher; whether it opened and closed stands in [`super::Looks`].
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Operation {
    /// The panel was shown before anything was pressed; none in a look of older make.
    pub open_at_start: Option<bool>,
    /// Time from the click to the panel, ms.
    pub opened_ms: Option<f64>,
    /// Box of the open panel.
    pub panel: Option<Rect>,
    /// Address of a window that opened instead.
    pub new_window: Option<String>,
    /// Time of the visit's first click on the launcher, ms after the navigation began: what came
    /// since is what the visitor asked for.
    pub clicked_ms: Option<f64>,
    /// Frames inside the open panel.
    pub panel_frames: Vec<PanelFrame>,
}

/// A frame inside the open panel.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct PanelFrame {
    /// Address that the frame was given.
    pub url: String,
    /// Share of the panel's area, 0 to 1.
    pub share: f64,
    /// Characters and controls that its document shows; none where it could not be asked.
    pub content: Option<u32>,
}

/// One link to another channel, in the order of the widget's list.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct ChannelSeen {
    /// Words or accessible name of the link.
    pub text: String,
    /// Target of the link, as it is written.
    pub href: String,
}

/// Observations of a visitor who came again.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct SecondVisit {
    /// The launcher at the second load.
    pub launcher: Look,
    /// The panel was open before anything was pressed; none where the profile names no panel.
    pub open: Option<bool>,
    /// A link to another page that the page's own script followed without leaving the document;
    /// none where there was no such link.
    pub route: Option<RouteSeen>,
}

/// A change of route by a link.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct RouteSeen {
    /// Target of the link.
    pub to: String,
    /// The launcher two seconds later.
    pub launcher: Look,
}

/// Parts of an open panel beside its texts.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct PanelDetails {
    /// Whether it is laid out from right to left, as the browser computed it; none where that was
    /// not read.
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

/// Speaker in a chat.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Speaker {
    /// Visitor of the page.
    Visitor,
    /// Person or program that answers.
    Agent,
}

/// The look of what somebody says, as the browser computed it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BubbleSeen {
    /// Speaker of the bubble.
    pub by: Speaker,
    /// Background colour of the bubble.
    pub ground: String,
    /// Colour of the text in the bubble.
    pub words: String,
}

/// A part of the open panel that a design shows or hides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Part {
    /// Logo of the client.
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

/// Visibility of a part.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PartSeen {
    /// Part that was looked for.
    pub part: Part,
    /// Whether it shows; none where a frame of the panel gave no answer, and it was seen in no
    /// other.
    pub shown: Option<bool>,
}

/// A field for a visitor.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct FieldSeen {
    /// Label or accessible name of the field.
    pub label: String,
    /// Type of the field, as HTML has it: text, email, tel, ...
    pub kind: String,
    /// Whether it must be filled in.
    pub required: bool,
}

/// A picture of the widget.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct PictureSeen {
    /// Name of the picture: one of the names below.
    pub name: String,
    /// Address of the picture; empty where none shows.
    pub src: String,
    /// Hash of the picture at its address.
    pub hash: Option<ImageHash>,
    /// Hash of the picture at the designed address, at the same time.
    pub designed: Option<ImageHash>,
    /// Reason why one of the two is missing.
    pub why: String,
}

impl PictureSeen {
    /// Name of the photo of whoever answers.
    pub const PHOTO: &str = "photo";
    /// Name of the picture on the launcher.
    pub const LAUNCHER: &str = "launcher picture";
    /// At the place of the part.
    pub const LOGO: &str = "logo picture";
}
