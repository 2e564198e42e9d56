//! What a widget design sets: the one table of its fields, in the order of the form.

use super::DesignError;
use crate::colour::Rgb;
use crate::site::MOST_TEXT;
use serde::{Deserialize, Serialize};

/// Which part of a widget a field belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Group {
    /// The closed widget.
    Launcher,
    /// Of all parts.
    Colours,
    /// The small message beside the launcher.
    Prompt,
    /// The open widget.
    Panel,
    /// What comes before the talk.
    Before,
    /// Texts of the states in which nobody answers at once.
    States,
    /// Switches.
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

    /// Name for people.
    pub fn label(self) -> &'static str {
        match self {
            Group::Launcher => "Launcher",
            Group::Colours => "Colours",
            Group::Prompt => "Prompt",
            Group::Panel => "Panel",
            Group::Before => "Before the talk",
            Group::States => "When nobody answers at once",
            Group::Extras => "What visitors may do",
        }
    }
}

/// What a field takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// A colour, in any notation that CSS knows.
    Colour,
    /// A whole number of px, up to this.
    Px(u16),
    /// The same, or nothing: as on desktops.
    PxOrNone(u16),
    /// A number up to this: seconds, minutes, percent.
    Number(u16),
    /// One of these words.
    Choice(&'static [&'static str]),
    /// A line.
    Line,
    /// Some sentences.
    Words,
    /// An address, or a path of the site.
    Link,
    /// Names of fields with commas; an asterisk marks those that are required.
    Asked,
    /// A style sheet.
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

macro_rules! fields {
    ($($variant:ident $key:literal $label:literal $default:literal $group:ident $shape:expr),* $(,)?) => {
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(rename_all = "snake_case")]
        /// What a design sets.
        pub enum Field {
            $(#[doc = $label] #[serde(rename = $key)] $variant),*
        }
        impl Field {
            /// All of them, in the order of the form.
            pub const ALL: &'static [Field] = &[$(Field::$variant),*];
            /// Name in files and forms.
            pub fn key(self) -> &'static str { match self { $(Field::$variant => $key),* } }
            /// Name for people.
            pub fn label(self) -> &'static str { match self { $(Field::$variant => $label),* } }
            /// The part of the widget.
            pub fn group(self) -> Group { match self { $(Field::$variant => Group::$group),* } }
            /// What it takes.
            pub fn shape(self) -> Shape { match self { $(Field::$variant => $shape),* } }
            /// What it is where nobody sets it.
            pub fn default_value(self) -> &'static str {
                match self { $(Field::$variant => $default),* }
            }
        }
    };
}

/// Where a launcher can be.
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
    Form "form" "Form" "launcher" Launcher Shape::Choice(FORMS),
    Start "start" "Starts" "closed" Launcher Shape::Choice(STARTS),
    Corner "corner" "Corner" "bottom-right" Launcher Shape::Choice(CORNERS),
    OffsetX "offset_x" "Offset from the side, px" "20" Launcher Shape::Px(400),
    OffsetY "offset_y" "Offset from the bottom, px" "20" Launcher Shape::Px(400),
    Size "size" "Size, px" "60" Launcher Shape::Px(200),
    Icon "icon" "Icon" "speech" Launcher Shape::Choice(ICONS),
    IconDrawn "icon_drawn" "Icon drawn" "filled" Launcher Shape::Choice(DRAWN),
    Picture "picture" "Own picture, address" "" Launcher Shape::Link,
    OnPhones "on_phones" "On phones" "as on desktops" Launcher Shape::Choice(PHONES),
    PhoneSize "phone_size" "Size on phones, px" "" Launcher Shape::PxOrNone(200),
    PhoneOffsetX "phone_offset_x" "Offset from the side on phones, px" "" Launcher Shape::PxOrNone(400),
    PhoneOffsetY "phone_offset_y" "Offset from the bottom on phones, px" "" Launcher Shape::PxOrNone(400),
    Badge "badge" "Badge" "none" Launcher Shape::Choice(BADGES),
    Movement "movement" "Movement" "none" Launcher Shape::Choice(MOVES),
    ButtonColour "button_colour" "Button colour" "#2f6b4f" Colours Shape::Colour,
    IconColour "icon_colour" "Text on the button" "#ffffff" Colours Shape::Colour,
    HeaderColour "header_colour" "Header colour" "#2f6b4f" Colours Shape::Colour,
    HeaderText "header_text" "Header text" "#ffffff" Colours Shape::Colour,
    OwnBubble "own_bubble" "Visitor\u{2019}s bubbles" "#2f6b4f" Colours Shape::Colour,
    OwnWords "own_words" "Words on them" "#ffffff" Colours Shape::Colour,
    AnswerBubble "answer_bubble" "Agent\u{2019}s bubbles" "#e9ede9" Colours Shape::Colour,
    AnswerWords "answer_words" "Words on those" "#222222" Colours Shape::Colour,
    Ground "ground" "Panel ground" "#ffffff" Colours Shape::Colour,
    GroundWords "ground_words" "Words on the ground" "#222222" Colours Shape::Colour,
    Prompt "prompt" "Prompt" "" Prompt Shape::Words,
    PromptOn "prompt_on" "Prompt comes" "after a time" Prompt Shape::Choice(PROMPTS),
    PromptDelay "prompt_delay_s" "Prompt after, seconds" "5" Prompt Shape::Number(3600),
    PromptScroll "prompt_scroll" "Scroll depth, percent" "50" Prompt Shape::Number(100),
    Title "title" "Title" "Talk to us" Panel Shape::Line,
    Subtitle "subtitle" "Line below it" "" Panel Shape::Line,
    Greeting "greeting" "Greeting" "Hello! How can we help?" Panel Shape::Words,
    Promise "promise_min" "Promised reply, minutes (0: none)" "0" Panel Shape::Number(10_000),
    AgentName "agent_name" "Agent\u{2019}s name" "" Panel Shape::Line,
    AgentPhoto "agent_photo" "Agent\u{2019}s photo, address" "" Panel Shape::Link,
    Logo "logo" "Logo in the panel" "hidden" Panel Shape::Choice(SHOWN),
    LogoPicture "logo_picture" "Its picture, address" "" Panel Shape::Link,
    Typeface "typeface" "Typeface" "" Panel Shape::Line,
    SupplierMark "supplier_mark" "Supplier mark" "shown" Panel Shape::Choice(SHOWN),
    Asked "asked" "Fields (* is required)" "" Before Shape::Asked,
    BeforeText "before_text" "Words above the fields" "" Before Shape::Words,
    NoticeText "notice_text" "Notice" "Before you write, please read how we treat your data." Before Shape::Words,
    NoticeLink "notice_link" "Notice link" "" Before Shape::Link,
    Away "away" "While away" "" States Shape::Words,
    Closed "closed" "Outside hours" "" States Shape::Words,
    Sent "sent" "After sending" "" States Shape::Words,
    Rating "rating" "Rating" "no" Extras Shape::Choice(YES_NO),
    Transcript "transcript" "Transcript by mail" "no" Extras Shape::Choice(YES_NO),
    Files "files" "Files" "no" Extras Shape::Choice(YES_NO),
    Sound "sound" "Sound" "no" Extras Shape::Choice(YES_NO),
    Styles "styles" "Own styles" "" Extras Shape::Styles,
}

/// A style sheet may be this long, characters.
const MOST_STYLES: usize = 4_000;

impl Field {
    /// The field with a key.
    pub fn from_key(key: &str) -> Option<Field> {
        Field::ALL.iter().copied().find(|f| f.key() == key)
    }

    /// Its value is a colour.
    pub fn is_colour(self) -> bool {
        self.shape() == Shape::Colour
    }

    /// Its value is words that visitors read.
    pub fn is_text(self) -> bool {
        matches!(self.shape(), Shape::Line | Shape::Words) && !matches!(self, Field::Typeface)
    }

    /// Accepts a value as typed and gives it as it is kept.
    ///
    /// # Errors
    /// [`DesignError`], where the field does not take the value.
    pub fn accept(self, typed: &str) -> Result<String, DesignError> {
        let fail = |why: String| Err(DesignError { field: self, why });
        let most = match self.shape() {
            Shape::Styles => MOST_STYLES,
            _ => MOST_TEXT,
        };
        let value = match crate::typed::text(typed, most) {
            Ok(value) => value,
            Err(error) => return fail(error.to_string()),
        };
        match self.shape() {
            Shape::Choice(words) if !words.contains(&value) => {
                fail(format!("must be one of: {}", words.join(", ")))
            }
            Shape::PxOrNone(_) if value.is_empty() => Ok(String::new()),
            Shape::Px(most) | Shape::PxOrNone(most) => match value.parse::<u16>() {
                Ok(v) if v <= most => Ok(v.to_string()),
                _ => fail(format!("must be a whole number of px from 0 to {most}")),
            },
            Shape::Number(most) => match value.parse::<f64>() {
                Ok(v) if (0.0..=f64::from(most)).contains(&v) => Ok(v.to_string()),
                _ => fail(format!("must be a number from 0 to {most}")),
            },
            Shape::Colour => match Rgb::parse(value) {
                Ok(colour) => Ok(colour.hex()),
                Err(e) => fail(e.to_string()),
            },
            Shape::Link
                if !value.is_empty()
                    && !value.starts_with('/')
                    && crate::address::parse(value).is_err() =>
            {
                fail("must be an address, or a path that begins with /".into())
            }
            Shape::Asked => asked(value).or_else(|why| fail(why.into())),
            _ => Ok(value.to_string()),
        }
    }
}

/// The names in one form: `name, mail*`.
fn asked(typed: &str) -> Result<String, &'static str> {
    let names = typed.split(',').map(str::trim).filter(|n| !n.is_empty());
    let mut out: Vec<String> = Vec::new();
    for name in names {
        let (bare, star) = match name.strip_suffix('*') {
            Some(bare) => (bare.trim(), "*"),
            None => (name, ""),
        };
        if bare.is_empty() || bare.contains('*') {
            return Err("must be names with commas, such as name, mail*");
        }
        if out.iter().any(|o| o.trim_end_matches('*') == bare) {
            return Err("names a field twice");
        }
        out.push(format!("{bare}{star}"));
    }
    Ok(out.join(", "))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_default_is_taken_by_its_own_field() {
        for field in Field::ALL {
            let value = field.default_value();
            assert_eq!(field.accept(value).unwrap(), value, "{}", field.key());
            assert_eq!(Field::from_key(field.key()), Some(*field));
            let json = serde_json::to_string(field).unwrap();
            assert_eq!(json, format!("\"{}\"", field.key()));
        }
    }

    #[test]
    fn typed_values_are_checked_and_kept_in_one_form() {
        let kept = |field: Field, typed: &str| field.accept(typed).unwrap();
        assert_eq!(kept(Field::ButtonColour, " rgb(47,125,79) "), "#2f7d4f");
        assert_eq!(kept(Field::OffsetX, "020"), "20");
        assert_eq!(
            (kept(Field::PhoneSize, " 048"), kept(Field::PhoneSize, "")),
            ("48".into(), String::new())
        );
        assert_eq!(kept(Field::Asked, " name,mail * ,"), "name, mail*");
        for (field, typed) in [
            (Field::Corner, "middle"),
            (Field::OffsetY, "-1"),
            (Field::PhoneSize, "201"),
            (Field::PromptDelay, "soon"),
            (Field::PromptScroll, "101"),
            (Field::HeaderColour, "greenish"),
            (Field::NoticeLink, "javascript:alert(1)"),
            (Field::AgentPhoto, "data:text/html,x"),
            (Field::Asked, "name, name*"),
            (Field::Asked, "na*me"),
            (Field::Rating, "maybe"),
        ] {
            let error = field.accept(typed).unwrap_err().to_string();
            assert!(error.starts_with(field.label()), "{typed}: {error}");
        }
    }
}
