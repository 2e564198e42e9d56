//! Values of a widget's design that a file can ask for, by the names of the table of fields.

use crate::design::{Design, Field, HIDDEN, Layer, Shape};
use serde::de::{Error, MapAccess, Visitor};
use serde::ser::SerializeMap;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::collections::BTreeMap;

/// Values of a widget's design, as a file gives them; only those given are compared.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct WidgetDesign(BTreeMap<Field, String>);

/// Every name that a file may use.
static NAMES: std::sync::LazyLock<Vec<&'static str>> = std::sync::LazyLock::new(|| {
    let names = Field::ALL.iter().filter_map(|f| f.name_in_design());
    names.collect()
});

/// Value as a file writes it.
#[derive(Deserialize)]
#[serde(untagged)]
enum Written {
    Number(f64),
    Text(String),
}

/// A field by its name; read as such so that an error stands at the line of the name.
struct Named(Field);

impl<'de> Deserialize<'de> for Named {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Named, D::Error> {
        let name = String::deserialize(from)?;
        let named = |f: &Field| f.name_in_design() == Some(name.as_str());
        let found = Field::ALL.iter().copied().find(named);
        found
            .map(Named)
            .ok_or_else(|| Error::unknown_field(&name, &NAMES))
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
                while let Some(Named(field)) = map.next_key()? {
                    let text = match map.next_value::<Written>()? {
                        Written::Number(number) => number.to_string(),
                        Written::Text(text) => text,
                    };
                    out.0.insert(field, text);
                }
                Ok(out)
            }
        }
        from.deserialize_map(Reader)
    }
}

impl Serialize for WidgetDesign {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let mut map = to.serialize_map(None)?;
        for (name, field, value) in self.named() {
            let is_px = matches!(field.shape(), Shape::Px(_) | Shape::PxOrNone(_));
            match value.parse::<f64>() {
                // A whole number needs no point.
                Ok(px) if is_px && px.fract() == 0.0 => map.serialize_entry(name, &(px as i64))?,
                Ok(px) if is_px => map.serialize_entry(name, &px)?,
                _ => map.serialize_entry(name, value)?,
            }
        }
        map.end()
    }
}

impl FromIterator<(Field, String)> for WidgetDesign {
    fn from_iter<I: IntoIterator<Item = (Field, String)>>(values: I) -> WidgetDesign {
        WidgetDesign(values.into_iter().collect())
    }
}

impl WidgetDesign {
    /// A value that is given.
    pub fn get(&self, field: Field) -> Option<&str> {
        self.0.get(&field).map(String::as_str)
    }

    /// A number that is given.
    pub fn number(&self, field: Field) -> Option<f64> {
        self.get(field)?.parse().ok()
    }

    /// Gives a value, or none.
    pub fn set(&mut self, field: Field, value: Option<&str>) {
        match value {
            Some(value) => self.0.insert(field, value.to_string()),
            None => self.0.remove(&field),
        };
    }

    /// Returns whether no value is given.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    fn named(&self) -> impl Iterator<Item = (&'static str, Field, &str)> {
        let values = self.0.iter();
        values.filter_map(|(field, value)| Some((field.name_in_design()?, *field, value.as_str())))
    }

    /// Returns the values as a layer of a design, as far as its fields take them.
    pub fn layer(&self) -> Layer {
        let values = self.0.iter();
        let taken = values.filter_map(|(field, value)| Some((*field, field.accept(value).ok()?)));
        taken.collect()
    }

    /// Over the built-in values, which nobody wished for.
    pub fn resolved(&self) -> Design {
        Design::of_layer(&self.layer())
    }

    pub(super) fn sound(&self) -> Result<(), (&'static str, String)> {
        for (name, field, value) in self.named() {
            if field == Field::OnPhones && value == HIDDEN {
                let why = "a widget that does not show on phones has viewports = [\"desktop\"]";
                return Err((name, why.into()));
            }
            field.accept(value).map_err(|error| (name, error.why))?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::InFiles;
    use crate::expectation::TEXTS;
    use serde_json::Value;
    use std::collections::BTreeSet;

    /// Returns what JSON Schema (draft 2020-12) says of a field's values.
    fn shape_in_schema(field: Field) -> Value {
        use serde_json::json;
        match field.shape() {
            Shape::Colour => json!({"$ref": "#/$defs/colour"}),
            Shape::Px(most) | Shape::PxOrNone(most) | Shape::Number(most) => {
                json!({"type": "number", "minimum": 0, "maximum": most})
            }
            Shape::Choice(words) => {
                let said_otherwise = |w: &&&str| field != Field::OnPhones || **w != HIDDEN;
                json!({"enum": words.iter().filter(said_otherwise).collect::<Vec<_>>()})
            }
            _ => json!({"type": "string"}),
        }
    }

    /// The published schema (JSON Schema) names exactly what is read, with its bounds.
    #[test]
    fn the_schema_has_the_names_that_a_file_may_use() {
        let schema = include_str!("../../../../docs/expectation.schema.json");
        let schema: Value = serde_json::from_str(schema).unwrap();
        let design = schema["$defs"]["design"]["properties"].as_object().unwrap();
        let names: BTreeSet<&str> = design.keys().map(String::as_str).collect();
        assert_eq!(names, NAMES.iter().copied().collect());
        for field in Field::ALL {
            assert_eq!(TEXTS.contains(field), field.name_in_texts().is_some());
            if let Some(name) = field.name_in_design() {
                assert_eq!(design[name], shape_in_schema(*field), "{name}");
            }
        }
        let texts = schema["$defs"]["texts"]["properties"].as_object().unwrap();
        for name in texts.keys().filter(|n| *n != "prompt_on_leaving") {
            let field = Field::named(name).unwrap();
            let wanted = match field.in_files() {
                InFiles::Text(_) => serde_json::json!({"type": "string"}),
                _ => shape_in_schema(field),
            };
            assert_eq!(texts[name], wanted, "{name}");
        }
        let values = "size_px = 64\nlogo = \"hidden\"\nlauncher_colour = \"#0b7285\"\n";
        let read: WidgetDesign = toml::from_str(values).unwrap();
        assert_eq!(read.get(Field::Size), Some("64"));
        let again: WidgetDesign = toml::from_str(&toml::to_string(&read).unwrap()).unwrap();
        assert_eq!(again, read);
        let odd = "address = 'https://www.kites.example/'\n[[widget]]\nsupplier = \
            'a'\n[widget.design]\nlogo = 'shown'\nlogos = 'shown'\n";
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
