//! `placed.unpublished`: the draft has the snippet and the page that visitors get does not.

use crate::chain::answer::Answer;
use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::Purpose;
use url::Url;

/// Judges whether the snippet waits for publishing.
pub fn judge(c: &Facts) -> Answer {
    if c.alive || c.loader_requests().next().is_some() || !c.pieces().is_empty() {
        return Answer::Holds;
    }
    for draft in c.asides(Purpose::Draft).filter(|a| a.is_page()) {
        let page = Url::parse(&draft.url).unwrap_or_else(|_| c.page.clone());
        let pieces = c.inspector.pieces(&draft.html, &page);
        let Some(piece) = pieces.iter().find(|p| p.state.comes()) else {
            continue;
        };
        let name = &c.case.supplier.name;
        return Finding::broken(
            Code::PlacedUnpublished,
            format!(
                "The draft of the page has the {name} snippet, and the page that \
                visitors get does not."
            ),
            "Publish the site; saving keeps a draft only. Then empty its cache.",
        )
        .with(Evidence::fact(format!(
            "seen at the preview address {}",
            draft.url
        )))
        .with_all(lines([piece]))
        .into();
    }
    Answer::Holds
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, Wanted, aside, page};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::Purpose;

    #[test]
    fn what_only_the_draft_has_is_not_published() {
        let d = Wanted::with_asides([aside(Purpose::Draft, GOOD)]).of(&[page("<p>hello</p>")]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedUnpublished));
        let root = d.verdict.root_finding().unwrap();
        assert!(
            root.evidence[0].line().contains("preview address"),
            "{root:?}"
        );
        // A draft without it, or a page that has it, is another matter.
        let d = Wanted::with_asides([aside(Purpose::Draft, "")]).of(&[page("<p>hello</p>")]);
        assert_eq!(d.verdict.root(), Some(Code::PlacedAbsent));
        let d = Wanted::with_asides([aside(Purpose::Draft, GOOD)]).of(&[page(GOOD)]);
        assert_ne!(d.verdict.root(), Some(Code::PlacedUnpublished));
    }
}
