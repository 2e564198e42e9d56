//! One page of a site with one widget, for the tests of what is compared with the expectation.

use super::{SiteCase, SitePage, WidgetVisits, subjects};
use crate::expectation::Expectation;
use crate::observation::{DeliveredPage, Observation};
use crate::pages::{FoundBy, PageCopy, PageKind};
use crate::profiles::Profiles;
use std::collections::BTreeMap;

/// What `told` tells of a page that was visited like this. The file's fields of the site stand before `---`,
/// those of the widget after it.
pub fn judged<T>(
    file: &str,
    profile: &str,
    visits: Vec<Observation>,
    told: impl Fn(&SiteCase) -> T,
) -> T {
    let mut profiles = Profiles::default();
    profiles.add("a.toml", profile).unwrap();
    let (site, widget) = file.split_once("---").unwrap_or(("", file));
    let file = format!(
        "address = 'https://kites.example/'\n{site}[[widget]]\nsupplier = 'example'\n{widget}"
    );
    let expectation = Expectation::read(&file).unwrap();
    let subjects = subjects(&expectation, &profiles).unwrap();
    let page = SitePage {
        copy: PageCopy {
            url: expectation.url().unwrap(),
            found: FoundBy::Given,
            page: DeliveredPage::default(),
        },
        kind: PageKind::Home,
        template: "/".into(),
        visited: vec![WidgetVisits {
            visits,
            ..WidgetVisits::default()
        }],
    };
    let words = BTreeMap::from([("cy".to_string(), vec!["Enw eich cwmni".to_string()])]);
    told(&SiteCase {
        expectation: &expectation,
        subjects: &subjects,
        rivals: &[],
        consent: None,
        regions: &[],
        sample_words: &words,
        states: &[],
        at: "2026-11-26T10:00:00Z".parse().unwrap(),
        pages: &[page],
        gaps: &[],
    })
}
