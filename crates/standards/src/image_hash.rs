//! A perceptual hash: pictures that look alike have hashes that differ in few bits, however large
//! they are drawn. 32 x 32 levels of grey, their discrete cosine transform (DCT-II), of its 8 x 8
//! lowest frequencies those above their median (Zauner 2010, "Implementation and Benchmarking of
//! Perceptual Image Hash Functions").

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::f64::consts::PI;
use std::fmt;
use std::str::FromStr;

/// Rows and columns that are read.
pub const SIDE: usize = 32;
/// Rows and columns of frequencies that are kept.
const KEPT: usize = 8;
/// Frequencies of flat pictures are none; sums of a thousand levels miss that by less than this.
const ROUNDING: f64 = 1e-6;
/// Pictures whose hashes differ in at most so many of 64 bits are the same one (common practice:
/// 10).
pub const SAME_WITHIN: u32 = 10;

/// 64 bits, row by row from the upper left.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ImageHash(u64);

impl ImageHash {
    /// Returns the hash of levels of grey, 0 to 255, row by row.
    ///
    /// ```
    /// use newtfern_standards::image_hash::{ImageHash, SIDE};
    /// let dark = ImageHash::of(&[[0.0; SIDE]; SIDE]);
    /// assert_eq!(dark.distance(dark), 0);
    /// ```
    pub fn of(grey: &[[f64; SIDE]; SIDE]) -> ImageHash {
        // Down the columns, then along the rows, as far as it is kept.
        let mut down = [[0.0; SIDE]; KEPT];
        for (k, row) in down.iter_mut().enumerate() {
            for (x, out) in row.iter_mut().enumerate() {
                *out = (0..SIDE).map(|n| grey[n][x] * wave(k, n)).sum();
            }
        }
        let low: Vec<f64> = (0..KEPT * KEPT)
            .map(|i| {
                let (k, row) = (i % KEPT, &down[i / KEPT]);
                (0..SIDE).map(|n| row[n] * wave(k, n)).sum()
            })
            .collect();
        // What is above the median by rounding alone is not above it.
        let above = crate::statistics::median(&low) + ROUNDING;
        let bits = low.iter().map(|v| u64::from(*v > above));
        ImageHash(bits.fold(0, |all, bit| all << 1 | bit))
    }

    /// Bits in which two differ, 0 to 64.
    pub fn distance(self, other: ImageHash) -> u32 {
        (self.0 ^ other.0).count_ones()
    }

    /// Returns whether both pictures show the same.
    pub fn looks_like(self, other: ImageHash) -> bool {
        self.distance(other) <= SAME_WITHIN
    }
}

fn wave(k: usize, n: usize) -> f64 {
    2.0 * (PI * k as f64 * (2 * n + 1) as f64 / (2 * SIDE) as f64).cos()
}

impl fmt::Display for ImageHash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:016x}", self.0)
    }
}

impl FromStr for ImageHash {
    type Err = std::num::ParseIntError;

    fn from_str(text: &str) -> Result<ImageHash, Self::Err> {
        u64::from_str_radix(text, 16).map(ImageHash)
    }
}

impl Serialize for ImageHash {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for ImageHash {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<ImageHash, D::Error> {
        let text = std::borrow::Cow::<str>::deserialize(from)?;
        text.parse().map_err(serde::de::Error::custom)
    }
}
