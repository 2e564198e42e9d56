//! One page of a site as it was had by HTTP alone.

use newtfern_standards::observation::{
    Condition, DeliveredPage, FailureKind, Look, Looks, NetFailure, NotCheckedReason, Observation,
    VERSION,
};
use serde::{Deserialize, Serialize};
use url::Url;

/// Way in which a page was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FoundBy {
    /// A person gave it.
    Given,
    /// A sitemap lists it.
    Sitemap,
    /// Another page links to it.
    Link,
}

impl FoundBy {
    /// Returns the way's stored word.
    pub fn word(self) -> &'static str {
        match self {
            FoundBy::Given => "given",
            FoundBy::Sitemap => "sitemap",
            FoundBy::Link => "link",
        }
    }
}

/// Copy of one page, had by HTTP alone.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct PageCopy {
    /// Address of the page.
    pub url: Url,
    /// Way in which the page was found.
    pub found: FoundBy,
    /// Delivered page, or why there is none.
    pub page: DeliveredPage,
}

impl PageCopy {
    /// Returns the copy of a page that could not be had for a reason of ours.
    pub fn lost(url: &Url, why: &str) -> PageCopy {
        let failure = NetFailure {
            kind: FailureKind::Other,
            text: why.to_string(),
        };
        PageCopy {
            url: url.clone(),
            found: FoundBy::Given,
            page: DeliveredPage {
                final_url: url.to_string(),
                failure: Some(failure),
                ..DeliveredPage::default()
            },
        }
    }

    /// The address given, as a browser got it.
    pub fn by_browser(url: &Url, seen: Option<&Observation>) -> PageCopy {
        PageCopy {
            url: url.clone(),
            found: FoundBy::Given,
            page: seen.map_or_else(DeliveredPage::default, |o| o.page.clone()),
        }
    }

    /// Returns the address that delivered the page.
    pub fn at(&self) -> Url {
        Url::parse(&self.page.final_url).unwrap_or_else(|_| self.url.clone())
    }

    /// A document that a visitor would see.
    pub fn is_had(&self) -> bool {
        self.page.failure.is_none() && self.page.status.is_some_and(|s| s < 400) && self.is_html()
    }

    /// Returns whether the page is HTML by its media type or, where none is said, by its beginning.
    fn is_html(&self) -> bool {
        let mime = self.page.mime.to_ascii_lowercase();
        match mime.is_empty() {
            true => self.page.html.trim_start().starts_with('<'),
            false => mime.contains("html"),
        }
    }

    /// Returns in words why the page could not be had.
    pub fn why_not(&self) -> String {
        match (&self.page.failure, self.page.status) {
            (Some(failure), _) => failure.text.clone(),
            (None, Some(status)) if status >= 400 => format!("it answers with status {status}"),
            (None, _) => format!("it is not a page but {}", self.page.mime),
        }
    }

    /// Returns the copy as the checks read it: the document was read, and nobody looked at anything
    /// else.
    pub fn as_observation(&self) -> Observation {
        let nobody = Look::NotLooked {
            why: NotCheckedReason::NoBrowser,
        };
        Observation {
            version: VERSION,
            url: self.url.to_string(),
            condition: Condition::default(),
            page: self.page.clone(),
            final_html: self.page.html.clone(),
            looks: Looks {
                document: Look::Seen { at_ms: 0.0 },
                load: nobody,
                alive: nobody,
                launcher: nobody,
                stays: nobody,
                opening: nobody,
                closing: nobody,
                keyboard: nobody,
                consent_act: nobody,
                storage: nobody,
                final_document: nobody,
            },
            ..Observation::default()
        }
    }
}
