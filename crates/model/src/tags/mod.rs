//! Published sets of a tag manager: tags with the pages on which they fire, drafts and versions.
//! Which tag carries a supplier's snippet, why it does not fire on a page, and what placing through
//! it changes. The format is ours; `docs/add-a-tag-manager.md` says how an interface or an exported
//! file gives it.

mod diagnose;
mod place;

pub use diagnose::TagLook;
pub use place::{TagChange, TaggedWidget, place};

use crate::pages::{PageKind, PageRules, Pattern};
use crate::placement::{Inspector, PieceState};
use crate::profile::{ConsentManager, Supplier};
use serde::{Deserialize, Serialize};
use url::Url;

/// Tags of one set that are read.
const MOST_TAGS: usize = 1_000;

/// A set as its interface, or an exported file, gives it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TagSet {
    /// Identifier of the set, as pages name it.
    pub id: String,
    /// Raised with each change of the draft; a write over another is refused.
    #[serde(default)]
    pub version: u64,
    /// The tags as they are being worked on.
    #[serde(default)]
    pub tags: Vec<Tag>,
    /// Version that visitors get; none where nothing was published yet.
    #[serde(default)]
    pub published: Option<PublishedSet>,
}

/// Version of a tag set that visitors get.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PublishedSet {
    /// Number of the version.
    pub version: u64,
    /// Note that was stored with it.
    #[serde(default)]
    pub note: String,
    /// Tags of the version.
    #[serde(default)]
    pub tags: Vec<Tag>,
}

/// One tag of a tag manager's set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Tag {
    /// Unique in the set.
    pub id: String,
    /// Name of the tag, for people.
    #[serde(default)]
    pub name: String,
    /// The markup that it puts into the page.
    pub html: String,
    /// Whether it is switched off.
    #[serde(default)]
    pub paused: bool,
    /// Paths on which it fires; none for all.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub on: Vec<Pattern>,
    /// Paths on which it does not; they win.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub not_on: Vec<Pattern>,
    /// The event that it waits for; none for the page itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub event: Option<String>,
    /// The consent that it waits for, by the name of the site's categories.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub consent: Option<String>,
}

/// Reason why a set is not read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TagError {
    /// The text is no JSON of this shape.
    #[error("this is not a set of tags: {0}")]
    Shape(String),
    /// More than any person keeps.
    #[error("the set has more than {MOST_TAGS} tags")]
    TooMany,
    /// A rule by kind, which a tag manager does not know.
    #[error(
        "{0} names a kind of page, which a tag manager does not know: write paths, such as \
        /legal/**"
    )]
    Kind(String),
}

impl TagSet {
    /// Reads a tag set from JSON.
    ///
    /// # Errors
    /// [`TagError`], in words.
    ///
    /// ```
    /// use newtfern_model::tags::TagSet;
    /// let set = TagSet::read(
    ///     r#"{"id": "WK-1", "tags": [
    ///         {"id": "a", "html": "<script src=/a.js></script>", "on": ["/shop/**"]}]}"#,
    /// )
    /// .unwrap();
    /// assert_eq!(set.tags[0].on[0].text(), "/shop/**");
    /// assert!(TagSet::read("[]").is_err());
    /// ```
    pub fn read(text: &str) -> Result<TagSet, TagError> {
        let set: TagSet = serde_json::from_str(text).map_err(|e| TagError::Shape(e.to_string()))?;
        let published = set.published.as_ref().map_or(0, |p| p.tags.len());
        if set.tags.len().max(published) > MOST_TAGS {
            return Err(TagError::TooMany);
        }
        Ok(set)
    }

    /// The tag is published as it is in the draft.
    pub fn is_live(&self, tag: &Tag) -> bool {
        self.published().contains(tag)
    }

    fn published(&self) -> &[Tag] {
        self.published.as_ref().map_or(&[], |p| p.tags.as_slice())
    }
}

impl Tag {
    /// Returns whether it carries the supplier's snippet, in whatever state.
    pub fn carries(&self, supplier: &Supplier, consent: Option<&ConsentManager>) -> bool {
        let pieces = Inspector::new(supplier, consent).pieces_apart(&self.html);
        pieces.iter().any(|p| p.state != PieceState::Mentioned)
    }

    /// Returns whether its code is the supplier's with one of these keys.
    fn has_key_of(&self, supplier: &Supplier, keys: &[&str]) -> bool {
        let pieces = Inspector::new(supplier, None).pieces_apart(&self.html);
        pieces
            .iter()
            .any(|p| p.key.key().is_some_and(|key| keys.contains(&key)))
    }

    /// Returns in words when it fires.
    pub fn rule_words(&self) -> String {
        let mut out = match self.on.is_empty() {
            true => "all pages".to_string(),
            false => PageRules::line(&self.on),
        };
        if !self.not_on.is_empty() {
            out.push_str(&format!(", not on {}", PageRules::line(&self.not_on)));
        }
        if let Some(event) = &self.event {
            out.push_str(&format!(", at the event {event}"));
        }
        if let Some(consent) = &self.consent {
            out.push_str(&format!(", with consent to {consent}"));
        }
        out
    }

    fn rules(&self) -> PageRules {
        PageRules::of(self.on.clone(), self.not_on.clone())
    }

    /// The condition that keeps it from firing on a page, in words.
    pub fn held_by(&self, page: &Url) -> Option<String> {
        if let Some(event) = self.event.as_ref().filter(|e| !e.is_empty()) {
            return Some(format!("it waits for the event \u{201c}{event}\u{201d}"));
        }
        let rules = self.rules();
        let decided = rules.decided_by(page, PageKind::Other);
        match (decided, rules.expects(page, PageKind::Other)) {
            (_, crate::pages::Expect::Present) => None,
            (Some(rule), _) => Some(format!("its exception {} takes this page", rule.text())),
            (None, _) => {
                let on = PageRules::line(&self.on);
                Some(format!("its rule {on} does not take this page"))
            }
        }
    }
}

#[cfg(test)]
mod tests;
