//! Sitemaps (sitemaps.org, protocol 0.9): lists of a site's pages, and lists of such lists; as XML
//! or as plain text with an address a line.

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use url::Url;

/// Addresses that are read of one file; the protocol allows as many.
pub const MOST_ADDRESSES: usize = 50_000;
/// Bytes of one file, unpacked; the protocol allows as many.
pub const MOST_SITEMAP: usize = 52_428_800;
/// Characters of an address (the protocol: fewer than 2,048).
const MOST_ADDRESS: usize = 2_048;

/// Addresses that a sitemap lists.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sitemap {
    /// Addresses of pages.
    pub pages: Vec<Url>,
    /// Addresses of further sitemaps.
    pub sitemaps: Vec<Url>,
    /// Whether the file has more than is read, or breaks off, so that the list is not whole.
    pub cut: bool,
}

/// Reason why a file is no sitemap.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SitemapError {
    /// The file is something else.
    #[error("it is neither a sitemap in XML nor a list of addresses")]
    NotOne,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum List {
    Pages,
    Sitemaps,
}

/// Reads a file that stands at `base`.
///
/// # Errors
/// [`SitemapError`], where it is no sitemap.
///
/// ```
/// use newtfern_model::pages::sitemap;
/// let base = url::Url::parse("https://kites.example/sitemap.xml").unwrap();
/// let text = "<urlset xmlns='http://www.sitemaps.org/schemas/sitemap/0.9'>\
///     <url><loc>https://kites.example/a?b=1&amp;c=2</loc></url></urlset>";
/// let map = sitemap::read(text, &base).unwrap();
/// assert_eq!(map.pages[0].as_str(), "https://kites.example/a?b=1&c=2");
/// ```
pub fn read(text: &str, base: &Url) -> Result<Sitemap, SitemapError> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text).trim_start();
    match text.starts_with('<') {
        true => xml(text, base),
        false => plain(text),
    }
}

/// A plain list: addresses only, or it is some other text.
fn plain(text: &str) -> Result<Sitemap, SitemapError> {
    let mut out = Sitemap::default();
    for line in text.lines().map(str::trim).filter(|l| !l.is_empty()) {
        let page = address(line).ok_or(SitemapError::NotOne)?;
        if out.pages.len() >= MOST_ADDRESSES {
            out.cut = true;
            break;
        }
        out.pages.push(page);
    }
    match out.pages.is_empty() {
        true => Err(SitemapError::NotOne),
        false => Ok(out),
    }
}

/// An address as sitemaps write them: whole, and not longer than the protocol allows.
fn address(text: &str) -> Option<Url> {
    let fits = text.len() < MOST_ADDRESS;
    let url = Url::parse(text).ok().filter(|_| fits)?;
    matches!(url.scheme(), "http" | "https").then_some(url)
}

fn xml(text: &str, base: &Url) -> Result<Sitemap, SitemapError> {
    let mut reader = Reader::from_str(text);
    let mut out = Sitemap::default();
    let mut list = None;
    // Names of the open elements, without prefix, down to the one that holds an address.
    let mut open: Vec<Vec<u8>> = Vec::new();
    let mut loc = String::new();
    loop {
        match reader.read_event() {
            Ok(Event::Start(tag)) => {
                let name = local(&tag);
                if open.is_empty() {
                    list = Some(root(&name).ok_or(SitemapError::NotOne)?);
                }
                // Deeper than the protocol goes nothing is kept, however deep it is.
                open.push(if open.len() < 4 { name } else { Vec::new() });
                loc.clear();
            }
            Ok(Event::Text(part)) if in_loc(&open) => {
                loc.push_str(&part.decode().unwrap_or_default())
            }
            Ok(Event::CData(part)) if in_loc(&open) => {
                loc.push_str(&String::from_utf8_lossy(&part.into_inner()));
            }
            Ok(Event::GeneralRef(reference)) if in_loc(&open) => {
                loc.push_str(&character(&reference.decode().unwrap_or_default()));
            }
            Ok(Event::End(_)) => {
                if in_loc(&open) && !out.take(list, &loc, base) {
                    return Ok(out);
                }
                open.pop();
            }
            Ok(Event::Eof) => {
                out.cut |= !open.is_empty();
                break;
            }
            // What came before the mistake is a part of the list.
            Err(_) => {
                out.cut = true;
                break;
            }
            Ok(_) => {}
        }
        if loc.len() > 2 * MOST_ADDRESS {
            loc.truncate(loc.floor_char_boundary(MOST_ADDRESS + 1));
        }
    }
    list.map(|_| out).ok_or(SitemapError::NotOne)
}

fn local(tag: &BytesStart) -> Vec<u8> {
    tag.local_name().as_ref().to_ascii_lowercase()
}

fn root(name: &[u8]) -> Option<List> {
    match name {
        b"urlset" => Some(List::Pages),
        b"sitemapindex" => Some(List::Sitemaps),
        _ => None,
    }
}

/// `loc` of an entry; extensions have elements of the same name deeper down.
fn in_loc(open: &[Vec<u8>]) -> bool {
    open.len() == 3 && open[2] == b"loc" && matches!(open[1].as_slice(), b"url" | b"sitemap")
}

/// Returns the character that a reference stands for (XML 1.0, 4.6 and 4.1).
fn character(name: &str) -> String {
    let number = name
        .strip_prefix('#')
        .and_then(|n| match n.strip_prefix('x') {
            Some(hex) => u32::from_str_radix(hex, 16).ok(),
            None => n.parse().ok(),
        });
    let named = match name {
        "amp" => Some('&'),
        "lt" => Some('<'),
        "gt" => Some('>'),
        "quot" => Some('"'),
        "apos" => Some('\''),
        _ => None,
    };
    let character = named.or_else(|| number.and_then(char::from_u32));
    character.map_or_else(|| format!("&{name};"), String::from)
}

impl Sitemap {
    /// Keeps one address; false where there are enough.
    fn take(&mut self, list: Option<List>, loc: &str, base: &Url) -> bool {
        if self.pages.len() + self.sitemaps.len() >= MOST_ADDRESSES {
            self.cut = true;
            return false;
        }
        // The protocol wants whole addresses; one without a host is meant for this one (common
        // practice).
        let loc = loc.trim();
        let whole = address(loc).or_else(|| {
            let within = loc.starts_with('/') && loc.len() < MOST_ADDRESS;
            base.join(loc).ok().filter(|_| within)
        });
        match (list, whole) {
            (Some(List::Sitemaps), Some(url)) => self.sitemaps.push(url),
            (_, Some(url)) => self.pages.push(url),
            (_, None) => {}
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn base() -> Url {
        Url::parse("https://kites.example/sitemap.xml").unwrap()
    }

    fn pages(text: &str) -> Vec<String> {
        let map = read(text, &base()).unwrap();
        map.pages.iter().map(Url::to_string).collect()
    }

    /// The sample of the protocol (sitemaps.org, "XML tag definitions"), addresses changed.
    #[test]
    fn the_sample_of_the_protocol_is_read() {
        let text = r#"<?xml version="1.0" encoding="UTF-8"?>
<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
   <url>
      <loc>http://www.kites.example/</loc>
      <lastmod>2005-01-01</lastmod>
      <changefreq>monthly</changefreq>
      <priority>0.8</priority>
   </url>
   <url><loc>http://www.kites.example/catalog?item=12&amp;desc=vacation_hawaii</loc></url>
   <url><loc>http://www.kites.example/%C3%BCmlat.html&amp;q=name</loc></url>
</urlset>"#;
        assert_eq!(
            pages(text),
            [
                "http://www.kites.example/",
                "http://www.kites.example/catalog?item=12&desc=vacation_hawaii",
                "http://www.kites.example/%C3%BCmlat.html&q=name",
            ]
        );
    }

    #[test]
    fn an_index_names_files_and_extensions_do_not_count() {
        let text = "<sitemapindex><sitemap><loc>/a.xml.gz</loc></sitemap><sitemap><loc>\
                    <![CDATA[https://kites.example/b.xml]]></loc></sitemap></sitemapindex>";
        let map = read(text, &base()).unwrap();
        let files: Vec<&str> = map.sitemaps.iter().map(Url::as_str).collect();
        assert_eq!(
            files,
            [
                "https://kites.example/a.xml.gz",
                "https://kites.example/b.xml"
            ]
        );
        let image = "<u:urlset xmlns:u='x' \
            xmlns:i='y'><u:url><u:loc>https://kites.example/p</u:loc><i:image>\
            <i:loc>https://kites.example/p.png</i:loc></i:image></u:url></u:urlset>";
        assert_eq!(pages(image), ["https://kites.example/p"]);
    }

    #[test]
    fn a_list_of_lines_is_one_and_a_page_is_none() {
        assert_eq!(
            pages("\u{feff}https://kites.example/a\r\n\r\nhttps://kites.example/b\n"),
            ["https://kites.example/a", "https://kites.example/b"]
        );
        for other in [
            "",
            "Not found",
            "<!doctype html><html><body>404",
            "<rss><channel/></rss>",
            "{}",
        ] {
            assert_eq!(read(other, &base()), Err(SitemapError::NotOne), "{other}");
        }
    }

    #[test]
    fn what_breaks_off_or_is_too_much_says_so() {
        let entry = |i: usize| format!("<url><loc>https://kites.example/{i}</loc></url>");
        let many: String = (0..MOST_ADDRESSES + 5).map(entry).collect();
        let map = read(&format!("<urlset>{many}</urlset>"), &base()).unwrap();
        assert!(map.cut && map.pages.len() == MOST_ADDRESSES);
        for broken in [
            "<urlset><url><loc>https://kites.example/a</loc></url><url><lo",
            "<urlset><url><loc>https://kites.example/a</loc></url></x>",
        ] {
            let map = read(broken, &base()).unwrap();
            assert!(map.cut, "{broken}");
            assert_eq!(map.pages.len(), 1);
        }
        // Addresses that no page has are passed over; entities that nobody defined are no bombs.
        let odd = format!(
            "<urlset><url><loc>javascript:alert(1)</loc></url><url>\
             <loc>https://kites.example/{}</loc></url><url><loc>https://kites.example/&lol9;</loc>\
             </url></urlset>",
            "x".repeat(9_000)
        );
        assert_eq!(pages(&odd), ["https://kites.example/&lol9;"]);
    }
}
