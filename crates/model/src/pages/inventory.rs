//! Which addresses are pages of a site, each once.

use std::collections::HashSet;
use url::Url;

/// Parameters that only count visitors (common practice); an address with one is the page without
/// it.
const TRACKING: &[&str] = &[
    "gclid", "dclid", "fbclid", "msclkid", "yclid", "mc_cid", "mc_eid", "_ga", "igshid",
];

/// Endings of addresses that lead to files and not to pages.
const FILES: &[&str] = &[
    "pdf", "jpg", "jpeg", "png", "gif", "webp", "avif", "svg", "ico", "css", "js", "mjs", "json",
    "xml", "txt", "zip", "gz", "rar", "mp3", "mp4", "webm", "ogg", "wav", "woff", "woff2", "ttf",
    "doc", "docx", "xls", "xlsx", "ppt", "pptx", "csv", "ics", "vcf", "gpx", "epub", "rss", "atom",
];

/// The address of a page as it is kept: without fragment and without what only tracks.
pub fn plain(url: &Url) -> Url {
    let mut url = url.clone();
    url.set_fragment(None);
    if url.query().is_some() {
        let tracks = |name: &str| name.starts_with("utm_") || TRACKING.contains(&name);
        // Cut out of the text: written anew, what stays would be encoded in another way.
        let left: Vec<&str> = url
            .query()
            .unwrap_or_default()
            .split('&')
            .filter(|pair| !tracks(pair.split('=').next().unwrap_or_default()))
            .collect();
        let left = left.join("&");
        url.set_query(Some(left.as_str()).filter(|q| !q.is_empty()));
    }
    url
}

/// Returns whether an address is a page of the site, as far as the address tells.
pub fn is_page(url: &Url, site: &Url) -> bool {
    let name = url.path().rsplit('/').next().unwrap_or_default();
    let ending = name.rsplit_once('.').map(|(_, e)| e.to_ascii_lowercase());
    url.origin() == site.origin() && ending.is_none_or(|e| !FILES.contains(&e.as_str()))
}

/// Pages found so far, in their order.
#[derive(Debug, Clone, Default)]
pub struct PageInventory {
    known: HashSet<String>,
    pages: Vec<Url>,
}

impl PageInventory {
    /// Begins with the address that was given.
    pub fn from(site: &Url) -> PageInventory {
        let mut out = PageInventory::default();
        out.keep(plain(site));
        out
    }

    /// Adds a page of the site; false where it is none, or known already.
    pub fn add(&mut self, url: &Url, site: &Url) -> bool {
        let url = plain(url);
        is_page(&url, site) && self.keep(url)
    }

    /// Two addresses are one page where they differ in a slash at the end only.
    fn keep(&mut self, url: Url) -> bool {
        let path = url.path().trim_end_matches('/');
        let new = self
            .known
            .insert(format!("{path}?{}", url.query().unwrap_or_default()));
        if new {
            self.pages.push(url);
        }
        new
    }

    /// Returns the pages in the order in which they were found.
    pub fn pages(&self) -> &[Url] {
        &self.pages
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_page_once_and_nothing_else() {
        let at = |text: &str| Url::parse(text).unwrap();
        let site = at("https://kites.example/");
        let mut found = PageInventory::from(&site);
        for (address, new) in [
            ("https://kites.example/#top", false),
            (
                "https://kites.example/shop?utm_source=x&page=2&gclid=7",
                true,
            ),
            ("https://kites.example/shop?page=2", false),
            ("https://kites.example/shop/?page=2", false),
            ("https://kites.example/shop", true),
            ("https://kites.example/Shop", true),
            ("https://kites.example/sizes.PDF", false),
            ("http://kites.example/b", false),
            ("https://other.example/b", false),
            ("https://kites.example/a.b/c", true),
            ("https://kites.example/q?name=a%20b&fbclid=1", true),
        ] {
            assert_eq!(found.add(&at(address), &site), new, "{address}");
        }
        let pages: Vec<&str> = found.pages().iter().map(Url::as_str).collect();
        assert_eq!(pages[1], "https://kites.example/shop?page=2");
        assert_eq!(pages.last(), Some(&"https://kites.example/q?name=a%20b"));
    }
}
