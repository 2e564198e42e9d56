//! The colours of a picture that the browser drew: a logo, or the page as seen.

use crate::error::PageResult;
use crate::session::Posted;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::response::{IntoResponse, Response};
use serde_json::json;

/// Pixels that are looked at; the browser draws the picture small.
const MOST_PIXELS: usize = 8_192;

/// Eight hexadecimal digits a pixel: red, green, blue, opacity.
fn pixels(text: &str) -> Option<Vec<[u8; 4]>> {
    let fits = text.len().is_multiple_of(8) && text.len() / 8 <= MOST_PIXELS && text.is_ascii();
    if !fits || text.is_empty() {
        return None;
    }
    let read = |c: &[u8]| u32::from_str_radix(std::str::from_utf8(c).ok()?, 16).ok();
    let of = |c: &[u8]| read(c).map(u32::to_be_bytes);
    text.as_bytes().chunks_exact(8).map(of).collect()
}

/// Returns the colours of a picture, by area.
///
/// # Errors
/// Never: a picture that cannot be read has a problem in the answer.
pub async fn colours(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    let Some(pixels) = pixels(posted.fields.get("pixels")) else {
        let problem = "The picture could not be read.";
        return Ok(Json(json!({ "problem": problem })).into_response());
    };
    let shades = app.acts.clients().colours_of(pixels).await;
    let shades: Vec<_> = shades
        .iter()
        .map(|s| json!({"colour": s.colour.hex(), "share": (s.share * 100.0).round()}))
        .collect();
    Ok(Json(json!({ "shades": shades })).into_response())
}

#[cfg(test)]
mod tests {
    use super::pixels;

    #[test]
    fn pixels_are_read_or_refused_whole() {
        assert_eq!(pixels("0102037f"), Some(vec![[1, 2, 3, 127]]));
        for wrong in ["", "010203", "0102037g", "\u{e9}\u{e9}\u{e9}\u{e9}"] {
            assert_eq!(pixels(wrong), None, "{wrong}");
        }
    }
}
