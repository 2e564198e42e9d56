//! Published sets of a tag manager: tags with the pages on which they fire, drafts and versions. Which tag
//! carries a supplier's snippet, why it does not fire on a page, and what placing through it changes. The
//! format is ours; `docs/add-a-tag-manager.md` says how an interface or an exported file gives it.

use crate::code::Code;
use crate::finding::{Evidence, Finding};
use crate::pages::{PageKind, PageRules, Pattern};
use crate::placement::{Inspector, PieceState, excerpt};
use crate::profile::{ConsentManager, Supplier};
use serde::{Deserialize, Serialize};
use url::Url;

/// Tags of one set that are read.
const MOST_TAGS: usize = 1_000;

/// A set as its interface, or an exported file, gives it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TagSet {
    /// Its id, as pages name it.
    pub id: String,
    /// Raised with each change of the draft; a write over another is refused.
    #[serde(default)]
    pub version: u64,
    /// The tags as they are being worked on.
    #[serde(default)]
    pub tags: Vec<Tag>,
    /// What visitors get; none where nothing was published yet.
    #[serde(default)]
    pub published: Option<Published>,
}

/// A published version.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Published {
    /// Its number.
    pub version: u64,
    /// What was noted with it.
    #[serde(default)]
    pub note: String,
    /// Its tags.
    #[serde(default)]
    pub tags: Vec<Tag>,
}

/// One tag.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Tag {
    /// Unique in the set.
    pub id: String,
    /// For people.
    #[serde(default)]
    pub name: String,
    /// The markup that it puts into the page.
    pub html: String,
    /// It is switched off.
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

/// Why a set is not read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TagError {
    /// It is no JSON of the shape.
    #[error("this is no set of tags: {0}")]
    Shape(String),
    /// More than any person keeps.
    #[error("the set has more than {MOST_TAGS} tags")]
    TooMany,
    /// A rule by kind, which a tag manager does not know.
    #[error(
        "{0} names a kind of page, which a tag manager does not know: write paths, such as /legal/**"
    )]
    Kind(String),
}

impl TagSet {
    /// Reads a set.
    ///
    /// # Errors
    /// [`TagError`], in words.
    ///
    /// ```
    /// use newtfern_core::tags::TagSet;
    /// let set = TagSet::read(r#"{"id": "WK-1", "tags": [{"id": "a", "html": "<script src=/a.js></script>", "on": ["/shop/**"]}]}"#).unwrap();
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
    /// It carries the supplier's snippet, in whatever state.
    pub fn carries(&self, supplier: &Supplier, consent: Option<&ConsentManager>) -> bool {
        let page = Url::parse("https://proof.invalid/").expect("constant address");
        let pieces = Inspector::new(supplier, consent).pieces(&self.html, &page);
        pieces.iter().any(|p| p.state != PieceState::Mentioned)
    }

    /// When it fires, in words.
    pub fn rule_words(&self) -> String {
        let list = |patterns: &[Pattern]| {
            let texts: Vec<&str> = patterns.iter().map(Pattern::text).collect();
            texts.join(" ")
        };
        let mut out = match self.on.is_empty() {
            true => "all pages".to_string(),
            false => list(&self.on),
        };
        if !self.not_on.is_empty() {
            out.push_str(&format!(", not on {}", list(&self.not_on)));
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
            (_, crate::chain::Expect::Present) => None,
            (Some(rule), _) => Some(format!("its exception {} takes this page", rule.text())),
            (None, _) => {
                let on: Vec<&str> = self.on.iter().map(Pattern::text).collect();
                Some(format!("its rule {} does not take this page", on.join(" ")))
            }
        }
    }
}

/// What was seen of a site's tag manager, beside a visit.
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
    /// Why the snippet that should come through this set does not come up on a page; nothing where it
    /// should have.
    pub fn diagnose(
        &self,
        supplier: &Supplier,
        consent: Option<&ConsentManager>,
        page: &Url,
    ) -> Option<Finding> {
        let (name, set, manager) = (&supplier.name, &self.set.id, &self.manager);
        let of = |tags: &[Tag]| tags.iter().find(|t| t.carries(supplier, consent)).cloned();
        let published = of(self.set.published());
        if !self.loaded.contains(set) {
            let loads = match self.loaded.as_slice() {
                [] => "no set at all".to_string(),
                sets => format!("the set {}", sets.join(", ")),
            };
            return Some(
                Finding::broken(
                    Code::PlacedTagOtherSet,
                    format!("The page loads {loads} of {manager}, and the {name} tag belongs to the set {set}."),
                    format!("Place the tag in the set that the page loads, or have the page load {set}."),
                )
                .with(Evidence::fact(format!("loaded: {loads}; named for the site: {set}"))),
            );
        }
        let Some(tag) = published else {
            let draft = of(&self.set.tags);
            return Some(match draft {
                Some(tag) => Finding::broken(
                    Code::PlacedTagDraft,
                    format!("The {name} tag is in the draft of the set {set} and not in its published version."),
                    format!("Publish the set {set} as a version."),
                )
                .with(tag.evidence()),
                None => Finding::broken(
                    Code::PlacedTagMissing,
                    format!("The page loads the set {set}, and no tag of it carries the {name} snippet."),
                    format!("Add a tag with the snippet to the set {set} and publish it."),
                )
                .with(Evidence::fact(format!("{} published tags were searched", self.set.published().len()))),
            });
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

/// What placing through a set changes.
#[derive(Debug, Clone, PartialEq)]
pub struct TagChange {
    /// All tags of the draft afterwards.
    pub tags: Vec<Tag>,
    /// The supplier's tag as it will be.
    pub tag: Tag,
    /// What is done, in words, each thing once; empty where all is right already.
    pub told: Vec<String>,
}

/// The tag of a snippet, once, with the right code, the site's page rules and its consent condition; others'
/// tags stay as they are.
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
            told.push(format!("the second tag \u{201c}{}\u{201d} goes", tag.name));
            continue;
        }
        let after = wanted(tag.id.clone(), tag.name.clone());
        for (differs, what) in [
            (tag.html != after.html, "gets the right code"),
            (tag.paused, "is switched on"),
            (
                tag.on != after.on || tag.not_on != after.not_on,
                "gets the site's page rules",
            ),
            (tag.event != after.event, "waits for no event any more"),
            (tag.consent != after.consent, "gets the consent condition"),
        ] {
            if differs {
                told.push(format!("the tag \u{201c}{}\u{201d} {what}", tag.name));
            }
        }
        tags.push(after.clone());
        ours = Some(after);
    }
    let tag = match ours {
        Some(tag) => tag,
        None => {
            let free = |id: &String| !set.tags.iter().any(|t| t.id == *id);
            let ids = (1..).map(|n| format!("{}-{n}", supplier.id));
            let id = ids.into_iter().find(free).unwrap_or_default();
            let tag = wanted(id, format!("{} widget", supplier.name));
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::GOOD;
    use crate::finding::Severity;
    use crate::profile::tests::sample;

    fn tag(id: &str, html: &str) -> Tag {
        Tag {
            id: id.into(),
            name: format!("tag {id}"),
            html: html.into(),
            paused: false,
            on: vec![],
            not_on: vec![],
            event: None,
            consent: None,
        }
    }

    fn set(draft: Vec<Tag>, live: Vec<Tag>) -> TagSet {
        TagSet {
            id: "WK-1".into(),
            version: 4,
            tags: draft,
            published: Some(Published {
                version: 3,
                note: String::new(),
                tags: live,
            }),
        }
    }

    fn told(set: TagSet, loaded: &[&str]) -> Option<(Code, String)> {
        let look = TagLook {
            manager: "Wickerset".into(),
            loaded: loaded.iter().map(|s| s.to_string()).collect(),
            set,
        };
        let page = Url::parse("https://kites.example/legal/privacy").unwrap();
        let finding = look.diagnose(&sample(), None, &page)?;
        assert_eq!(finding.severity, Severity::Broken);
        assert!(!finding.remedy.is_empty() && !finding.evidence.is_empty());
        Some((finding.code, finding.summary))
    }

    #[test]
    fn each_state_of_a_tag_has_its_cause() {
        let good = || tag("a", GOOD);
        let code = |s, loaded: &[&str]| told(s, loaded).map(|(c, _)| c);
        let here: &[&str] = &["WK-1"];
        assert_eq!(
            code(
                set(vec![], vec![tag("c", "<script src=/count.js></script>")]),
                here
            ),
            Some(Code::PlacedTagMissing)
        );
        assert_eq!(
            code(set(vec![good()], vec![]), here),
            Some(Code::PlacedTagDraft)
        );
        let paused = Tag {
            paused: true,
            ..good()
        };
        assert_eq!(
            code(set(vec![good()], vec![paused]), here),
            Some(Code::PlacedTagPaused)
        );
        assert_eq!(
            code(set(vec![good()], vec![good()]), &["WK-9"]),
            Some(Code::PlacedTagOtherSet)
        );
        assert_eq!(
            code(set(vec![good()], vec![good()]), &[]),
            Some(Code::PlacedTagOtherSet)
        );
        assert_eq!(
            code(set(vec![], vec![good()]), here),
            None,
            "it should have fired"
        );
    }

    #[test]
    fn the_condition_that_keeps_a_tag_from_firing_is_told() {
        let read = |t: &str| Pattern::read(t).unwrap();
        for (tag, why) in [
            (
                Tag {
                    on: vec![read("/shop/**")],
                    ..tag("a", GOOD)
                },
                "its rule /shop/** does not take this page",
            ),
            (
                Tag {
                    not_on: vec![read("/legal/**")],
                    ..tag("a", GOOD)
                },
                "its exception /legal/** takes this page",
            ),
            (
                Tag {
                    event: Some("cart".into()),
                    ..tag("a", GOOD)
                },
                "it waits for the event \u{201c}cart\u{201d}",
            ),
        ] {
            let (code, summary) = told(set(vec![], vec![tag]), &["WK-1"]).unwrap();
            assert_eq!(code, Code::PlacedTagRule);
            assert!(summary.contains(why), "{summary}");
        }
    }

    #[test]
    fn placing_mends_its_own_tag_and_leaves_others() {
        let others = tag("count", "<script src=/count.js></script>");
        let old = Tag {
            paused: true,
            ..tag("old", &GOOD.replace("1234", "9999"))
        };
        let second = tag("second", GOOD);
        let before = set(vec![old, others.clone(), second], vec![]);
        let rules = PageRules::of(vec![], vec![Pattern::read("/legal/**").unwrap()]);
        let change = place(&before, &sample(), GOOD, &rules, Some("chat")).unwrap();
        assert_eq!(change.tags.len(), 2);
        assert_eq!(change.tags[1], others);
        assert_eq!(
            (change.tag.id.as_str(), change.tag.html.as_str()),
            ("old", GOOD)
        );
        assert_eq!(change.tag.not_on[0].text(), "/legal/**");
        assert_eq!(change.told.len(), 5, "{:?}", change.told);
        // Placed again, only publishing is left to do; then nothing.
        let drafted = set(change.tags.clone(), vec![]);
        let again = place(&drafted, &sample(), GOOD, &rules, Some("chat")).unwrap();
        assert_eq!(again.told, ["the draft is right already and is published"]);
        let live = set(change.tags.clone(), change.tags);
        assert!(
            place(&live, &sample(), GOOD, &rules, Some("chat"))
                .unwrap()
                .told
                .is_empty()
        );
        // A new tag takes an id that is free.
        let taken = set(vec![tag("example-1", "<i>")], vec![]);
        let new = place(&taken, &sample(), GOOD, &PageRules::default(), None).unwrap();
        assert_eq!((new.tag.id.as_str(), new.tags.len()), ("example-2", 2));
        let by_kind = PageRules::of(vec![], vec![Pattern::read("kind:legal").unwrap()]);
        assert!(matches!(
            place(&taken, &sample(), GOOD, &by_kind, None),
            Err(TagError::Kind(_))
        ));
    }

    proptest::proptest! {
        #[test]
        fn any_text_is_a_set_or_an_error(text in ".{0,200}") {
            if let Ok(set) = TagSet::read(&text) {
                let _ = place(&set, &sample(), GOOD, &PageRules::default(), None);
            }
        }
    }
}
