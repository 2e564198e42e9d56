//! The colours of a picture: its pixels clustered in CIELAB (k-means), with the share of the area
//! that each has.

use super::{Lab, Rgb};
use std::collections::HashMap;

/// Clusters that are looked for; like ones are put together afterwards.
const CLUSTERS: usize = 8;
/// Rounds of k-means; it stands still long before.
const ROUNDS: usize = 40;
/// Clusters nearer than this (CIEDE2000) are one colour.
const ALIKE: f64 = 6.0;
/// A colour on less than this share of the area is left out.
const LEAST_SHARE: f64 = 0.01;

/// A colour and how much of the picture it covers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shade {
    /// The colour most pixels of its kind have.
    pub colour: Rgb,
    /// Share of the pixels that can be seen, 0 to 1.
    pub share: f64,
}

/// One colour with the number of its pixels.
struct Bin {
    colour: Rgb,
    lab: Lab,
    weight: f64,
}

/// The colours of a picture by area, the largest first. `pixels` are red, green, blue, opacity;
/// what is more transparent than not is left out.
///
/// ```
/// use newtfern_standards::colour::{Rgb, palette};
/// let pixels = [[[200, 30, 40, 255]; 30], [[255, 255, 255, 255]; 30], [[0, 0, 0, 0]; 30]]
///     .concat();
/// let shades = palette(&pixels);
/// assert_eq!(shades.len(), 2);
/// assert_eq!(shades[0].share, 0.5);
/// ```
pub fn palette(pixels: &[[u8; 4]]) -> Vec<Shade> {
    let mut counts: HashMap<Rgb, f64> = HashMap::new();
    for [r, g, b, a] in pixels {
        if *a >= 128 {
            *counts.entry(Rgb(*r, *g, *b)).or_default() += 1.0;
        }
    }
    let mut bins: Vec<Bin> = counts
        .into_iter()
        .map(|(colour, weight)| Bin {
            colour,
            lab: colour.lab(),
            weight,
        })
        .collect();
    // The same picture gives the same palette.
    bins.sort_by(|a, b| {
        let order = b.weight.total_cmp(&a.weight);
        order.then_with(|| a.colour.hex().cmp(&b.colour.hex()))
    });
    let all: f64 = bins.iter().map(|b| b.weight).sum();
    if all == 0.0 {
        return Vec::new();
    }
    let mut shades = merged(clusters(&bins));
    shades.iter_mut().for_each(|s| s.share /= all);
    shades.retain(|s| s.share >= LEAST_SHARE);
    shades.sort_by(|a, b| b.share.total_cmp(&a.share));
    shades
}

fn apart(a: Lab, b: Lab) -> f64 {
    (a.l - b.l).powi(2) + (a.a - b.a).powi(2) + (a.b - b.b).powi(2)
}

/// Centres that lie far from one another, and with much of the picture around them.
fn seeds(bins: &[Bin]) -> Vec<Lab> {
    let mut out: Vec<Lab> = bins.iter().take(1).map(|b| b.lab).collect();
    while out.len() < CLUSTERS.min(bins.len()) {
        let worth = |b: &Bin| {
            let near = out.iter().map(|c| apart(b.lab, *c));
            b.weight * near.fold(f64::INFINITY, f64::min)
        };
        let next = bins.iter().max_by(|a, b| worth(a).total_cmp(&worth(b)));
        match next.filter(|b| worth(b) > 0.0) {
            Some(bin) => out.push(bin.lab),
            None => break,
        }
    }
    out
}

fn nearest(lab: Lab, centres: &[Lab]) -> usize {
    let ranked = centres.iter().enumerate();
    let near = ranked.min_by(|a, b| apart(lab, *a.1).total_cmp(&apart(lab, *b.1)));
    near.map_or(0, |(i, _)| i)
}

/// Each cluster as the colour most of its pixels have, with their number.
fn clusters(bins: &[Bin]) -> Vec<Shade> {
    let mut centres = seeds(bins);
    for _ in 0..ROUNDS {
        let mut sums = vec![[0.0; 4]; centres.len()];
        for bin in bins {
            let sum = &mut sums[nearest(bin.lab, &centres)];
            let parts = [bin.lab.l, bin.lab.a, bin.lab.b, 1.0];
            for (s, p) in sum.iter_mut().zip(parts) {
                *s += p * bin.weight;
            }
        }
        let moved: Vec<Lab> = sums
            .iter()
            .zip(&centres)
            .map(|([l, a, b, n], old)| match *n > 0.0 {
                true => Lab {
                    l: l / n,
                    a: a / n,
                    b: b / n,
                },
                false => *old,
            })
            .collect();
        if moved == centres {
            break;
        }
        centres = moved;
    }
    let mut shades: Vec<Option<Shade>> = vec![None; centres.len()];
    // The heaviest of a cluster comes first: bins are sorted.
    for bin in bins {
        let shade = shades[nearest(bin.lab, &centres)].get_or_insert(Shade {
            colour: bin.colour,
            share: 0.0,
        });
        shade.share += bin.weight;
    }
    shades.into_iter().flatten().collect()
}

/// Edges are drawn in shades between two colours: what is alike is one.
fn merged(mut shades: Vec<Shade>) -> Vec<Shade> {
    shades.sort_by(|a, b| b.share.total_cmp(&a.share));
    let mut out: Vec<Shade> = Vec::new();
    for shade in shades {
        let known = out.iter_mut();
        match known
            .into_iter()
            .find(|s| s.colour.difference(shade.colour) < ALIKE)
        {
            Some(same) => same.share += shade.share,
            None => out.push(shade),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn noise_around_a_colour_is_that_colour() {
        let mut pixels = Vec::new();
        for i in 0..400u32 {
            let jitter = (i * 7 % 5) as u8;
            pixels.push([30 + jitter, 100, 90, 255]);
        }
        pixels.extend([[240, 160, 75, 255]; 100]);
        let shades = palette(&pixels);
        assert_eq!(shades.len(), 2, "{shades:?}");
        assert!((shades[0].share - 0.8).abs() < 1e-9);
        assert_eq!(shades[1].colour.hex(), "#f0a04b");
        assert!(palette(&[]).is_empty() && palette(&[[1, 2, 3, 10]]).is_empty());
    }
}
