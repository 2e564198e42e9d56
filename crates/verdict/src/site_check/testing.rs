//! One page of a site with one widget, for the tests of what is compared with the expectation.

use super::{SiteCase, SitePage, WidgetVisits, subjects};
use crate::visits::{CheckVisits, own_language};
use newtfern_model::expectation::Expectation;
use newtfern_model::pages::{FoundBy, PageCopy, PageKind};
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::profiles::Profiles;
use newtfern_model::region::Region;
use newtfern_standards::observation::{DeliveredPage, Observation};

/// Returns the report of `told` on a page that was visited like this. The file's fields of the site
/// stand before `---`, those of the widget after it.
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
    let language = own_language(&expectation.languages, expectation.widgets.first());
    let page = SitePage {
        copy: PageCopy {
            url: expectation.url().unwrap(),
            found: FoundBy::Given,
            page: DeliveredPage::default(),
        },
        kind: PageKind::Home,
        template: "/".into(),
        visited: vec![WidgetVisits {
            visits: CheckVisits::of(visits, language),
            ..WidgetVisits::default()
        }],
    };
    let words = SampleWords::read("cy: Enw eich cwmni").unwrap();
    told(&SiteCase {
        expectation: &expectation,
        subjects: &subjects,
        rivals: &[],
        consent: None,
        region: &Region::strictest_of_all(),
        sample_words: &words,
        states: &[],
        at: "2026-11-26T10:00:00Z".parse().unwrap(),
        pages: &[page],
        gaps: &[],
        closed: &[],
    })
}
