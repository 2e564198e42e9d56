//! `placed.framed`: the code runs in a frame that its slot made, where its launcher cannot leave
//! that frame. Told where the loader was asked for, and by framed documents of the page only.

use crate::chain::answer::Answer;
use crate::chain::evidence::request;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{Observation, Request};

/// A document inside the page, other than the page itself.
fn is_framed(seen: &Observation, r: &Request) -> bool {
    let bare = |url: &str| url.split('#').next().unwrap_or_default().to_string();
    let asked = bare(&r.document);
    let of_the_page = |url: &String| bare(url) == asked;
    let page = [&seen.url, &seen.page.final_url];
    let moved = seen.navigations.iter().map(|n| &n.url);
    if asked.is_empty() || page.into_iter().chain(moved).any(of_the_page) {
        return false;
    }
    asked == "about:srcdoc" || seen.frames.iter().any(|f| bare(&f.url) == asked)
}

/// Judges whether the snippet is shut into a frame.
pub fn judge(c: &Facts) -> Answer {
    let asked: Vec<&Request> = c.loader_requests().collect();
    let all = asked
        .iter()
        .all(|r| is_framed(c.seen, r) && !c.supplier_address(&r.document));
    if asked.is_empty() || !all || c.alive || c.live().next().is_some() {
        return Answer::Holds;
    }
    let name = &c.case.supplier.name;
    let frame = match asked[0].document.as_str() {
        "about:srcdoc" => {
            "a frame whose document is written in the page itself (srcdoc)".to_string()
        }
        address => format!("the frame {address}"),
    };
    Finding::broken(
        Code::PlacedFramed,
        format!("The code of {name} runs in a frame of its own, which its launcher cannot leave."),
        "Take the code out of the embed block or box that makes the frame, and put it into a slot \
        that writes into the page itself.",
    )
    .with(Evidence::fact(format!(
        "asked for by {frame}, not by the page"
    )))
    .with_all(asked.into_iter().map(request))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{PAGE, loader, page, root, told, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Frame, Observation, Request};

    /// A page whose loader was asked for by `document`.
    fn asked_by(document: &str) -> Observation {
        with(page(""), |o| {
            o.frames.push(Frame {
                url: "https://kites.example/embed/7".into(),
                ..Frame::default()
            });
            o.requests.push(Request {
                document: document.into(),
                ..loader(Some(200), None)
            });
        })
    }

    #[test]
    fn a_loader_that_only_a_frame_asks_for_is_told_with_that_frame() {
        let found = told(asked_by("about:srcdoc"));
        assert_eq!(found.code, Code::PlacedFramed);
        assert!(found.evidence[0].line().contains("srcdoc"));
        assert!(found.remedy.contains("embed block"));
        let found = told(asked_by("https://kites.example/embed/7"));
        assert_eq!(found.code, Code::PlacedFramed);
        assert!(found.evidence[0].line().contains("/embed/7"));
    }

    #[test]
    fn a_loader_that_the_page_asks_for_is_not_framed() {
        for document in [
            PAGE,
            "https://kites.example/#shop",
            "",
            "https://other.test/",
        ] {
            assert_ne!(
                root(asked_by(document)),
                Some(Code::PlacedFramed),
                "{document}"
            );
        }
        // A frame and the page: the page's own is what counts.
        let both = with(asked_by("about:srcdoc"), |o| {
            o.requests.push(loader(Some(200), None))
        });
        assert_ne!(root(both), Some(Code::PlacedFramed));
    }
}
