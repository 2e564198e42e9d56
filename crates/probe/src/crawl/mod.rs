//! Looks through the pages of a site by HTTP alone: `robots.txt`, sitemaps, links. Politely: as
//! nobody asked for these pages, one request at a time, with a pause, under our own name, and never
//! where `robots.txt` asks programs to stay away.

mod copies;

pub use copies::copy_of;

use crate::http::{Http, HttpAnswer, MOST_BYTES};
use copies::{folder, read, same_site, unpacked};
use newtfern_heavy::heavy;
use newtfern_model::pages::inventory::{self, PageInventory};
use newtfern_model::pages::robots::{MOST_ROBOTS, TOKEN};
use newtfern_model::pages::sitemap::{self, MOST_SITEMAP, Sitemap};
use newtfern_model::pages::{FoundBy, PageCopy, Robots};
use newtfern_model::survey::SurveyInput;
use newtfern_standards::html::Document;
use newtfern_standards::observation::{FailureKind, NetFailure};
use std::collections::{HashMap, HashSet, VecDeque};
use std::time::{Duration, Instant};
use url::Url;

/// Files of sitemaps that are read of one site.
const MOST_SITEMAPS: usize = 50;
/// Addresses that are kept of one site.
const MOST_KNOWN: usize = 60_000;
/// Between two requests, where the site asks for no longer pause.
const PAUSE: Duration = Duration::from_millis(150);
/// Other hosts whose sitemaps are read of one site.
const MOST_HOSTS: usize = 5;
/// Addresses are compared with `robots.txt` for so long at a stretch.
const STRETCH: Duration = Duration::from_millis(50);
/// Time within which one page must arrive.
const PAGE: Duration = Duration::from_secs(20);

/// Returns the name that we call ourselves; `contact` is where a site's owner can complain.
pub fn agent(contact: &str) -> String {
    let version = env!("CARGO_PKG_VERSION");
    let plain: String = contact
        .chars()
        .filter(|c| (' '..='~').contains(c))
        .collect();
    match plain.trim() {
        "" => format!("{TOKEN}/{version}"),
        contact => format!("{TOKEN}/{version} (+{contact})"),
    }
}

/// Order of a look through a site.
pub struct CrawlOrder<'a> {
    /// The address that a person gave: it is had whatever `robots.txt` says.
    pub site: &'a Url,
    /// Further pages that a person named.
    pub given: &'a [Url],
    /// Pages that are had, the first among them.
    pub most: usize,
    /// Instant after which nothing is begun.
    pub until: Instant,
}

/// Result of a look through a site.
#[derive(Debug, Default)]
pub struct Crawl {
    /// The pages that were had, or could not be; the one given first.
    pub pages: Vec<PageCopy>,
    /// Pages that are known and were not asked for.
    pub left: Vec<Url>,
    /// Pages that `robots.txt` closes.
    pub closed: Vec<Url>,
    /// Messages of the site's own lists and files for the person: what, and what became of it.
    pub told: Vec<(String, String)>,
    /// Reason why nothing but the given page was looked at, where that is so.
    pub shut: Option<String>,
}

impl Crawl {
    /// Returns the result, to be read as a survey.
    pub fn gathered<'a>(&'a self, url: &'a Url) -> SurveyInput<'a> {
        SurveyInput {
            url,
            copies: &self.pages,
            left: &self.left,
            closed: &self.closed,
            shut: self.shut.as_deref(),
            told: &self.told,
        }
    }
}

/// Looks through a site. `told` hears of each page that was had.
pub async fn crawl(http: &Http, order: &CrawlOrder<'_>, told: impl Fn(usize)) -> Crawl {
    let mut crawler = Crawler {
        http,
        order,
        found: PageInventory::from(order.site),
        by: HashMap::new(),
        had: HashMap::new(),
        asked: HashSet::new(),
        allowed: Vec::new(),
        elsewhere: HashMap::new(),
        last: None,
        pause: PAUSE,
        out: Crawl::default(),
    };
    let first = crawler.page(order.site, FoundBy::Given).await;
    // Where the address leads on to (www., https) is where its other pages are.
    let landed = first.at();
    crawler.out.pages.push(first);
    told(1);
    if order.most < 2 || !crawler.out.pages[0].is_had() {
        return crawler.out;
    }
    if !same_site(order.site, &landed) {
        let why = format!("it leads on to {landed}, which is another site");
        crawler.out.shut = Some(why);
        return crawler.out;
    }
    let robots = crawler.robots(&landed).await;
    for page in order.given {
        crawler.learn(page, &landed, FoundBy::Given);
    }
    crawler.follow_links(&landed).await;
    crawler.sitemaps(&landed, &robots).await;
    while crawler.out.pages.len() < order.most && Instant::now() < order.until {
        crawler.compare(&robots).await;
        let Some((url, found)) = crawler.next() else {
            break;
        };
        let copy = crawler.page(&url, found).await;
        crawler.out.pages.push(copy);
        told(crawler.out.pages.len());
        crawler.follow_links(&landed).await;
    }
    crawler.compare(&robots).await;
    crawler.rest(&robots);
    crawler.out
}

struct Crawler<'a> {
    http: &'a Http,
    order: &'a CrawlOrder<'a>,
    found: PageInventory,
    by: HashMap<Url, FoundBy>,
    /// Pages had of each folder: folders take turns.
    had: HashMap<String, usize>,
    asked: HashSet<Url>,
    /// Answers of `robots.txt` for each found page, in their order, as far as they were compared.
    allowed: Vec<bool>,
    /// Rules of other hosts that keep sitemaps of this site.
    elsewhere: HashMap<String, Result<Robots, String>>,
    last: Option<Instant>,
    pause: Duration,
    out: Crawl,
}

/// Reason why there are no rules of a site.
enum NoRules {
    /// The site has no robots.txt; status of the answer.
    Absent(u16),
    /// The rules could not be had.
    Unreachable(String),
}

impl Crawler<'_> {
    /// Waits until the site may be asked again.
    async fn wait(&mut self) {
        if let Some(last) = self.last {
            let ready = last + self.pause;
            tokio::time::sleep(ready.saturating_duration_since(Instant::now())).await;
        }
        self.last = Some(Instant::now());
    }

    /// A body of so many bytes at most, in the time that is left.
    async fn get(&mut self, url: &Url, most: usize) -> (HttpAnswer, Vec<u8>) {
        self.wait().await;
        let left = self.order.until.saturating_duration_since(Instant::now());
        let asked = self.http.get_bytes(url, most);
        let got = tokio::time::timeout(PAGE.min(left), asked).await;
        self.last = Some(Instant::now());
        got.unwrap_or_else(|_| {
            let failure = NetFailure {
                kind: FailureKind::Timeout,
                text: "it did not arrive in time".into(),
            };
            let lost = HttpAnswer {
                final_url: url.to_string(),
                failure: Some(failure),
                ..HttpAnswer::default()
            };
            (lost, Vec::new())
        })
    }

    async fn page(&mut self, url: &Url, found: FoundBy) -> PageCopy {
        self.asked.insert(url.clone());
        *self.had.entry(folder(url).to_string()).or_default() += 1;
        let (got, bytes) = self.get(url, MOST_BYTES).await;
        read(url, found, got, &bytes)
    }

    /// RFC 9309, 2.3.1: a file that is not there closes nothing, a server that fails closes all.
    async fn rules_of(&mut self, site: &Url) -> Result<Robots, NoRules> {
        let Ok(address) = site.join("/robots.txt") else {
            return Ok(Robots::default());
        };
        let (got, bytes) = self.get(&address, MOST_ROBOTS).await;
        match (&got.failure, got.status) {
            (None, Some(status)) if status < 300 => {
                let read = || Robots::read(&String::from_utf8_lossy(&bytes), TOKEN);
                Ok(heavy(read).await)
            }
            (None, Some(status)) if status < 500 => Err(NoRules::Absent(status)),
            (Some(failure), _) => Err(NoRules::Unreachable(failure.text.clone())),
            (None, status) => {
                let why = format!("status {}", status.unwrap_or_default());
                Err(NoRules::Unreachable(why))
            }
        }
    }

    /// Returns the rules that the site sets for programs.
    async fn robots(&mut self, site: &Url) -> Robots {
        let what = "robots.txt".to_string();
        match self.rules_of(site).await {
            Ok(robots) => {
                self.pause = robots.pause.unwrap_or(PAUSE);
                robots
            }
            Err(NoRules::Absent(status)) => {
                let told = format!("status {status}: nothing is closed to programs");
                self.out.told.push((what, told));
                Robots::default()
            }
            Err(NoRules::Unreachable(why)) => {
                self.out.shut = Some(format!("robots.txt could not be loaded ({why})"));
                let told = format!("{why}: nothing but the given page is looked at");
                self.out.told.push((what, told));
                Robots::unreachable()
            }
        }
    }

    /// Returns whether a sitemap may be had, by the rules of the host that it stands on; if not,
    /// why, in words.
    async fn may_read(&mut self, sitemap: &Url, site: &Url) -> Result<(), String> {
        if sitemap.origin() == site.origin() {
            // Its own site names it, or it stands where sitemaps do.
            return Ok(());
        }
        let host = sitemap.origin().ascii_serialization();
        if !self.elsewhere.contains_key(&host) {
            if self.elsewhere.len() >= MOST_HOSTS {
                return Err(format!(
                    "not read: sitemaps on {MOST_HOSTS} other hosts are read of one site"
                ));
            }
            let rules = match self.rules_of(sitemap).await {
                Ok(robots) => Ok(robots),
                Err(NoRules::Absent(_)) => Ok(Robots::default()),
                Err(NoRules::Unreachable(why)) => Err(why),
            };
            self.elsewhere.insert(host.clone(), rules);
        }
        match &self.elsewhere[&host] {
            Ok(robots) if robots.allows(sitemap) => Ok(()),
            Ok(_) => Err(format!(
                "not read: robots.txt of {host} closes it to programs"
            )),
            Err(why) => Err(format!(
                "not read: robots.txt of {host} could not be loaded ({why})"
            )),
        }
    }

    fn learn(&mut self, url: &Url, site: &Url, by: FoundBy) {
        if self.found.pages().len() < MOST_KNOWN && self.found.add(url, site) {
            self.by.insert(inventory::plain(url), by);
        }
    }

    /// Takes in what the last page links to.
    async fn follow_links(&mut self, site: &Url) {
        let Some(last) = self.out.pages.last().filter(|p| p.is_had()) else {
            return;
        };
        let base = last.at();
        let links = heavy(|| Document::parse(&last.page.html).links(&base)).await;
        for link in links {
            self.learn(&link, site, FoundBy::Link);
        }
    }

    async fn sitemaps(&mut self, site: &Url, robots: &Robots) {
        if robots.is_unreachable() {
            return;
        }
        let named = robots.sitemaps.iter().filter_map(|s| site.join(s).ok());
        let mut waiting: VecDeque<Url> = named.collect();
        let usual = waiting.is_empty();
        if usual {
            waiting.extend(site.join("/sitemap.xml").ok());
        }
        let mut seen = HashSet::new();
        while let Some(address) = waiting.pop_front() {
            if !seen.insert(address.clone()) {
                continue;
            }
            if seen.len() > MOST_SITEMAPS || Instant::now() >= self.order.until {
                let why = format!(
                    "not read: {MOST_SITEMAPS} files are read of one site, in the time there is"
                );
                self.out.told.push((address.to_string(), why));
                break;
            }
            if let Err(why) = self.may_read(&address, site).await {
                self.out.told.push((address.to_string(), why));
                continue;
            }
            let (got, bytes) = self.get(&address, MOST_SITEMAP).await;
            match self.sitemap(&got, bytes, &address).await {
                Ok(map) => {
                    self.take(&map, site, &address);
                    waiting.extend(map.sitemaps);
                }
                // That there is none at the usual place is nothing to tell.
                Err(_) if usual && got.status == Some(404) => {}
                Err(why) => self.out.told.push((address.to_string(), why)),
            }
        }
    }

    async fn sitemap(
        &self,
        got: &HttpAnswer,
        bytes: Vec<u8>,
        address: &Url,
    ) -> Result<Sitemap, String> {
        if let Some(failure) = &got.failure {
            return Err(format!("not read: {}", failure.text));
        }
        match got.status {
            Some(status) if status < 300 => {}
            status => return Err(format!("not read: status {}", status.unwrap_or_default())),
        }
        heavy(|| {
            let (text, cut) = unpacked(&bytes).map_err(|e| format!("not read: {e}"))?;
            let mut map = sitemap::read(&text, address).map_err(|e| e.to_string())?;
            map.cut |= cut;
            Ok(map)
        })
        .await
    }

    fn take(&mut self, map: &Sitemap, site: &Url, address: &Url) {
        for page in &map.pages {
            self.learn(page, site, FoundBy::Sitemap);
        }
        let mut told = format!(
            "{} pages, {} further files",
            map.pages.len(),
            map.sitemaps.len()
        );
        if map.cut {
            told += "; it has more than is read, or breaks off";
        }
        let elsewhere = map
            .pages
            .iter()
            .filter(|p| p.origin() != site.origin())
            .count();
        if elsewhere > 0 {
            told += &format!("; {elsewhere} of them on other sites, which are left out");
        }
        self.out.told.push((address.to_string(), told));
    }

    /// Compares what was found since with `robots.txt`, as far as the time goes. Between two
    /// stretches it can be given up.
    async fn compare(&mut self, robots: &Robots) {
        while self.allowed.len() < self.found.pages().len() && Instant::now() < self.order.until {
            let new = &self.found.pages()[self.allowed.len()..];
            let stretch = || {
                let began = Instant::now();
                let mut out = Vec::new();
                for url in new {
                    out.push(robots.allows(url));
                    if began.elapsed() > STRETCH {
                        break;
                    }
                }
                out
            };
            let more = heavy(stretch).await;
            self.allowed.extend(more);
            tokio::task::yield_now().await;
        }
    }

    /// The next page: of the folder of which the fewest were had, what a person named before all
    /// else.
    fn next(&mut self) -> Option<(Url, FoundBy)> {
        let mut best: Option<((usize, usize), &Url, FoundBy)> = None;
        for (url, allowed) in self.found.pages().iter().zip(&self.allowed) {
            if !allowed || self.asked.contains(url) {
                continue;
            }
            let by = self.by.get(url).copied().unwrap_or(FoundBy::Link);
            let given = by == FoundBy::Given;
            let had = self.had.get(folder(url)).copied().unwrap_or_default();
            let rank = (usize::from(!given), had);
            if best.as_ref().is_none_or(|(r, ..)| *r > rank) {
                best = Some((rank, url, by));
            }
        }
        best.map(|(_, url, by)| (url.clone(), by))
    }

    /// Notes the pages that are known and were not had.
    fn rest(&mut self, robots: &Robots) {
        // What closes all is told as that, not as a wish about each page.
        if robots.is_unreachable() {
            return;
        }
        for (url, allowed) in self.found.pages().iter().zip(&self.allowed) {
            if self.asked.contains(url) {
                continue;
            }
            match allowed {
                true => self.out.left.push(url.clone()),
                false => self.out.closed.push(url.clone()),
            }
        }
        let rest = self.found.pages().len() - self.allowed.len();
        if rest > 0 {
            let why = format!(
                "{rest} addresses were not compared with it, since the time was over: nothing is \
                said of them"
            );
            self.out.told.push(("robots.txt".into(), why));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn we_say_who_we_are() {
        assert!(agent("").starts_with("newtfern/") && !agent("").contains('('));
        let said = agent("https://fenwick.example/contact\r\nX-Other: 1");
        assert!(
            said.ends_with("(+https://fenwick.example/contactX-Other: 1)"),
            "{said}"
        );
    }
}
