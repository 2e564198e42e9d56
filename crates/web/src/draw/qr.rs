//! A text as a two-dimensional code (ISO/IEC 18004), by the `qrcode` crate; the drawing is ours.

use askama::Template;
use qrcode::{Color, QrCode};

#[derive(Template)]
#[template(path = "draw/qr.html")]
struct Picture<'a> {
    /// Modules with the quiet zone of four around (ISO/IEC 18004, 5.3.8).
    side: usize,
    path: String,
    label: &'a str,
}

/// The picture; empty where the text is too long for one.
pub fn svg(text: &str, label: &str) -> String {
    let Ok(code) = QrCode::new(text) else {
        return String::new();
    };
    let width = code.width();
    let mut path = String::new();
    for (at, color) in code.to_colors().into_iter().enumerate() {
        if color == Color::Dark {
            let (x, y) = (at % width + 4, at / width + 4);
            path += &format!("M{x} {y}h1v1h-1z");
        }
    }
    super::drawn(&Picture {
        side: width + 8,
        path,
        label,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_finder_patterns_stand_in_three_corners() {
        // Version 1 has 21 modules; a finder pattern is 7 wide, its ring dark (ISO/IEC 18004,
        // 6.3.3).
        let drawn = svg("01234567", "x");
        assert!(drawn.contains("viewBox=\"0 0 29 29\""), "{drawn}");
        for (x, y) in [(4, 4), (18, 4), (4, 18), (10, 10)] {
            assert!(drawn.contains(&format!("M{x} {y}h1")), "{x} {y}");
        }
        assert!(!drawn.contains("M5 5h1"), "inside the ring it is light");
        assert_eq!(svg(&"x".repeat(5_000), "x"), "");
    }
}
