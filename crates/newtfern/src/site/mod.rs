//! A look at a whole site: the pages by HTTP, the visits that fit into the time, and what was kept
//! from being looked at. The command line and the workers look by it.

mod pictures;
mod tools;
pub mod widget;

pub use tools::SiteTools;

use anyhow::Result;
use newtfern_model::expectation::Expectation;
use newtfern_model::finding::NotChecked;
use newtfern_model::pages::{Expect, PageCopy, PageKind, ReadPage, languages, sample, sorted};
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_probe::crawl::{Crawl, CrawlOrder, crawl};
use newtfern_standards::observation::{ConsentAct, Observation, Viewport};
use newtfern_verdict::site_check::{SitePage, Subject, WidgetVisits};
use newtfern_verdict::visits::guarded;
use newtfern_verdict::visits::{CHECK_MS, CheckOrder, CheckVisits, PageChoice};
use std::time::{Duration, Instant};
use url::Url;
use widget::WidgetOrder;

/// Order of a look at a site.
pub struct SiteOrder<'a> {
    /// Expectation of the site.
    pub expectation: &'a Expectation,
    /// Address of the home page.
    pub url: &'a Url,
    /// The widgets that are looked for.
    pub subjects: &'a [Subject<'a>],
    /// A supplier to look for where no widget is wanted.
    pub known: Option<&'a Supplier>,
    /// The site's consent manager.
    pub consent: Option<&'a ConsentManager>,
    /// Consent states that the address given is visited in.
    pub states: &'a [ConsentAct],
    /// Whether to visit it in other manners too: enlarged, and for a second time.
    pub manners: bool,
    /// The link of the widget's notice is followed.
    pub notice: bool,
    /// Number of pages to look at, at most.
    pub pages: usize,
    /// The time for all of it.
    pub limit: Duration,
    /// Letters and digits that no cache has seen.
    pub stamp: &'a str,
}

/// Observations of a site.
pub struct SiteObservations {
    /// The one given first.
    pub pages: Vec<SitePage>,
    /// Parts that could not be looked at.
    pub gaps: Vec<NotChecked>,
    /// Pages that `robots.txt` closes.
    pub closed: Vec<Url>,
}

impl SiteObservations {
    /// Returns why our own network rule kept the visits away from the given page, if it did.
    pub fn refused(&self) -> Option<&str> {
        let mut given = self.pages.first()?.visited.iter();
        given.find_map(|v| guarded(v.visits.all()))
    }
}

/// Step of a look at a site.
#[derive(Debug, Clone, Copy)]
pub enum Step<'a> {
    /// So many pages were had by HTTP.
    Had(usize),
    /// A browser goes there; so many visits were made before, of so many.
    Visit(&'a Url, usize, usize),
}

impl std::fmt::Display for Step<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Step::Had(n) => write!(f, "{n} pages had by HTTP"),
            Step::Visit(url, ..) => write!(f, "visiting {url}"),
        }
    }
}

/// Looks at a site. `told` hears of each step.
///
/// # Errors
/// Where no browser can be had.
pub async fn look(
    ways: &SiteTools<'_>,
    order: &SiteOrder<'_>,
    told: impl Fn(Step),
) -> Result<SiteObservations> {
    let began = Instant::now();
    let until = began + order.limit;
    told(Step::Visit(order.url, 0, 1));
    let both = [Viewport::Desktop, Viewport::Phone];
    let given = visits(ways, order, order.url, &both, PageChoice::ByPerson).await?;
    let longest = began.elapsed();
    let (mut gaps, mut closed) = (Vec::new(), Vec::new());
    let copies = match order.pages > 1 {
        true => {
            let missed = (&mut gaps, &mut closed);
            copies(ways, order, until, &given, missed, &told).await
        }
        false => vec![delivered(order.url, &given)],
    };
    let mut pages = site_pages(order.expectation, copies);
    if let Some(first) = pages.first_mut() {
        first.visited = given;
    }
    visit_sample(ways, order, until, longest, &mut pages, &mut gaps, &told).await?;
    Ok(SiteObservations {
        pages,
        gaps,
        closed,
    })
}

/// Makes one page's visits, for each widget that is looked for.
async fn visits(
    ways: &SiteTools<'_>,
    order: &SiteOrder<'_>,
    url: &Url,
    viewports: &[Viewport],
    asked: PageChoice,
) -> Result<Vec<WidgetVisits>> {
    let none_wanted = order.expectation.widgets.is_empty();
    let wanted: Vec<&Supplier> = match none_wanted {
        // One visit tells of all known widgets, by its requests and documents.
        true => order.known.into_iter().collect(),
        false => order.subjects.iter().map(|s| s.supplier).collect(),
    };
    let mut out = Vec::new();
    for (subject, supplier) in wanted.into_iter().enumerate() {
        let widget = order.expectation.widgets.get(subject);
        // A page that we found is visited once: where the widget shows.
        let one = widget.and_then(|w| w.viewports.first()).copied();
        let one = [one.unwrap_or(Viewport::Desktop)];
        let by_person = asked == PageChoice::ByPerson;
        let rules = order.subjects.get(subject).map(|s| &s.rules);
        let wanted_here = rules.map(|r| r.expects(url, PageKind::Home)) == Some(Expect::Present);
        let order = WidgetOrder {
            check: CheckOrder {
                consent: order.consent,
                viewports: if by_person { viewports } else { &one },
                // Colours are measured on pictures.
                pictures: by_person && widget.is_some_and(|w| !w.design.is_empty()),
                asked,
                states: Some(order.states),
                ..CheckOrder::of(url, supplier, order.stamp)
            },
            widget,
            languages: &order.expectation.languages,
            states: order.states,
            further: by_person && !none_wanted && wanted_here,
            manners: order.manners,
            notice: order.notice,
        };
        let seen = widget::look(ways, &order).await?;
        out.push(WidgetVisits {
            subject,
            visits: CheckVisits::of(seen.visits, order.language()),
            asides: seen.asides,
        });
    }
    Ok(out)
}

/// The page as the browser got it, where no copy was asked for.
fn delivered(url: &Url, given: &[WidgetVisits]) -> PageCopy {
    PageCopy::by_browser(url, given.iter().flat_map(|v| v.visits.all()).next())
}

/// Copies of the site's pages; what keeps us from having them is told.
async fn copies(
    ways: &SiteTools<'_>,
    order: &SiteOrder<'_>,
    until: Instant,
    given: &[WidgetVisits],
    (gaps, closed): (&mut Vec<NotChecked>, &mut Vec<Url>),
    told: &impl Fn(Step),
) -> Vec<PageCopy> {
    let left = until.saturating_duration_since(Instant::now());
    let crawled = crawl(
        ways.crawler,
        &CrawlOrder {
            site: order.url,
            given: &[],
            most: order.pages,
            // The other half of the time is for visits.
            until: Instant::now() + left / 2,
        },
        |n| told(Step::Had(n)),
    )
    .await;
    gaps.extend(crawl_gaps(&crawled, order.pages));
    closed.extend_from_slice(&crawled.closed);
    let mut copies = crawled.pages;
    if let Some(first) = copies.first_mut().filter(|c| !c.is_had()) {
        let by_browser = delivered(order.url, given);
        gaps.push(NotChecked {
            what: "the other pages of the site".into(),
            why: format!(
                "the address could not be loaded by HTTP: {}",
                first.why_not()
            ),
        });
        if by_browser.is_had() {
            *first = by_browser;
        }
    }
    copies
}

/// Returns the parts that a look through a site could not reach.
fn crawl_gaps(crawled: &Crawl, pages: usize) -> Vec<NotChecked> {
    let mut out = Vec::new();
    if let Some(why) = &crawled.shut {
        out.push(NotChecked {
            what: "the other pages of the site".into(),
            why: why.clone(),
        });
    }
    // Fewer than were asked for although more are known: the time was over.
    let left = crawled.left.len();
    if left > 0 && crawled.pages.len() < pages {
        out.push(NotChecked {
            what: format!("{left} further pages that are known"),
            why: "the time was over".into(),
        });
    }
    let closed = crawled.closed.len();
    if closed > 0 {
        out.push(NotChecked {
            what: format!("{closed} further pages"),
            why: "robots.txt asks programs to stay away from them".into(),
        });
    }
    let unread = crawled
        .told
        .iter()
        .filter(|(_, told)| told.starts_with("not read"));
    out.extend(unread.map(|(what, why)| NotChecked {
        what: what.clone(),
        why: why.clone(),
    }));
    out
}

/// Kinds and templates of the copies.
fn site_pages(expectation: &Expectation, copies: Vec<PageCopy>) -> Vec<SitePage> {
    let read: Vec<ReadPage> = copies.iter().map(ReadPage::of).collect();
    let known = match expectation.languages.is_empty() {
        true => languages(read.iter()),
        false => expectation.languages.clone(),
    };
    let kinds = sorted(&read, &known);
    drop(read);
    let pages = copies.into_iter().zip(kinds);
    pages
        .map(|(copy, (kind, template))| SitePage {
            copy,
            kind: kind.kind,
            template,
            visited: Vec::new(),
        })
        .collect()
}

/// Visits as many of the further pages as the time allows, one of each template before a second of
/// any.
async fn visit_sample(
    ways: &SiteTools<'_>,
    order: &SiteOrder<'_>,
    until: Instant,
    mut longest: Duration,
    pages: &mut [SitePage],
    gaps: &mut Vec<NotChecked>,
    told: &impl Fn(Step),
) -> Result<()> {
    let sorts: Vec<_> = pages
        .iter()
        .map(|p| (p.template.as_str(), p.kind))
        .collect();
    let turns = sample::order(&sorts);
    let mut left_out = Vec::new();
    let of = turns.len();
    for (n, i) in turns.into_iter().filter(|i| *i > 0).enumerate() {
        let page = &mut pages[i];
        if !page.copy.is_had() {
            continue;
        }
        // A visit that is cut off tells nothing: none is begun that the last ones would not have
        // fitted in.
        let needed = longest.min(Duration::from_millis(CHECK_MS));
        if Instant::now() + needed > until {
            left_out.push(page.copy.url.to_string());
            continue;
        }
        told(Step::Visit(&page.copy.url, n + 1, of));
        let began = Instant::now();
        let url = page.copy.url.clone();
        page.visited = visits(ways, order, &url, &[Viewport::Desktop], PageChoice::Found).await?;
        longest = longest.max(began.elapsed());
    }
    gaps.extend(not_visited(&left_out, order.limit));
    Ok(())
}

/// Pages that are told by name.
const MOST_NAMED: usize = 20;

fn not_visited(left_out: &[String], limit: Duration) -> Vec<NotChecked> {
    let why = format!(
        "the time of {} s was over; its document was had by HTTP",
        limit.as_secs()
    );
    let named = left_out.iter().take(MOST_NAMED).map(|url| NotChecked {
        what: format!("{url} in a browser"),
        why: why.clone(),
    });
    let more = left_out.len().saturating_sub(MOST_NAMED);
    let more = (more > 0).then(|| NotChecked {
        what: format!("{more} further pages in a browser"),
        why: why.clone(),
    });
    named.chain(more).collect()
}

/// All visits of a look, in their order.
pub fn observations(pages: &[SitePage]) -> impl Iterator<Item = &Observation> {
    pages
        .iter()
        .flat_map(|p| &p.visited)
        .flat_map(|v| v.visits.all())
}
