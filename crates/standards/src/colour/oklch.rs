//! Lightness, chroma and hue as eyes rank them (oklch), and the nearest colour that can be read.
//! Source: B. Ottosson, "A perceptual color space for image processing" (2020), as in CSS Color 4.

use super::Rgb;

/// A colour in oklch.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Oklch {
    /// Lightness, 0 to 1.
    pub l: f64,
    /// Chroma, from 0; sRGB reaches about 0.32.
    pub c: f64,
    /// Hue in degrees.
    pub h: f64,
}

/// Steps of lightness in which a readable colour is looked for.
const STEP: f64 = 0.0025;

impl Rgb {
    /// Returns the colour in the OKLCH space.
    ///
    /// ```
    /// use newtfern_standards::colour::Rgb;
    /// let red = Rgb(255, 0, 0).oklch();
    /// assert!((red.l - 0.628).abs() < 0.001 && (red.c - 0.2577).abs() < 0.001);
    /// ```
    pub fn oklch(self) -> Oklch {
        let [r, g, b] = self.linear();
        let l = (0.412_221_470_8 * r + 0.536_332_536_3 * g + 0.051_445_992_9 * b).cbrt();
        let m = (0.211_903_498_2 * r + 0.680_699_545_1 * g + 0.107_396_956_6 * b).cbrt();
        let s = (0.088_302_461_9 * r + 0.281_718_837_6 * g + 0.629_978_700_5 * b).cbrt();
        let light = 0.210_454_255_3 * l + 0.793_617_785_0 * m - 0.004_072_046_8 * s;
        let a = 1.977_998_495_1 * l - 2.428_592_205_0 * m + 0.450_593_709_9 * s;
        let b = 0.025_904_037_1 * l + 0.782_771_766_2 * m - 0.808_675_766_0 * s;
        Oklch {
            l: light,
            c: a.hypot(b),
            h: b.atan2(a).to_degrees().rem_euclid(360.0),
        }
    }

    /// The colour nearest to this one, of the same hue, that has this contrast against another;
    /// itself where it has it already. Black or white where nothing of the hue reaches it; nothing
    /// where these do not either.
    ///
    /// ```
    /// use newtfern_standards::colour::Rgb;
    /// let (white, amber) = (Rgb(255, 255, 255), Rgb(0xd9, 0x8c, 0x2b));
    /// let darker = amber.nearest_readable(white, 4.5).unwrap();
    /// assert!(darker.contrast(white) >= 4.5 && amber.contrast(white) < 3.0);
    /// assert!((darker.oklch().h - amber.oklch().h).abs() < 3.0);
    /// ```
    pub fn nearest_readable(self, against: Rgb, least: f64) -> Option<Rgb> {
        if self.contrast(against) >= least {
            return Some(self);
        }
        let own = self.oklch();
        let steps = (1.0 / STEP) as i32;
        let lights = (0..=steps).map(|i| f64::from(i) * STEP);
        let shades = lights.map(|l| Oklch { l, ..own }.within());
        let readable = shades.filter(|c| c.contrast(against) >= least);
        readable.min_by(|a, b| self.difference(*a).total_cmp(&self.difference(*b)))
    }
}

impl Oklch {
    fn linear(self) -> [f64; 3] {
        let (a, b) = (
            self.c * self.h.to_radians().cos(),
            self.c * self.h.to_radians().sin(),
        );
        let l = (self.l + 0.396_337_777_4 * a + 0.215_803_757_3 * b).powi(3);
        let m = (self.l - 0.105_561_345_8 * a - 0.063_854_172_8 * b).powi(3);
        let s = (self.l - 0.089_484_177_5 * a - 1.291_485_548_0 * b).powi(3);
        [
            4.076_741_662_1 * l - 3.307_711_591_3 * m + 0.230_969_929_2 * s,
            -1.268_438_004_6 * l + 2.609_757_401_1 * m - 0.341_319_396_5 * s,
            -0.004_196_086_3 * l - 0.703_418_614_7 * m + 1.707_614_701_0 * s,
        ]
    }

    /// Returns the colour in sRGB, with as much of its chroma as sRGB can show at this lightness.
    pub fn within(self) -> Rgb {
        let shown = |c: f64| {
            let fits = |v: f64| (-1e-6..=1.0 + 1e-6).contains(&v);
            Oklch { c, ..self }.linear().into_iter().all(fits)
        };
        let mut c = self.c;
        if !shown(c) {
            let (mut low, mut high) = (0.0, c);
            for _ in 0..20 {
                let middle = (low + high) / 2.0;
                if shown(middle) {
                    low = middle;
                } else {
                    high = middle;
                }
            }
            c = low;
        }
        Rgb::from_linear(Oklch { c, ..self }.linear())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn there_and_back_is_the_same_colour() {
        for r in (0..=255).step_by(51) {
            for g in (0..=255).step_by(51) {
                for b in (0..=255).step_by(51) {
                    let colour = Rgb(r, g, b);
                    assert_eq!(colour.oklch().within(), colour);
                }
            }
        }
    }

    #[test]
    fn a_readable_colour_is_no_farther_than_it_has_to_be() {
        let grounds = [Rgb(255, 255, 255), Rgb(0, 0, 0), Rgb(0x77, 0x77, 0x77)];
        for text in ["#d98c2b", "#9fb4d9", "#2b2f6b", "#777777", "#ff0000"] {
            let colour = Rgb::parse(text).unwrap();
            for ground in grounds {
                let near = colour.nearest_readable(ground, 3.0).unwrap();
                assert!(near.contrast(ground) >= 3.0, "{text} on {ground:?}");
                // One that is much more readable than asked would have been moved too far.
                let moved = near != colour;
                assert!(
                    !moved || near.contrast(ground) < 3.2,
                    "{text} on {ground:?}"
                );
            }
        }
    }
}
