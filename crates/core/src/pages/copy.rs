//! One page of a site as it was had by HTTP alone.

use crate::observation::{
    Condition, DeliveredPage, FailureKind, Look, Looks, NetFailure, Observation, Unlooked, VERSION,
};
use serde::{Deserialize, Serialize};
use url::Url;

/// How a page came to be known.
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
    /// As it is stored.
    pub fn word(self) -> &'static str {
        match self {
            FoundBy::Given => "given",
            FoundBy::Sitemap => "sitemap",
            FoundBy::Link => "link",
        }
    }
}

/// One page as it was had by HTTP alone.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct PageCopy {
    /// Its address.
    pub url: Url,
    /// How it came to be known.
    pub found: FoundBy,
    /// What was delivered, or why nothing was.
    pub page: DeliveredPage,
}

impl PageCopy {
    /// One that could not be had for a reason of ours.
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

    /// Where it was delivered from.
    pub fn at(&self) -> Url {
        Url::parse(&self.page.final_url).unwrap_or_else(|_| self.url.clone())
    }

    /// A document that a visitor would see.
    pub fn is_had(&self) -> bool {
        self.page.failure.is_none() && self.page.status.is_some_and(|s| s < 400) && self.is_html()
    }

    /// By its media type; where none is said, by its beginning.
    fn is_html(&self) -> bool {
        let mime = self.page.mime.to_ascii_lowercase();
        match mime.is_empty() {
            true => self.page.html.trim_start().starts_with('<'),
            false => mime.contains("html"),
        }
    }

    /// Why it could not be had, in words.
    pub fn why_not(&self) -> String {
        match (&self.page.failure, self.page.status) {
            (Some(failure), _) => failure.text.clone(),
            (None, Some(status)) if status >= 400 => format!("it answers with status {status}"),
            (None, _) => format!("it is no page but {}", self.page.mime),
        }
    }

    /// As the checks read it: the document was read, and nobody looked at anything else.
    pub fn as_observation(&self) -> Observation {
        let nobody = Look::NotLooked {
            why: Unlooked::NoBrowser,
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
