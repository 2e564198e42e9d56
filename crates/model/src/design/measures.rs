//! The numbers beside the colours of a design: two wishes that pull against each other (to look
//! like the brand, and to stand out from the page), and whether words can be read.

use super::{Design, Field};
use newtfern_standards::colour::{Needs, Rgb, difference_in_words};
use serde::Serialize;

/// Farther from the brand's colour, people see another colour at once (common practice).
pub const FAR: f64 = 10.0;

/// One measured number of a design.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Measure {
    /// Short name of the measure.
    pub key: &'static str,
    /// Name of the measure, for people.
    pub what: &'static str,
    /// The number with its verdict, for people.
    pub words: String,
    /// Whether the number is too low.
    pub weak: bool,
    /// The colour to be changed, and the nearest one of its hue that suffices.
    pub take: Option<(Field, Rgb)>,
}

/// Two colours of a design that must be told apart.
pub struct Pair {
    /// Short name of the pair.
    pub key: &'static str,
    /// Name of what stands in front, for people.
    pub what: &'static str,
    /// Field with the colour in front.
    pub own: Field,
    /// The colour under it.
    pub ground: Field,
    /// Kind of content, which decides the contrast it needs.
    pub needs: Needs,
}

const fn pair(
    key: &'static str,
    what: &'static str,
    own: Field,
    ground: Field,
    needs: Needs,
) -> Pair {
    Pair {
        key,
        what,
        own,
        ground,
        needs,
    }
}

/// Every pair whose contrast is measured.
#[rustfmt::skip]
pub const PAIRS: [Pair; 5] = [
    pair("icon_on_button", "Icon on the \
                            button", Field::IconColour, Field::ButtonColour, Needs::Control),
    pair("text_on_header", "Text in the \
                            header", Field::HeaderText, Field::HeaderColour, Needs::Words),
    pair("own_words", "Text in the visitor\u{2019}s \
                       bubbles", Field::OwnWords, Field::OwnBubble, Needs::Words),
    pair("answer_words", "Text in the agent\u{2019}s \
                          bubbles", Field::AnswerWords, Field::AnswerBubble, Needs::Words),
    pair("ground_words", "Text on the panel", Field::GroundWords, Field::Ground, Needs::Words),
];

/// Contrast of two colours of a design (WCAG 2.2), 1 to 21.
pub fn contrast(design: &Design, one: Field, other: Field) -> f64 {
    design.colour(one).contrast(design.colour(other))
}

/// CIEDE2000 from the button to the brand's primary colour.
pub fn to_brand(design: &Design, brand: Option<Rgb>) -> Option<f64> {
    brand.map(|b| design.colour(Field::ButtonColour).difference(b))
}

fn ratio(ratio: f64, needs: Needs) -> String {
    let least = needs.least();
    let word = match needs {
        _ if ratio < least => "too low",
        Needs::Words => "readable",
        Needs::Control => "good",
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
        what: "Button and brand colour",
        words: words.unwrap_or_else(|| "the client has no brand colour yet".into()),
        weak: far,
        take: brand.filter(|_| far).map(|b| (Field::ButtonColour, b)),
    }];
    let button = design.colour(Field::ButtonColour);
    if let Some(page) = page {
        let on_page = button.contrast(page);
        out.push(Measure {
            key: "button_on_page",
            what: "Button against the page",
            words: ratio(on_page, Needs::Control),
            weak: on_page < Needs::Control.least(),
            take: nearest(Field::ButtonColour, button, page, Needs::Control),
        });
    }
    for pair in &PAIRS {
        let (own, under) = (design.colour(pair.own), design.colour(pair.ground));
        let is = own.contrast(under);
        out.push(Measure {
            key: pair.key,
            what: pair.what,
            words: ratio(is, pair.needs),
            weak: is < pair.needs.least(),
            take: nearest(pair.own, own, under, pair.needs),
        });
    }
    out
}

/// The colour to take, where the one that is there does not suffice.
fn nearest(field: Field, own: Rgb, under: Rgb, needs: Needs) -> Option<(Field, Rgb)> {
    let near = own.nearest_readable(under, needs.least())?;
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
            &[
                (Field::ButtonColour, "#777777"),
                (Field::HeaderColour, "#777777"),
            ],
            Some(grey),
            Some(Rgb(255, 255, 255)),
        );
        assert!(one(&all, "to_brand").words.starts_with("0.0, the same"));
        // WCAG's own borderline: #777777 on white is 4.48 to 1, just under 4.5.
        let text = one(&all, "text_on_header");
        assert!(text.weak && text.words.starts_with("4.5 to 1, too low"));
        // An icon is no text: 3 to 1 is enough (SC 1.4.11), for the form as for what is seen on the
        // page.
        let icon = one(&all, "icon_on_button");
        assert!(!icon.weak && icon.words.starts_with("4.5 to 1, good (3"));
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
