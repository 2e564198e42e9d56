//! The widget design of one site: each value comes from the house style, the client's brand sheet
//! or the site's own adjustments, and says which. A change at the top reaches all sites below that
//! did not override it, because nothing is copied down: layers are resolved when they are read.

use crate::colour::Rgb;
use crate::site::MOST_TEXT;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

macro_rules! fields {
    ($($variant:ident $key:literal $label:literal $default:literal),* $(,)?) => {
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(rename_all = "snake_case")]
        /// What a design sets.
        pub enum Field {
            $(#[doc = $label] $variant),*
        }
        impl Field {
            /// All of them, in the order of the form.
            pub const ALL: &'static [Field] = &[$(Field::$variant),*];
            /// Name in files and forms.
            pub fn key(self) -> &'static str { match self { $(Field::$variant => $key),* } }
            /// Name for people.
            pub fn label(self) -> &'static str { match self { $(Field::$variant => $label),* } }
            fn default_value(self) -> &'static str { match self { $(Field::$variant => $default),* } }
        }
    };
}

fields! {
    Corner "corner" "Corner" "bottom-right",
    OffsetX "offset_x" "Offset from the side, px" "20",
    OffsetY "offset_y" "Offset from the bottom, px" "20",
    ButtonColour "button_colour" "Button colour" "#2f6b4f",
    IconColour "icon_colour" "Text on the button" "#ffffff",
    HeaderColour "header_colour" "Header colour" "#2f6b4f",
    HeaderText "header_text" "Header text" "#ffffff",
    Title "title" "Title" "Talk to us",
    Greeting "greeting" "Greeting" "Hello! How can we help?",
    Prompt "prompt" "Prompt" "",
    PromptDelay "prompt_delay_s" "Prompt after, seconds" "5",
    NoticeText "notice_text" "Notice" "Before you write, please read how we treat your data.",
    NoticeLink "notice_link" "Notice link" "",
}

impl Field {
    /// The field with a key.
    pub fn from_key(key: &str) -> Option<Field> {
        Field::ALL.iter().copied().find(|f| f.key() == key)
    }

    /// Its value is a colour.
    pub fn is_colour(self) -> bool {
        matches!(
            self,
            Field::ButtonColour | Field::IconColour | Field::HeaderColour | Field::HeaderText
        )
    }

    /// Accepts a value as typed and gives it as it is kept.
    ///
    /// # Errors
    /// [`DesignError`], where the field does not take the value.
    pub fn accept(self, typed: &str) -> Result<String, DesignError> {
        let fail = |why: &str| {
            Err(DesignError {
                field: self,
                why: why.to_string(),
            })
        };
        let value = match crate::typed::text(typed, MOST_TEXT) {
            Ok(value) => value,
            Err(error) => return fail(&error.to_string()),
        };
        match self {
            Field::Corner if !CORNERS.contains(&value) => {
                fail("must be bottom-right, bottom-left, top-right or top-left")
            }
            Field::OffsetX | Field::OffsetY => match value.parse::<u16>() {
                Ok(v) if v <= 400 => Ok(v.to_string()),
                _ => fail("must be a whole number of px from 0 to 400"),
            },
            Field::PromptDelay => match value.parse::<f64>() {
                Ok(v) if (0.0..=3600.0).contains(&v) => Ok(v.to_string()),
                _ => fail("must be a number of seconds from 0 to 3600"),
            },
            f if f.is_colour() => match Rgb::parse(value) {
                Ok(colour) => Ok(colour.hex()),
                Err(e) => fail(&e.to_string()),
            },
            Field::NoticeLink
                if !value.is_empty()
                    && !value.starts_with('/')
                    && crate::address::parse(value).is_err() =>
            {
                fail("must be an address, or a path that begins with /")
            }
            _ => Ok(value.to_string()),
        }
    }
}

/// Where a launcher can be.
pub const CORNERS: [&str; 4] = ["bottom-right", "bottom-left", "top-right", "top-left"];

/// A value that a field does not take.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{} {why}", field.label())]
pub struct DesignError {
    /// Whose.
    pub field: Field,
    /// Why, in words.
    pub why: String,
}

/// Values set at one layer; what is not set comes from the layer above.
pub type Layer = BTreeMap<Field, String>;

/// Where a value comes from; the later goes before the earlier.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Source {
    /// The agency's house style.
    House,
    /// The client's brand sheet.
    Brand,
    /// The site itself.
    Site,
}

impl Source {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Source::House => "house style",
            Source::Brand => "brand sheet",
            Source::Site => "this site",
        }
    }
}

/// A value and where it comes from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Value {
    /// Whose.
    pub field: Field,
    /// As text.
    pub value: String,
    /// From where.
    pub from: Source,
}

/// The values that hold for a site.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Design {
    /// One for each field, in their order.
    pub values: Vec<Value>,
}

impl Design {
    /// The nearest layer wins: site, then brand, then house, then the built-in default (shown as house style).
    pub fn resolve(house: &Layer, brand: &Layer, site: &Layer) -> Design {
        let values = Field::ALL
            .iter()
            .map(|field| {
                let found = [
                    (site, Source::Site),
                    (brand, Source::Brand),
                    (house, Source::House),
                ]
                .into_iter()
                .find_map(|(l, from)| l.get(field).map(|v| (v.clone(), from)));
                let (value, from) =
                    found.unwrap_or((field.default_value().to_string(), Source::House));
                Value {
                    field: *field,
                    value,
                    from,
                }
            })
            .collect();
        Design { values }
    }

    /// The value of a field; empty where none is set.
    pub fn get(&self, field: Field) -> &str {
        self.values
            .iter()
            .find(|v| v.field == field)
            .map_or("", |v| v.value.as_str())
    }

    /// A colour; black where it does not parse.
    pub fn colour(&self, field: Field) -> Rgb {
        Rgb::parse(self.get(field)).unwrap_or(Rgb(0, 0, 0))
    }

    /// A number, px or seconds; 0 where it does not parse.
    pub fn number(&self, field: Field) -> f64 {
        self.get(field).parse().unwrap_or(0.0)
    }
}

/// The numbers beside the colours: two wishes that pull against each other, and readability.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Numbers {
    /// CIEDE2000 from the button to the brand's primary colour.
    pub to_brand: Option<f64>,
    /// WCAG contrast of the text on the button (4.5 for text, 3 for an icon: SC 1.4.3 and 1.4.11).
    pub text_on_button: f64,
    /// Contrast of the header's text on the header (WCAG 2.2), 1 to 21.
    pub text_on_header: f64,
    /// WCAG contrast of the button against the page (3: SC 1.4.11).
    pub button_on_page: Option<f64>,
}

/// The numbers of a design: beside the brand and the page, where these are known.
pub fn numbers(design: &Design, brand: Option<Rgb>, page: Option<Rgb>) -> Numbers {
    let button = design.colour(Field::ButtonColour);
    Numbers {
        to_brand: brand.map(|b| button.difference(b)),
        text_on_button: button.contrast(design.colour(Field::IconColour)),
        text_on_header: design
            .colour(Field::HeaderColour)
            .contrast(design.colour(Field::HeaderText)),
        button_on_page: page.map(|p| button.contrast(p)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_layer_wins_and_says_so() {
        let house = Layer::from([(Field::Title, "Ask us".to_string())]);
        let brand = Layer::from([
            (Field::ButtonColour, "#112233".to_string()),
            (Field::Title, "Ask the mill".to_string()),
        ]);
        let site = Layer::from([(Field::Title, "Ask the miller".to_string())]);
        let d = Design::resolve(&house, &brand, &site);
        let from = |f| {
            d.values
                .iter()
                .find(|v| v.field == f)
                .map(|v| (v.value.as_str(), v.from))
                .unwrap()
        };
        assert_eq!(from(Field::Title), ("Ask the miller", Source::Site));
        assert_eq!(from(Field::ButtonColour), ("#112233", Source::Brand));
        assert_eq!(from(Field::Corner), ("bottom-right", Source::House));
        assert_eq!(
            Design::resolve(&house, &brand, &Layer::new()).get(Field::Title),
            "Ask the mill"
        );
    }

    #[test]
    fn typed_values_are_checked_and_kept_in_one_form() {
        assert_eq!(
            Field::ButtonColour.accept(" rgb(47,125,79) ").unwrap(),
            "#2f7d4f"
        );
        assert_eq!(Field::OffsetX.accept("020").unwrap(), "20");
        for (field, typed) in [
            (Field::Corner, "middle"),
            (Field::OffsetY, "-1"),
            (Field::PromptDelay, "soon"),
            (Field::HeaderColour, "greenish"),
            (Field::NoticeLink, "javascript:alert(1)"),
        ] {
            assert!(
                field
                    .accept(typed)
                    .unwrap_err()
                    .to_string()
                    .starts_with(field.label()),
                "{typed}"
            );
        }
    }

    #[test]
    fn numbers_say_both_wishes() {
        let d = Design::resolve(
            &Layer::new(),
            &Layer::new(),
            &Layer::from([(Field::ButtonColour, "#777777".into())]),
        );
        let n = numbers(&d, Some(Rgb(0x77, 0x77, 0x77)), Some(Rgb(255, 255, 255)));
        assert_eq!(n.to_brand, Some(0.0));
        // WCAG's own borderline: #777777 on white is 4.48 to 1, just under 4.5.
        assert!((n.button_on_page.unwrap() - 4.48).abs() < 0.005);
    }
}
