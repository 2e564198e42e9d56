//! `shown.route-lost`: gone after a change of route. Known only where the visit went on watching
//! after the launcher came.

use crate::chain::answer::Answer;
use crate::chain::evidence::picture;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::Look;

/// A change of route just before the launcher came belongs to its coming.
const SLACK_MS: f64 = 50.0;

/// Judges whether the launcher went away with a change of route.
pub fn judge(c: &Facts) -> Answer {
    let Some(came_ms) = c.seen.looks.launcher.seen_ms() else {
        return Answer::Holds;
    };
    if c.launcher_visible {
        return match c.seen.looks.stays {
            Look::NotLooked { why } => Answer::cannot_tell("whether the launcher stays", why),
            _ => Answer::Holds,
        };
    }
    let mut routes = c.seen.navigations.iter().filter(|n| n.same_document);
    let Some(changed) = routes.find(|n| n.at_ms + SLACK_MS >= came_ms) else {
        return Answer::Holds;
    };
    Finding::broken(
        Code::ShownRouteLost,
        "The widget was there and went away when the page changed its route.",
        "Place the snippet outside the part of the page that the router replaces, or start the \
        widget again after each route.",
    )
    .with(Evidence::fact(format!(
        "seen after {:.1} s, route changed to {} after {:.1} s",
        came_ms / 1000.0,
        changed.url,
        changed.at_ms / 1000.0
    )))
    .with_all(picture(c))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{healthy, root, told, undecided, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Look, Navigation, NotCheckedReason, Observation};

    fn routed(at_ms: f64) -> Observation {
        with(healthy(), |o| {
            o.navigations.push(Navigation {
                url: "https://kites.example/shop".into(),
                at_ms,
                same_document: true,
            });
        })
    }

    fn gone(o: Observation) -> Observation {
        with(o, |o| o.launcher.as_mut().unwrap().present = false)
    }

    #[test]
    fn gone_after_a_route_is_told_with_both_times() {
        let found = told(gone(routed(1500.0)));
        assert_eq!(found.code, Code::ShownRouteLost);
        assert!(found.evidence[0].line().contains("seen after 0.9 s"));
        assert!(found.evidence[0].line().contains("/shop after 1.5 s"));
    }

    #[test]
    fn a_route_before_it_came_and_one_that_it_survives_are_no_loss() {
        assert_eq!(root(gone(routed(100.0))), Some(Code::ShownAbsent));
        assert_eq!(root(routed(1500.0)), None);
        // Within the slack before it came.
        assert_eq!(root(gone(routed(870.0))), Some(Code::ShownRouteLost));
    }

    #[test]
    fn without_watching_on_nothing_is_known() {
        let cut = with(healthy(), |o| {
            o.looks.stays = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        });
        undecided(cut, "the visit ran out of time");
    }
}
