use super::*;

fn all_passing() -> [Stood<'static>; 10] {
    Family::ALL.map(|family| Stood {
        family,
        standing: Standing::Passing,
        summary: "",
        remedy: "",
    })
}

fn at<'a>(standings: &'a mut [Stood<'static>; 10], family: Family) -> &'a mut Stood<'static> {
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
    *at(&mut s, Family::Place) = Stood {
        family: Family::Place,
        standing: Standing::Failing,
        summary: "It is there twice.",
        remedy: "Remove one of the two.",
    };
    let next = next_action(&s).unwrap();
    assert_eq!(next.act, "Remove one of the two.");
    assert_eq!(next.why, "It is there twice.");
    at(&mut s, Family::Place).remedy = "";
    assert!(next_action(&s).unwrap().act.contains("broken link"));
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
    *at(&mut s, Family::HandOver) = Stood {
        family: Family::HandOver,
        standing: Standing::Undecided,
        summary: "The client has not confirmed yet.",
        remedy: "Send the client the link.",
    };
    assert_eq!(next_action(&s).unwrap().act, "Send the client the link.");
    assert_eq!(Family::HandOver.job_for(Standing::Undecided), None);
}

#[test]
fn a_page_that_cannot_be_had_is_a_matter_of_loading_not_of_placing() {
    let mut s = all_passing();
    at(&mut s, Family::Place).standing = Standing::Undecided;
    let load = at(&mut s, Family::Load);
    load.standing = Standing::Failing;
    load.remedy = "Have the site's error mended.";
    assert_eq!(
        next_action(&s).unwrap().act,
        "Have the site's error mended."
    );
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

/// A widget that never starts is the chain's fault: consent is not failing for it a second time, and not
/// passing either.
#[test]
fn a_widget_that_never_starts_leaves_consent_undecided() {
    use crate::code::Code;
    let text = include_str!("../../tests/recorded/absent.json");
    let record: serde_json::Value = serde_json::from_str(text).unwrap();
    let visits: Vec<crate::observation::Observation> =
        serde_json::from_value(record["visits"].clone()).unwrap();
    let supplier =
        crate::profile::Supplier::from_toml(include_str!("../../tests/recorded/brindle.toml"));
    let region = crate::consent::Region::strictest_of_all();
    let assessed = super::consent::assess(
        &supplier.unwrap(),
        &region,
        &visits,
        &crate::consent::notice::follow(&[]),
    );
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
    *at(&mut s, Family::Weigh) = Stood {
        family: Family::Weigh,
        standing: a.standing,
        summary: "",
        remedy: "Verify in the browser why the widget does not start.",
    };
    assert_eq!(next_action(&s).unwrap().act, a.remedy);
}
