//! `started.frame`: its frame was refused (`X-Frame-Options`, RFC 7034; `frame-ancestors`, CSP 3).

use crate::chain::answer::Answer;
use crate::chain::evidence::{console, request};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{FailureKind, Message, Request, RequestKind};

/// Judges whether the widget's frame came up.
pub fn judge(c: &Facts) -> Answer {
    if c.up() {
        return Answer::Holds;
    }
    let hosts = &c.case.supplier.alive.frame_hosts;
    let ours = |r: &Request| {
        let host = r.host().unwrap_or_default();
        hosts.iter().any(|f| f.eq_ignore_ascii_case(&host))
    };
    let failed = |r: &Request| {
        let kind = r.failure.as_ref().map(|f| f.kind);
        matches!(
            kind,
            Some(FailureKind::Other | FailureKind::Policy | FailureKind::Aborted)
        )
    };
    let mut frames = c
        .seen
        .requests
        .iter()
        .filter(|r| r.kind == RequestKind::Document);
    let refused = frames.find(|r| ours(r) && failed(r));
    let about = |m: &&Message| {
        let text = m.text.to_lowercase();
        (text.contains("x-frame-options") || text.contains("frame-ancestors"))
            && hosts.iter().any(|h| m.text.contains(h.as_str()))
    };
    let said = c.seen.console.iter().find(about);
    if refused.is_none() && said.is_none() {
        return Answer::Holds;
    }
    let name = &c.case.supplier.name;
    Finding::broken(
        Code::StartedFrame,
        "The widget's frame was refused.",
        format!("In the account at {name}, allow this site to show the widget in a frame."),
    )
    .with_all(refused.map(request))
    .with_all(refused.into_iter().flat_map(framing_headers))
    .with_all(said.map(console))
    .into()
}

fn framing_headers(r: &Request) -> impl Iterator<Item = Evidence> + '_ {
    let named = |n: &str| {
        n.eq_ignore_ascii_case("x-frame-options")
            || n.eq_ignore_ascii_case("content-security-policy")
    };
    let headers = r.headers.iter().filter(move |(n, _)| named(n));
    headers.map(|(name, value)| Evidence::Header {
        name: name.clone(),
        value: value.clone(),
    })
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{error, frame, healthy, loaded, root, told, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::FailureKind;

    #[test]
    fn a_refused_frame_is_told_with_the_header_that_refused_it() {
        let refused = with(loaded(), |o| {
            let mut f = frame(Some(FailureKind::Other));
            f.headers = vec![("X-Frame-Options".into(), "DENY".into())];
            o.requests.push(f);
        });
        let found = told(refused);
        assert_eq!(found.code, Code::StartedFrame);
        assert!(
            found
                .evidence
                .iter()
                .any(|e| e.line() == "X-Frame-Options: DENY")
        );
    }

    #[test]
    fn the_consoles_word_suffices() {
        let text = "Refused to display 'https://app.example.test/' in a frame because it set \
            'X-Frame-Options' to 'deny'.";
        let said = with(loaded(), |o| o.console.push(error("", text)));
        assert_eq!(root(said), Some(Code::StartedFrame));
    }

    #[test]
    fn a_frame_that_came_and_one_of_somebody_else_are_not_refused() {
        let came = with(loaded(), |o| o.requests.push(frame(None)));
        assert_eq!(root(came), Some(Code::StartedSilent));
        let other = with(loaded(), |o| {
            o.requests.push(frame(Some(FailureKind::Other)));
            o.requests[1].url = "https://maps.example/".into();
        });
        assert_eq!(root(other), Some(Code::StartedSilent));
        let up = with(healthy(), |o| {
            o.requests.push(frame(Some(FailureKind::Other)))
        });
        assert_eq!(root(up), None);
    }

    #[test]
    fn words_of_framing_count_only_of_the_widgets_frame() {
        let near = |text: &str| root(with(loaded(), |o| o.console.push(error("", text))));
        let other = "Refused to display 'https://maps.example/' in a frame because it set \
            'X-Frame-Options' to 'deny'.";
        assert_eq!(near(other), Some(Code::StartedSilent));
        let ours = "https://app.example.test/ used a feature that will be removed.";
        assert_eq!(near(ours), Some(Code::StartedSilent));
    }
}
