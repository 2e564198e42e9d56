//! What a page is for: from its structured data, its share data, its address and its words. What
//! the site says of itself in a vocabulary that others read as well goes before what its address
//! looks like.

use super::words;
use crate::pages::page_kind::PageKind;
use newtfern_standards::html::{Document, Kind};
use serde::{Deserialize, Serialize};
use url::Url;

/// A kind, and what it was told by.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct KindSeen {
    /// Kind that the page is of.
    pub kind: PageKind,
    /// Evidence in words.
    pub why: String,
}

fn seen(kind: PageKind, why: impl Into<String>) -> Option<KindSeen> {
    let why = why.into();
    Some(KindSeen { kind, why })
}

/// Tells a page's kind. `languages` are those of the site (BCP 47): a folder named after one has a
/// home page of its own.
pub fn kind_of(page: &Url, document: &Document, languages: &[String]) -> KindSeen {
    let segments = segments(page, languages);
    if segments.is_empty() && page.query().is_none() {
        return KindSeen {
            kind: PageKind::Home,
            why: "its address is the site's beginning".into(),
        };
    }
    let types = types(document);
    // A privacy page is often published as an article, a basket as any page: their words decide.
    by_last_word(
        &segments,
        &[PageKind::Legal, PageKind::Basket, PageKind::Contact],
    )
    .or_else(|| by_type(&types))
    .or_else(|| by_place(&segments))
    .or_else(|| by_share_type(document))
    .or_else(|| by_title(document))
    .unwrap_or(KindSeen {
        kind: PageKind::Other,
        why: "nothing tells what it is for".into(),
    })
}

/// Segments of the path in small letters, without a language at the beginning, an index file at the
/// end, and a file's ending.
fn segments(page: &Url, languages: &[String]) -> Vec<String> {
    let path = super::pattern::plain_path(page.path()).to_lowercase();
    let mut out: Vec<String> = path
        .split('/')
        .filter(|s| !s.is_empty())
        .map(str::to_string)
        .collect();
    if let Some(last) = out.last_mut()
        && let Some((name, ending)) = last.rsplit_once('.')
        && matches!(
            ending,
            "html" | "htm" | "php" | "asp" | "aspx" | "jsp" | "xhtml"
        )
    {
        *last = name.to_string();
    }
    if out
        .last()
        .is_some_and(|l| matches!(l.as_str(), "index" | "default" | "home"))
    {
        out.pop();
    }
    let tagged = |first: &String| {
        languages
            .iter()
            .any(|l| l.to_lowercase() == first.replace('_', "-"))
    };
    if out.first().is_some_and(tagged) {
        out.remove(0);
    }
    out
}

fn by_last_word(segments: &[String], kinds: &[PageKind]) -> Option<KindSeen> {
    let last = segments.last()?;
    // Where one asks for several things the deeper folder counts: /legal/shipping is legal.
    let kind = words::kind_of_word(last).or_else(|| words::kind_of_word(segments.first()?));
    let kind = kind.filter(|k| kinds.contains(k))?;
    let word = if words::kind_of_word(last) == Some(kind) {
        last
    } else {
        segments.first()?
    };
    seen(
        kind,
        format!("its address has the word \u{201c}{word}\u{201d}"),
    )
}

/// Types of schema.org by the kind of page they stand on; of an item and a list the page's own
/// comes first in the document.
fn by_type(types: &[String]) -> Option<KindSeen> {
    let kind_of = |name: &str| match name {
        "Product"
        | "ProductGroup"
        | "IndividualProduct"
        | "ProductModel"
        | "Vehicle"
        | "Car"
        | "RealEstateListing"
        | "Apartment"
        | "House"
        | "SingleFamilyResidence"
        | "Event"
        | "JobPosting"
        | "Course"
        | "Book"
        | "Movie"
        | "Accommodation"
        | "HotelRoom"
        | "TouristTrip"
        | "MusicEvent"
        | "ExhibitionEvent" => Some(PageKind::Item),
        "CollectionPage" | "ItemList" | "SearchResultsPage" | "OfferCatalog" | "Blog" => {
            Some(PageKind::Listing)
        }
        "Article" | "NewsArticle" | "BlogPosting" | "TechArticle" | "Report" | "Recipe"
        | "HowTo" | "ScholarlyArticle" | "LiveBlogPosting" => Some(PageKind::Article),
        "ContactPage" => Some(PageKind::Contact),
        "CheckoutPage" => Some(PageKind::Basket),
        _ => None,
    };
    let (name, kind) = types.iter().find_map(|t| Some((t, kind_of(t)?)))?;
    // Many items on one page are a list of them.
    let items = types.iter().filter(|t| kind_of(t) == Some(PageKind::Item));
    if kind == PageKind::Item && items.count() > 2 {
        return seen(
            PageKind::Listing,
            format!("its structured data has several of type {name}"),
        );
    }
    seen(kind, format!("its structured data has the type {name}"))
}

/// Returns the kind that the folder tells: a word of a list alone is the list, with something after
/// it one of its entries.
fn by_place(segments: &[String]) -> Option<KindSeen> {
    if dated(segments) {
        return seen(PageKind::Article, "its address has a date");
    }
    let last = segments.len().checked_sub(1)?;
    let found = segments.iter().enumerate().rev();
    let mut found = found.filter_map(|(i, s)| Some((i, s, words::folder_of_word(s)?)));
    let (at, word, folder) = found.next()?;
    let kind = if at == last {
        folder.list
    } else {
        folder.entry
    };
    seen(
        kind,
        format!("its address has the word \u{201c}{word}\u{201d}"),
    )
}

/// A year and a month in the address.
fn dated(segments: &[String]) -> bool {
    let number = |s: &str| s.parse::<u32>().ok();
    segments.windows(3).any(|w| {
        let year = number(&w[0]).is_some_and(|y| (1990..=2100).contains(&y));
        year && w[0].len() == 4 && number(&w[1]).is_some_and(|m| (1..=12).contains(&m))
    })
}

/// Open Graph (ogp.me): `og:type`.
fn by_share_type(document: &Document) -> Option<KindSeen> {
    let is_type = |id: &usize| {
        document.name(*id) == Some("meta")
            && document
                .attribute(*id, "property")
                .is_some_and(|p| p.eq_ignore_ascii_case("og:type"))
    };
    let id = document.walk().into_iter().find(is_type)?;
    let content = document.attribute(id, "content")?.trim().to_lowercase();
    let kind = match content.as_str() {
        "article" => PageKind::Article,
        "product" | "product.item" | "og:product" | "book" | "video.movie" => PageKind::Item,
        "product.group" => PageKind::Listing,
        _ => return None,
    };
    seen(kind, format!("og:type is {content}"))
}

/// The first heading, or the title, is one of the words.
fn by_title(document: &Document) -> Option<KindSeen> {
    let of = |name: &str| {
        let id = document
            .walk()
            .into_iter()
            .find(|id| document.name(*id) == Some(name))?;
        Some(document.text(id))
    };
    for text in [of("h1"), of("title")].into_iter().flatten() {
        // "Contact us - Kite workshop": what stands before the first mark that parts.
        let first = text
            .split(['|', '\u{2013}', '\u{2014}', '\u{b7}', ':'])
            .next();
        let first = first
            .and_then(|t| t.split(" - ").next())
            .unwrap_or_default();
        let word: Vec<String> = first.split_whitespace().map(str::to_lowercase).collect();
        if let Some(kind) = words::kind_of_word(&word.join("-")) {
            return seen(
                kind,
                format!("its heading says \u{201c}{}\u{201d}", first.trim()),
            );
        }
    }
    None
}

/// Bytes of structured data that are read of a page.
const MOST_DATA: usize = 500_000;
/// Types that are read of a page.
const MOST_TYPES: usize = 200;

/// Names of schema.org types in JSON-LD, microdata and RDFa, in document order.
pub(super) fn types(document: &Document) -> Vec<String> {
    let mut out = Vec::new();
    let mut left = MOST_DATA;
    for id in document.walk() {
        if out.len() >= MOST_TYPES {
            break;
        }
        let Kind::Element { name, .. } = &document.nodes[id].kind else {
            continue;
        };
        let json = document
            .attribute(id, "type")
            .is_some_and(|t| t.trim().eq_ignore_ascii_case("application/ld+json"));
        if name == "script" && json {
            let text = document.text(id);
            left = left.saturating_sub(text.len());
            if left == 0 {
                break;
            }
            if let Ok(value) = serde_json::from_str(&text) {
                json_types(&value, &mut out);
            }
        }
        let marked = ["itemtype", "typeof"].into_iter();
        for value in marked.filter_map(|a| document.attribute(id, a)) {
            out.extend(value.split_ascii_whitespace().take(8).filter_map(type_name));
        }
    }
    out.truncate(MOST_TYPES);
    out
}

/// Collects the types of the page itself and of what it is about; a type inside a property (the
/// maker of a product) says nothing of the page.
fn json_types(value: &serde_json::Value, out: &mut Vec<String>) {
    use serde_json::Value;
    match value {
        Value::Array(items) => items
            .iter()
            .take(MOST_TYPES)
            .for_each(|v| json_types(v, out)),
        Value::Object(map) => {
            let names = match map.get("@type") {
                Some(Value::String(name)) => vec![name.as_str()],
                Some(Value::Array(names)) => names.iter().filter_map(Value::as_str).collect(),
                _ => Vec::new(),
            };
            out.extend(names.into_iter().filter_map(type_name));
            for inner in ["@graph", "mainEntity", "mainEntityOfPage"] {
                if let Some(inner) = map.get(inner) {
                    json_types(inner, out);
                }
            }
        }
        _ => {}
    }
}

/// The name without its vocabulary.
fn type_name(text: &str) -> Option<String> {
    let name = text.rsplit(['/', '#', ':']).next().unwrap_or(text).trim();
    (!name.is_empty() && name.len() < 60).then(|| name.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(path: &str, html: &str) -> PageKind {
        let page = Url::parse(&format!("https://kites.example{path}")).unwrap();
        kind_of(&page, &Document::parse(html), &["en".into(), "cy".into()]).kind
    }

    #[test]
    fn addresses_tell_in_several_languages() {
        for (path, kind) in [
            ("/", PageKind::Home),
            ("/index.html", PageKind::Home),
            ("/cy/", PageKind::Home),
            ("/en/index.php", PageKind::Home),
            ("/?p=7", PageKind::Other),
            ("/privacy-policy", PageKind::Legal),
            ("/de/datenschutz.html", PageKind::Legal),
            ("/legal/shipping", PageKind::Legal),
            ("/contact-us/", PageKind::Contact),
            ("/kontakt", PageKind::Contact),
            ("/warenkorb", PageKind::Basket),
            ("/checkout/address", PageKind::Basket),
            ("/shop", PageKind::Listing),
            ("/produkte/drachen", PageKind::Item),
            ("/shop/category/stunt", PageKind::Listing),
            ("/blog", PageKind::Listing),
            ("/blog/first-flight", PageKind::Article),
            ("/2024/05/first-flight", PageKind::Article),
            ("/about", PageKind::Other),
        ] {
            assert_eq!(told(path, ""), kind, "{path}");
        }
    }

    #[test]
    fn what_the_page_says_of_itself_goes_before_its_address() {
        let ld = |json: &str| format!("<script type='application/ld+json'>{json}</script>");
        let product = ld(r#"{"@context": "https://schema.org", "@type": "Product",
                "brand": {"@type": "Brand"}}"#);
        assert_eq!(told("/kestrel", &product), PageKind::Item);
        assert_eq!(told("/blog/kestrel", &product), PageKind::Item);
        let graph =
            ld(r#"{"@graph": [{"@type": "WebSite"}, {"@type": ["WebPage", "CollectionPage"]}]}"#);
        assert_eq!(told("/kites", &graph), PageKind::Listing);
        let micro = "<div itemscope itemtype='https://schema.org/BlogPosting'>";
        assert_eq!(told("/x", micro), PageKind::Article);
        let three = "<div itemtype='http://schema.org/Product'></div>".repeat(3);
        assert_eq!(told("/x", &three), PageKind::Listing);
        assert_eq!(
            told("/x", "<meta property='og:type' content='article'>"),
            PageKind::Article
        );
        assert_eq!(told("/x", "<h1>Imprint</h1>"), PageKind::Legal);
        assert_eq!(
            told("/x", "<title>Contact us - Kite workshop</title>"),
            PageKind::Contact
        );
        // Broken or hostile data says nothing.
        assert_eq!(told("/x", &ld("{\"@type\": ")), PageKind::Other);
        let deep = format!("{}{}", "[".repeat(200), "]".repeat(200));
        assert_eq!(told("/x", &ld(&deep)), PageKind::Other);
        // A privacy page published as an article is a legal page.
        assert_eq!(
            told("/privacy", &ld(r#"{"@type": "Article"}"#)),
            PageKind::Legal
        );
    }

    #[test]
    fn words_are_read_back_and_mistakes_get_the_nearest() {
        for kind in PageKind::ALL {
            assert_eq!(PageKind::parse(kind.word()), Ok(kind));
        }
        assert_eq!(PageKind::parse("iten"), Err("item"));
    }
}
