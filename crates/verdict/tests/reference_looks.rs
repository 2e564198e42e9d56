//! Pictures and the direction of words against sources outside the project; each names its source
//! beside the check.
#![allow(clippy::unwrap_used)]

use newtfern_standards::direction::is_right_to_left;
use newtfern_standards::image_hash::{ImageHash, SIDE};
use serde_json::Value;

/// ImageHash 4.3.2 of PyPI (`phash`): 20 pictures, those of noise bit for bit.
/// `reference/image-hash/make.py` is its script.
#[test]
fn picture_hashes_are_those_of_imagehash() {
    let cases: Value =
        serde_json::from_str(include_str!("reference/image-hash/hashes.json")).unwrap();
    let cases = cases.as_array().unwrap();
    assert_eq!(cases.len(), 20);
    for (i, case) in cases.iter().enumerate() {
        let mut grey = [[0.0; SIDE]; SIDE];
        for (y, row) in case["grey"].as_array().unwrap().iter().enumerate() {
            for (x, level) in row.as_array().unwrap().iter().enumerate() {
                grey[y][x] = level.as_f64().unwrap();
            }
        }
        let theirs: ImageHash = case["hash"].as_str().unwrap().parse().unwrap();
        let distance = ImageHash::of(&grey).distance(theirs);
        // Flat and ruled pictures have frequencies of nothing, which ImageHash takes for above or
        // below the median by rounding alone.
        assert!(
            distance <= if i < 5 { 2 } else { 0 },
            "{i}: {distance} bits"
        );
    }
}

/// BidiCharacterTest.txt of Unicode 15.0: the direction of a paragraph by its own text.
#[test]
fn the_direction_of_a_text_is_that_of_the_standard() {
    let mut compared = [0, 0];
    for row in include_str!("reference/unicode/bidi.txt").lines() {
        let Some((points, rest)) = row.split_once(';').filter(|_| !row.starts_with('#')) else {
            continue;
        };
        let points = points
            .split(' ')
            .map(|p| u32::from_str_radix(p, 16).unwrap());
        let text: String = points.filter_map(char::from_u32).collect();
        let level: usize = rest.split_once(';').unwrap().1.parse().unwrap();
        assert_eq!(is_right_to_left(&text), level == 1, "{row}");
        compared[level] += 1;
    }
    assert!(compared.iter().all(|n| *n > 8), "{compared:?}");
}
