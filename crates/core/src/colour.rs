//! Colours: CSS values, CIELAB, the CIEDE2000 difference and WCAG contrast.
//!
//! | step | source | limits |
//! |---|---|---|
//! | sRGB to XYZ | IEC 61966-2-1 | 8 bits a channel, no alpha |
//! | XYZ to CIELAB | CIE 15, white D65, 2 degrees | |
//! | difference | CIEDE2000, Sharma, Wu and Dalal (2005), k_L = k_C = k_H = 1 | meant for differences under about 5; larger ones still order rightly enough to say "another colour" |
//! | contrast | WCAG 2, relative luminance | 1 to 21 |

use serde::{Deserialize, Serialize};

#[derive(Debug, thiserror::Error, PartialEq, Eq)]
#[error("\u{201c}{0}\u{201d} is no colour: write it as #rrggbb, rgb(\u{2026}) or hsl(\u{2026})")]
pub struct ColourError(pub String);

/// An sRGB colour without alpha, written `#rrggbb`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Rgb(pub u8, pub u8, pub u8);

#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lab {
    pub l: f64,
    pub a: f64,
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
    /// Hexadecimal (3, 4, 6 or 8 digits), `rgb()`, `rgba()`, `hsl()`, `hsla()`, with commas or
    /// blanks. A wholly transparent colour is refused: there is nothing to see.
    pub fn parse(text: &str) -> Result<Rgb, ColourError> {
        let fail = || ColourError(text.trim().to_string());
        let plain = text.trim().to_ascii_lowercase();
        if let Some(digits) = plain.strip_prefix('#') {
            return hex(digits).ok_or_else(fail);
        }
        let (name, rest) = plain.split_once('(').ok_or_else(fail)?;
        let inner = rest.strip_suffix(')').ok_or_else(fail)?;
        let parts: Vec<&str> = inner
            .split([',', ' ', '/'])
            .filter(|p| !p.is_empty())
            .collect();
        if !(3..=4).contains(&parts.len())
            || (parts.len() == 4 && number(parts[3], 1.0) == Some(0.0))
        {
            return Err(fail());
        }
        match name.trim() {
            "rgb" | "rgba" => {
                let c =
                    |i: usize| number(parts[i], 255.0).map(|v| v.round().clamp(0.0, 255.0) as u8);
                Ok(Rgb(
                    c(0).ok_or_else(fail)?,
                    c(1).ok_or_else(fail)?,
                    c(2).ok_or_else(fail)?,
                ))
            }
            "hsl" | "hsla" => {
                let h: f64 = parts[0]
                    .trim_end_matches("deg")
                    .parse()
                    .map_err(|_| fail())?;
                let s = number(parts[1], 1.0).ok_or_else(fail)?;
                let l = number(parts[2], 1.0).ok_or_else(fail)?;
                let (s, l) = (
                    if parts[1].ends_with('%') {
                        s
                    } else {
                        s / 100.0
                    },
                    if parts[2].ends_with('%') {
                        l
                    } else {
                        l / 100.0
                    },
                );
                Ok(from_hsl(h, s.clamp(0.0, 1.0), l.clamp(0.0, 1.0)))
            }
            _ => Err(fail()),
        }
    }

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

/// A number or a percentage of `full`.
fn number(text: &str, full: f64) -> Option<f64> {
    match text.strip_suffix('%') {
        Some(percent) => percent.parse::<f64>().ok().map(|p| p / 100.0 * full),
        None => text.parse().ok(),
    }
    .filter(|v: &f64| v.is_finite())
}

fn hex(digits: &str) -> Option<Rgb> {
    if !digits.is_ascii() {
        return None;
    }
    let wide: String = match digits.len() {
        3 | 4 => digits.chars().flat_map(|c| [c, c]).collect(),
        6 | 8 => digits.to_string(),
        _ => return None,
    };
    let at = |i: usize| u8::from_str_radix(&wide[i..i + 2], 16).ok();
    if wide.len() == 8 && at(6)? == 0 {
        return None;
    }
    Some(Rgb(at(0)?, at(2)?, at(4)?))
}

/// CSS Color 4, 7.1 "Converting HSL Colors to sRGB".
fn from_hsl(h: f64, s: f64, l: f64) -> Rgb {
    let f = |n: f64| {
        let k = (n + h.rem_euclid(360.0) / 30.0) % 12.0;
        let a = s * l.min(1.0 - l);
        let v = l - a * (k - 3.0).min(9.0 - k).clamp(-1.0, 1.0);
        (v * 255.0).round().clamp(0.0, 255.0) as u8
    };
    Rgb(f(0.0), f(8.0), f(4.0))
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

/// What a difference means to the eye. Common practice: about 1 is just visible side by side,
/// 2 to 3 is seen by a practised eye, above 10 is another colour.
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
        ] {
            assert_eq!(Rgb::parse(text).unwrap(), Rgb(47, 125, 79), "{text}");
        }
        assert_eq!(Rgb::parse("#fa0").unwrap(), Rgb(255, 170, 0));
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
            "#äöü",
            "hsl(x 1% 1%)",
        ] {
            assert!(
                Rgb::parse(text)
                    .unwrap_err()
                    .to_string()
                    .contains("no colour"),
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
