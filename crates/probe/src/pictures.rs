//! Perceptual hashes of pictures at addresses: what a widget shows, and what the design names.

use crate::http::Http;
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use image::imageops::FilterType;
use newtfern_heavy::heavy;
use newtfern_standards::image_hash::{ImageHash, SIDE};
use url::Url;

/// Bytes of one picture.
const MOST_BYTES: usize = 3_000_000;
/// Pixels of one picture.
const MOST_SIDE: u32 = 6_000;

/// The hash of what an address gives; `data:` addresses hold their picture themselves.
///
/// # Errors
/// Why there is none, in words to follow "because".
pub async fn hash_at(http: &Http, address: &Url) -> Result<ImageHash, String> {
    let bytes = bytes_at(http, address).await?;
    heavy(|| hash_of(&bytes)).await
}

/// Returns the bytes at an address.
///
/// # Errors
/// Why there is nothing, in words to follow "because".
pub async fn bytes_at(http: &Http, address: &Url) -> Result<Vec<u8>, String> {
    match address.scheme() {
        "data" => held(address),
        "http" | "https" => {
            let (fetched, bytes) = http.get_bytes(address, MOST_BYTES).await;
            match (fetched.failure, fetched.status) {
                (Some(failure), _) => Err(failure.text),
                (None, Some(200..=299)) => Ok(bytes),
                (None, status) => {
                    let status = status.unwrap_or_default();
                    Err(format!("its address answers with status {status}"))
                }
            }
        }
        other => Err(format!(
            "addresses with {other}: hold their picture in the page"
        )),
    }
}

fn held(address: &Url) -> Result<Vec<u8>, String> {
    let no = || "its data address cannot be read".to_string();
    let (head, data) = address.path().split_once(',').ok_or_else(no)?;
    if !head.ends_with(";base64") {
        return Err("it is drawn by code, not by pixels".into());
    }
    BASE64_STANDARD.decode(data).map_err(|_| no())
}

/// The hash of a picture's bytes; what is transparent shows white, as on a page.
///
/// # Errors
/// In words, where they are no picture of pixels that is read.
pub fn hash_of(bytes: &[u8]) -> Result<ImageHash, String> {
    let mut reader = image::ImageReader::new(std::io::Cursor::new(bytes));
    let mut limits = image::Limits::default();
    limits.max_image_width = Some(MOST_SIDE);
    limits.max_image_height = Some(MOST_SIDE);
    reader.limits(limits);
    let reader = reader.with_guessed_format().map_err(|e| e.to_string())?;
    let picture = reader
        .decode()
        .map_err(|_| "it is not a PNG or JPEG picture that can be read".to_string())?;
    let mut flat = image::RgbImage::from_pixel(
        picture.width(),
        picture.height(),
        image::Rgb([255, 255, 255]),
    );
    for (x, y, p) in picture.to_rgba8().enumerate_pixels() {
        let over = |c: u8| (u32::from(c) * u32::from(p[3]) + 255 * (255 - u32::from(p[3]))) / 255;
        flat.put_pixel(
            x,
            y,
            image::Rgb([over(p[0]), over(p[1]), over(p[2])].map(|c| c as u8)),
        );
    }
    let grey = image::DynamicImage::ImageRgb8(flat).to_luma8();
    let side = SIDE as u32;
    let small = image::imageops::resize(&grey, side, side, FilterType::Lanczos3);
    let mut levels = [[0.0; SIDE]; SIDE];
    for (x, y, p) in small.enumerate_pixels() {
        levels[y as usize][x as usize] = f64::from(p[0]);
    }
    Ok(ImageHash::of(&levels))
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::{ImageFormat, Rgba, RgbaImage};
    use std::io::Cursor;

    /// A face of this size: a head, two eyes, and hair on one side.
    fn face(side: u32, left: bool, format: ImageFormat) -> Vec<u8> {
        let mut p = RgbaImage::from_pixel(side, side, Rgba([0, 0, 0, 0]));
        let at = |v: u32| f64::from(v) / f64::from(side);
        for (x, y, out) in p.enumerate_pixels_mut() {
            let (x, y) = (at(x), at(y));
            let within = |cx: f64, cy: f64, r: f64| (x - cx).hypot(y - cy) < r;
            if within(0.5, 0.5, 0.4) {
                *out = Rgba([230, 190, 160, 255]);
            }
            if within(0.38, 0.45, 0.05) || within(0.62, 0.45, 0.05) {
                *out = Rgba([30, 30, 60, 255]);
            }
            let hair = if left { x < 0.35 } else { x > 0.65 };
            if hair && within(0.5, 0.4, 0.45) {
                *out = Rgba([90, 40, 20, 255]);
            }
        }
        let mut bytes = Cursor::new(Vec::new());
        let picture = image::DynamicImage::ImageRgba8(p);
        match format {
            ImageFormat::Jpeg => {
                let mut flat = image::RgbImage::new(side, side);
                for (x, y, p) in picture.to_rgba8().enumerate_pixels() {
                    let c = if p[3] == 0 {
                        [255; 3]
                    } else {
                        [p[0], p[1], p[2]]
                    };
                    flat.put_pixel(x, y, image::Rgb(c));
                }
                flat.write_to(&mut bytes, format).unwrap();
            }
            _ => picture.write_to(&mut bytes, format).unwrap(),
        }
        bytes.into_inner()
    }

    #[test]
    fn size_and_format_change_nothing_another_picture_does() {
        let large = hash_of(&face(300, true, ImageFormat::Png)).unwrap();
        let small = hash_of(&face(64, true, ImageFormat::Jpeg)).unwrap();
        let other = hash_of(&face(300, false, ImageFormat::Png)).unwrap();
        assert!(large.looks_like(small), "{} bits", large.distance(small));
        assert!(!large.looks_like(other), "{} bits", large.distance(other));
        assert!(hash_of(b"<svg/>").unwrap_err().contains("PNG or JPEG"));
    }

    #[test]
    fn a_picture_in_its_address_is_read_from_there() {
        let data = BASE64_STANDARD.encode(face(40, true, ImageFormat::Png));
        let url = Url::parse(&format!("data:image/png;base64,{data}")).unwrap();
        assert!(hash_of(&held(&url).unwrap()).is_ok());
        let drawn = Url::parse("data:image/svg+xml,<svg/>").unwrap();
        assert!(held(&drawn).unwrap_err().contains("by code"));
    }
}
