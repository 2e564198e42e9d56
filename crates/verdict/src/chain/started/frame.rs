//! `started.frame`: its frame was refused (`X-Frame-Options`, RFC 7034; `frame-ancestors`, CSP 3).

use crate::chain::answer::Answer;
use crate::chain::evidence::{boxed, console, request};
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::{FailureKind, Message, PanelFrame, Request, RequestKind};

/// Judges whether the widget's frame came up.
pub fn judge(c: &Facts) -> Answer {
    if c.up() {
        return in_panel(c);
    }
    let hosts = &c.case.supplier.alive.frame_hosts;
    let ours = |r: &Request| {
        let host = r.host().unwrap_or_default();
        hosts.iter().any(|f| f.eq_ignore_ascii_case(&host))
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

fn failed(r: &Request) -> bool {
    let kind = r.failure.as_ref().map(|f| f.kind);
    matches!(
        kind,
        Some(FailureKind::Other | FailureKind::Policy | FailureKind::Aborted)
    )
}

/// A frame that takes up less of the panel than this carries something beside the talk.
const OF_THE_PANEL: f64 = 0.3;

/// The open panel of a widget that is up must show a document: refused, an error page and a blank
/// one are of no use to the visitor.
fn in_panel(c: &Facts) -> Answer {
    let operation = c.seen.operation.iter();
    let mut frames = operation
        .flat_map(|o| &o.panel_frames)
        .filter(|f| f.share >= OF_THE_PANEL);
    let found = frames.find_map(|f| empty_frame(c, f));
    found.map_or(Answer::Holds, Answer::from)
}

fn empty_frame(c: &Facts, frame: &PanelFrame) -> Option<Finding> {
    let name = &c.case.supplier.name;
    let asked = c.seen.requests.iter().rev();
    let asked = asked.filter(|r| r.kind == RequestKind::Document);
    let answer = { asked }.find(|r| r.url == frame.url);
    let framing =
        || format!("In the account at {name}, allow this site to show the widget in a frame.");
    let report =
        || format!("Check the account at {name}; if it is in order, report this address to them.");
    let status = answer.and_then(|r| r.status).filter(|s| *s >= 400);
    let (why, remedy) = match (answer, status) {
        (_, Some(status)) => (format!("answered with status {status}"), report()),
        (Some(r), None) if failed(r) => ("was refused".to_string(), framing()),
        _ if frame.content == Some(0) => ("is blank".to_string(), report()),
        _ => return None,
    };
    let summary = format!("The panel opens, but its frame {why}.");
    let found = Finding::broken(Code::StartedFrame, summary, remedy);
    let found = match answer {
        Some(r) => found.with(request(r)).with_all(framing_headers(r)),
        None => found,
    };
    let panel = c.seen.operation.as_ref().and_then(|o| o.panel);
    let share = format!(
        "{} takes up {:.0} % of the panel",
        frame.url,
        frame.share * 100.0
    );
    let found = found.with(Evidence::fact(share));
    Some(match panel {
        Some(at) => found.with(boxed("open panel", &at)),
        None => found,
    })
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
    use newtfern_standards::observation::{FailureKind, Observation, PanelFrame, Request};

    /// A widget that opens, whose panel is this frame.
    fn opened(request: Request, content: Option<u32>, share: f64) -> Observation {
        with(healthy(), |o| {
            let url = request.url.clone();
            o.requests.push(request);
            let operation = o.operation.get_or_insert_default();
            operation.panel_frames = vec![PanelFrame {
                url,
                share,
                content,
            }];
        })
    }

    #[test]
    fn an_open_panel_must_show_a_document() {
        let status = |status| Request {
            status: Some(status),
            ..frame(None)
        };
        let found = told(opened(status(503), Some(19), 0.9));
        assert_eq!(found.code, Code::StartedFrame);
        assert!(
            found.summary.contains("answered with status 503"),
            "{found:?}"
        );
        assert!(found.evidence[0].line().contains("503"));
        assert!(found.remedy.contains("report this address"));
        let refused = told(opened(frame(Some(FailureKind::Other)), None, 0.9));
        assert!(
            refused.summary.contains("was refused") && refused.remedy.contains("allow this site")
        );
        let blank = told(opened(status(200), Some(0), 0.9));
        assert!(blank.summary.contains("is blank"), "{blank:?}");
        // It shows something, could not be asked, or is no part of the talk.
        assert_eq!(root(opened(status(200), Some(1), 0.9)), None);
        assert_eq!(root(opened(status(200), None, 0.9)), None);
        assert_eq!(root(opened(status(503), Some(0), 0.1)), None);
    }

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
