//! Brand: does the widget look as designed, on a desktop and on a phone?

use super::entry::{
    A_LOOK, Elsewhere, Entry, FamilyResult, FamilyStanding, by_findings, first_remedy,
};
use super::kind::{Family, Standing};
use crate::consent::notice::PrivacyPage;
use crate::family::detail::brand::{Detail, Looks, Place};
use crate::inputs::input::Input;
use crate::site_check::WidgetCase;
use newtfern_model::finding::{Finding, Severity};
use newtfern_model::job::JobKind;
use newtfern_standards::colour::Rgb;
use newtfern_standards::observation::Viewport;

pub(super) const ENTRY: Entry = Entry {
    family: Family::Brand,
    question: "Does the widget look as designed?",
    drawing: "Seen and designed",
    job: Some(JobKind::Check),
    reads: &[
        A_LOOK,
        &[
            Input::Design,
            Input::Texts,
            Input::SampleWords,
            Input::Start,
            Input::Form,
            Input::Console,
        ],
    ],
    act,
};

/// Distance of a widget from its design, for putting the odd ones first.
#[derive(Debug, Clone, PartialEq)]
pub struct Distance {
    /// 0: as designed. CIEDE2000 of the worst colour, with what else differs brought to the same
    /// scale.
    pub value: f64,
    /// Parts of the distance, the worst first.
    pub why: Vec<String>,
}

/// A corner that is wrong is seen at once, as a wholly other colour is.
const CORNER: f64 = 40.0;
/// A text, form or channel that differs weighs like a colour that is clearly another.
const VALUE: f64 = 15.0;

/// The distance of what was seen from the design; nothing where no launcher was seen.
pub fn distance(detail: &Detail) -> Option<Distance> {
    let mut parts: Vec<(f64, String)> = Vec::new();
    for look in &detail.looks {
        let (c, on) = (&look.compared, look.viewport.word());
        for (what, pair) in [("launcher", c.launcher), ("header", c.header)] {
            if let Some(p) = pair {
                parts.push((p.difference, format!("{what} colour on the {on}")));
            }
        }
        if !c.expected_corner.is_empty() && c.corner != c.expected_corner {
            parts.push((CORNER, format!("corner on the {on}")));
        } else if look.viewport == Viewport::Desktop && !c.expected_corner.is_empty() {
            let off = (c.offset_x - c.expected_x).hypot(c.offset_y - c.expected_y);
            parts.push((off / 4.0, format!("offsets on the {on}")));
        }
    }
    parts.first()?;
    for value in detail.values.iter().filter(|v| !v.same) {
        parts.push((VALUE, value.words()));
    }
    parts.sort_by(|a, b| b.0.total_cmp(&a.0));
    // Below this nobody sees it.
    let seen = parts.iter().filter(|(d, _)| *d >= 2.0);
    Some(Distance {
        value: parts.first().map_or(0.0, |p| p.0),
        why: seen.map(|(_, why)| why.clone()).collect(),
    })
}

/// Judges looks, texts, form, channels and notice; `brand` is the colour that the client is known
/// by.
pub fn assess(case: &WidgetCase, brand: Option<Rgb>, privacy_page: PrivacyPage) -> FamilyResult {
    let design = case.widget.design.resolved();
    let seen = case.screens(&design, brand).into_iter();
    let looks: Vec<Looks> = seen
        .map(|(visit, compared)| Looks {
            viewport: visit.condition.viewport,
            compared,
            panel: visit.panel_picture.clone(),
            place: Place::of(visit),
        })
        .collect();
    let mut told = case.form();
    told.add(case.texts());
    told.add(case.details());
    let colours = case.looks();
    let undecided = told.undecided.take().or(colours.undecided);
    let compared = told.what.len() + colours.what.len();
    told.gaps
        .extend(colours.gaps.into_iter().chain(privacy_page.gap));
    let findings = colours.findings.into_iter().chain(told.findings);
    let mut findings: Vec<Finding> = findings.chain(privacy_page.broken).collect();
    findings.sort_by_key(|f| std::cmp::Reverse(f.severity));
    let wrong = findings.iter().any(|f| f.severity >= Severity::Fault);
    let (standing, summary) = if looks.is_empty() {
        let nothing = "No launcher was found, so nothing can be compared with the design.";
        (Standing::Undecided, nothing.to_string())
    } else if let Some(why) = undecided.filter(|_| !wrong) {
        (Standing::Undecided, why)
    } else {
        by_findings(&findings, &matches(compared, told.gaps.len()))
    };
    FamilyResult {
        family: Family::Brand,
        standing,
        summary,
        remedy: first_remedy(&findings),
        findings,
        detail: Some(super::Detail::Brand(Detail {
            looks,
            values: told.what,
            gaps: told.gaps,
        })),
    }
}

/// Words for a widget that is as designed, as far as it was compared.
fn matches(compared: usize, open: usize) -> String {
    let words = match compared {
        0 => "Nothing of the design was compared".to_string(),
        1 => "The one value that was compared matches the design".to_string(),
        n => format!("All {n} values that were compared match the design"),
    };
    match open {
        0 => format!("{words}."),
        n => format!("{words}; {n} could not be compared."),
    }
}

fn act(stood: &FamilyStanding, _: Elsewhere) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::Remarks | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("Change the widget to match the design.".into()),
        _ => Some("Verify in the browser.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::launcher;
    use crate::site_check::testing::judged;
    use crate::testing::SAMPLE;

    fn detail(background: &str, corner: &str) -> Detail {
        let file = format!(
            "[widget.design]\nlauncher_colour = '#2f6b4f'\ncorner = '{corner}'\noffset_side_px = \
            20\noffset_bottom_px = 20"
        );
        let seen = launcher(|l| l.background = background.into());
        let told = judged(&file, SAMPLE, vec![seen], |case| {
            assess(
                &case.widgets().next().unwrap(),
                None,
                PrivacyPage::default(),
            )
        });
        match told.detail {
            Some(super::super::Detail::Brand(detail)) => detail,
            _ => panic!("no detail"),
        }
    }

    #[test]
    fn what_looks_odd_is_farther_than_what_nobody_sees() {
        let of = |background, corner| distance(&detail(background, corner)).unwrap();
        let same = of("#2f6b4f", "bottom-right");
        assert!(same.value < 1.0 && same.why.is_empty(), "{same:?}");
        let shade = of("#2f6b5f", "bottom-right");
        let other = of("#d98c2b", "bottom-right");
        assert!(same.value < shade.value && shade.value < other.value);
        assert_eq!(other.why, ["launcher colour on the desktop"]);
        let corner = of("#2f6b4f", "bottom-left");
        assert_eq!(corner.why, ["corner on the desktop"]);
        let none = Detail {
            looks: Vec::new(),
            values: Vec::new(),
            gaps: Vec::new(),
        };
        assert_eq!(distance(&none), None);
    }
}
