//! Colours and crops from pictures: what a visitor sees, also where a frame of another site hides
//! its styles.

use crate::ProbeError;
use image::{ImageFormat, RgbImage, imageops};
use newtfern_standards::colour::Rgb;
use newtfern_standards::observation::Rect;
use std::collections::HashMap;
use std::io::Cursor;

fn read(png: &[u8]) -> Result<RgbImage, ProbeError> {
    Ok(image::load_from_memory_with_format(png, ImageFormat::Png)?.to_rgb8())
}

fn bounds(picture: &RgbImage, rect: &Rect, scale: f64, margin: f64) -> (u32, u32, u32, u32) {
    let clamp = |v: f64, most: u32| (v * scale).clamp(0.0, f64::from(most)) as u32;
    let (w, h) = picture.dimensions();
    let (x0, y0) = (clamp(rect.x - margin, w), clamp(rect.y - margin, h));
    let (x1, y1) = (
        clamp(rect.x + rect.width + margin, w),
        clamp(rect.y + rect.height + margin, h),
    );
    (x0, y0, x1.saturating_sub(x0), y1.saturating_sub(y0))
}

/// A part of a picture, with a margin in CSS px around it.
///
/// # Errors
/// Where the picture cannot be read.
pub fn crop(png: &[u8], rect: &Rect, scale: f64, margin: f64) -> Result<Vec<u8>, ProbeError> {
    let picture = read(png)?;
    let (x, y, w, h) = bounds(&picture, rect, scale, margin);
    let part = imageops::crop_imm(&picture, x, y, w.max(1), h.max(1)).to_image();
    let mut out = Cursor::new(Vec::new());
    part.write_to(&mut out, ImageFormat::Png)?;
    Ok(out.into_inner())
}

/// The colour most pixels have: counted in cells of 16 levels a channel, then averaged in the cell.
fn dominant<'a>(pixels: impl Iterator<Item = &'a image::Rgb<u8>>) -> Rgb {
    let mut cells: HashMap<[u8; 3], (u64, [u64; 3])> = HashMap::new();
    for p in pixels {
        let cell = cells.entry(p.0.map(|c| c >> 4)).or_default();
        cell.0 += 1;
        for (sum, c) in cell.1.iter_mut().zip(p.0) {
            *sum += u64::from(c);
        }
    }
    // Ties go to the lower cell so that the same picture gives the same colour.
    let most = cells
        .into_iter()
        .max_by(|a, b| a.1.0.cmp(&b.1.0).then(b.0.cmp(&a.0)));
    most.map_or(Rgb(255, 255, 255), |(_, (n, sum))| {
        let mean = sum.map(|s| ((s + n / 2) / n.max(1)) as u8);
        Rgb(mean[0], mean[1], mean[2])
    })
}

/// The launcher's colour, and that of the page in a ring of 12 px around it.
///
/// # Errors
/// Where the picture cannot be read.
pub fn launcher_colours(png: &[u8], rect: &Rect, scale: f64) -> Result<(Rgb, Rgb), ProbeError> {
    let picture = read(png)?;
    // The middle half of the box leaves out round corners and shadows.
    let inner = Rect {
        x: rect.x + rect.width * 0.15,
        y: rect.y + rect.height * 0.15,
        width: rect.width * 0.7,
        height: rect.height * 0.7,
    };
    let (x, y, w, h) = bounds(&picture, &inner, scale, 0.0);
    let launcher = dominant(
        imageops::crop_imm(&picture, x, y, w.max(1), h.max(1))
            .to_image()
            .pixels(),
    );
    let (x0, y0, w0, h0) = bounds(&picture, rect, scale, 12.0);
    let (x1, y1, w1, h1) = bounds(&picture, rect, scale, 4.0);
    let ring: Vec<image::Rgb<u8>> = (y0..y0 + h0)
        .flat_map(|y| (x0..x0 + w0).map(move |x| (x, y)))
        .filter(|(x, y)| !((x1..x1 + w1).contains(x) && (y1..y1 + h1).contains(y)))
        .map(|(x, y)| *picture.get_pixel(x, y))
        .collect();
    Ok((launcher, dominant(ring.iter())))
}

/// The colour of the panel's upper strip (its first 40 px), where headers are.
///
/// # Errors
/// Where the picture cannot be read.
pub fn header_colour(png: &[u8], panel: &Rect, scale: f64) -> Result<Rgb, ProbeError> {
    let picture = read(png)?;
    let strip = Rect {
        x: panel.x + 4.0,
        y: panel.y + 4.0,
        width: panel.width - 8.0,
        height: panel.height.min(36.0),
    };
    let (x, y, w, h) = bounds(&picture, &strip, scale, 0.0);
    Ok(dominant(
        imageops::crop_imm(&picture, x, y, w.max(1), h.max(1))
            .to_image()
            .pixels(),
    ))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn page() -> Vec<u8> {
        let mut p = RgbImage::from_pixel(200, 100, image::Rgb([250, 250, 240]));
        for y in 40..80 {
            for x in 140..180 {
                // A round green button with a white mark in it.
                let (dx, dy) = (x as f64 - 159.5, y as f64 - 59.5);
                let inside = dx.hypot(dy) < 20.0;
                let mark = dx.abs() < 5.0 && dy.abs() < 5.0;
                if inside {
                    p.put_pixel(
                        x,
                        y,
                        if mark {
                            image::Rgb([255, 255, 255])
                        } else {
                            image::Rgb([47, 107, 79])
                        },
                    );
                }
            }
        }
        let mut out = Cursor::new(Vec::new());
        p.write_to(&mut out, ImageFormat::Png).unwrap();
        out.into_inner()
    }

    #[test]
    fn colours_are_those_of_most_pixels() {
        let rect = Rect {
            x: 140.0,
            y: 40.0,
            width: 40.0,
            height: 40.0,
        };
        assert_eq!(
            launcher_colours(&page(), &rect, 1.0).unwrap(),
            (Rgb(47, 107, 79), Rgb(250, 250, 240))
        );
        // Half the CSS size at twice the scale is the same place.
        let half = Rect {
            x: 70.0,
            y: 20.0,
            width: 20.0,
            height: 20.0,
        };
        assert_eq!(
            launcher_colours(&page(), &half, 2.0).unwrap().0,
            Rgb(47, 107, 79)
        );
    }

    #[test]
    fn crops_stay_inside_the_picture() {
        let part = crop(
            &page(),
            &Rect {
                x: 190.0,
                y: 90.0,
                width: 60.0,
                height: 60.0,
            },
            1.0,
            10.0,
        )
        .unwrap();
        assert_eq!(read(&part).unwrap().dimensions(), (20, 20));
    }
}
