//! What only a talk shows of a widget's looks: the visitor's own bubbles, and parts that come with
//! the talk.

use super::{bubbles, parts};
use crate::report::Report;
use newtfern_model::design::Design;
use newtfern_model::finding::{Finding, Severity};
use newtfern_standards::observation::{BubbleSeen, PartSeen, Speaker};
use serde::{Deserialize, Serialize};

/// Looks of a widget after the answers of a test.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct TalkLooks {
    /// Bubbles of each side that has said something, where the profile says where.
    pub bubbles: Vec<BubbleSeen>,
    /// Parts that the profile names.
    pub parts: Vec<PartSeen>,
}

/// Returns the differences from the design; every check tells of the agent's bubbles, so not here.
pub fn judge(design: &Design, looks: &TalkLooks) -> Vec<Finding> {
    let own = looks.bubbles.iter().filter(|b| b.by == Speaker::Visitor);
    let own: Vec<BubbleSeen> = own.cloned().collect();
    let mut out = Report::default();
    if !own.is_empty() {
        bubbles::judge(design, &own, &mut out);
    }
    parts::judge(design, &looks.parts, parts::Stage::Talking, &mut out);
    let warned = out.findings.into_iter().map(|f| Finding {
        // A message that got through is not stopped by its colour.
        severity: Severity::Warning,
        ..f
    });
    warned.collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::wished;
    use newtfern_model::code::Code;
    use newtfern_model::design::Field;
    use newtfern_standards::observation::Part;

    #[test]
    fn a_talk_tells_of_the_visitors_bubbles_and_of_what_comes_with_it() {
        let design = wished(&[
            (Field::OwnBubble, "#2f6b4f"),
            (Field::AnswerBubble, "#2f6b4f"),
            (Field::Files, "yes"),
        ]);
        let bubble = |by| BubbleSeen {
            by,
            ground: "rgb(200, 40, 40)".into(),
            words: "rgb(255, 255, 255)".into(),
        };
        let looks = TalkLooks {
            bubbles: vec![bubble(Speaker::Agent), bubble(Speaker::Visitor)],
            parts: vec![PartSeen {
                part: Part::Files,
                shown: Some(false),
            }],
        };
        let found = judge(&design, &looks);
        let codes: Vec<Code> = found.iter().map(|f| f.code).collect();
        assert_eq!(codes, [Code::BrandBubbleColour, Code::BrandPart]);
        assert!(
            found[0]
                .summary
                .contains("visitor\u{2019}s bubble is #c82828"),
            "{}",
            found[0].summary
        );
        assert!(found.iter().all(|f| f.severity == Severity::Warning));
        assert!(judge(&design, &TalkLooks::default()).is_empty());
    }
}
