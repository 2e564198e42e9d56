//! What a page is for.

use newtfern_standards::typed::UnknownName;
use serde::{Deserialize, Serialize};

/// Purpose of a page.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize,
)]
#[serde(rename_all = "lowercase")]
pub enum PageKind {
    /// Home page of the site.
    Home,
    /// Many things to choose from.
    Listing,
    /// Page of one product, event or offer.
    Item,
    /// Basket and payment.
    Basket,
    /// Article or news entry.
    Article,
    /// Ways to reach the business.
    Contact,
    /// Legal page: privacy, imprint or terms.
    Legal,
    /// Page of no other kind.
    #[default]
    Other,
}

impl TryFrom<String> for PageKind {
    type Error = UnknownName;

    fn try_from(word: String) -> Result<PageKind, UnknownName> {
        PageKind::parse(&word).map_err(|_| UnknownName(word))
    }
}

impl PageKind {
    /// Every kind, in the order of the contract.
    pub const ALL: [PageKind; 8] = [
        PageKind::Home,
        PageKind::Listing,
        PageKind::Item,
        PageKind::Basket,
        PageKind::Article,
        PageKind::Contact,
        PageKind::Legal,
        PageKind::Other,
    ];

    /// The word of the public contract.
    pub fn word(self) -> &'static str {
        match self {
            PageKind::Home => "home",
            PageKind::Listing => "listing",
            PageKind::Item => "item",
            PageKind::Basket => "basket",
            PageKind::Article => "article",
            PageKind::Contact => "contact",
            PageKind::Legal => "legal",
            PageKind::Other => "other",
        }
    }

    /// Reads a kind by its word.
    ///
    /// # Errors
    /// The nearest word, where there is none.
    pub fn parse(word: &str) -> Result<PageKind, &'static str> {
        let same = PageKind::ALL.into_iter().find(|k| k.word() == word);
        let words = || PageKind::ALL.into_iter().map(PageKind::word);
        same.ok_or_else(|| newtfern_standards::nearest::nearest(word, words()).unwrap_or("other"))
    }
}
