//! The widget design of one site: each value comes from the house style, the client's brand sheet
//! or the site's own adjustments, and says which. A change at the top reaches all sites below that
//! did not override it, because nothing is copied down: layers are resolved when they are read.

mod accept;
mod error;
mod field;
mod measures;
pub mod tokens;

pub use error::DesignError;
pub use field::{
    CORNERS, Field, Group, HIDDEN, InFiles, OTHER_SIDE, PICTURED, PROMPT_LEAVING, PROMPT_SCROLLED,
    PROMPT_TIMED, Shape,
};
pub use measures::{FAR, Measure, PAIRS, Pair, contrast, measures, to_brand};

use newtfern_standards::colour::Rgb;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Values set at one layer; what is not set comes from the layer above.
pub type Layer = BTreeMap<Field, String>;

/// Source of a value; a later one wins over an earlier one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Source {
    /// The agency's house style.
    House,
    /// The client's brand sheet.
    Brand,
    /// The site sets it itself.
    Site,
}

impl Source {
    /// Returns the source as words for people.
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
    /// Field that the value belongs to.
    pub field: Field,
    /// Value as text.
    pub value: String,
    /// Layer that sets the value.
    pub from: Source,
}

/// The values that hold for a site.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Design {
    /// Values of all fields, in their order.
    pub values: Vec<Value>,
}

impl Design {
    /// The nearest layer wins: site, then brand, then house, then the built-in default (shown as
    /// house style).
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

    /// Returns the design of one layer over the built-in values.
    pub fn of_layer(layer: &Layer) -> Design {
        Design::resolve(&Layer::new(), &Layer::new(), layer)
    }

    /// The value of a field; empty where none is set.
    pub fn get(&self, field: Field) -> &str {
        self.values
            .iter()
            .find(|v| v.field == field)
            .map_or("", |v| v.value.as_str())
    }

    /// A value that somebody set at one of the layers; a built-in default is nobody's wish.
    pub fn designed(&self, field: Field) -> Option<&str> {
        let value = self.values.iter().find(|v| v.field == field)?;
        let set = value.from != Source::House || value.value != field.default_value();
        Some(value.value.as_str()).filter(|v| set && !v.is_empty())
    }

    /// Returns whether somebody set a field to nothing: what it says is switched off.
    pub fn is_off(&self, field: Field) -> bool {
        let value = self.values.iter().find(|v| v.field == field);
        value.is_some_and(|v| v.value.is_empty() && v.from != Source::House)
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
}
