//! What a widget design sets: the one table of its fields, in the order of the form.

use newtfern_standards::observation::TextName;
use serde::{Deserialize, Serialize};

/// Part of a widget that a field belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Group {
    /// Looks of the closed widget.
    Launcher,
    /// Colours of all parts.
    Colours,
    /// The small message beside the launcher.
    Prompt,
    /// Contents of the open widget.
    Panel,
    /// Parts that come before the chat.
    Before,
    /// Texts of the states in which nobody answers at once.
    States,
    /// Options that visitors have.
    Extras,
}

impl Group {
    /// All of them, in the order of the form.
    pub const ALL: [Group; 7] = [
        Group::Launcher,
        Group::Colours,
        Group::Prompt,
        Group::Panel,
        Group::Before,
        Group::States,
        Group::Extras,
    ];

    /// Returns the group's name for people.
    pub fn label(self) -> &'static str {
        match self {
            Group::Launcher => "Launcher",
            Group::Colours => "Colours",
            Group::Prompt => "Prompt",
            Group::Panel => "Panel",
            Group::Before => "Before the chat",
            Group::States => "While nobody answers",
            Group::Extras => "Visitor options",
        }
    }
}

/// Values that a field takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// A colour, in any notation that CSS knows.
    Colour,
    /// A number of px, up to this.
    Px(u16),
    /// The same, or nothing: as on desktops.
    PxOrNone(u16),
    /// A number up to this: seconds, minutes, percent.
    Number(u16),
    /// One word of a list.
    Choice(&'static [&'static str]),
    /// One line of text.
    Line,
    /// Several lines of text.
    Words,
    /// An address, or a path of the site.
    Link,
    /// Names of fields with commas; an asterisk marks those that are required.
    Asked,
    /// A style sheet of the client's own.
    Styles,
}

impl Shape {
    /// The words of a choice; none of what is no choice.
    pub fn choices(self) -> &'static [&'static str] {
        match self {
            Shape::Choice(words) => words,
            _ => &[],
        }
    }
}

/// The place and name of a value in an expectation file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum InFiles {
    /// A file cannot ask for it.
    Nowhere,
    /// Among the values of the design; every widget has it.
    Always(&'static str),
    /// Among the values of the design; a widget may be without it, so its built-in default is
    /// nobody's wish.
    Optional(&'static str),
    /// Among the texts of a language.
    Text(TextName),
    /// Setting beside the texts that says when the prompt comes.
    When(&'static str),
}

use InFiles::{Always, Nowhere, Optional, Text, When};

macro_rules! fields {
    ($($variant:ident $key:literal $label:literal $default:literal
        $group:ident $shape:expr => $named:expr),* $(,)?) => {
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(rename_all = "snake_case")]
        /// One value that a design sets.
        pub enum Field {
            $(#[doc = $label] #[serde(rename = $key)] $variant),*
        }
        impl Field {
            /// All of them, in the order of the form.
            pub const ALL: &'static [Field] = &[$(Field::$variant),*];
            /// Name in files and forms.
            pub fn key(self) -> &'static str { match self { $(Field::$variant => $key),* } }
            /// Returns the field's name for people.
            pub fn label(self) -> &'static str { match self { $(Field::$variant => $label),* } }
            /// The part of the widget.
            pub fn group(self) -> Group { match self { $(Field::$variant => Group::$group),* } }
            /// Returns which values the field takes.
            pub fn shape(self) -> Shape { match self { $(Field::$variant => $shape),* } }
            /// Returns where an expectation file and a supplier's profile name it.
            pub fn in_files(self) -> InFiles { match self { $(Field::$variant => $named),* } }
            /// Returns the value where nobody sets it.
            pub fn default_value(self) -> &'static str {
                match self { $(Field::$variant => $default),* }
            }
        }
    };
}

/// Corners that a launcher can be in.
pub const CORNERS: &[&str] = &["bottom-right", "bottom-left", "top-right", "top-left"];
const FORMS: &[&str] = &["launcher", "tab", "inline", "channels"];
const STARTS: &[&str] = &["closed", "open"];
/// A launcher that is a picture of the client's.
pub const PICTURED: &str = "own picture";
const ICONS: &[&str] = &["speech", "telephone", "letter", "question", PICTURED];
const DRAWN: &[&str] = &["filled", "outlined"];
/// A widget that does not show on phones.
pub const HIDDEN: &str = "hidden";
/// A launcher that is on the other side on phones.
pub const OTHER_SIDE: &str = "other side";
const PHONES: &[&str] = &["as on desktops", OTHER_SIDE, HIDDEN];
const BADGES: &[&str] = &["none", "dot", "count"];
const MOVES: &[&str] = &["none", "fade in", "rise", "pulse"];
/// A prompt that waits for its second.
pub const PROMPT_TIMED: &str = "after a time";
/// A prompt that waits for the page to be scrolled.
pub const PROMPT_SCROLLED: &str = "at a scroll depth";
/// A prompt that waits for the mouse to leave.
pub const PROMPT_LEAVING: &str = "on leaving";
const PROMPTS: &[&str] = &[PROMPT_TIMED, PROMPT_SCROLLED, PROMPT_LEAVING];
const YES_NO: &[&str] = &["yes", "no"];
const SHOWN: &[&str] = &["shown", HIDDEN];

#[rustfmt::skip]
fields! {
    Form "form" "Form" "launcher" Launcher Shape::Choice(FORMS) => Nowhere,
    Start "start" "Starts" "closed" Launcher Shape::Choice(STARTS) => Nowhere,
    Corner "corner" "Corner" "bottom-right" Launcher Shape::Choice(CORNERS) => Always("corner"),
    OffsetX "offset_x" "Offset from the side, px" "20"
        Launcher Shape::Px(2000) => Always("offset_side_px"),
    OffsetY "offset_y" "Offset from the bottom, px" "20"
        Launcher Shape::Px(2000) => Always("offset_bottom_px"),
    Size "size" "Size, px" "60" Launcher Shape::Px(200) => Optional("size_px"),
    Icon "icon" "Icon" "speech" Launcher Shape::Choice(ICONS) => Nowhere,
    IconDrawn "icon_drawn" "Icon style" "filled" Launcher Shape::Choice(DRAWN) => Nowhere,
    Picture "picture" "Own icon, address" "" Launcher Shape::Link => Optional("picture"),
    OnPhones "on_phones" "On phones" "as on desktops"
        Launcher Shape::Choice(PHONES) => Optional("on_phones"),
    PhoneSize "phone_size" "Size on phones, px" ""
        Launcher Shape::PxOrNone(200) => Optional("phone_size_px"),
    PhoneOffsetX "phone_offset_x" "Offset from the side on phones, px" ""
        Launcher Shape::PxOrNone(400) => Optional("phone_offset_side_px"),
    PhoneOffsetY "phone_offset_y" "Offset from the bottom on phones, px" ""
        Launcher Shape::PxOrNone(400) => Optional("phone_offset_bottom_px"),
    Badge "badge" "Badge" "none" Launcher Shape::Choice(BADGES) => Nowhere,
    Movement "movement" "Movement" "none" Launcher Shape::Choice(MOVES) => Nowhere,
    ButtonColour "button_colour" "Button colour" "#2f6b4f"
        Colours Shape::Colour => Always("launcher_colour"),
    IconColour "icon_colour" "Icon on the button" "#ffffff"
        Colours Shape::Colour => Always("icon_colour"),
    HeaderColour "header_colour" "Header colour" "#2f6b4f"
        Colours Shape::Colour => Always("header_colour"),
    HeaderText "header_text" "Header text" "#ffffff"
        Colours Shape::Colour => Always("header_text_colour"),
    OwnBubble "own_bubble" "Visitor\u{2019}s bubbles" "#2f6b4f"
        Colours Shape::Colour => Optional("own_bubble_colour"),
    OwnWords "own_words" "Text on visitor bubbles" "#ffffff"
        Colours Shape::Colour => Optional("own_words_colour"),
    AnswerBubble "answer_bubble" "Agent\u{2019}s bubbles" "#e9ede9"
        Colours Shape::Colour => Optional("answer_bubble_colour"),
    AnswerWords "answer_words" "Text on agent bubbles" "#222222"
        Colours Shape::Colour => Optional("answer_words_colour"),
    Ground "ground" "Panel background" "#ffffff" Colours Shape::Colour => Nowhere,
    GroundWords "ground_words" "Panel text" "#222222" Colours Shape::Colour => Nowhere,
    Prompt "prompt" "Prompt" "" Prompt Shape::Words => Text(TextName::Prompt),
    PromptOn "prompt_on" "Prompt appears" "after a time" Prompt Shape::Choice(PROMPTS) => Nowhere,
    PromptDelay "prompt_delay_s" "Prompt after, seconds" "5"
        Prompt Shape::Number(3600) => When("prompt_after_s"),
    PromptScroll "prompt_scroll" "Scroll depth, percent" "50"
        Prompt Shape::Number(100) => When("prompt_at_scroll"),
    Title "title" "Title" "Talk to us" Panel Shape::Line => Text(TextName::Title),
    Subtitle "subtitle" "Line below the title" "" Panel Shape::Line => Text(TextName::Subtitle),
    Greeting "greeting" "Greeting" "Hello! How can we help?"
        Panel Shape::Words => Text(TextName::Greeting),
    Promise "promise_min" "Promised reply time, minutes (0: none)" "0"
        Panel Shape::Number(10_000) => Nowhere,
    AgentName "agent_name" "Agent\u{2019}s name" "" Panel Shape::Line => Text(TextName::AgentName),
    AgentPhoto "agent_photo" "Agent\u{2019}s photo, address" ""
        Panel Shape::Link => Optional("agent_photo"),
    Logo "logo" "Logo in the panel" "hidden" Panel Shape::Choice(SHOWN) => Optional("logo"),
    LogoPicture "logo_picture" "Logo, address" "" Panel Shape::Link => Optional("logo_picture"),
    Typeface "typeface" "Typeface" "" Panel Shape::Line => Optional("typeface"),
    SupplierMark "supplier_mark" "Supplier mark" "shown"
        Panel Shape::Choice(SHOWN) => Optional("supplier_mark"),
    Asked "asked" "Fields (* is required)" "" Before Shape::Asked => Optional("fields"),
    BeforeText "before_text" "Text above the fields" "" Before Shape::Words => Nowhere,
    NoticeText "notice_text" "Notice" "Before you write, please read how we treat your data."
        Before Shape::Words => Text(TextName::Notice),
    NoticeLink "notice_link" "Notice link" "" Before Shape::Link => Text(TextName::NoticeLink),
    Away "away" "While away" "" States Shape::Words => Text(TextName::Away),
    Closed "closed" "Outside hours" "" States Shape::Words => Nowhere,
    Sent "sent" "After sending" "" States Shape::Words => Nowhere,
    Rating "rating" "Rating" "no" Extras Shape::Choice(YES_NO) => Optional("rating"),
    Transcript "transcript" "Transcript by e-mail" "no"
        Extras Shape::Choice(YES_NO) => Optional("transcript"),
    Files "files" "Files" "no" Extras Shape::Choice(YES_NO) => Optional("files"),
    Sound "sound" "Sound" "no" Extras Shape::Choice(YES_NO) => Nowhere,
    Styles "styles" "Custom styles" "" Extras Shape::Styles => Nowhere,
}

impl Field {
    /// The field with a key.
    pub fn from_key(key: &str) -> Option<Field> {
        Field::ALL.iter().copied().find(|f| f.key() == key)
    }

    /// Returns its name among the values of a design, in an expectation file.
    pub fn name_in_design(self) -> Option<&'static str> {
        match self.in_files() {
            Always(name) | Optional(name) => Some(name),
            Nowhere | Text(_) | When(_) => None,
        }
    }

    /// Returns its name among the texts of a language, in an expectation file.
    pub fn name_in_texts(self) -> Option<TextName> {
        match self.in_files() {
            Text(name) => Some(name),
            _ => None,
        }
    }

    /// A widget may be without it, so its built-in default is nobody's wish.
    pub fn is_optional(self) -> bool {
        matches!(self.in_files(), Optional(_))
    }

    /// The field that an expectation file or a form calls so.
    pub fn named(name: &str) -> Option<Field> {
        let in_files = |f: &Field| match f.in_files() {
            Nowhere => false,
            Always(n) | Optional(n) | When(n) => n == name,
            Text(n) => n.word() == name,
        };
        let found = Field::ALL.iter().copied().find(in_files);
        found.or_else(|| Field::from_key(name))
    }

    /// Returns whether no expectation file carries its value. Form and start have fields of their
    /// own there, and a promise is held against the hours.
    pub fn is_in_no_file(self) -> bool {
        let elsewhere = matches!(
            self,
            Field::Form | Field::Start | Field::PromptOn | Field::Promise
        );
        matches!(self.in_files(), Nowhere) && !elsewhere
    }

    /// Returns whether its value is a colour.
    pub fn is_colour(self) -> bool {
        self.shape() == Shape::Colour
    }

    /// Returns whether its value is text that visitors read.
    pub fn is_text(self) -> bool {
        matches!(self.shape(), Shape::Line | Shape::Words) && !matches!(self, Field::Typeface)
    }
}
