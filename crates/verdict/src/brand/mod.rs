//! Brand sheets, read and written as Design Tokens (the DTCG format: groups of tokens with `$type`
//! and `$value`), and the comparison of an observed widget with its design and brand.

mod bubbles;
mod compared;
pub mod details;
mod parts;
pub mod phone;
pub mod pictures;
pub mod talk;
mod values;

pub use compared::{COLOUR_TOLERANCE, ColourPair, OFFSET_TOLERANCE, VisitComparison};

use compared::corner_on;
use newtfern_model::code::Code;
use newtfern_model::design::tokens::{self, DesignTokensError};
use newtfern_model::design::{Design, Field, Layer, PICTURED};
use newtfern_model::finding::{Evidence, Finding, Severity};
use newtfern_standards::colour::{Needs, Rgb, difference_in_words};
use newtfern_standards::observation::{Observation, Rect, Viewport};
use newtfern_standards::typed::{self, MOST_NAME};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

/// Brand sheet of a client.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct BrandSheet {
    /// The colour that the brand is known by.
    pub primary: Option<Rgb>,
    /// The colour beside it.
    pub secondary: Option<Rgb>,
    /// The name visitors know, used as the widget's title.
    pub public_name: String,
    /// Name of the firm as it signs.
    pub legal_name: String,
    /// Values that all of the client's widgets have, before what each site says.
    #[serde(skip_serializing_if = "Layer::is_empty")]
    pub widget: Layer,
}

/// Reason why a file of design tokens is not a brand sheet.
#[derive(Debug, thiserror::Error)]
pub enum TokensError {
    /// The file is not JSON.
    #[error("the file is not JSON: {0}")]
    Json(#[from] serde_json::Error),
    /// A value of the widgets that a design does not take.
    #[error(transparent)]
    Widget(#[from] DesignTokensError),
    /// A token that should be a colour is none.
    #[error("the token {token} has the value {value}, which is not a colour of the form #rrggbb")]
    Colour {
        /// Path of the token in the file.
        token: String,
        /// Value that is no colour.
        value: String,
    },
    /// No token of a brand sheet is in it.
    #[error(
        "the file holds none of the tokens color.primary, color.secondary, name.public, name.legal"
    )]
    Nothing,
}

impl BrandSheet {
    /// Can its names be kept? For the person who typed them.
    ///
    /// # Errors
    /// The field with what is wrong with it, as a sentence.
    pub fn check(&self) -> Result<(), String> {
        for (what, name) in [("public", &self.public_name), ("legal", &self.legal_name)] {
            typed::text(name, MOST_NAME).map_err(|e| format!("The {what} name {e}."))?;
        }
        Ok(())
    }

    /// Returns the values that the brand sheet sets for a widget's design.
    pub fn layer(&self) -> Layer {
        let mut layer = Layer::new();
        if let Some(primary) = self.primary {
            let text = primary.readable_text().hex();
            layer.insert(Field::ButtonColour, primary.hex());
            layer.insert(Field::HeaderColour, primary.hex());
            layer.insert(Field::IconColour, text.clone());
            layer.insert(Field::HeaderText, text.clone());
            layer.insert(Field::OwnBubble, primary.hex());
            layer.insert(Field::OwnWords, text);
        }
        if !self.public_name.is_empty() {
            layer.insert(Field::Title, self.public_name.clone());
        }
        layer.extend(self.widget.clone());
        layer
    }

    /// Returns the sheet as a file of the Design Tokens format.
    pub fn to_tokens(&self) -> Value {
        let mut colours = serde_json::Map::new();
        for (name, value) in [("primary", self.primary), ("secondary", self.secondary)] {
            if let Some(value) = value {
                colours.insert(name.to_string(), tokens::colour(value));
            }
        }
        let mut out = json!({
            "color": colours,
            "name": {
                "public": {"$type": "string", "$value": self.public_name},
                "legal": {"$type": "string", "$value": self.legal_name},
            }
        });
        if !self.widget.is_empty() {
            out["widget"] = tokens::group(&self.widget);
        }
        out
    }

    /// Reads colour tokens as a string `#rrggbb` (earlier drafts) or an object with `hex` or
    /// `components`.
    ///
    /// # Errors
    /// [`TokensError`], with the token that is wrong.
    pub fn from_tokens(text: &str) -> Result<BrandSheet, TokensError> {
        let root: Value = serde_json::from_str(text)?;
        let colour = |name: &str| -> Result<Option<Rgb>, TokensError> {
            let value = &root["color"][name]["$value"];
            if value.is_null() {
                return Ok(None);
            }
            let fail = || TokensError::Colour {
                token: format!("color.{name}"),
                value: value.to_string(),
            };
            if let Some(text) = value.as_str().or(value["hex"].as_str()) {
                return Rgb::parse(text).map(Some).map_err(|_| fail());
            }
            let parts: Vec<f64> = value["components"]
                .as_array()
                .map(|a| a.iter().filter_map(Value::as_f64).collect())
                .unwrap_or_default();
            match (value["colorSpace"].as_str(), parts.as_slice()) {
                (Some("srgb"), [r, g, b]) => Ok(Some(Rgb(
                    (r * 255.0).round() as u8,
                    (g * 255.0).round() as u8,
                    (b * 255.0).round() as u8,
                ))),
                _ => Err(fail()),
            }
        };
        let text = |name: &str| {
            root["name"][name]["$value"]
                .as_str()
                .unwrap_or_default()
                .to_string()
        };
        let sheet = BrandSheet {
            primary: colour("primary")?,
            secondary: colour("secondary")?,
            public_name: text("public"),
            legal_name: text("legal"),
            widget: tokens::layer(&root["widget"])?,
        };
        if sheet == BrandSheet::default() {
            Err(TokensError::Nothing)
        } else {
            Ok(sheet)
        }
    }
}

/// Texts that suppliers ship as samples and that people forget (common practice).
pub(crate) const SAMPLES: &[&str] = &[
    "John Doe",
    "Jane Doe",
    "your company",
    "Your Company",
    "company name",
    "lorem ipsum",
    "Lorem ipsum",
    "[name]",
    "undefined",
];

/// A launcher whose middle is this near to the screen's, as a share of its width, is in no corner.
const CENTRED: f64 = 0.1;

/// Returns the corner that something is in, and its distances from the two sides there.
fn place(r: &Rect, view: Rect) -> (String, f64, f64) {
    let (w, h) = (view.width, view.height);
    let right = r.x + r.width / 2.0 > w / 2.0;
    let bottom = r.y + r.height / 2.0 > h / 2.0;
    // Between the corners, and not so wide that it reaches from one to the other.
    let centred = (r.x + r.width / 2.0 - w / 2.0).abs() < w * CENTRED && r.width < w / 2.0;
    let across = match (centred, right) {
        (true, _) => "centre",
        (false, true) => "right",
        (false, false) => "left",
    };
    let corner = format!("{}-{across}", if bottom { "bottom" } else { "top" });
    let from_side = if right { w - r.x - r.width } else { r.x };
    let from_edge = if bottom { h - r.y - r.height } else { r.y };
    (corner, from_side, from_edge)
}

/// Sets what was seen beside what is designed; nothing where no launcher was seen.
pub fn compare(seen: &Observation, design: &Design, brand: Option<Rgb>) -> Option<VisitComparison> {
    let launcher = seen.launcher.as_ref().filter(|l| l.present)?;
    let parse = |text: &Option<String>| text.as_deref().and_then(|t| Rgb::parse(t).ok());
    let observed = parse(&seen.launcher_colour).or_else(|| Rgb::parse(&launcher.background).ok());
    let (w, r) = (seen.view().width, &launcher.rect);
    let (corner, offset_x, offset_y) = place(r, seen.view());
    // A picture is no wrong colour, and a list of channels has no header.
    let pictured = design.get(Field::Icon) == PICTURED;
    let form = design.get(Field::Form);
    let header = parse(&seen.header_colour).filter(|_| form != "channels");
    let placed = !matches!(form, "tab" | "inline");
    let phone = seen.condition.viewport == Viewport::Phone;
    // A phone is narrow: what reaches over its middle, such as an open list of channels, is in no
    // corner.
    let wide = phone && r.x < w / 2.0 && r.x + r.width > w / 2.0;
    let placed = placed && !wide;
    let offset = |usual, on_phones| match design.designed(on_phones) {
        Some(px) if phone => px.parse().unwrap_or(0.0),
        _ => design.number(usual),
    };
    Some(VisitComparison {
        launcher: ColourPair::of(
            observed.filter(|_| !pictured),
            design.colour(Field::ButtonColour),
        ),
        icon: ColourPair::of(
            Rgb::parse(&launcher.colour)
                .ok()
                .filter(|_| !pictured && !launcher.tag.eq_ignore_ascii_case("iframe")),
            design.colour(Field::IconColour),
        ),
        header: ColourPair::of(header, design.colour(Field::HeaderColour)),
        to_brand: observed.zip(brand).map(|(o, b)| o.difference(b)),
        on_page: observed
            .zip(parse(&seen.behind_colour))
            .map(|(o, p)| o.contrast(p)),
        text_on_launcher: observed
            .zip(Rgb::parse(&launcher.colour).ok())
            .map(|(o, t)| o.contrast(t)),
        // What is at an edge or in the page is compared by that, not by a corner.
        expected_corner: if placed {
            corner_on(seen.condition.viewport, design)
        } else {
            String::new()
        },
        offset_x,
        offset_y,
        expected_x: offset(Field::OffsetX, Field::PhoneOffsetX),
        expected_y: offset(Field::OffsetY, Field::PhoneOffsetY),
        crop: seen.launcher_picture.clone(),
        corner,
    })
}

/// Compares one visit with its design: colours, corner and offsets, contrasts. Each finding carries
/// the crop of the launcher. Texts are compared by language, in [`crate::site_check`].
pub fn judge(seen: &Observation, compared: &VisitComparison) -> Vec<Finding> {
    let mut out = colours(compared);
    out.extend(corner(seen, compared));
    out.extend(contrasts(compared));
    let crop = compared.crop.clone().map(|key| Evidence::Picture { key });
    let with_crop = |f: Finding| f.with_all(crop.clone());
    out.into_iter().map(with_crop).collect()
}

fn colours(compared: &VisitComparison) -> Vec<Finding> {
    let pairs = [
        (Code::BrandLauncherColour, "launcher", compared.launcher),
        (Code::BrandHeaderColour, "header", compared.header),
    ];
    let told = |(code, what, pair): (Code, &str, Option<ColourPair>)| {
        let p = pair.filter(|p| p.difference > COLOUR_TOLERANCE)?;
        let summary = format!(
            "The {what} is {} and should be {}: {} (CIEDE2000 {:.1}).",
            p.seen.hex(),
            p.expected.hex(),
            difference_in_words(p.difference),
            p.difference
        );
        let remedy = "In the widget's settings at the supplier, set the designed colour.";
        Some(Finding::new(code, Severity::Fault, summary, remedy))
    };
    pairs.into_iter().filter_map(told).collect()
}

/// The corner, and in the right corner the offsets: these on the desktop only, since widgets move
/// in on phones; those that are designed for phones are compared in [`phone`].
fn corner(seen: &Observation, c: &VisitComparison) -> Option<Finding> {
    if c.expected_corner.is_empty() {
        return None;
    }
    if c.corner != c.expected_corner {
        return Some(Finding::new(
            Code::BrandCorner,
            Severity::Fault,
            format!(
                "The launcher is {} and should be {}.",
                c.corner, c.expected_corner
            ),
            "In the widget's settings at the supplier, choose the designed corner.",
        ));
    }
    let off = |seen: f64, wanted: f64| (seen - wanted).abs() > OFFSET_TOLERANCE;
    let moved = off(c.offset_x, c.expected_x) || off(c.offset_y, c.expected_y);
    (moved && seen.condition.viewport == Viewport::Desktop).then(|| {
        Finding::new(
            Code::BrandOffset,
            Severity::Warning,
            format!(
                "The launcher is {:.0} and {:.0} px from the edges and should be {:.0} and {:.0}.",
                c.offset_x, c.offset_y, c.expected_x, c.expected_y
            ),
            "In the widget's settings at the supplier, set the designed offsets.",
        )
    })
}

fn contrasts(compared: &VisitComparison) -> Vec<Finding> {
    let least = Needs::Control.least();
    let low = |c: &f64| *c < least;
    let icon = compared.text_on_launcher.filter(low).map(|c| {
        Finding::new(
            Code::BrandContrast,
            Severity::Fault,
            format!(
                "The icon on the launcher has a contrast of {c:.1} to 1; {least} is the least."
            ),
            "Choose a lighter or darker icon colour in the design.",
        )
    });
    let page = compared.on_page.filter(low).map(|c| {
        Finding::new(
            Code::BrandStandsOut,
            Severity::Warning,
            format!(
                "The launcher has a contrast of {c:.1} to 1 against the page around it; {least} \
                is the least."
            ),
            "Choose a button colour that stands out from this page, or give the button an outline.",
        )
    });
    icon.into_iter().chain(page).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use newtfern_standards::observation::{Launcher, Rect};

    fn seen(colour: &str, x: f64, y: f64) -> Observation {
        Observation {
            launcher: Some(Launcher {
                present: true,
                rect: Rect {
                    x,
                    y,
                    width: 60.0,
                    height: 60.0,
                },
                colour: "#ffffff".into(),
                ..Launcher::default()
            }),
            launcher_colour: Some(colour.into()),
            behind_colour: Some("#ffffff".into()),
            ..Observation::default()
        }
    }

    fn codes(o: &Observation) -> Vec<Code> {
        let sheet = BrandSheet {
            primary: Some(Rgb(0x2f, 0x6b, 0x4f)),
            public_name: "Tide Mill".into(),
            ..BrandSheet::default()
        };
        let d = Design::resolve(&Layer::new(), &sheet.layer(), &Layer::new());
        judge(o, &compare(o, &d, sheet.primary).unwrap())
            .into_iter()
            .map(|f| f.code)
            .collect()
    }

    #[test]
    fn a_widget_as_designed_has_no_findings() {
        assert!(codes(&seen("#2f6b4f", 1200.0, 720.0)).is_empty());
    }

    #[test]
    fn colour_corner_and_offset_are_compared() {
        assert_eq!(
            codes(&seen("#c0392b", 1200.0, 720.0)),
            [Code::BrandLauncherColour]
        );
        assert_eq!(codes(&seen("#2f6b4f", 20.0, 720.0)), [Code::BrandCorner]);
        assert_eq!(codes(&seen("#2f6b4f", 1150.0, 720.0)), [Code::BrandOffset]);
    }

    #[test]
    fn sheets_go_out_and_come_back_as_design_tokens() {
        let sheet = BrandSheet {
            primary: Some(Rgb(1, 2, 3)),
            secondary: None,
            public_name: "Tide Mill".into(),
            legal_name: "Tide Mill Trust".into(),
            widget: Layer::from([(Field::Corner, "bottom-left".into())]),
        };
        assert_eq!(
            BrandSheet::from_tokens(&sheet.to_tokens().to_string()).unwrap(),
            sheet
        );
        let older = r##"{"color": {"primary": {"$type": "color", "$value": "#010203"}}}"##;
        assert_eq!(
            BrandSheet::from_tokens(older).unwrap().primary,
            Some(Rgb(1, 2, 3))
        );
        assert!(
            BrandSheet::from_tokens("{}")
                .unwrap_err()
                .to_string()
                .contains("color.primary")
        );
        assert!(
            BrandSheet::from_tokens("{")
                .unwrap_err()
                .to_string()
                .contains("not JSON")
        );
    }
}
