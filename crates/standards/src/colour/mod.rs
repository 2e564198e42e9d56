//! Colours: CSS values, CIELAB, the CIEDE2000 difference and WCAG contrast.
//!
//! | step | source | limits |
//! |---|---|---|
//! | sRGB to XYZ | IEC 61966-2-1 | 8 bits a channel, no alpha |
//! | XYZ to CIELAB | CIE 15, white D65, 2 degrees | |
//! | difference | CIEDE2000 (Sharma, Wu and Dalal 2005), all k = 1 | best under about 5 |
//! | contrast | WCAG 2, relative luminance | 1 to 21 |
//! | lightness, chroma and hue | oklch (CSS Color 4) | |
//! | eyes without one kind of cone | Machado and others (2009), severity 1 | |

mod limits;
mod oklch;
mod palette;
mod vision;

pub use limits::Needs;
pub use oklch::Oklch;
pub use palette::{Shade, palette};
pub use vision::Vision;

use serde::{Deserialize, Serialize};

/// A text that is no colour.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
#[error(
    "\u{201c}{0}\u{201d} is not a colour: write it as #rrggbb, as rgb(\u{2026}), hsl(\u{2026}) or \
    oklch(\u{2026}), or by its name"
)]
pub struct ColourError(pub String);

/// An sRGB colour without alpha, written `#rrggbb`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Rgb(pub u8, pub u8, pub u8);

/// A colour in CIELAB, D65 white, 2 degree observer.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lab {
    /// Lightness, 0 to 100.
    pub l: f64,
    /// Position between green and red.
    pub a: f64,
    /// Position between blue and yellow.
    pub b: f64,
}

impl TryFrom<String> for Rgb {
    type Error = ColourError;
    fn try_from(text: String) -> Result<Self, ColourError> {
        Rgb::parse(&text)
    }
}

impl From<Rgb> for String {
    fn from(c: Rgb) -> String {
        c.hex()
    }
}

impl Rgb {
    /// Any colour of CSS Color 4 but system colours: hexadecimal (3, 4, 6 or 8 digits), names,
    /// `rgb()`, `hsl()`, `hwb()`, `lab()`, `lch()`, `oklab()`, `oklch()`, with commas or blanks.
    /// What lies outside sRGB is cut to it, and what is partly transparent is taken as if it were
    /// not.
    ///
    /// ```
    /// use newtfern_standards::colour::Rgb;
    /// assert_eq!(Rgb::parse("rebeccapurple").unwrap().hex(), "#663399");
    /// ```
    ///
    /// # Errors
    /// Where the text is no colour, or a wholly transparent one: there is nothing to see.
    pub fn parse(text: &str) -> Result<Rgb, ColourError> {
        let plain = text.trim();
        let fail = || ColourError(plain.to_string());
        // The parser takes hexadecimal digits without their mark, which CSS does not.
        let unmarked = plain.chars().all(|c| c.is_ascii_hexdigit());
        let parsed = csscolorparser::parse(plain).ok();
        let seen = parsed.filter(|c| c.a > 0.0 && !unmarked).ok_or_else(fail)?;
        let [r, g, b, _] = seen.to_rgba8();
        Ok(Rgb(r, g, b))
    }

    /// Six digits with the mark, lower case.
    pub fn hex(self) -> String {
        format!("#{:02x}{:02x}{:02x}", self.0, self.1, self.2)
    }

    fn linear(self) -> [f64; 3] {
        [self.0, self.1, self.2].map(|v| {
            let c = f64::from(v) / 255.0;
            if c <= 0.04045 {
                c / 12.92
            } else {
                ((c + 0.055) / 1.055).powf(2.4)
            }
        })
    }

    /// Returns the colour of linear sRGB; what lies outside is cut to it.
    fn from_linear(parts: [f64; 3]) -> Rgb {
        let [r, g, b] = parts.map(|c| {
            let v = if c <= 0.003_130_8 {
                12.92 * c
            } else {
                1.055 * c.powf(1.0 / 2.4) - 0.055
            };
            (v * 255.0).round().clamp(0.0, 255.0) as u8
        });
        Rgb(r, g, b)
    }

    /// Returns the colour in CIELAB (IEC 61966-2-1 for the curve and the matrix).
    pub fn lab(self) -> Lab {
        let [r, g, b] = self.linear();
        // IEC 61966-2-1; the white is the matrix's own, so that grey has no hue.
        let x = (0.412_456_4 * r + 0.357_576_1 * g + 0.180_437_5 * b) / 0.950_470;
        let y = 0.212_672_9 * r + 0.715_152_2 * g + 0.072_175_0 * b;
        let z = (0.019_333_9 * r + 0.119_192_0 * g + 0.950_304_1 * b) / 1.088_830;
        let f = |t: f64| {
            if t > 216.0 / 24389.0 {
                t.cbrt()
            } else {
                (24389.0 / 27.0 * t + 16.0) / 116.0
            }
        };
        Lab {
            l: 116.0 * f(y) - 16.0,
            a: 500.0 * (f(x) - f(y)),
            b: 200.0 * (f(y) - f(z)),
        }
    }

    /// WCAG 2 relative luminance, 0 to 1.
    pub fn luminance(self) -> f64 {
        let [r, g, b] = self.linear();
        0.2126 * r + 0.7152 * g + 0.0722 * b
    }

    /// WCAG 2 contrast ratio, 1 to 21.
    pub fn contrast(self, other: Rgb) -> f64 {
        let (a, b) = (self.luminance(), other.luminance());
        (a.max(b) + 0.05) / (a.min(b) + 0.05)
    }

    /// CIEDE2000 (CIE 142-2001); 1 is about the least that is seen side by side.
    pub fn difference(self, other: Rgb) -> f64 {
        ciede2000(self.lab(), other.lab())
    }

    /// Black or white, whichever reads better on this colour.
    pub fn readable_text(self) -> Rgb {
        let (white, black) = (Rgb(255, 255, 255), Rgb(0, 0, 0));
        if self.contrast(white) >= self.contrast(black) {
            white
        } else {
            black
        }
    }
}

/// The CIEDE2000 difference. Equation numbers are those of Sharma, Wu and Dalal (2005).
pub fn ciede2000(one: Lab, two: Lab) -> f64 {
    let c1 = one.a.hypot(one.b); // (2)
    let c2 = two.a.hypot(two.b);
    let c7 = ((c1 + c2) / 2.0).powi(7); // (3)
    let pow25_7 = 25f64.powi(7);
    let g = 0.5 * (1.0 - (c7 / (c7 + pow25_7)).sqrt()); // (4)
    let (a1, a2) = ((1.0 + g) * one.a, (1.0 + g) * two.a); // (5)
    let (c1, c2) = (a1.hypot(one.b), a2.hypot(two.b)); // (6)
    let hue = |a: f64, b: f64| {
        if a == 0.0 && b == 0.0 {
            0.0
        } else {
            b.atan2(a).to_degrees().rem_euclid(360.0)
        }
    }; // (7)
    let (h1, h2) = (hue(a1, one.b), hue(a2, two.b));
    let dl = two.l - one.l; // (8)
    let dc = c2 - c1; // (9)
    let grey = c1 * c2 == 0.0;
    let dh = match h2 - h1 {
        _ if grey => 0.0,
        d if d > 180.0 => d - 360.0,
        d if d < -180.0 => d + 360.0,
        d => d,
    }; // (10)
    let dh_big = 2.0 * (c1 * c2).sqrt() * (dh / 2.0).to_radians().sin(); // (11)
    let l = (one.l + two.l) / 2.0; // (12)
    let c = (c1 + c2) / 2.0; // (13)
    let sum = h1 + h2;
    let h = if grey {
        sum
    } else if (h1 - h2).abs() <= 180.0 {
        sum / 2.0
    } else if sum < 360.0 {
        (sum + 360.0) / 2.0
    } else {
        (sum - 360.0) / 2.0
    }; // (14)
    let cos = |degrees: f64| degrees.to_radians().cos();
    let t = 1.0 - 0.17 * cos(h - 30.0) + 0.24 * cos(2.0 * h) + 0.32 * cos(3.0 * h + 6.0)
        - 0.20 * cos(4.0 * h - 63.0); // (15)
    let theta = 30.0 * (-((h - 275.0) / 25.0).powi(2)).exp(); // (16)
    let rc = 2.0 * (c.powi(7) / (c.powi(7) + pow25_7)).sqrt(); // (17)
    let l50 = (l - 50.0).powi(2);
    let sl = 1.0 + 0.015 * l50 / (20.0 + l50).sqrt(); // (18)
    let sc = 1.0 + 0.045 * c; // (19)
    let sh = 1.0 + 0.015 * c * t; // (20)
    let rt = -(2.0 * theta).to_radians().sin() * rc; // (21)
    ((dl / sl).powi(2) + (dc / sc).powi(2) + (dh_big / sh).powi(2) + rt * (dc / sc) * (dh_big / sh))
        .sqrt() // (22)
}

/// Returns what a difference means to the eye. Common practice: about 1 is just visible side by
/// side, 2 to 3 is seen by a practised eye, above 10 is another colour.
pub fn difference_in_words(difference: f64) -> &'static str {
    match difference {
        d if d < 1.0 => "the same to the eye",
        d if d < 3.0 => "hardly different",
        d if d < 6.0 => "visibly different",
        d if d < 10.0 => "clearly different",
        _ => "another colour",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_forms_of_css_give_the_same_colour() {
        for text in [
            "#2f7d4f",
            "#2F7D4FFF",
            "rgb(47, 125, 79)",
            "rgba(47 125 79 / 1)",
            "hsl(144.6 45.3% 33.7%)",
            "hsl(144.6deg, 45.3%, 33.7%)",
        ] {
            assert_eq!(Rgb::parse(text).unwrap(), Rgb(47, 125, 79), "{text}");
        }
        assert_eq!(Rgb::parse("#fa0").unwrap(), Rgb(255, 170, 0));
    }

    /// Pairs of CSS Color Module Level 4: its table of names, and the forms of its colour green
    /// (from memory).
    #[test]
    fn names_and_the_wider_functions_are_those_of_the_standard() {
        let green = Rgb(0, 128, 0);
        for text in [
            "green",
            "GREEN",
            "hwb(120 0% 49.8039%)",
            "lab(46.2775% -47.5621 48.5837)",
            "lch(46.2775% 67.9892 134.3912)",
            "oklab(51.975% -0.1403 0.10768)",
            "oklch(51.975% 0.17686 142.495)",
        ] {
            assert_eq!(Rgb::parse(text).unwrap(), green, "{text}");
        }
        for (name, colour) in [
            ("rebeccapurple", Rgb(0x66, 0x33, 0x99)),
            ("seagreen", Rgb(0x2e, 0x8b, 0x57)),
            ("antiquewhite", Rgb(0xfa, 0xeb, 0xd7)),
        ] {
            assert_eq!(Rgb::parse(name).unwrap(), colour, "{name}");
        }
    }

    #[test]
    fn what_is_no_colour_is_told() {
        for text in [
            "",
            "#12",
            "#ggg",
            "fern",
            "rgb(1,2)",
            "rgba(0,0,0,0)",
            "transparent",
            "ffaa00",
            "fad",
            "#äöü",
            "hsl(x 1% 1%)",
        ] {
            assert!(
                Rgb::parse(text)
                    .unwrap_err()
                    .to_string()
                    .contains("not a colour"),
                "{text}"
            );
        }
    }

    proptest::proptest! {
        #[test]
        fn difference_is_symmetric_and_zero_only_for_the_same(a: (u8, u8, u8), b: (u8, u8, u8)) {
            let (a, b) = (Rgb(a.0, a.1, a.2), Rgb(b.0, b.1, b.2));
            proptest::prop_assert!((a.difference(b) - b.difference(a)).abs() < 1e-9);
            proptest::prop_assert_eq!(a.difference(b) < 1e-9, a == b);
            proptest::prop_assert!((1.0..=21.0 + 1e-9).contains(&a.contrast(b)));
        }
    }
}
