//! "The loader's request failed, and how." Status first: a 404 page of HTML is `fetched.status`.
//! Failures whose codes differ by their kind only stand in a table. A request that was still
//! pending is the server's delay only where the visit watched to the end.

use crate::chain::answer::Answer;
use crate::chain::evidence::{lines, request};
use crate::chain::facts::Facts;
use newtfern_model::code::Code::{self, *};
use newtfern_model::finding::Finding;
use newtfern_standards::observation::{FailureKind, NotCheckedReason, Request, RequestKind};

/// The codes this rule can give.
pub const CODES: &[Code] = &[
    FetchedDns,
    FetchedRefused,
    FetchedTls,
    FetchedTimeout,
    FetchedStatus,
    FetchedType,
    FetchedIntegrity,
    FetchedCors,
    FetchedCutOff,
    FetchedBlockedClient,
];

const VISIT_AGAIN: &str = "Visit again; if it happens again, ask {name} why {host} does not \
    answer.";
const OTHER_INTEGRITY: &str = "{What} does not match the integrity value in the page.";
const DROP_INTEGRITY: &str = "In the snippet, update or remove the integrity attribute.";

/// Kind of failure, code, summary, remedy. `{What}` is the file, `{host}` its host, `{name}` the
/// supplier, `{origin}` the page's.
#[rustfmt::skip]
const TABLE: &[(FailureKind, Code, &str, &str)] = &[
    (FailureKind::Dns, FetchedDns, "The name {host} does not resolve.",
        "Correct the host in the snippet, or ask {name} whether it has moved."),
    (FailureKind::Refused, FetchedRefused, "{host} refuses the connection.",
        "Ask {name} whether {host} is down, and check the port in the snippet."),
    (FailureKind::BadPort, FetchedRefused, "Browsers do not connect to the port of {host} in this \
        address (Fetch Standard, bad ports).",
        "Correct the port in the snippet."),
    (FailureKind::Tls, FetchedTls, "The secure connection to {host} failed.",
        "Tell {name} that the certificate of {host} is not valid."),
    (FailureKind::Timeout, FetchedTimeout, "{host} did not answer in time.", VISIT_AGAIN),
    (FailureKind::Type, FetchedType, "{What} is not a script: the browser refused \
        what {host} sent.",
        "Correct the loader's address in the snippet."),
    (FailureKind::Integrity, FetchedIntegrity, OTHER_INTEGRITY, DROP_INTEGRITY),
    (FailureKind::Cors, FetchedCors, "{host} does not allow this origin to read its answer.",
        "Remove crossorigin from the snippet, or ask {name} to allow {origin}."),
    (FailureKind::CutOff, FetchedCutOff, "{What} ended before it was complete.",
        "Visit again; if it happens again, tell {name} that {host} cuts its answers off."),
    (FailureKind::BlockedClient, FetchedBlockedClient, "{What} was blocked in the browser, as a \
        content blocker does.",
        "Visit with a browser without content blockers."),
    (FailureKind::RedirectLoop, FetchedStatus, "{What} redirects in a circle.",
        "Tell {name} that {host} redirects in a circle."),
];

/// Pictures, fonts and sounds do not keep a widget from starting; status answers of its service are
/// told as such.
fn is_needed(r: &Request) -> bool {
    use RequestKind::*;
    !matches!(r.kind, Image | Font | Media | Ping | WebSocket | Preflight)
}

fn loads_code(r: &Request) -> bool {
    use RequestKind::*;
    matches!(r.kind, Script | Stylesheet | Document | Other | Untold)
}

/// Judges whether each file that it needs arrived.
pub fn judge(c: &Facts) -> Answer {
    if c.up() {
        return Answer::Holds;
    }
    let asked = c.widget_requests().filter(|r| is_needed(r));
    let mut judged = asked.map(|r| one(c, r)).filter(|a| *a != Answer::Holds);
    judged.next().unwrap_or(Answer::Holds)
}

/// Judges one request. A failure that the page itself or its policy caused, and a refused frame,
/// are in no row of the table: they are told elsewhere.
fn one(c: &Facts, r: &Request) -> Answer {
    if let Some(status) = r.status.filter(|s| *s >= 400 && loads_code(r)) {
        let summary = format!("{{What}} answers with status {status}.");
        let remedy = format!(
            "Correct the address in the snippet, or ask {{name}} why {{host}} answers {status}."
        );
        return told(c, r, FetchedStatus, &summary, &remedy);
    }
    if r.kind == RequestKind::Script
        && let Some((code, summary, remedy)) = refused_script(c, r)
    {
        return told(c, r, code, &summary, remedy);
    }
    let Some(failure) = &r.failure else {
        return pending(c, r);
    };
    if failure.kind == FailureKind::Guard {
        let what = format!("{} of the widget", r.url);
        return Answer::cannot_tell(what, NotCheckedReason::Guarded);
    }
    match TABLE.iter().find(|(kind, ..)| *kind == failure.kind) {
        Some((_, code, summary, remedy)) => told(c, r, *code, summary, remedy),
        None if failure.kind == FailureKind::Other && r.kind == RequestKind::Script => {
            let summary = format!("{{What}} did not arrive: {}.", failure.text);
            let remedy = "Visit again; if it happens again, ask {name} about {host}.";
            told(c, r, FetchedRefused, &summary, remedy)
        }
        None => Answer::Holds,
    }
}

/// Returns what the console says of a script that arrived and was not run.
fn refused_script(c: &Facts, r: &Request) -> Option<(Code, String, &'static str)> {
    let said = |word: &str| {
        c.seen.console.iter().any(|m| {
            m.text.to_lowercase().contains(word) && (m.text.contains(&r.url) || m.url == r.url)
        })
    };
    if said("integrity") {
        return Some((FetchedIntegrity, OTHER_INTEGRITY.into(), DROP_INTEGRITY));
    }
    if said("mime type") {
        return Some((
            FetchedType,
            format!(
                "{{What}} arrives as {}, which browsers refuse to run as script.",
                r.mime
            ),
            "Ask {name} to serve it as text/javascript, or correct the address in the snippet.",
        ));
    }
    let no_script = |e: &newtfern_standards::observation::Message| {
        e.url == r.url && e.text.contains("SyntaxError")
    };
    let html = r.mime.contains("html") && c.seen.exceptions.iter().any(no_script);
    html.then(|| {
        (
            FetchedType,
            "{What} is an HTML page instead of script.".into(),
            "Correct the loader's address in the snippet.",
        )
    })
}

/// Requests that wait for their answer at once, up to which the browser sends one more (measured
/// with Chromium 156 behind one proxy: with 100 it did, with 300 not).
const MOST_OPEN: usize = 100;

/// So many requests were waiting when this one was made that the browser may have kept it back.
fn crowded(c: &Facts, r: &Request) -> bool {
    let open = |o: &&Request| o.status.is_none() && o.end_ms.is_none() && o.start_ms <= r.start_ms;
    c.seen.requests.iter().filter(open).count() > MOST_OPEN
}

/// A request that had not ended: its server's time, if ours was not over first.
fn pending(c: &Facts, r: &Request) -> Answer {
    if r.end_ms.is_some() || r.redirected_to.is_some() {
        return Answer::Holds;
    }
    let began = r.status.is_some();
    if began && (!loads_code(r) || r.kind == RequestKind::Document) {
        return Answer::Holds;
    }
    let newtfern_standards::observation::Look::NotThere { until_ms } = c.alive_look() else {
        return match c.cut_off() {
            Some(why) => Answer::cannot_tell(format!("how {} ends", r.url), why),
            None => Answer::Holds,
        };
    };
    if !began && crowded(c, r) {
        return Answer::cannot_tell(format!("how {} ends", r.url), NotCheckedReason::Crowded);
    }
    let waited = (until_ms - r.start_ms).max(0.0) / 1000.0;
    let summary = if began {
        format!("{{What}} began to arrive and did not end in {waited:.0} s.")
    } else {
        format!("{{What}} did not arrive in {waited:.0} s.")
    };
    told(c, r, FetchedTimeout, &summary, VISIT_AGAIN)
}

fn told(c: &Facts, r: &Request, code: Code, summary: &str, remedy: &str) -> Answer {
    let what = match c.inspector.shape.is_loader(c.case.supplier, &r.url) {
        true => "The loader",
        false => "A file the widget needs",
    };
    let host = r.host().unwrap_or_default();
    let fill = |text: &str| {
        text.replace("{What}", what)
            .replace("{host}", &host)
            .replace("{name}", &c.case.supplier.name)
            .replace("{origin}", &c.page.origin().ascii_serialization())
    };
    Finding::broken(code, fill(summary), fill(remedy))
        .with(request(r))
        .with_all(lines(c.live().next()))
        .into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{
        GOOD, answer, error, healthy, loaded, loader, page, root, script, told, undecided, with,
    };
    use newtfern_standards::observation::{Look, Message, Observation};

    fn with_loader(status: Option<u16>, kind: Option<FailureKind>) -> Observation {
        with(page(GOOD), |o| o.requests.push(loader(status, kind)))
    }

    #[test]
    fn each_kind_has_its_code_and_status_comes_first() {
        for (kind, code, ..) in TABLE {
            assert_eq!(
                root(with_loader(None, Some(*kind))),
                Some(*code),
                "{kind:?}"
            );
        }
        let blocked = with_loader(Some(503), Some(FailureKind::Type));
        assert_eq!(root(blocked), Some(FetchedStatus));
        assert_eq!(root(with_loader(Some(404), None)), Some(FetchedStatus));
        assert_eq!(
            root(with_loader(None, Some(FailureKind::Other))),
            Some(FetchedRefused)
        );
    }

    #[test]
    fn the_loader_is_named_with_its_line() {
        let found = super::tests::told(with_loader(Some(404), None));
        assert!(
            found
                .summary
                .starts_with("The loader answers with status 404")
        );
        assert!(
            found
                .evidence
                .iter()
                .any(|e| e.line().starts_with("line 5"))
        );
    }

    #[test]
    fn a_pending_file_is_the_servers_delay_only_where_we_watched_to_the_end() {
        let never = with(page(GOOD), |o| {
            o.requests.push(Request {
                end_ms: None,
                start_ms: 1000.0,
                ..loader(None, None)
            });
        });
        let found = super::tests::told(never.clone());
        assert_eq!(found.code, FetchedTimeout);
        assert!(found.summary.contains("in 5 s"), "{}", found.summary);
        let cut = with(never, |o| {
            o.looks.alive = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        });
        undecided(cut, "the visit ran out of time");
        let began = with(page(GOOD), |o| {
            o.requests.push(Request {
                end_ms: None,
                ..loader(Some(200), None)
            });
        });
        assert!(
            super::tests::told(began)
                .summary
                .contains("began to arrive")
        );
    }

    #[test]
    fn what_the_console_says_of_a_script_counts() {
        let said = |text: &str| {
            with(loaded(), |o| {
                o.console.push(Message {
                    text: format!("{text} https://cdn.example.test/l.js"),
                    ..Message::default()
                });
            })
        };
        assert_eq!(
            root(said("Failed to find a valid digest in the 'integrity'")),
            Some(FetchedIntegrity)
        );
        assert_eq!(
            root(said("its MIME type ('text/plain') is not executable")),
            Some(FetchedType)
        );
        let html = with(loaded(), |o| {
            o.requests[0].mime = "text/html".into();
            let l = "https://cdn.example.test/l.js";
            o.exceptions
                .push(error(l, "SyntaxError: Unexpected token '<'"));
        });
        assert_eq!(root(html), Some(FetchedType));
    }

    #[test]
    fn pictures_service_answers_and_a_widget_that_is_up_are_no_matter_of_fetching() {
        let image = with(loaded(), |o| {
            let i = script("https://cdn.example.test/i.png", Some(404), None);
            o.requests.push(Request {
                kind: RequestKind::Image,
                ..i
            });
        });
        assert_eq!(root(image), Some(StartedSilent));
        let service = with(loaded(), |o| o.requests.push(answer(500, "")));
        assert_eq!(root(service), Some(StartedService));
        let up = with(healthy(), |o| o.requests.push(loader(Some(404), None)));
        assert_eq!(root(up), None);
    }

    #[test]
    fn what_our_own_rule_keeps_away_is_undecided() {
        undecided(with_loader(None, Some(FailureKind::Guard)), "network rule");
    }

    #[test]
    fn a_picture_that_cannot_be_had_keeps_nothing_from_starting() {
        let image = with(loaded(), |o| {
            let i = script(
                "https://cdn.example.test/i.png",
                None,
                Some(FailureKind::Dns),
            );
            o.requests.push(Request {
                kind: RequestKind::Image,
                ..i
            });
        });
        assert_eq!(root(image), Some(StartedSilent));
    }

    #[test]
    fn what_is_said_of_another_script_is_not_said_of_this_one() {
        let other = "https://other.example/o.js";
        let said = with(loaded(), |o| {
            let text = format!("Failed to find a valid digest in the 'integrity' of {other}");
            o.console.push(error(other, &text));
        });
        assert_eq!(root(said), Some(StartedSilent));
        let html = |url: &'static str, text: &'static str| {
            root(with(loaded(), |o| {
                o.requests[0].mime = "text/html".into();
                o.exceptions.push(error(url, text));
            }))
        };
        assert_eq!(
            html("https://other.example/o.js", "SyntaxError: x"),
            Some(StartedSilent)
        );
        let own = "https://cdn.example.test/l.js";
        assert_eq!(html(own, "TypeError: x"), Some(RanError));
    }

    #[test]
    fn one_that_was_sent_on_is_not_waited_for() {
        let sent_on = with(loaded(), |o| {
            o.requests.push(Request {
                end_ms: None,
                redirected_to: Some("https://cdn.example.test/l.js".into()),
                ..loader(Some(302), None)
            });
        });
        assert_eq!(root(sent_on), Some(StartedSilent));
    }

    #[test]
    fn an_answer_that_goes_on_is_one() {
        let goes_on = |kind: RequestKind| {
            root(with(loaded(), |o| {
                o.requests.push(Request {
                    kind,
                    end_ms: None,
                    ..answer(200, "")
                });
            }))
        };
        assert_eq!(goes_on(RequestKind::EventSource), Some(StartedSilent));
        assert_eq!(goes_on(RequestKind::Document), Some(StartedSilent));
        assert_eq!(goes_on(RequestKind::Stylesheet), Some(FetchedTimeout));
    }

    /// A page with more slow files than a browser asks for at once keeps its own loader waiting.
    #[test]
    fn what_the_browser_may_not_have_sent_is_undecided() {
        let beside = |others: usize| {
            let never = |start_ms: f64, url: String| Request {
                end_ms: None,
                start_ms,
                ..script(&url, None, None)
            };
            with(page(GOOD), |o| {
                for i in 0..others {
                    o.requests
                        .push(never(10.0, format!("https://slow{i}.example/")));
                }
                o.requests
                    .push(never(500.0, "https://cdn.example.test/l.js".into()));
            })
        };
        assert_eq!(root(beside(99)), Some(FetchedTimeout));
        undecided(beside(100), "more requests open");
        // What was answered, had ended or came later kept nothing back.
        let others = |change: fn(&mut Request)| {
            root(with(beside(150), |o| {
                let slow = o.requests.iter_mut().filter(|r| r.url.contains("slow"));
                slow.for_each(change);
            }))
        };
        let answered = |r: &mut Request| (r.kind, r.status) = (RequestKind::Fetch, Some(200));
        assert_eq!(others(answered), Some(FetchedTimeout));
        assert_eq!(others(|r| r.end_ms = Some(20.0)), Some(FetchedTimeout));
        assert_eq!(others(|r| r.start_ms = 600.0), Some(FetchedTimeout));
    }
}
