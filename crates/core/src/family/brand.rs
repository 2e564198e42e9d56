//! Brand: does the widget look as designed, on a desktop and on a phone?

use super::{Assessed, Family, Standing, Stood, Words, by_findings, first_remedy};
use crate::brand::{Compared, compare, details, judge, phone};
use crate::chain::NotLookedAt;
use crate::colour::Rgb;
use crate::design::Design;
use crate::finding::{Evidence, Finding};
use crate::job::JobKind;
use crate::observation::{ConsentAct, FixedElement, Observation, Rect, Viewport};
use crate::site_check::{Told, ValueTold};
use serde::{Deserialize, Serialize};

pub(super) const WORDS: Words = Words {
    key: "brand",
    label: "Brand",
    question: "Does the widget look as designed?",
    drawing: "Seen beside designed",
    job: Some(JobKind::Check),
};

/// What was compared on one viewport.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Looks {
    /// On which screen.
    pub viewport: Viewport,
    /// Seen and designed.
    pub compared: Compared,
    /// Blob key of the opened panel.
    pub panel: Option<String>,
    /// Where it stood; none in what was judged before it was kept.
    #[serde(default)]
    pub place: Option<Place>,
}

/// The page with the launcher, for drawing what was measured on its picture.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Place {
    /// Blob key of the page's picture.
    pub picture: String,
    /// Width and height that it shows, CSS px.
    pub view: (f64, f64),
    /// The launcher's box.
    pub launcher: Rect,
    /// What else stays in place, with how much of the launcher it shares.
    pub others: Vec<(FixedElement, f64)>,
}

impl Place {
    fn of(seen: &Observation) -> Option<Place> {
        let launcher = seen.launcher.as_ref()?.rect;
        let view = seen.view();
        let shared = |f: &FixedElement| f.rect.overlap(&launcher) / launcher.area().max(1.0);
        Some(Place {
            picture: seen.picture.clone()?,
            view: (view.width, view.height),
            launcher,
            others: seen.fixed.iter().map(|f| (f.clone(), shared(f))).collect(),
        })
    }
}

/// How far a widget is from its design, for putting the odd ones first.
#[derive(Debug, Clone, PartialEq)]
pub struct Distance {
    /// 0: as designed. CIEDE2000 of the worst colour, with what else differs brought to the same scale.
    pub value: f64,
    /// What it comes from, the worst first.
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

/// What the drawing and the section are made from.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// One for each screen.
    pub looks: Vec<Looks>,
    /// Texts, form and channels: wanted and seen.
    #[serde(default)]
    pub values: Vec<ValueTold>,
    /// What could not be compared, and why.
    #[serde(default)]
    pub gaps: Vec<NotLookedAt>,
}

/// The visit of a viewport on which the widget is up, with consent where that was given.
fn best(visits: &[Observation], viewport: Viewport) -> Option<&Observation> {
    let shown = |v: &&Observation| {
        let visible = |l: &crate::observation::Launcher| l.present && l.hidden_by.is_none();
        v.condition.viewport == viewport && v.launcher.as_ref().is_some_and(visible)
    };
    let shown = visits.iter().filter(shown);
    shown.max_by_key(|v| v.condition.consent == ConsentAct::Granted)
}

/// Judges the looks on both viewports, with what was told of texts, form and channels.
pub fn assess(
    design: &Design,
    brand: Option<Rgb>,
    visits: &[Observation],
    mut told: Told<Vec<ValueTold>>,
) -> Assessed {
    let mut looks = Vec::new();
    let mut findings: Vec<Finding> = Vec::new();
    for viewport in [Viewport::Desktop, Viewport::Phone] {
        let seen = best(visits, viewport);
        let Some((seen, compared)) = seen.and_then(|v| Some((v, compare(v, design, brand)?)))
        else {
            continue;
        };
        for f in judge(seen, &compared) {
            let same = findings.iter_mut().find(|known| known.code == f.code);
            let place = Evidence::fact(format!("on a {}", viewport.word()));
            match same {
                Some(known) => known.evidence.push(place),
                None => findings.push(f.with(place)),
            }
        }
        if viewport == Viewport::Desktop {
            told.add(details::judge(design, seen));
        }
        looks.push(Looks {
            viewport,
            compared,
            panel: seen.panel_picture.clone(),
            place: Place::of(seen),
        });
    }
    let compared = looks.iter().find(|l| l.viewport == Viewport::Phone);
    let on_phone = best(visits, Viewport::Phone).zip(compared.map(|l| &l.compared));
    told.add(phone::judge(design, on_phone));
    findings.extend(told.findings);
    findings.sort_by_key(|f| std::cmp::Reverse(f.severity));
    let (standing, summary) = if looks.is_empty() {
        let nothing = "No launcher was seen, so its looks are unknown.";
        (Standing::Undecided, nothing.to_string())
    } else {
        by_findings(&findings, "The widget looks as designed.")
    };
    Assessed {
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

pub(super) fn act(stood: &Stood) -> Option<String> {
    match stood.standing {
        Standing::Passing | Standing::NotApplicable => None,
        Standing::Failing if !stood.remedy.is_empty() => Some(stood.remedy.into()),
        Standing::Failing => Some("Bring the widget's looks to the design.".into()),
        _ => Some("Verify in the browser.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::launcher;
    use crate::design::{Design, Field, Layer};

    fn detail(background: &str, corner: &str) -> Detail {
        let layer = Layer::from([(Field::Corner, corner.to_string())]);
        let design = Design::of_layer(&layer);
        let seen = launcher(|l| l.background = background.into());
        let told = assess(&design, None, &[seen], Told::default());
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
