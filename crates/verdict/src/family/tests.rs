use super::*;
use newtfern_model::finding::Finding;

fn all_passing() -> [FamilyStanding<'static>; 10] {
    Family::ALL.map(|family| FamilyStanding {
        standing: Standing::Passing,
        ..FamilyStanding::not_yet(family)
    })
}

fn at<'a>(
    standings: &'a mut [FamilyStanding<'static>; 10],
    family: Family,
) -> &'a mut FamilyStanding<'static> {
    standings.iter_mut().find(|s| s.family == family).unwrap()
}

#[test]
fn the_next_action_follows_the_order_of_the_job_and_failures_come_first() {
    let mut s = all_passing();
    assert_eq!(next_action(&s), None);
    at(&mut s, Family::Echo).standing = Standing::NotYet;
    assert_eq!(next_action(&s).unwrap().family, Family::Echo);
    at(&mut s, Family::Consent).standing = Standing::Failing;
    assert_eq!(next_action(&s).unwrap().family, Family::Consent);
    *at(&mut s, Family::Place) = FamilyStanding {
        standing: Standing::Failing,
        summary: "It is there twice.",
        remedy: "Remove one of the two.",
        ..FamilyStanding::not_yet(Family::Place)
    };
    let next = next_action(&s).unwrap();
    assert_eq!(next.act, "Remove one of the two.");
    assert_eq!(next.why, "It is there twice.");
    at(&mut s, Family::Place).remedy = "";
    assert!(next_action(&s).unwrap().act.contains("broken link"));
}

/// A remedy names what is there at one site; sites with the same cause need the same all the same.
#[test]
fn sites_with_one_cause_have_one_key_whatever_their_remedies_say() {
    let mut s = all_passing();
    let mut failing = |remedy, code| {
        *at(&mut s, Family::Load) = FamilyStanding {
            standing: Standing::Failing,
            remedy,
            code,
            ..FamilyStanding::not_yet(Family::Load)
        };
        next_action(&s).unwrap()
    };
    let one = failing("Allow https://osier.example.", "allowed.policy");
    let other = failing("Allow https://weir.example.", "allowed.policy");
    assert_ne!(one.act, other.act);
    assert_eq!(
        (one.cause.as_str(), one.cause == other.cause),
        ("allowed.policy", true)
    );
    // Without a remedy the action is the family's own, whatever was found.
    let own = failing("", "allowed.policy");
    assert_eq!(own.cause, own.act);
}

#[test]
fn a_snippet_that_a_survey_saw_need_not_be_placed() {
    let standings = |seen| {
        Family::ALL.map(|family| FamilyStanding {
            standing: match family {
                Family::Design => Standing::Passing,
                _ => Standing::NotYet,
            },
            seen: seen && family == Family::Place,
            ..FamilyStanding::not_yet(family)
        })
    };
    let next = next_action(&standings(false)).unwrap();
    assert_eq!(next.act, "Place the snippet, then verify.");
    let next = next_action(&standings(true)).unwrap();
    assert_eq!(
        (next.family, next.act.as_str()),
        (Family::Place, "Verify in the browser.")
    );
    assert_eq!(next.why, "A survey saw the snippet in the page.");
}

#[test]
fn a_site_nobody_looked_at_begins_with_its_first_step() {
    assert_eq!(next_action(&[]).unwrap().family, Family::Design);
}

#[test]
fn a_sheet_that_is_made_is_not_to_be_made_again() {
    let mut s = all_passing();
    at(&mut s, Family::HandOver).standing = Standing::NotYet;
    assert_eq!(next_action(&s).unwrap().act, "Make the handover sheet.");
    *at(&mut s, Family::HandOver) = FamilyStanding {
        standing: Standing::Undecided,
        summary: "The client has not confirmed yet.",
        remedy: "Send the link to the client.",
        ..FamilyStanding::not_yet(Family::HandOver)
    };
    assert_eq!(next_action(&s).unwrap().act, "Send the link to the client.");
    assert_eq!(Family::HandOver.job_for(Standing::Undecided), None);
}

#[test]
fn a_page_that_cannot_be_had_is_a_matter_of_loading_not_of_placing() {
    let mut s = all_passing();
    at(&mut s, Family::Place).standing = Standing::Undecided;
    let load = at(&mut s, Family::Load);
    load.standing = Standing::Failing;
    load.remedy = "Have the site's error fixed.";
    assert_eq!(next_action(&s).unwrap().act, "Have the site's error fixed.");
}

#[test]
fn every_standing_that_asks_for_something_names_an_act() {
    for family in Family::ALL {
        for standing in &Standing::ALL[..4] {
            let mut s = all_passing();
            at(&mut s, family).standing = *standing;
            let next = next_action(&s);
            let next = next.unwrap_or_else(|| panic!("{family:?} {standing:?} asks for nothing"));
            assert_eq!(next.family, family);
            assert!(next.act.ends_with('.') && !next.why.is_empty(), "{next:?}");
        }
    }
}

#[test]
fn keys_are_read_back_and_a_sites_state_is_its_worst() {
    for family in Family::ALL {
        assert_eq!(Family::from_key(family.key()), Some(family));
    }
    for standing in Standing::ALL {
        assert_eq!(Standing::from_key(standing.key()), Some(standing));
    }
    assert_eq!(
        worst([Standing::Passing, Standing::Failing, Standing::Stale]),
        Standing::Failing
    );
    assert_eq!(worst([]), Standing::NotYet);
}

/// A widget that never starts is the chain's fault: consent is not failing for it a second time,
/// and not passing either.
#[test]
fn a_widget_that_never_starts_leaves_consent_undecided() {
    use newtfern_model::code::Code;
    let text = include_str!("../../tests/recorded/absent.json");
    let record: serde_json::Value = serde_json::from_str(text).unwrap();
    let visits: Vec<newtfern_standards::observation::Observation> =
        serde_json::from_value(record["visits"].clone()).unwrap();
    let profile = include_str!("../../tests/recorded/brindle.toml");
    let profile = profile.replacen("brindle", "example", 1);
    let assessed = crate::site_check::testing::judged("", &profile, visits, |case| {
        let widget = case.widgets().next().unwrap();
        super::consent::assess(&widget, &widget.privacy_page())
    });
    assert_eq!(assessed.standing, Standing::Undecided);
    assert_eq!(assessed.findings[0].code, Code::ConsentNeverStarts);
    assert!(
        assessed.summary.contains("is not known"),
        "{}",
        assessed.summary
    );
}

/// An earlier "under budget" must not stand where the widget does not even start any more.
#[test]
fn a_widget_that_never_started_is_undecided_and_says_what_to_do() {
    let none = crate::weigh::WeighError::NeverStarted { loads: 12 };
    let a = weigh::unweighed(&none);
    assert_eq!(a.standing, Standing::Undecided);
    assert!(
        a.summary.contains("never started in 12 loads"),
        "{}",
        a.summary
    );
    let mut s = all_passing();
    *at(&mut s, Family::Weigh) = FamilyStanding {
        standing: a.standing,
        summary: "",
        remedy: "Verify in the browser why the widget does not start.",
        ..FamilyStanding::not_yet(Family::Weigh)
    };
    assert_eq!(next_action(&s).unwrap().act, a.remedy);
}

/// One limit for one thing: an icon that the form accepts is not refused when it is seen, nor the
/// other way round.
#[test]
fn form_design_and_page_judge_an_icon_by_the_same_limit() {
    use crate::brand::{compare, judge};
    use newtfern_model::code::Code;
    use newtfern_model::design::{Design, Field, Layer, measures};
    use newtfern_standards::observation::{Launcher, Observation, Rect};
    // WCAG 2.2's formula: #949494 on white is 3.03 to 1, #959595 is 2.99.
    for (button, is_enough) in [("#949494", true), ("#959595", false)] {
        let values = [
            (Field::ButtonColour, button),
            (Field::IconColour, "#ffffff"),
        ];
        let layer: Layer = values.map(|(f, v)| (f, v.to_string())).into();
        let design = Design::of_layer(&layer);
        let form = measures(&design, None, None);
        let weak = form.iter().any(|m| m.key == "icon_on_button" && m.weak);
        assert_eq!(!weak, is_enough, "the form, {button}");
        let judged = super::design::assess(&design, Default::default(), true);
        let contrast = |f: &&Finding| f.code == Code::BrandContrast && f.summary.contains("icon");
        let fault = judged.findings.iter().find(contrast);
        assert_eq!(fault.is_none(), is_enough, "the design, {button}");
        let seen = Observation {
            launcher: Some(Launcher {
                present: true,
                rect: Rect {
                    x: 1200.0,
                    y: 720.0,
                    width: 60.0,
                    height: 60.0,
                },
                colour: "#ffffff".into(),
                ..Launcher::default()
            }),
            launcher_colour: Some(button.into()),
            ..Observation::default()
        };
        let compared = compare(&seen, &design, None).expect("a launcher is there");
        let found = judge(&seen, &compared);
        let contrast = found.iter().find(|f| f.code == Code::BrandContrast);
        assert_eq!(contrast.is_none(), is_enough, "the page, {button}");
    }
}

#[test]
fn each_family_has_its_own_entry_in_the_order_of_the_job() {
    for family in Family::ALL {
        assert_eq!(family.entry().family, family);
        assert_eq!(Family::from_key(family.key()), Some(family));
        let json = serde_json::to_string(&family).unwrap();
        assert_eq!(json, format!("\"{}\"", family.key()));
    }
}
