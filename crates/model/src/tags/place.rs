//! What placing through a set changes.

use super::{Tag, TagError, TagSet};
use crate::pages::{PageRules, Pattern};
use crate::profile::Supplier;

/// Change that placing makes to a set.
#[derive(Debug, Clone, PartialEq)]
pub struct TagChange {
    /// All tags of the draft afterwards.
    pub tags: Vec<Tag>,
    /// The supplier's tag as it will be.
    pub tag: Tag,
    /// Steps in words, each once; empty where all is right already.
    pub told: Vec<String>,
}

/// The tag of a snippet, once, with the right code, the site's page rules and its consent
/// condition; others' tags stay as they are.
///
/// # Errors
/// [`TagError::Kind`], where a page rule is by kind.
pub fn place(
    set: &TagSet,
    supplier: &Supplier,
    html: &str,
    rules: &PageRules,
    consent: Option<&str>,
) -> Result<TagChange, TagError> {
    let by_kind = |p: &&Pattern| p.text().starts_with("kind:");
    if let Some(rule) = rules.on.iter().chain(&rules.not_on).find(by_kind) {
        return Err(TagError::Kind(rule.text().to_string()));
    }
    let every = PageRules::default().on;
    let wanted = |id: String, name: String| Tag {
        id,
        name,
        html: html.to_string(),
        paused: false,
        on: match rules.on == every {
            true => Vec::new(),
            false => rules.on.clone(),
        },
        not_on: rules.not_on.clone(),
        event: None,
        consent: consent.map(str::to_string),
    };
    let mut told = Vec::new();
    let mut tags = Vec::new();
    let mut ours: Option<Tag> = None;
    for tag in &set.tags {
        if !tag.carries(supplier, None) {
            tags.push(tag.clone());
            continue;
        }
        if ours.is_some() {
            told.push(format!(
                "the second tag \u{201c}{}\u{201d} is removed",
                tag.name
            ));
            continue;
        }
        let after = wanted(tag.id.clone(), tag.name.clone());
        told.extend(differences(tag, &after));
        tags.push(after.clone());
        ours = Some(after);
    }
    let tag = match ours {
        Some(tag) => tag,
        None => {
            let tag = wanted(free_id(set, supplier), format!("{} widget", supplier.name));
            told.push("a new tag with the code is added".into());
            tags.push(tag.clone());
            tag
        }
    };
    let live = set.published().iter().find(|t| t.carries(supplier, None));
    if told.is_empty() && live != Some(&tag) {
        told.push("the draft is right already and is published".into());
    }
    Ok(TagChange { tags, tag, told })
}

/// Returns an id that no tag of the set has.
fn free_id(set: &TagSet, supplier: &Supplier) -> String {
    let free = |id: &String| !set.tags.iter().any(|t| t.id == *id);
    let ids = (1..).map(|n| format!("{}-{n}", supplier.id));
    ids.into_iter().find(free).unwrap_or_default()
}

/// Returns the changes to a tag, in words.
fn differences(tag: &Tag, after: &Tag) -> Vec<String> {
    let all = [
        (tag.html != after.html, "gets the right code"),
        (tag.paused, "is switched on"),
        (
            tag.on != after.on || tag.not_on != after.not_on,
            "gets the site's page rules",
        ),
        (tag.event != after.event, "waits for no event any more"),
        (tag.consent != after.consent, "gets the consent condition"),
    ];
    let told = all.into_iter().filter(|(differs, _)| *differs);
    told.map(|(_, what)| format!("the tag \u{201c}{}\u{201d} {what}", tag.name))
        .collect()
}
