//! From what should be and what was seen to a site's standings, family by family.

use crate::chain::Diagnosis;
use crate::family::{EarlierLook, Family, FamilyResult, brand, consent, load, place, watch};
use crate::site_check::{SiteCase, chains};
use newtfern_model::code::Code;
use newtfern_model::finding::Severity;
use newtfern_model::pages::Expect;
use newtfern_standards::colour::Rgb;
use std::collections::BTreeSet;

/// Raised when rules change so that stored visits may be judged differently.
pub const RULES_VERSION: i32 = 2;

/// Everything one check settles.
pub struct Assessment {
    /// Diagnosis of the chain.
    pub diagnosis: Diagnosis,
    /// Each family that a check speaks of.
    pub families: Vec<FamilyResult>,
}

impl Assessment {
    /// Codes of faults and worse, for comparing with another visit.
    pub fn codes(&self) -> BTreeSet<Code> {
        let all = self.families.iter().flat_map(|a| &a.findings);
        let wrong = all.filter(|f| f.severity >= Severity::Fault);
        wrong.map(|f| f.code).collect()
    }
}

/// Judges one check of a site's own address for its first widget. `brand` is the colour that the
/// client is known by, `earlier` the look that this one is compared with, if there was one.
pub fn check(case: &SiteCase, brand: Option<Rgb>, earlier: Option<&EarlierLook>) -> Assessment {
    let told = chains(case);
    let widget = case.widgets().next();
    let chain = widget.as_ref().map_or(&[][..], |w| w.chain());
    let mut families = vec![
        place::assess(&told.diagnosis),
        load::assess(&told.diagnosis, chain),
    ];
    let expected = told.pages.first().map(|p| p.expected);
    // What has no business on this page has no looks and no signals to judge here.
    families.extend(match widget.filter(|_| expected == Some(Expect::Present)) {
        Some(widget) => {
            let privacy_page = widget.privacy_page();
            [
                consent::assess(&widget, &privacy_page),
                brand::assess(&widget, brand, privacy_page),
            ]
        }
        None => [Family::Consent, Family::Brand].map(FamilyResult::kept_off),
    });
    let mut judged = Assessment {
        diagnosis: told.diagnosis,
        families,
    };
    let watched = watch::assess(earlier, &judged.codes());
    judged.families.push(watched);
    judged
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::Outcome;
    use crate::chain::testing::{launcher, on_phone, page, with};
    use crate::family::Standing;
    use crate::testing::SAMPLE;
    use newtfern_standards::observation::Observation;

    /// Expectation as the application asks it: with a design that says where the launcher is and
    /// which colour it has.
    const FILE: &str = "key = 'abcd-1234'\n[widget.design]\nlauncher_colour = '#2f6b4f'\n\
        corner = 'bottom-right'\noffset_side_px = 20\noffset_bottom_px = 20";

    fn judged(visits: &[Observation]) -> Assessment {
        let file = FILE.to_string();
        crate::site_check::testing::judged(&file, SAMPLE, visits.to_vec(), |case| {
            check(case, None, None)
        })
    }

    fn standings(j: &Assessment) -> Vec<(Family, Standing)> {
        j.families.iter().map(|a| (a.family, a.standing)).collect()
    }

    #[test]
    fn a_page_that_cannot_be_had_settles_only_what_it_can() {
        let j = judged(&[with(page(""), |o| o.page.status = Some(500))]);
        assert_eq!(j.diagnosis.verdict.root(), Some(Code::DeliveredStatus));
        let wanted = [
            (Family::Place, Standing::Undecided),
            (Family::Load, Standing::Failing),
            (Family::Consent, Standing::Undecided),
            (Family::Brand, Standing::Undecided),
            (Family::Watch, Standing::NotYet),
        ];
        assert_eq!(standings(&j), wanted);
    }

    #[test]
    fn what_is_hidden_for_everybody_is_not_told_of_those_who_zoom() {
        use newtfern_standards::observation::Manner;
        let hidden = || launcher(|l| l.hidden_by = Some("display: none on #chat".into()));
        let zoomed = || with(hidden(), |o| o.condition.manner = Manner::Zoomed);
        let told = |visits: &[Observation]| {
            let judged = judged(visits);
            let load = judged.families.iter().find(|a| a.family == Family::Load);
            let findings = &load.unwrap().findings;
            let zoom = findings.iter().any(|f| f.code == Code::UsableZoom);
            (judged.diagnosis.verdict.outcome(), zoom)
        };
        assert_eq!(
            told(&[launcher(|_| {}), zoomed()]),
            (Outcome::Working, true)
        );
        assert_eq!(told(&[hidden(), zoomed()]), (Outcome::Broken, false));
    }

    #[test]
    fn the_phones_looks_are_judged_beside_the_desktops() {
        let desktop = launcher(|l| l.background = "#2f6b4f".into());
        let off = with(
            on_phone(launcher(|l| l.background = "#d98c2b".into())),
            |o| {
                o.launcher.as_mut().unwrap().rect.x = 310.0;
            },
        );
        let brand = |j: Assessment| {
            j.families
                .into_iter()
                .find(|a| a.family == Family::Brand)
                .unwrap()
        };
        let good = brand(judged(std::slice::from_ref(&desktop)));
        assert_eq!(good.standing, Standing::Passing, "{:?}", good.findings);
        let both = brand(judged(&[desktop, off]));
        assert_eq!(both.standing, Standing::Failing);
        assert_eq!(both.findings[0].code, Code::BrandLauncherColour);
        assert!(
            both.findings[0]
                .evidence
                .iter()
                .any(|e| e.line() == "on a phone")
        );
    }
}
