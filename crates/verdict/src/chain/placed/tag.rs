//! `placed.tag-*`: the snippet should come through a tag manager's set, and that set says why it
//! does not.

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::tags::TagLook;
use newtfern_standards::observation::Purpose;

/// Codes that this rule can tell.
pub const CODES: &[Code] = &[
    Code::PlacedTagMissing,
    Code::PlacedTagDraft,
    Code::PlacedTagPaused,
    Code::PlacedTagRule,
    Code::PlacedTagOtherSet,
];

/// Judges whether the tag manager's set has the tag.
pub fn judge(c: &Facts) -> Answer {
    if c.alive || c.loader_requests().next().is_some() || c.live().next().is_some() {
        return Answer::Holds;
    }
    // A set that could not be read tells nothing.
    let looks = c.asides(Purpose::TagSet);
    let looks = looks.filter_map(|a| serde_json::from_str::<TagLook>(&a.html).ok());
    for look in looks {
        if let Some(found) = look.diagnose(c.case.supplier, c.case.consent, &c.page) {
            return found.into();
        }
    }
    Answer::Holds
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, page};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Aside, AsideLook, Purpose};

    fn set(json: &str, loaded: &str) -> Aside {
        Aside {
            purpose: Purpose::TagSet,
            url: "https://tags.example/api/sets/WK-1".into(),
            status: 200,
            html: format!(
                "{{\"manager\": \"Wickerset\", \"loaded\": [\"{loaded}\"], \"set\": {json}}}"
            ),
            look: AsideLook::Had,
            blob: None,
        }
    }

    #[test]
    fn a_page_without_the_snippet_is_explained_by_the_set_it_loads() {
        let empty = set(
            "{\"id\": \"WK-1\", \"published\": {\"version\": 1, \"tags\": []}}",
            "WK-1",
        );
        let root = |aside: &Aside, html: &str| {
            Wanted::with_asides([aside.clone()])
                .of(&[page(html)])
                .verdict
                .root()
        };
        assert_eq!(root(&empty, "<p>hello</p>"), Some(Code::PlacedTagMissing));
        // A page that has the snippet is none of the set's business, and a set that cannot be read
        // tells nothing.
        let fine = root(&empty, GOOD);
        assert!(!super::CODES.contains(&fine.unwrap_or(Code::PlacedAbsent)));
        let broken = set("{}", "WK-1");
        assert_eq!(root(&broken, "<p>hello</p>"), Some(Code::PlacedAbsent));
    }
}
