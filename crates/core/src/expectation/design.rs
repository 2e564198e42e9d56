//! Values of a widget's design that a file can ask for.

use crate::colour::Rgb;
use crate::design::{CORNERS, Design, Field, HIDDEN, Layer};
use serde::de::{Error, MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use std::collections::BTreeMap;

/// Values of a widget's design; only those given are compared.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct WidgetDesign {
    /// Of the closed widget.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub launcher_colour: Option<String>,
    /// Of what stands on it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub icon_colour: Option<String>,
    /// Of the upper strip of the open panel.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub header_colour: Option<String>,
    /// Of the words on it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub header_text_colour: Option<String>,
    /// Where the launcher is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub corner: Option<String>,
    /// CSS px.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub offset_side_px: Option<f64>,
    /// CSS px.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub offset_bottom_px: Option<f64>,
    /// What else can be seen of a widget, by the names of [`OTHERS`].
    #[serde(flatten)]
    pub others: BTreeMap<&'static str, String>,
}

/// Values beside colours and place of the closed widget and its header, by the names that a file gives them.
pub const OTHERS: [(&str, Field); 19] = [
    ("size_px", Field::Size),
    ("on_phones", Field::OnPhones),
    ("phone_size_px", Field::PhoneSize),
    ("phone_offset_side_px", Field::PhoneOffsetX),
    ("phone_offset_bottom_px", Field::PhoneOffsetY),
    ("picture", Field::Picture),
    ("typeface", Field::Typeface),
    ("fields", Field::Asked),
    ("agent_photo", Field::AgentPhoto),
    ("logo", Field::Logo),
    ("logo_picture", Field::LogoPicture),
    ("supplier_mark", Field::SupplierMark),
    ("own_bubble_colour", Field::OwnBubble),
    ("own_words_colour", Field::OwnWords),
    ("answer_bubble_colour", Field::AnswerBubble),
    ("answer_words_colour", Field::AnswerWords),
    ("rating", Field::Rating),
    ("transcript", Field::Transcript),
    ("files", Field::Files),
];

/// Where a value goes.
enum Place<'a> {
    Text(&'a mut Option<String>),
    Px(&'a mut Option<f64>),
    Other(&'static str),
}

/// Values with a place of their own.
type Own = (&'static str, fn(&mut WidgetDesign) -> Place<'_>);
const COLOURS_AND_PLACE: [Own; 7] = [
    ("launcher_colour", |d| Place::Text(&mut d.launcher_colour)),
    ("icon_colour", |d| Place::Text(&mut d.icon_colour)),
    ("header_colour", |d| Place::Text(&mut d.header_colour)),
    ("header_text_colour", |d| {
        Place::Text(&mut d.header_text_colour)
    }),
    ("corner", |d| Place::Text(&mut d.corner)),
    ("offset_side_px", |d| Place::Px(&mut d.offset_side_px)),
    ("offset_bottom_px", |d| Place::Px(&mut d.offset_bottom_px)),
];

/// Every name that a file may use.
static NAMES: std::sync::LazyLock<Vec<&'static str>> = std::sync::LazyLock::new(|| {
    let own = COLOURS_AND_PLACE.iter().map(|(name, _)| *name);
    own.chain(OTHERS.iter().map(|(name, _)| *name)).collect()
});

/// As a file writes it.
#[derive(Deserialize)]
#[serde(untagged)]
enum Written {
    Number(f64),
    Text(String),
}

/// One of [`NAMES`]; read as such so that an error stands at the line of the name.
struct Name(&'static str);

impl<'de> Deserialize<'de> for Name {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Name, D::Error> {
        let name = String::deserialize(from)?;
        match NAMES.iter().find(|n| **n == name) {
            Some(known) => Ok(Name(known)),
            None => Err(Error::unknown_field(&name, &NAMES)),
        }
    }
}

impl<'de> Deserialize<'de> for WidgetDesign {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<WidgetDesign, D::Error> {
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = WidgetDesign;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a table of a design's values")
            }

            fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<WidgetDesign, M::Error> {
                let mut out = WidgetDesign::default();
                while let Some(Name(name)) = map.next_key()? {
                    match out.place(name) {
                        Place::Text(place) => *place = Some(map.next_value()?),
                        Place::Px(place) => *place = Some(map.next_value()?),
                        Place::Other(name) => {
                            let text = match map.next_value::<Written>()? {
                                Written::Number(number) => number.to_string(),
                                Written::Text(text) => text,
                            };
                            out.others.insert(name, text);
                        }
                    }
                }
                Ok(out)
            }
        }
        from.deserialize_map(Reader)
    }
}

/// The field of a design that a file calls so, of those that are not in the design's own words.
pub fn field_of_look(name: &str) -> Option<Field> {
    OTHERS.iter().find(|(n, _)| *n == name).map(|(_, f)| *f)
}

impl WidgetDesign {
    fn place(&mut self, name: &'static str) -> Place<'_> {
        match COLOURS_AND_PLACE.iter().find(|(n, _)| *n == name) {
            Some((_, place)) => place(self),
            None => Place::Other(name),
        }
    }

    /// As a layer of a design: what its fields take.
    pub fn layer(&self) -> Layer {
        let px = |v: Option<f64>| v.map(|v| v.round().to_string());
        let given = [
            (Field::ButtonColour, self.launcher_colour.clone()),
            (Field::IconColour, self.icon_colour.clone()),
            (Field::HeaderColour, self.header_colour.clone()),
            (Field::HeaderText, self.header_text_colour.clone()),
            (Field::Corner, self.corner.clone()),
            (Field::OffsetX, px(self.offset_side_px)),
            (Field::OffsetY, px(self.offset_bottom_px)),
        ];
        let others = self.others.iter();
        let others =
            others.filter_map(|(name, value)| Some((field_of_look(name)?, Some(value.clone()))));
        let taken = given
            .into_iter()
            .chain(others)
            .filter_map(|(field, value)| {
                let value = field.accept(&value?).ok()?;
                Some((field, value))
            });
        taken.collect()
    }

    /// Over the built-in values, which nobody wished for.
    pub fn resolved(&self) -> Design {
        Design::of_layer(&self.layer())
    }

    /// Names and values of its colours.
    pub fn colours(&self) -> [(&'static str, Option<&str>); 4] {
        [
            ("launcher_colour", self.launcher_colour.as_deref()),
            ("icon_colour", self.icon_colour.as_deref()),
            ("header_colour", self.header_colour.as_deref()),
            ("header_text_colour", self.header_text_colour.as_deref()),
        ]
    }

    pub(super) fn sound(&self) -> Result<(), (&'static str, String)> {
        for (name, value) in self.colours() {
            if let Some(value) = value {
                Rgb::parse(value).map_err(|e| (name, e.to_string()))?;
            }
        }
        if self
            .corner
            .as_deref()
            .is_some_and(|c| !CORNERS.contains(&c))
        {
            return Err((
                "corner",
                format!("it must be one of {}", CORNERS.join(", ")),
            ));
        }
        for (name, px) in [
            ("offset_side_px", self.offset_side_px),
            ("offset_bottom_px", self.offset_bottom_px),
        ] {
            if px.is_some_and(|px| !(0.0..=2_000.0).contains(&px)) {
                return Err((name, "it must be a number of px from 0 to 2000".into()));
            }
        }
        for (name, value) in &self.others {
            if *name == "on_phones" && value == HIDDEN {
                let why = "a widget that does not show on phones has viewports = [\"desktop\"]";
                return Err((name, why.into()));
            }
            if let Some(Err(error)) = field_of_look(name).map(|f| f.accept(value)) {
                return Err((name, error.why));
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::expectation::TextSet;
    use serde_json::Value;
    use std::collections::BTreeSet;

    /// The published schema (JSON Schema) names exactly what is read.
    #[test]
    fn the_schema_has_the_names_that_a_file_may_use() {
        let schema = include_str!("../../../../docs/expectation.schema.json");
        let schema: Value = serde_json::from_str(schema).unwrap();
        let names = |of: &str| -> BTreeSet<String> {
            let properties = schema["$defs"][of]["properties"].as_object().unwrap();
            properties.keys().cloned().collect()
        };
        let ours = NAMES.iter().map(|n| n.to_string());
        assert_eq!(names("design"), ours.collect());
        for name in names("texts") {
            let way = ["prompt_after_s", "prompt_at_scroll", "prompt_on_leaving"];
            let known = TextSet::default().place(&name).is_some();
            assert!(known || way.contains(&name.as_str()), "{name}");
        }
        let values = "size_px = 64\nlogo = \"hidden\"\nlauncher_colour = \"#0b7285\"\n";
        let read: WidgetDesign = toml::from_str(values).unwrap();
        assert_eq!(read.others["size_px"], "64");
        let again: WidgetDesign = toml::from_str(&toml::to_string(&read).unwrap()).unwrap();
        assert_eq!(again, read);
        let odd = "address = 'https://www.kites.example/'\n[[widget]]\nsupplier = 'a'\n[widget.design]\nlogo = 'shown'\nlogos = 'shown'\n";
        let error = crate::expectation::Expectation::read(odd)
            .unwrap_err()
            .to_string();
        assert!(
            error.contains("line 6") && error.contains("nearest is \u{201c}logo\u{201d}"),
            "{error}"
        );
        let layer = read.layer();
        assert_eq!((layer[&Field::Size].as_str(), layer.len()), ("64", 3));
    }
}
