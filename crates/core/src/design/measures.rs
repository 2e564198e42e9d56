//! The numbers beside the colours of a design: two wishes that pull against each other (to look like the brand,
//! and to stand out from the page), and whether words can be read.

use super::{Design, Field};
use crate::colour::{Rgb, difference_in_words};
use serde::Serialize;

/// What words need against their ground (WCAG 2.2, SC 1.4.3).
pub const TEXT_LEAST: f64 = 4.5;
/// What a shape needs to be seen (SC 1.4.11).
const SHAPE_LEAST: f64 = 3.0;
/// Farther from the brand's colour, people see another colour at once (common practice).
pub const FAR: f64 = 10.0;

/// One number of a design.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Measure {
    /// Short name.
    pub key: &'static str,
    /// Of what, for people.
    pub what: &'static str,
    /// The number with its verdict, for people.
    pub words: String,
    /// It is not enough.
    pub weak: bool,
    /// The colour to be changed, and the nearest one of its hue that suffices.
    pub take: Option<(Field, Rgb)>,
}

/// Pairs of words and their ground.
const PAIRS: [(&str, &str, Field, Field); 5] = [
    (
        "text_on_button",
        "Text on the button",
        Field::IconColour,
        Field::ButtonColour,
    ),
    (
        "text_on_header",
        "Text on the header",
        Field::HeaderText,
        Field::HeaderColour,
    ),
    (
        "own_words",
        "Words in the visitor\u{2019}s bubbles",
        Field::OwnWords,
        Field::OwnBubble,
    ),
    (
        "answer_words",
        "Words in the agent\u{2019}s bubbles",
        Field::AnswerWords,
        Field::AnswerBubble,
    ),
    (
        "ground_words",
        "Words on the ground",
        Field::GroundWords,
        Field::Ground,
    ),
];

/// Contrast of two colours of a design (WCAG 2.2), 1 to 21.
pub fn contrast(design: &Design, one: Field, other: Field) -> f64 {
    design.colour(one).contrast(design.colour(other))
}

/// CIEDE2000 from the button to the brand's primary colour.
pub fn to_brand(design: &Design, brand: Option<Rgb>) -> Option<f64> {
    brand.map(|b| design.colour(Field::ButtonColour).difference(b))
}

fn ratio(ratio: f64, least: f64) -> String {
    let word = if ratio >= least {
        "readable"
    } else {
        "too weak"
    };
    format!("{ratio:.1} to 1, {word} ({least} is the least)")
}

/// All numbers: beside the brand and the page, where these are known.
pub fn measures(design: &Design, brand: Option<Rgb>, page: Option<Rgb>) -> Vec<Measure> {
    let apart = to_brand(design, brand);
    let words = apart.map(|d| format!("{d:.1}, {}", difference_in_words(d)));
    let far = apart.is_some_and(|d| d > FAR);
    let mut out = vec![Measure {
        key: "to_brand",
        what: "Button to brand colour",
        words: words.unwrap_or_else(|| "the client has no brand colour yet".into()),
        weak: far,
        take: brand.filter(|_| far).map(|b| (Field::ButtonColour, b)),
    }];
    let button = design.colour(Field::ButtonColour);
    if let Some(page) = page {
        let on_page = button.contrast(page);
        out.push(Measure {
            key: "button_on_page",
            what: "Button on the page",
            words: ratio(on_page, SHAPE_LEAST),
            weak: on_page < SHAPE_LEAST,
            take: nearest(Field::ButtonColour, button, page, SHAPE_LEAST),
        });
    }
    for (key, what, words, ground) in PAIRS {
        let (own, under) = (design.colour(words), design.colour(ground));
        let is = own.contrast(under);
        out.push(Measure {
            key,
            what,
            words: ratio(is, TEXT_LEAST),
            weak: is < TEXT_LEAST,
            take: nearest(words, own, under, TEXT_LEAST),
        });
    }
    out
}

/// The colour to take, where the one that is there does not suffice.
fn nearest(field: Field, own: Rgb, under: Rgb, least: f64) -> Option<(Field, Rgb)> {
    let near = own.nearest_readable(under, least)?;
    (near != own).then_some((field, near))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::Layer;

    fn of(values: &[(Field, &str)], brand: Option<Rgb>, page: Option<Rgb>) -> Vec<Measure> {
        let layer: Layer = values.iter().map(|(f, v)| (*f, v.to_string())).collect();
        let design = Design::of_layer(&layer);
        measures(&design, brand, page)
    }

    fn one<'a>(all: &'a [Measure], key: &str) -> &'a Measure {
        all.iter().find(|m| m.key == key).unwrap()
    }

    #[test]
    fn numbers_say_both_wishes() {
        let grey = Rgb(0x77, 0x77, 0x77);
        let all = of(
            &[(Field::ButtonColour, "#777777")],
            Some(grey),
            Some(Rgb(255, 255, 255)),
        );
        assert!(one(&all, "to_brand").words.starts_with("0.0, the same"));
        // WCAG's own borderline: #777777 on white is 4.48 to 1, just under 4.5.
        let text = one(&all, "text_on_button");
        assert!(text.weak && text.words.starts_with("4.5 to 1, too weak"));
        assert!(!one(&all, "button_on_page").weak);
    }

    #[test]
    fn what_is_weak_has_a_colour_to_take_that_is_not() {
        let weak = [
            (Field::ButtonColour, "#ffe680"),
            (Field::HeaderColour, "#ffe680"),
            (Field::AnswerWords, "#bbbbbb"),
        ];
        let white = Rgb(255, 255, 255);
        for m in of(&weak, Some(Rgb(0x1f, 0x5f, 0x7a)), Some(white)) {
            assert_eq!(m.weak, m.take.is_some(), "{m:?}");
            let Some((field, colour)) = m.take else {
                continue;
            };
            let mut mended: Vec<(Field, String)> =
                weak.iter().map(|(f, v)| (*f, v.to_string())).collect();
            mended.retain(|(f, _)| *f != field);
            mended.push((field, colour.hex()));
            let mended: Vec<(Field, &str)> = mended.iter().map(|(f, v)| (*f, v.as_str())).collect();
            let again = of(&mended, Some(Rgb(0x1f, 0x5f, 0x7a)), Some(white));
            assert!(!one(&again, m.key).weak, "{m:?}");
        }
    }
}
