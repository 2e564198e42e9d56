//! Brand: does the widget look as designed, on a desktop and on a phone?

use super::{Assessed, Family, Standing, Stood, Words, by_findings, first_remedy};
use crate::brand::{Compared, compare, judge};
use crate::colour::Rgb;
use crate::design::Design;
use crate::finding::{Evidence, Finding};
use crate::job::JobKind;
use crate::observation::{ConsentAct, Observation, Viewport};
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
}

/// What the drawing and the section are made from.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Detail {
    /// One for each screen.
    pub looks: Vec<Looks>,
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

/// Judges both viewports.
pub fn assess(design: &Design, brand: Option<Rgb>, visits: &[Observation]) -> Assessed {
    let mut looks = Vec::new();
    let mut findings: Vec<Finding> = Vec::new();
    for viewport in [Viewport::Desktop, Viewport::Phone] {
        let seen = best(visits, viewport);
        let Some((seen, compared)) = seen.and_then(|v| Some((v, compare(v, design, brand)?)))
        else {
            continue;
        };
        for f in judge(seen, design, &compared) {
            let same = findings.iter_mut().find(|known| known.code == f.code);
            let place = Evidence::fact(format!("on a {}", viewport.word()));
            match same {
                Some(known) => known.evidence.push(place),
                None => findings.push(f.with(place)),
            }
        }
        looks.push(Looks {
            viewport,
            compared,
            panel: seen.panel_picture.clone(),
        });
    }
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
        detail: Some(super::Detail::Brand(Detail { looks })),
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
