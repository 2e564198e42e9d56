//! What is already on a site, as far as HTTP alone tells: pages with their kinds and templates,
//! platform, widgets with keys, consent manager, tag manager's set, languages, what keeps us out.
//! Each with what it was told by.

mod known;
mod marks;
mod widgets;

pub use known::{RecognisedProfile, TagSet};
pub use widgets::WidgetSeen;

use crate::expectation::{Expectation, Widget};
use crate::finding::NotChecked;
use crate::pages::{FoundBy, PageCopy, PageKind, ReadPage, languages, sorted};
use crate::profiles::{ProfileKind, Profiles};
use serde::{Deserialize, Serialize};
use url::Url;

/// Survey of what is on a site.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Survey {
    /// The address that was asked for.
    pub url: String,
    /// Address after redirects.
    pub final_url: String,
    /// The pages that were had, or could not be.
    pub pages: Vec<PageSeen>,
    /// The platform that fits best.
    pub platform: Option<RecognisedProfile>,
    /// Widgets, known ones first.
    pub widgets: Vec<WidgetSeen>,
    /// Consent manager that was recognised.
    pub consent: Option<RecognisedProfile>,
    /// Published sets of tag managers.
    pub tag_sets: Vec<TagSet>,
    /// BCP 47 tags, the home page's own first.
    pub languages: Vec<String>,
    /// Rules that keep programs, and so us, out.
    pub kept_out: Vec<AccessRule>,
    /// Parts that were not looked at, and why.
    pub not_looked_at: Vec<NotChecked>,
}

/// One page of a survey.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct PageSeen {
    /// Address of the page.
    pub url: String,
    /// Purpose of the page.
    pub kind: PageKind,
    /// Evidence for the kind.
    pub kind_by: String,
    /// Template that the page is made from.
    pub template: String,
    /// Way in which the page was found.
    pub found: FoundBy,
    /// Status of the answer; none where none came.
    pub status: Option<u16>,
    /// Language that the page says.
    pub language: Option<String>,
    /// Title of its document.
    pub title: String,
    /// Reason why the page could not be had.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lost: Option<String>,
}

/// Something that keeps programs out.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct AccessRule {
    /// Address or file that sets the rule.
    pub what: String,
    /// Reason, as a clause for people.
    pub why: String,
}

/// Material that was gathered by HTTP, to be read.
pub struct SurveyInput<'a> {
    /// The address that was asked for.
    pub url: &'a Url,
    /// Pages, the one asked for first.
    pub copies: &'a [PageCopy],
    /// Pages that are known and were not asked for.
    pub left: &'a [Url],
    /// Pages that `robots.txt` closes.
    pub closed: &'a [Url],
    /// Reason why nothing but the given page was looked at, where that is so.
    pub shut: Option<&'a str>,
    /// Messages of the site's own lists.
    pub told: &'a [(String, String)],
}

/// Pages that are not had are told by name up to here, then by number.
const MOST_TOLD: usize = 20;

/// Reads what was gathered.
pub fn read(gathered: &SurveyInput, profiles: &Profiles) -> Survey {
    let pages: Vec<ReadPage> = gathered.copies.iter().map(ReadPage::of).collect();
    let had: Vec<&ReadPage> = pages.iter().filter(|p| p.copy.is_had()).collect();
    let languages = languages(had.iter().copied());
    let first = gathered.copies.first();
    let platform = marks::platform(&had, &profiles.platforms);
    let consent = marks::consent(&had, &profiles.consents);
    let tag_sets = marks::tag_sets(&had, &profiles.platforms);
    let known_hosts = marks::known_hosts(profiles);
    // What the site's own consent manager holds back comes up once it is let go.
    let manager = consent.as_ref().and_then(|c| profiles.consent(&c.id).ok());
    Survey {
        url: gathered.url.to_string(),
        final_url: first.map_or_else(|| gathered.url.to_string(), |p| p.page.final_url.clone()),
        widgets: widgets::all(&had, &profiles.suppliers, manager, &known_hosts),
        pages: page_rows(&pages, &languages),
        platform,
        consent,
        tag_sets,
        languages,
        kept_out: kept_out(gathered),
        not_looked_at: not_looked_at(gathered),
    }
}

/// The inventory's rows of copies that were had another way.
pub fn pages_seen<'a>(copies: impl Iterator<Item = &'a PageCopy>) -> Vec<PageSeen> {
    let pages: Vec<ReadPage> = copies.map(ReadPage::of).collect();
    let languages = languages(pages.iter().filter(|p| p.copy.is_had()));
    page_rows(&pages, &languages)
}

fn page_rows(pages: &[ReadPage], languages: &[String]) -> Vec<PageSeen> {
    let rows = pages.iter().zip(sorted(pages, languages));
    rows.map(|(p, (kind, template))| PageSeen {
        url: p.copy.url.to_string(),
        kind: kind.kind,
        kind_by: kind.why,
        template,
        found: p.copy.found,
        status: p.copy.page.status,
        language: p.language(),
        title: p.title(),
        lost: (!p.copy.is_had()).then(|| p.copy.why_not()),
    })
    .collect()
}

fn kept_out(gathered: &SurveyInput) -> Vec<AccessRule> {
    let lost = gathered.copies.iter().filter(|c| !c.is_had());
    let mut out: Vec<AccessRule> = lost
        .map(|c| AccessRule {
            what: c.url.to_string(),
            why: c.why_not(),
        })
        .collect();
    out.extend(gathered.shut.map(|why| AccessRule {
        what: "the other pages".into(),
        why: format!("{why}, so only the given page was read"),
    }));
    for url in gathered.closed.iter().take(MOST_TOLD) {
        out.push(AccessRule {
            what: url.to_string(),
            why: "robots.txt asks programs to stay away".into(),
        });
    }
    if let Some(more) = gathered
        .closed
        .len()
        .checked_sub(MOST_TOLD)
        .filter(|n| *n > 0)
    {
        out.push(AccessRule {
            what: format!("{more} further pages"),
            why: "robots.txt asks programs to stay away".into(),
        });
    }
    out
}

fn not_looked_at(gathered: &SurveyInput) -> Vec<NotChecked> {
    let mut out = Vec::new();
    let left = gathered.left.len();
    if left > 0 {
        out.push(NotChecked {
            what: format!("{left} further pages of the site"),
            why: "the limit of pages or time was reached".into(),
        });
    }
    for (what, why) in gathered
        .told
        .iter()
        .filter(|(_, told)| told.starts_with("not read"))
    {
        out.push(NotChecked {
            what: what.clone(),
            why: why.clone(),
        });
    }
    out
}

/// Returns what of one profile is recognised on a page, in words, or what was searched for in vain.
pub fn recognised(kind: ProfileKind, text: &str, copy: &PageCopy) -> Vec<String> {
    let mut profiles = Profiles::default();
    if let Err(error) = profiles.add("the text", text) {
        return vec![error.to_string()];
    }
    let gathered = SurveyInput {
        url: &copy.url,
        copies: std::slice::from_ref(copy),
        left: &[],
        closed: &[],
        shut: None,
        told: &[],
    };
    let seen = read(&gathered, &profiles);
    let mut out: Vec<String> = Vec::new();
    let known = [&seen.platform, &seen.consent].into_iter().flatten();
    out.extend(known.flat_map(|k| k.evidence.iter().cloned()));
    for set in &seen.tag_sets {
        out.push(format!("the set {} ({})", set.set, set.evidence));
    }
    for widget in seen.widgets.iter().filter(|w| w.supplier.is_some()) {
        let key = widget
            .key
            .as_ref()
            .map_or("without a key".into(), |k| format!("with the key {k}"));
        let state = match widget.states.as_slice() {
            [] => String::new(),
            states => format!(" ({})", states.join("; ")),
        };
        out.push(format!(
            "its snippet {key}{state}: {}",
            widget.evidence.line()
        ));
    }
    if out.is_empty() {
        out.push(format!(
            "Nothing of this {} was recognised: {} bytes of HTML and {} headers were searched. \
            What scripts bring is not seen by HTTP.",
            kind.words(),
            copy.page.html.len(),
            copy.page.headers.len()
        ));
    }
    out
}

impl Survey {
    /// Returns the survey as an expectation: an existing site is taken on without typing. Widgets
    /// without a profile, and copies that do not run, are left out.
    pub fn expectation(&self) -> Expectation {
        let live = self.widgets.iter().filter(|w| w.runs > 0);
        let widgets = live.filter_map(|w| {
            Some(Widget::of(
                w.supplier.as_deref()?,
                w.key.as_deref().unwrap_or_default(),
            ))
        });
        Expectation {
            address: self.url.clone(),
            country: String::new(),
            languages: self.languages.clone(),
            time_zone: String::new(),
            consent_exception: None,
            consent: self
                .consent
                .as_ref()
                .map_or_else(|| "none".into(), |c| c.id.clone()),
            platform: self.platform.as_ref().map(|p| p.id.clone()),
            widgets: widgets.collect(),
        }
    }
}

#[cfg(test)]
mod tests;
