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

/// Widget that comes through a set.
pub struct TaggedWidget<'a> {
    /// Supplier of the widget.
    pub supplier: &'a Supplier,
    /// Its snippet.
    pub html: &'a str,
    /// Pages of the site that it should be on.
    pub rules: &'a PageRules,
    /// Category of the consent manager that it waits for.
    pub consent: Option<&'a str>,
    /// Keys of the site's other widgets: their tags stay as they are.
    pub siblings: &'a [&'a str],
}

impl TaggedWidget<'_> {
    fn is_carried_by(&self, tag: &Tag) -> bool {
        let others = || tag.has_key_of(self.supplier, self.siblings);
        tag.carries(self.supplier, None) && !others()
    }
}

/// The tag of a snippet, once, with the right code, the site's page rules and its consent
/// condition; others' tags stay as they are.
///
/// # Errors
/// [`TagError::Kind`], where a page rule is by kind.
pub fn place(set: &TagSet, widget: &TaggedWidget) -> Result<TagChange, TagError> {
    let TaggedWidget {
        supplier,
        html,
        rules,
        consent,
        ..
    } = widget;
    for_a_set(rules)?;
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
        if !widget.is_carried_by(tag) {
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
    let live = set.published().iter().find(|t| widget.is_carried_by(t));
    if told.is_empty() && live != Some(&tag) {
        told.push("the draft is right already and is published".into());
    }
    Ok(TagChange { tags, tag, told })
}

/// A set's rules are addresses alone.
fn for_a_set(rules: &PageRules) -> Result<(), TagError> {
    let by_kind = |p: &&Pattern| p.text().starts_with("kind:");
    match rules.on.iter().chain(&rules.not_on).find(by_kind) {
        Some(rule) => Err(TagError::Kind(rule.text().to_string())),
        None => Ok(()),
    }
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
