//! A site, what should be on it and what was seen.

use crate::report::{ComparedValue, Report};
use crate::visits::CheckVisits;
use jiff::Timestamp;
use newtfern_model::expectation::{ConsentException, Expectation, Widget};
use newtfern_model::finding::NotChecked;
use newtfern_model::pages::{PageCopy, PageKind, PageRules};
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::profiles::{Profiles, ProfilesError};
use newtfern_model::region::Region;
use newtfern_standards::observation::{Aside, ConsentAct, Observation};
use serde::{Deserialize, Serialize};
use url::Url;

/// One widget that is looked for.
#[derive(Debug, Clone)]
pub struct Subject<'a> {
    /// Supplier whose widget is judged.
    pub supplier: &'a Supplier,
    /// The right key; none where any is.
    pub key: Option<&'a str>,
    /// Rules that say where it must and must not be.
    pub rules: PageRules,
}

/// The widgets of an expectation; of a site that should have none each known one, which should be
/// nowhere.
///
/// # Errors
/// [`ProfilesError::Unknown`], where no profile has the name that the expectation gives;
/// [`ProfilesError::Channel`], where a channel's target means nothing at its supplier.
pub fn subjects<'a>(
    expectation: &'a Expectation,
    profiles: &'a Profiles,
) -> Result<Vec<Subject<'a>>, ProfilesError> {
    if expectation.widgets.is_empty() {
        let nowhere = PageRules {
            on: Vec::new(),
            not_on: Vec::new(),
        };
        let none = profiles.suppliers.iter().map(|supplier| Subject {
            supplier,
            key: None,
            rules: nowhere.clone(),
        });
        return Ok(none.collect());
    }
    let wanted = expectation.widgets.iter().map(|w| {
        let supplier = profiles.supplier(&w.supplier)?;
        let unclear = w
            .channels
            .iter()
            .find_map(|c| c.at(&supplier.channels.addresses).err());
        if let Some(why) = unclear {
            let supplier = supplier.id.clone();
            return Err(ProfilesError::Channel { supplier, why });
        }
        Ok(Subject {
            supplier,
            key: w.wanted_key(),
            rules: w.rules(),
        })
    });
    wanted.collect()
}

/// Known suppliers whose widget nobody wants on the site; none where any is unexpected already.
pub fn rivals(expectation: &Expectation, profiles: &Profiles) -> Vec<Supplier> {
    if expectation.widgets.is_empty() {
        return Vec::new();
    }
    let wanted = |s: &&Supplier| expectation.widgets.iter().any(|w| w.supplier == s.id);
    let others = profiles.suppliers.iter().filter(|s| !wanted(s));
    others.cloned().collect()
}

/// Visits of one page, for one widget.
#[derive(Debug, Default, Serialize, Deserialize)]
pub struct WidgetVisits {
    /// Index of the widget among the subjects.
    pub subject: usize,
    /// Visits made for the widget.
    pub visits: CheckVisits,
    /// Copies had without a browser.
    pub asides: Vec<Aside>,
}

/// One page with all that was seen of it.
#[derive(Debug, Serialize, Deserialize)]
pub struct SitePage {
    /// Copy of the page that was had by HTTP.
    pub copy: PageCopy,
    /// Purpose of the page.
    pub kind: PageKind,
    /// Template that the page is made from.
    pub template: String,
    /// Visits of a browser; empty where none went there.
    pub visited: Vec<WidgetVisits>,
}

impl SitePage {
    /// The address given of a site of which nothing else was looked at.
    pub fn given_alone(url: &Url, visited: WidgetVisits) -> SitePage {
        SitePage {
            copy: PageCopy::by_browser(url, visited.visits.all().first()),
            kind: PageKind::Home,
            template: String::new(),
            visited: vec![visited],
        }
    }
}

/// A site, what should be on it and what was seen.
pub struct SiteCase<'a> {
    /// Expectation of the site.
    pub expectation: &'a Expectation,
    /// The widgets that are looked for.
    pub subjects: &'a [Subject<'a>],
    /// Suppliers whose widget nobody wants.
    pub rivals: &'a [Supplier],
    /// The site's consent manager.
    pub consent: Option<&'a ConsentManager>,
    /// The rules of the region that its visitors are in.
    pub region: &'a Region,
    /// Sample words beyond those that are built in.
    pub sample_words: &'a SampleWords,
    /// Consent states that were asked for.
    pub states: &'a [ConsentAct],
    /// The instant that hours are judged by.
    pub at: Timestamp,
    /// Pages of the site, the one given first.
    pub pages: &'a [SitePage],
    /// Gaps that the time or the network left.
    pub gaps: &'a [NotChecked],
    /// Pages that `robots.txt` closes to programs.
    pub closed: &'a [Url],
}

impl SiteCase<'_> {
    /// Returns its widgets on the address given, each with what was seen for it.
    pub fn widgets(&self) -> impl Iterator<Item = WidgetCase<'_>> {
        let widgets = self.expectation.widgets.iter().zip(self.subjects);
        widgets
            .enumerate()
            .map(|(n, (widget, subject))| WidgetCase {
                supplier: subject.supplier,
                widget,
                consent_exception: self.expectation.consent_exception.as_ref(),
                seen: self.given_for(n),
                region: self.region,
                sample_words: self.sample_words,
            })
    }

    fn given_for(&self, subject: usize) -> Option<&WidgetVisits> {
        let mut given = self.pages.first().into_iter().flat_map(|p| &p.visited);
        given.find(|v| v.subject == subject)
    }
}

/// All that is told of several widgets.
pub(super) fn of_all<'a>(
    case: &'a SiteCase,
    told: impl Fn(&WidgetCase<'a>) -> Report<Vec<ComparedValue>>,
) -> Report<Vec<ComparedValue>> {
    let mut out: Report<Vec<ComparedValue>> = Report::default();
    for one in case.widgets().map(|w| told(&w)) {
        out.add(one);
    }
    out
}

/// Time and zone in which hours are judged.
#[derive(Debug, Clone, Copy)]
pub struct Clock<'a> {
    /// IANA; empty where nobody gave it.
    pub time_zone: &'a str,
    /// Instant of the check.
    pub at: Timestamp,
}

/// Expectation of one widget, with all that was seen for it.
#[derive(Clone, Copy)]
pub struct WidgetCase<'a> {
    /// Supplier whose widget is judged.
    pub supplier: &'a Supplier,
    /// Expectation of the widget.
    pub widget: &'a Widget,
    /// Exception to the consent rules that the client agreed to.
    pub consent_exception: Option<&'a ConsentException>,
    /// Visits of a browser for it; none where none went there.
    seen: Option<&'a WidgetVisits>,
    /// The rules of the region that its visitors are in.
    pub region: &'a Region,
    /// Sample words beyond those that are built in.
    pub sample_words: &'a SampleWords,
}

impl<'a> WidgetCase<'a> {
    /// Visits that tell of the chain.
    pub fn chain(&self) -> &'a [Observation] {
        self.seen.map_or(&[], |v| v.visits.chain())
    }

    /// Visits of the usual manner, in every language and consent state.
    pub fn usual(&self) -> &'a [Observation] {
        self.seen.map_or(&[], |v| v.visits.usual())
    }

    /// Visits in other manners.
    pub(super) fn in_other_manners(&self) -> &'a [Observation] {
        self.seen.map_or(&[], |v| v.visits.in_other_manners())
    }

    /// Copies beside the visits.
    pub(super) fn asides(&self) -> &'a [Aside] {
        self.seen.map_or(&[], |v| &v.asides)
    }
}
