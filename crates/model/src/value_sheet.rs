//! A design's values under the names of a supplier's own settings: to be typed in by hand, or to be
//! compared with what its console holds and written there.

use crate::design::{Design, Field};
use crate::profile::{Console, Supplier};
use newtfern_standards::colour::Rgb;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

/// Colours nearer than this are the same (CIEDE2000): half of what is just seen.
const SAME: f64 = 0.5;

/// One value as it is entered at the supplier.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Entry {
    /// Name of the setting at the supplier.
    pub there: String,
    /// Value to enter; none where the supplier's own may stay.
    pub value: Option<String>,
}

/// One setting that differs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Change {
    /// Name of the setting at the supplier.
    pub there: String,
    /// Value that the supplier has.
    pub is: Value,
    /// Value of the design.
    pub becomes: Value,
}

/// Returns the value that the design wishes for. What a widget has at any rate (colours, place,
/// words) is entered as the preview shows it; the built-in default of what it may have is nobody's
/// wish, and the supplier's setting stays.
fn wished(design: &Design, field: Field) -> Option<&str> {
    match field.is_optional() {
        true => design.designed(field),
        false => Some(design.get(field)),
    }
}

/// Returns the values to enter at the supplier, in its order; values that the design leaves empty
/// are told too, since there they may not be.
pub fn entries(supplier: &Supplier, design: &Design) -> Vec<Entry> {
    let named = supplier.desk.iter().filter_map(|(name, there)| {
        let field = Field::named(name)?;
        Some(Entry {
            there: there.clone(),
            value: wished(design, field).map(str::to_string),
        })
    });
    named.collect()
}

/// Settings of a console that are other than the design's, in the order of their names. Values that
/// the design leaves empty are nobody's wish.
pub fn changes(console: &Console, design: &Design, held: &Value) -> Vec<Change> {
    let named = console.fields.iter().filter_map(|(name, there)| {
        let field = Field::named(name)?;
        let wanted = wished(design, field).filter(|w| !w.is_empty())?;
        let is = held.get(there).cloned().unwrap_or(Value::Null);
        let same = is_same(field, wanted, &is);
        (!same).then(|| Change {
            there: there.clone(),
            becomes: as_held(wanted, &is),
            is,
        })
    });
    named.collect()
}

/// The settings to be written.
pub fn written(changes: &[Change]) -> Value {
    let all = changes.iter().map(|c| (c.there.clone(), c.becomes.clone()));
    Value::Object(all.collect::<Map<_, _>>())
}

/// The settings that bring back what was there before.
pub fn put_back(changes: &[Change]) -> Value {
    let all = changes.iter().map(|c| (c.there.clone(), c.is.clone()));
    Value::Object(all.collect::<Map<_, _>>())
}

fn is_same(field: Field, wanted: &str, is: &Value) -> bool {
    let text = match is {
        Value::String(text) => text.clone(),
        other => other.to_string(),
    };
    if field.is_colour() {
        let both = (Rgb::parse(wanted), Rgb::parse(&text));
        return matches!(both, (Ok(a), Ok(b)) if a.difference(b) < SAME);
    }
    match (wanted.parse::<f64>(), text.parse::<f64>()) {
        (Ok(a), Ok(b)) => a == b,
        _ => wanted == text,
    }
}

/// Returns a value in the type that the console has: a number stays one.
fn as_held(wanted: &str, is: &Value) -> Value {
    match (is, wanted.parse::<f64>()) {
        (Value::Number(_), Ok(number)) if number.fract() == 0.0 => (number as i64).into(),
        (Value::Number(_), Ok(number)) => number.into(),
        _ => wanted.into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::Layer;
    use crate::profile::tests::SAMPLE;
    use serde_json::json;

    fn supplier() -> Supplier {
        let more = "[desk]\ntitle = 'Zeal line'\nlauncher_colour = 'Button'\ngreeting = 'Alpha \
            words'\n[console]\nread = \
            'https://c.example/s?k={{key}}'\n[console.fields]\nlauncher_colour = \
            'btn'\noffset_side_px = 'x'\ntitle = 'head'\nsubtitle = 'sub'\nanswer_bubble_colour = \
            'them'\nsize_px = 'px'\n[open]";
        Supplier::from_toml(&SAMPLE.replace("[open]", more)).unwrap()
    }

    fn design() -> Design {
        let own = Layer::from([
            (Field::Title, "Kites".to_string()),
            (Field::ButtonColour, "#b3491c".to_string()),
            (Field::Size, "64".to_string()),
        ]);
        Design::of_layer(&own)
    }

    #[test]
    fn the_sheet_has_the_suppliers_order_and_names() {
        let sheet = entries(&supplier(), &design());
        let told: Vec<(&str, &str)> = sheet
            .iter()
            .map(|e| (e.there.as_str(), e.value.as_deref().unwrap()))
            .collect();
        assert_eq!(
            told,
            [
                ("Zeal line", "Kites"),
                ("Button", "#b3491c"),
                ("Alpha words", "Hello! How can we help?")
            ]
        );
    }

    #[test]
    fn only_what_differs_is_written_in_the_consoles_own_types_and_put_back() {
        let held = json!({"btn": "RGB(179, 73, \
                                  28)", "x": 24, "head": "John", "other": 1, "them": "#eee9df",
                                      "px": 60});
        let console = supplier().console.unwrap();
        let told = changes(&console, &design(), &held);
        assert_eq!(written(&told), json!({"head": "Kites", "px": 64, "x": 20}));
        assert_eq!(put_back(&told), json!({"head": "John", "px": 60, "x": 24}));
        // Nobody chose a colour for the agent's bubbles: the supplier's stays.
        assert!(told.iter().all(|c| c.there != "them"));
        // The design says no subtitle: what stands there is nobody's wish.
        assert!(told.iter().all(|c| c.there != "sub"));
        let mut after = held.clone();
        for (name, value) in written(&told).as_object().unwrap() {
            after[name] = value.clone();
        }
        assert_eq!(changes(&console, &design(), &after), []);
    }
}
