//! Why a snippet that should come through a set does not come up on a page.

use super::{Tag, TagSet};
use crate::code::Code;
use crate::finding::{Evidence, Finding};
use crate::placement::excerpt;
use crate::profile::{ConsentManager, Supplier};
use serde::{Deserialize, Serialize};
use url::Url;

/// State of a site's tag manager, seen beside a visit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TagLook {
    /// The tag manager's name.
    pub manager: String,
    /// Sets that the page loads, by its document.
    pub loaded: Vec<String>,
    /// The set that the site should load.
    pub set: TagSet,
}

impl TagLook {
    /// Returns why the snippet that should come through this set does not come up on a page; none
    /// where it should have.
    pub fn diagnose(
        &self,
        supplier: &Supplier,
        consent: Option<&ConsentManager>,
        page: &Url,
    ) -> Option<Finding> {
        let (name, set) = (&supplier.name, &self.set.id);
        let of = |tags: &[Tag]| tags.iter().find(|t| t.carries(supplier, consent)).cloned();
        let published = of(self.set.published());
        if !self.loaded.contains(set) {
            return Some(self.other_set(name));
        }
        let Some(tag) = published else {
            return Some(self.unpublished(name, of(&self.set.tags)));
        };
        if tag.paused {
            return Some(
                Finding::broken(
                    Code::PlacedTagPaused,
                    format!("The {name} tag of the set {set} is paused."),
                    format!(
                        "Switch the tag \u{201c}{}\u{201d} on again and publish the set.",
                        tag.name
                    ),
                )
                .with(tag.evidence()),
            );
        }
        let why = tag.held_by(page)?;
        Some(
            Finding::broken(
                Code::PlacedTagRule,
                format!("The {name} tag of the set {set} does not fire on this page: {why}."),
                "Change the tag's rule so that it takes this page, and publish the set.",
            )
            .with(tag.evidence())
            .with(Evidence::fact(format!("{}: {why}", page.path()))),
        )
    }

    fn other_set(&self, name: &str) -> Finding {
        let (set, manager) = (&self.set.id, &self.manager);
        let loads = match self.loaded.as_slice() {
            [] => "no set at all".to_string(),
            sets => format!("the set {}", sets.join(", ")),
        };
        Finding::broken(
            Code::PlacedTagOtherSet,
            format!(
                "The page loads {loads} of {manager}, and the {name} tag belongs to the set {set}."
            ),
            format!("Place the tag in the set that the page loads, or have the page load {set}."),
        )
        .with(Evidence::fact(format!(
            "loaded: {loads}; named for the site: {set}"
        )))
    }

    fn unpublished(&self, name: &str, draft: Option<Tag>) -> Finding {
        let set = &self.set.id;
        let Some(tag) = draft else {
            let searched = self.set.published().len();
            return Finding::broken(
                Code::PlacedTagMissing,
                format!(
                    "The page loads the set {set}, and no tag of it carries the {name} snippet."
                ),
                format!("Add a tag with the snippet to the set {set} and publish it."),
            )
            .with(Evidence::fact(format!(
                "{searched} published tags were searched"
            )));
        };
        Finding::broken(
            Code::PlacedTagDraft,
            format!(
                "The {name} tag is in the draft of the set {set} and not in its published version."
            ),
            format!("Publish the set {set} as a version."),
        )
        .with(tag.evidence())
    }
}

impl Tag {
    fn evidence(&self) -> Evidence {
        Evidence::fact(format!(
            "tag {} \u{201c}{}\u{201d}: {}; {}",
            self.id,
            self.name,
            excerpt(&self.html),
            self.rule_words(),
        ))
    }
}
