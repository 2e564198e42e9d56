//! What is said in the talk: the ground of each side's bubbles and the words on it, beside the
//! design.

use super::COLOUR_TOLERANCE;
use crate::brand::values::{finding, gap, value};
use crate::report::{ComparedValue, Report, sides};
use newtfern_model::code::Code;
use newtfern_model::design::{Design, Field};
use newtfern_model::finding::Severity;
use newtfern_standards::colour::{Rgb, difference_in_words};
use newtfern_standards::observation::{BubbleSeen, Speaker};

/// A colour of one side's bubbles: where the design has it, where the look has it, and its name.
struct Place {
    field: Field,
    by: Speaker,
    read: fn(&BubbleSeen) -> &str,
    words: &'static str,
}

const PLACES: [Place; 4] = [
    Place {
        field: Field::OwnBubble,
        by: Speaker::Visitor,
        read: |b| &b.ground,
        words: "visitor\u{2019}s bubble",
    },
    Place {
        field: Field::OwnWords,
        by: Speaker::Visitor,
        read: |b| &b.words,
        words: "text in the visitor\u{2019}s bubble",
    },
    Place {
        field: Field::AnswerBubble,
        by: Speaker::Agent,
        read: |b| &b.ground,
        words: "agent\u{2019}s bubble",
    },
    Place {
        field: Field::AnswerWords,
        by: Speaker::Agent,
        read: |b| &b.words,
        words: "text in the agent\u{2019}s bubble",
    },
];

/// Returns the fields of a design that are seen at bubbles.
pub(super) fn fields() -> impl Iterator<Item = (Field, &'static str)> {
    PLACES.into_iter().map(|p| (p.field, p.words))
}

/// Compares what stands in the open panel; a side that has said nothing has no bubble to look at.
pub(super) fn judge(design: &Design, seen: &[BubbleSeen], out: &mut Report<Vec<ComparedValue>>) {
    for place in PLACES {
        let Some(wanted) = design.designed(place.field) else {
            continue;
        };
        let Some(bubble) = seen.iter().find(|b| b.by == place.by) else {
            let why = match place.by {
                Speaker::Visitor => {
                    "nobody has written in the panel that was looked at (a test chat compares \
                    it), or the supplier\u{2019}s profile does not say where"
                }
                Speaker::Agent => {
                    "no bubble stood in the panel, or the supplier\u{2019}s profile does not say \
                    where"
                }
            };
            gap(out, place.words, why);
            continue;
        };
        let (Ok(seen), Ok(meant)) = (Rgb::parse((place.read)(bubble)), Rgb::parse(wanted)) else {
            gap(
                out,
                place.words,
                "it has no colour of its own that can be read",
            );
            continue;
        };
        let difference = seen.difference(meant);
        let same = difference <= COLOUR_TOLERANCE;
        value(out, place.field, wanted, Some(seen.hex()), same);
        if !same {
            let summary = format!(
                "The {} is {} and should be {}: {} (CIEDE2000 {difference:.1}).",
                place.words,
                seen.hex(),
                meant.hex(),
                difference_in_words(difference)
            );
            let found = finding(
                Code::BrandBubbleColour,
                Severity::Fault,
                summary,
                "the colours of the chat",
            );
            out.findings
                .push(found.with_all(sides(wanted, (place.read)(bubble))));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::wished;

    fn told(wish: &[(Field, &str)], bubbles: Vec<BubbleSeen>) -> Report<Vec<ComparedValue>> {
        let mut out = Report::default();
        judge(&wished(wish), &bubbles, &mut out);
        out
    }

    fn answer(ground: &str) -> Vec<BubbleSeen> {
        vec![BubbleSeen {
            by: Speaker::Agent,
            ground: ground.into(),
            words: "rgb(34, 34, 34)".into(),
        }]
    }

    #[test]
    fn a_bubble_of_another_colour_is_told_with_both_and_what_eyes_cannot_tell_is_not() {
        let wish = [(Field::AnswerBubble, "#e9ede9")];
        let same = told(&wish, answer("rgb(233, 237, 234)"));
        assert!(same.findings.is_empty() && same.what[0].same);
        let other = told(&wish, answer("rgb(238, 200, 120)"));
        let found = &other.findings[0];
        assert_eq!(found.code, Code::BrandBubbleColour);
        assert!(
            found.summary.contains("#eec878 and should be #e9ede9"),
            "{}",
            found.summary
        );
        assert_eq!(found.evidence.len(), 2);
        assert!(found.remedy.contains("the colours of the chat"));
    }

    #[test]
    fn what_nobody_designed_or_nobody_said_is_not_told_as_wrong() {
        assert!(told(&[], answer("red")).what.is_empty());
        let own = told(&[(Field::OwnBubble, "#2f6b4f")], answer("red"));
        assert!(own.findings.is_empty() && own.what.is_empty());
        assert!(own.gaps[0].why.contains("nobody has written"));
        // A bubble without a ground of its own shows what is behind it.
        let clear = told(
            &[(Field::AnswerBubble, "#e9ede9")],
            answer("rgba(0, 0, 0, 0)"),
        );
        assert!(clear.findings.is_empty() && clear.gaps.len() == 1);
    }
}
