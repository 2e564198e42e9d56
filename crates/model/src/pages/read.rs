//! A page that was had by HTTP, parsed once for all who ask.

use super::template::{PageShape, Shape, templates};
use super::{KindSeen, PageCopy, kind_of};
use newtfern_standards::html::Document;
use url::Url;

/// One page with its document.
pub struct ReadPage<'a> {
    /// Copy of the page.
    pub copy: &'a PageCopy,
    /// Parsed document of the page.
    pub document: Document,
    /// Address that delivered the page.
    pub at: Url,
}

impl<'a> ReadPage<'a> {
    /// Parses the document of a copy.
    pub fn of(copy: &'a PageCopy) -> ReadPage<'a> {
        ReadPage {
            copy,
            document: Document::parse(&copy.page.html),
            at: copy.at(),
        }
    }

    /// The first element with a name.
    fn first(&self, name: &str) -> Option<usize> {
        let ids = self.document.walk();
        ids.into_iter()
            .find(|id| self.document.name(*id) == Some(name))
    }

    /// Returns the language that the document says (BCP 47).
    pub fn language(&self) -> Option<String> {
        let html = self.first("html")?;
        let tag = self.document.attribute(html, "lang")?.trim();
        oxilangtag::LanguageTag::parse(tag)
            .is_ok()
            .then(|| tag.to_string())
    }

    /// Returns the title in one line.
    pub fn title(&self) -> String {
        let title = self.first("title").map(|id| self.document.text(id));
        crate::placement::excerpt(&title.unwrap_or_default())
    }
}

/// Kind and template of each page, in their order.
pub fn sorted(pages: &[ReadPage], languages: &[String]) -> Vec<(KindSeen, String)> {
    let shapes: Vec<PageShape> = pages
        .iter()
        .map(|p| PageShape {
            url: p.at.clone(),
            shape: p.copy.is_had().then(|| Shape::of(&p.document)),
        })
        .collect();
    let kinds = pages.iter().map(|p| kind_of(&p.at, &p.document, languages));
    kinds.zip(templates(&shapes)).collect()
}

/// Languages of a site: that of its first page, those of others, those that it says it has
/// elsewhere (`link rel=alternate hreflang`).
pub fn languages<'a>(pages: impl Iterator<Item = &'a ReadPage<'a>> + Clone) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    let mut add = |tag: String| {
        let known = out.iter().any(|l| l.eq_ignore_ascii_case(&tag));
        if !known && out.len() < MOST_LANGUAGES {
            out.push(tag);
        }
    };
    for page in pages.clone() {
        page.language().into_iter().for_each(&mut add);
    }
    for page in pages {
        let d = &page.document;
        for id in d
            .walk()
            .into_iter()
            .filter(|id| d.name(*id) == Some("link"))
        {
            let rel = d.attribute(id, "rel");
            let alternate = rel.is_some_and(|r| r.eq_ignore_ascii_case("alternate"));
            let Some(tag) = d.attribute(id, "hreflang").filter(|_| alternate) else {
                continue;
            };
            let is_tag = oxilangtag::LanguageTag::parse(tag).is_ok();
            if is_tag && !tag.eq_ignore_ascii_case("x-default") {
                add(tag.to_string());
            }
        }
    }
    out
}

/// Languages that are told of one site.
const MOST_LANGUAGES: usize = 100;
