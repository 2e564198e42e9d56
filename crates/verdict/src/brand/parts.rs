//! Parts of the open panel that a design shows or hides: logo, supplier mark, rating, transcript,
//! files.

use crate::brand::values::{finding, gap, value};
use crate::report::{ComparedValue, Report, sides};
use newtfern_model::code::Code;
use newtfern_model::design::{Design, Field, HIDDEN};
use newtfern_model::finding::Severity;
use newtfern_standards::observation::{Part, PartSeen};

/// Stage from which on a part can be expected to show.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stage {
    /// The panel is open, and nobody has written.
    Opened,
    /// A talk is going on.
    Talking,
    /// The conversation has ended.
    Ended,
}

/// A part, where the design has it, its name, its words, and from when on it shows.
struct Place {
    part: Part,
    field: Field,
    words: &'static str,
    from: Stage,
}

const PLACES: [Place; 5] = [
    Place {
        part: Part::Logo,
        field: Field::Logo,
        words: "logo",
        from: Stage::Opened,
    },
    Place {
        part: Part::SupplierMark,
        field: Field::SupplierMark,
        words: "supplier\u{2019}s mark",
        from: Stage::Opened,
    },
    Place {
        part: Part::Rating,
        field: Field::Rating,
        words: "rating of the chat",
        from: Stage::Ended,
    },
    Place {
        part: Part::Transcript,
        field: Field::Transcript,
        words: "transcript by mail",
        from: Stage::Talking,
    },
    Place {
        part: Part::Files,
        field: Field::Files,
        words: "place for files",
        from: Stage::Talking,
    },
];

/// Returns the fields of a design that are seen at parts.
pub(super) fn fields() -> impl Iterator<Item = (Field, &'static str)> {
    PLACES.into_iter().map(|p| (p.field, p.words))
}

/// Compares what the panel shows at a stage, beyond what the stage before it told. What comes later
/// is not missing.
pub(super) fn judge(
    design: &Design,
    seen: &[PartSeen],
    stage: Stage,
    out: &mut Report<Vec<ComparedValue>>,
) {
    let told_before = |p: &Place| stage > Stage::Opened && p.from < stage;
    for place in PLACES.into_iter().filter(|p| !told_before(p)) {
        let Some(wanted) = design.designed(place.field) else {
            continue;
        };
        let meant = wanted != HIDDEN && wanted != "no";
        let seen = seen.iter().find(|p| p.part == place.part);
        let shown = match seen.map(|p| p.shown) {
            None => {
                gap(
                    out,
                    place.words,
                    "the supplier\u{2019}s profile does not say where it is",
                );
                continue;
            }
            Some(None) => {
                gap(out, place.words, "a frame of the panel gave no answer");
                continue;
            }
            Some(Some(shown)) => shown,
        };
        if meant && !shown && place.from > stage {
            gap(
                out,
                place.words,
                "it may come with the chat or after it, and this look ended before",
            );
            continue;
        }
        let word = if shown { "shown" } else { HIDDEN };
        value(out, place.field, wanted, Some(word.into()), shown == meant);
        if shown != meant {
            let summary = match shown {
                true => format!("The {} shows, and the design is without it.", place.words),
                false => format!("The {} does not show, and the design has it.", place.words),
            };
            let found = finding(
                Code::BrandPart,
                Severity::Warning,
                summary,
                "what the panel shows",
            );
            out.findings.push(found.with_all(sides(wanted, word)));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::wished;

    fn told(
        field: Field,
        wanted: &str,
        seen: &[(Part, Option<bool>)],
    ) -> Report<Vec<ComparedValue>> {
        at(Stage::Opened, field, wanted, seen)
    }

    fn at(
        stage: Stage,
        field: Field,
        wanted: &str,
        seen: &[(Part, Option<bool>)],
    ) -> Report<Vec<ComparedValue>> {
        let design = wished(&[(field, wanted)]);
        let parts = seen.iter().map(|(part, shown)| PartSeen {
            part: *part,
            shown: *shown,
        });
        let parts: Vec<PartSeen> = parts.collect();
        let mut out = Report::default();
        judge(&design, &parts, stage, &mut out);
        out
    }

    #[test]
    fn a_mark_that_should_be_hidden_is_told_and_one_that_is_hidden_is_right() {
        let shown = told(
            Field::SupplierMark,
            HIDDEN,
            &[(Part::SupplierMark, Some(true))],
        );
        let found = &shown.findings[0];
        assert_eq!(
            (found.code, found.severity),
            (Code::BrandPart, Severity::Warning)
        );
        assert!(
            found.summary.contains("supplier\u{2019}s mark shows"),
            "{}",
            found.summary
        );
        assert!(found.remedy.contains("what the panel shows"));
        let hidden = told(
            Field::SupplierMark,
            HIDDEN,
            &[(Part::SupplierMark, Some(false))],
        );
        assert!(hidden.findings.is_empty() && hidden.what[0].same);
        let logo = told(Field::Logo, "shown", &[(Part::Logo, Some(false))]);
        assert!(logo.findings[0].summary.contains("does not show"));
    }

    #[test]
    fn what_comes_with_the_talk_is_not_missing_before_it() {
        let before = told(Field::Files, "yes", &[(Part::Files, Some(false))]);
        assert!(before.findings.is_empty() && before.gaps[0].why.contains("with the chat"));
        let talking = |shown| {
            at(
                Stage::Talking,
                Field::Files,
                "yes",
                &[(Part::Files, Some(shown))],
            )
        };
        assert!(talking(false).findings[0].summary.contains("does not show"));
        assert!(talking(true).findings.is_empty());
        // A rating is asked for at the end, and the logo was told of before.
        let rating = at(
            Stage::Talking,
            Field::Rating,
            "yes",
            &[(Part::Rating, Some(false))],
        );
        assert!(rating.findings.is_empty());
        let logo = at(
            Stage::Talking,
            Field::Logo,
            "shown",
            &[(Part::Logo, Some(false))],
        );
        assert!(logo.findings.is_empty() && logo.gaps.is_empty());
        // One that is there already, and is not wanted, is wrong at once.
        let layer = told(Field::Rating, "no", &[(Part::Rating, Some(true))]);
        assert_eq!(layer.findings[0].code, Code::BrandPart);
    }

    #[test]
    fn what_was_not_looked_at_is_not_told() {
        for seen in [&[][..], &[(Part::Logo, None)]] {
            let none = told(Field::Logo, "shown", seen);
            assert!(none.findings.is_empty() && none.what.is_empty());
            assert_eq!(none.gaps.len(), 1);
        }
    }
}
