//! Values of a design as Design Tokens (the format of the Design Tokens Community Group), and back.

use super::{Design, DesignError, Field, Layer, Shape};
use newtfern_standards::colour::Rgb;
use serde_json::{Map, Value, json};

/// Reason why a group of tokens is no design.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DesignTokensError {
    /// The text is not JSON.
    #[error("the file is not JSON: {0}")]
    Json(String),
    /// The text has no group of tokens.
    #[error("the file has no group \u{201c}widget\u{201d}")]
    NoGroup,
    /// A token that no field has.
    #[error("the token widget.{0} does not belong to a design")]
    Unknown(String),
    /// A value that its field does not take.
    #[error("the token widget.{0}: {1}")]
    Value(String, String),
}

/// A colour token's value: components in sRGB, and the same in hexadecimal.
pub fn colour(c: Rgb) -> Value {
    let components = [c.0, c.1, c.2].map(|v| (f64::from(v) / 255.0 * 1e4).round() / 1e4);
    json!({"$type": "color", "$value": {"colorSpace": "srgb", "components": components,
        "hex": c.hex()}})
}

fn token(field: Field, value: &str) -> Value {
    let number = || value.parse::<f64>().unwrap_or_default();
    match field.shape() {
        Shape::Colour => colour(Rgb::parse(value).unwrap_or(Rgb(0, 0, 0))),
        Shape::Px(_) | Shape::PxOrNone(_) if !value.is_empty() => {
            json!({"$type": "dimension", "$value": {"value": number(), "unit": "px"}})
        }
        Shape::Number(_) if field == Field::PromptDelay => {
            json!({"$type": "duration", "$value": {"value": number(), "unit": "s"}})
        }
        Shape::Number(_) => json!({"$type": "number", "$value": number()}),
        _ if field == Field::Typeface => json!({"$type": "fontFamily", "$value": value}),
        _ => json!({"$type": "string", "$value": value}),
    }
}

/// The group of a layer's values.
pub fn group(layer: &Layer) -> Value {
    let tokens = layer
        .iter()
        .map(|(f, v)| (f.key().to_string(), token(*f, v)));
    Value::Object(tokens.collect::<Map<_, _>>())
}

/// A file with all values of a design that are not empty.
pub fn file(design: &Design) -> Value {
    let given = design.values.iter().filter(|v| !v.value.is_empty());
    let layer: Layer = given.map(|v| (v.field, v.value.clone())).collect();
    json!({ "widget": group(&layer) })
}

/// Reads a group: colours as strings or objects, lengths and times with their units.
///
/// # Errors
/// [`DesignTokensError`], with the token that is wrong.
pub fn layer(group: &Value) -> Result<Layer, DesignTokensError> {
    let mut out = Layer::new();
    for (name, token) in group.as_object().into_iter().flatten() {
        if name.starts_with('$') {
            continue;
        }
        let field =
            Field::from_key(name).ok_or_else(|| DesignTokensError::Unknown(name.clone()))?;
        let text = text_of(field, &token["$value"]);
        let wrong = |e: DesignError| DesignTokensError::Value(name.clone(), e.to_string());
        out.insert(field, field.accept(&text).map_err(wrong)?);
    }
    Ok(out)
}

/// Reads a file of design tokens.
///
/// # Errors
/// As [`layer`]; a file without the group is none.
pub fn read(text: &str) -> Result<Layer, DesignTokensError> {
    let root: Value =
        serde_json::from_str(text).map_err(|e| DesignTokensError::Json(e.to_string()))?;
    match root.get("widget") {
        Some(group) if group.is_object() => layer(group),
        _ => Err(DesignTokensError::NoGroup),
    }
}

fn text_of(field: Field, value: &Value) -> String {
    let plain = |v: &Value| match v {
        Value::String(text) => text.clone(),
        Value::Null => String::new(),
        other => other.to_string(),
    };
    if field.is_colour() {
        return match (value.get("hex"), value["components"].as_array()) {
            (Some(hex), _) => plain(hex),
            (None, Some(parts)) => {
                let part = |v: &Value| format!("{}", v.as_f64().unwrap_or_default() * 255.0);
                let parts: Vec<String> = parts.iter().map(part).collect();
                format!("rgb({})", parts.join(" "))
            }
            _ => plain(value),
        };
    }
    let number = value.get("value").and_then(Value::as_f64);
    match (number, value["unit"].as_str()) {
        (Some(number), Some("ms")) => (number / 1000.0).to_string(),
        (Some(number), _) => number.to_string(),
        _ => plain(value),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_design_goes_out_and_comes_back() {
        let own = Layer::from([
            (Field::ButtonColour, "#b3491c".to_string()),
            (Field::Greeting, "Hello {{name}}!".to_string()),
            (Field::PromptDelay, "7.5".to_string()),
        ]);
        let design = Design::of_layer(&own);
        let text = file(&design).to_string();
        let back = read(&text).unwrap();
        assert!(own.iter().all(|(f, v)| back.get(f) == Some(v)), "{back:?}");
        assert_eq!(back[&Field::OffsetX], "20");
        assert_eq!(Design::of_layer(&back).get(Field::Size), "60");
    }

    #[test]
    fn other_writers_forms_are_read_and_mistakes_named() {
        let read = |group: &str| read(&format!("{{\"widget\": {group}}}"));
        let told = read(
            r##"{"button_colour": {"$value": {"colorSpace": "srgb", "components": [1, 0, 0]}},
                "header_colour": {"$value": "#010203"},
                "prompt_delay_s": {"$value": {"value": 1500, "unit": "ms"}}}"##,
        )
        .unwrap();
        assert_eq!(told[&Field::ButtonColour], "#ff0000");
        assert_eq!(told[&Field::HeaderColour], "#010203");
        assert_eq!(told[&Field::PromptDelay], "1.5");
        let wrong = read(r#"{"corner": {"$value": "middle"}}"#).unwrap_err();
        assert!(
            wrong
                .to_string()
                .starts_with("the token widget.corner: Corner must be one of")
        );
        assert_eq!(
            read(r#"{"hue": {"$value": 1}}"#).unwrap_err(),
            DesignTokensError::Unknown("hue".into())
        );
        assert_eq!(super::read("{}").unwrap_err(), DesignTokensError::NoGroup);
    }
}
