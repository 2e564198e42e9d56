//! Looks through the pages of a site by HTTP alone: `robots.txt`, sitemaps, links. Politely: as nobody
//! asked for these pages, one request at a time, with a pause, under our own name, and never where
//! `robots.txt` asks programs to stay away.

use crate::http::{Fetched, Http, MOST_BYTES};
use flate2::read::MultiGzDecoder;
use newtfern_core::html::Document;
use newtfern_core::observation::{DeliveredPage, FailureKind, NetFailure};
use newtfern_core::pages::inventory::{self, Found};
use newtfern_core::pages::robots::{MOST_ROBOTS, TOKEN};
use newtfern_core::pages::sitemap::{self, MOST_SITEMAP, Sitemap};
use newtfern_core::pages::{FoundBy, PageCopy, Robots};
use newtfern_core::survey::Gathered;
use newtfern_heavy::heavy;
use std::collections::{HashMap, HashSet, VecDeque};
use std::io::Read;
use std::time::{Duration, Instant};
use url::Url;

/// Files of sitemaps that are read of one site.
const MOST_SITEMAPS: usize = 50;
/// Addresses that are kept of one site.
const MOST_KNOWN: usize = 60_000;
/// Between two requests, where the site asks for no longer pause.
const PAUSE: Duration = Duration::from_millis(150);
/// One page must arrive within this.
const PAGE: Duration = Duration::from_secs(20);

/// How we call ourselves; `contact` is where a site's owner can complain.
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

/// What is asked of a look through a site.
pub struct CrawlOrder<'a> {
    /// The address that a person gave: it is had whatever `robots.txt` says.
    pub site: &'a Url,
    /// Further pages that a person named.
    pub given: &'a [Url],
    /// Pages that are had, the first among them.
    pub most: usize,
    /// Nothing is begun after this.
    pub until: Instant,
}

/// What came of it.
#[derive(Debug, Default)]
pub struct Crawl {
    /// The pages that were had, or could not be; the one given first.
    pub pages: Vec<PageCopy>,
    /// Pages that are known and were not asked for.
    pub left: Vec<Url>,
    /// Pages that `robots.txt` closes.
    pub closed: Vec<Url>,
    /// What the site's own lists and files said, for the person: what, and what became of it.
    pub told: Vec<(String, String)>,
    /// Why nothing but the given page was looked at, where that is so.
    pub shut: Option<String>,
}

impl Crawl {
    /// To be read as a survey.
    pub fn gathered<'a>(&'a self, url: &'a Url) -> Gathered<'a> {
        Gathered {
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
        found: Found::from(order.site),
        by: HashMap::new(),
        had: HashMap::new(),
        asked: HashSet::new(),
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
        let Some((url, found)) = crawler.next(&robots) else {
            break;
        };
        let copy = crawler.page(&url, found).await;
        crawler.out.pages.push(copy);
        told(crawler.out.pages.len());
        crawler.follow_links(&landed).await;
    }
    crawler.rest(&robots);
    crawler.out
}

struct Crawler<'a> {
    http: &'a Http,
    order: &'a CrawlOrder<'a>,
    found: Found,
    by: HashMap<Url, FoundBy>,
    /// Pages had of each folder: folders take turns.
    had: HashMap<String, usize>,
    asked: HashSet<Url>,
    last: Option<Instant>,
    pause: Duration,
    out: Crawl,
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
    async fn get(&mut self, url: &Url, most: usize) -> (Fetched, Vec<u8>) {
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
            let lost = Fetched {
                final_url: url.to_string(),
                failure: Some(failure),
                ..Fetched::default()
            };
            (lost, Vec::new())
        })
    }

    async fn page(&mut self, url: &Url, found: FoundBy) -> PageCopy {
        self.asked.insert(url.clone());
        *self.had.entry(folder(url)).or_default() += 1;
        let (got, bytes) = self.get(url, MOST_BYTES).await;
        read(url, found, got, &bytes)
    }

    /// RFC 9309, 2.3.1: a file that is not there closes nothing, a server that fails closes all.
    async fn robots(&mut self, site: &Url) -> Robots {
        let Ok(address) = site.join("/robots.txt") else {
            return Robots::default();
        };
        let (got, bytes) = self.get(&address, MOST_ROBOTS).await;
        let what = "robots.txt".to_string();
        let why = match (&got.failure, got.status) {
            (None, Some(status)) if status < 300 => {
                let robots = Robots::read(&String::from_utf8_lossy(&bytes), TOKEN);
                self.pause = robots.pause.unwrap_or(PAUSE);
                return robots;
            }
            (None, Some(status)) if status < 500 => {
                let told = format!("status {status}: nothing is closed to programs");
                self.out.told.push((what, told));
                return Robots::default();
            }
            (Some(failure), _) => failure.text.clone(),
            (None, status) => format!("status {}", status.unwrap_or_default()),
        };
        self.out.shut = Some(format!("robots.txt could not be had ({why})"));
        self.out.told.push((
            what,
            format!("{why}: nothing but the given page is looked at"),
        ));
        Robots::unreachable()
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
        got: &Fetched,
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

    /// The next page: of the folder of which the fewest were had, what a person named before all else.
    fn next(&mut self, robots: &Robots) -> Option<(Url, FoundBy)> {
        let mut best: Option<((usize, usize), Url, FoundBy)> = None;
        for url in self.found.pages() {
            if self.asked.contains(url) {
                continue;
            }
            let by = self.by.get(url).copied().unwrap_or(FoundBy::Link);
            let given = by == FoundBy::Given;
            let had = self.had.get(&folder(url)).copied().unwrap_or_default();
            let rank = (usize::from(!given), had);
            if best.as_ref().is_some_and(|(r, ..)| *r <= rank) || !robots.allows(url) {
                continue;
            }
            best = Some((rank, url.clone(), by));
        }
        best.map(|(_, url, by)| (url, by))
    }

    /// What is known and was not had.
    fn rest(&mut self, robots: &Robots) {
        // What closes all is told as that, not as a wish about each page.
        if robots.is_unreachable() {
            return;
        }
        for url in self.found.pages() {
            if self.asked.contains(url) {
                continue;
            }
            match robots.allows(url) {
                true => self.out.left.push(url.clone()),
                false => self.out.closed.push(url.clone()),
            }
        }
    }
}

/// The same host, with or without `www.`, whatever the scheme.
fn same_site(given: &Url, landed: &Url) -> bool {
    let bare = |u: &Url| {
        let host = u.host_str().unwrap_or_default();
        host.strip_prefix("www.").unwrap_or(host).to_string()
    };
    bare(given) == bare(landed)
}

/// A page as it came.
fn read(url: &Url, found: FoundBy, got: Fetched, bytes: &[u8]) -> PageCopy {
    let mime = got.header("content-type").unwrap_or_default();
    let mime = mime
        .split(';')
        .next()
        .unwrap_or_default()
        .trim()
        .to_string();
    let html = match mime.is_empty() || mime.to_ascii_lowercase().contains("html") {
        true => crate::decoding::text_of(bytes, got.header("content-type")),
        false => String::new(),
    };
    PageCopy {
        url: url.clone(),
        found,
        page: DeliveredPage {
            html_cut: bytes.len() >= MOST_BYTES,
            final_url: got.final_url,
            redirects: got.redirects,
            status: got.status,
            headers: got.headers,
            failure: got.failure,
            mime,
            html,
            ..DeliveredPage::default()
        },
    }
}

/// One page that a person gave, by HTTP.
pub async fn copy_of(http: &Http, url: &Url) -> PageCopy {
    let (got, bytes) = http.get_bytes(url, MOST_BYTES).await;
    read(url, FoundBy::Given, got, &bytes)
}

/// The folder that an address stands in.
fn folder(url: &Url) -> String {
    let path = url.path().trim_end_matches('/');
    path.rsplit_once('/')
        .map_or("", |(folder, _)| folder)
        .to_string()
}

/// The text of a file that may be packed (by its first bytes, RFC 1952), and whether that is all of it.
fn unpacked(bytes: &[u8]) -> std::io::Result<(String, bool)> {
    let mut out = Vec::new();
    let all: &[u8] = match bytes {
        [0x1f, 0x8b, ..] => {
            let most = MOST_SITEMAP as u64 + 1;
            MultiGzDecoder::new(bytes)
                .take(most)
                .read_to_end(&mut out)?;
            &out
        }
        plain => plain,
    };
    let cut = all.len() > MOST_SITEMAP || bytes.len() >= MOST_SITEMAP;
    let kept = &all[..all.len().min(MOST_SITEMAP)];
    Ok((
        crate::decoding::text_of(kept, Some("application/xml; charset=utf-8")),
        cut,
    ))
}

#[cfg(test)]
mod tests {
    use super::*;
    use flate2::Compression;
    use flate2::write::GzEncoder;
    use std::io::Write;

    /// A file of some kilobytes that unpacks to more than any sitemap may have is read to the bound.
    #[test]
    fn a_packed_file_is_unpacked_to_the_bound_and_says_so() {
        let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
        packed
            .write_all(b"<urlset><url><loc>https://kites.example/a</loc></url>")
            .unwrap();
        packed.write_all(&vec![b' '; MOST_SITEMAP + 1_000]).unwrap();
        let bomb = packed.finish().unwrap();
        assert!(bomb.len() < 1_000_000);
        let (text, cut) = unpacked(&bomb).unwrap();
        assert!(cut && text.len() == MOST_SITEMAP);
        let map = sitemap::read(&text, &Url::parse("https://kites.example/").unwrap()).unwrap();
        assert_eq!((map.pages.len(), map.cut), (1, true));
        // Plain, broken and half of one.
        assert_eq!(
            unpacked(b"<urlset/>").unwrap(),
            ("<urlset/>".to_string(), false)
        );
        assert!(unpacked(&bomb[..40]).is_err() && unpacked(&[0x1f, 0x8b, 7]).is_err());
    }

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
