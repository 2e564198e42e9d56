//! Values of a widget's design that a file can ask for.

use crate::colour::Rgb;
use crate::design::{CORNERS, Field, Layer};
use serde::{Deserialize, Serialize};

/// Values of a widget's design; only those given are compared.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
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
}

impl WidgetDesign {
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
        let taken = given.into_iter().filter_map(|(field, value)| {
            let value = field.accept(&value?).ok()?;
            Some((field, value))
        });
        taken.collect()
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
        Ok(())
    }
}
