//! Why a check makes the visits that it makes: the same choices as the visits themselves, in words.

use super::languages_of;
use newtfern_model::expectation::Widget;
use newtfern_model::profile::ConsentManager;
use newtfern_standards::observation::{ConsentAct, Viewport};
use serde::Serialize;

/// Visits of a check that are made for one reason.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Reason {
    /// Number of visits.
    pub visits: usize,
    /// Purpose of the visits.
    pub what: String,
    /// Reason why they are made.
    pub why: String,
}

/// Consent states beyond those of the chain that can be visited by what the manager's profile says.
/// Global Privacy Control needs no manager: it is visited too where it alone refuses.
pub fn states_of(consent: Option<&ConsentManager>, gpc_alone_refuses: bool) -> Vec<ConsentAct> {
    let all = [ConsentAct::Refused, ConsentAct::Withdrawn, ConsentAct::Gpc];
    let known = |act: &ConsentAct| {
        consent.is_some_and(|m| m.knows(*act)) || (*act == ConsentAct::Gpc && gpc_alone_refuses)
    };
    all.into_iter().filter(known).collect()
}

/// The visits of a check of one address, each with its reason.
pub fn reasons(
    widget: &Widget,
    of_site: &[String],
    consent: Option<&ConsentManager>,
    gpc_alone_refuses: bool,
) -> Vec<Reason> {
    let mut out = Vec::new();
    let mut add = |visits: usize, what: String, why: String| {
        out.push(Reason { visits, what, why });
    };
    let both = Viewport::ALL.len();
    let phones = match widget.viewports.len() == both {
        true => "the widget shows on desktops and phones".to_string(),
        false => "the widget should be absent on one of them, which is checked too".to_string(),
    };
    add(
        both,
        "a desktop and a phone, without a consent choice".into(),
        phones,
    );
    if let Some(manager) = consent {
        let name = &manager.name;
        add(
            both,
            "both again, with consent granted".into(),
            format!("the site has the consent manager {name}: the widget must start once it may"),
        );
    }
    for act in states_of(consent, gpc_alone_refuses) {
        let why = match act {
            ConsentAct::Refused => "nothing of the widget may run after a refusal",
            ConsentAct::Withdrawn => "what consent allowed must stop when it is withdrawn",
            _ => "a browser that asks for privacy counts as a refusal where the region says so",
        };
        add(1, format!("a desktop, with {}", act.words()), why.into());
    }
    for language in languages_of(of_site, Some(widget)).iter().skip(1) {
        add(
            1,
            format!("a desktop in {language}"),
            "visitors of this language must have the widget too, and its texts".into(),
        );
    }
    add(
        1,
        "a desktop at 200 % zoom, with less motion asked for".into(),
        "launcher and panel must fit there, and keep still".into(),
    );
    add(
        1,
        "a desktop for the second time, then along a link".into(),
        "the widget must be there for visitors who come again, and stay when the page changes its \
        route"
            .into(),
    );
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::consent;
    use newtfern_model::expectation::TextSet;

    fn what(reasons: &[Reason]) -> Vec<&str> {
        reasons.iter().map(|r| r.what.as_str()).collect()
    }

    #[test]
    fn each_visit_has_a_reason_from_the_expectation() {
        let mut widget = Widget::of("example", "k");
        let plain = reasons(&widget, &[], None, false);
        let always = [
            "a desktop at 200 % zoom, with less motion asked for",
            "a desktop for the second time, then along a link",
        ];
        assert_eq!(
            what(&plain)[0],
            "a desktop and a phone, without a consent choice"
        );
        assert_eq!(what(&plain)[1..], always);
        let gpc = reasons(&widget, &[], None, true);
        assert_eq!(what(&gpc)[1], "a desktop, with Global Privacy Control");
        for language in ["en", "cy"] {
            widget.texts.insert(language.into(), TextSet::default());
        }
        let languages = ["en".to_string(), "cy".to_string()];
        let manager = consent();
        let all = reasons(&widget, &languages, manager.as_ref(), true);
        assert_eq!(all[1].what, "both again, with consent granted");
        assert!(what(&all).contains(&"a desktop in cy"));
        assert!(all.iter().all(|r| !r.why.is_empty()));
    }
}
