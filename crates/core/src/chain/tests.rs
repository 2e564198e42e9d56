//! One case a rule, from hand-made observations; whole recorded ones are in `tests/recorded.rs`.

use super::*;
use crate::observation::*;
use crate::profile::tests::{SAMPLE, sample};

const GOOD: &str =
    "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>";
const PAGE: &str = "https://kites.example/";

fn html(body: &str) -> String {
    format!(
        "<!doctype html>\n<html><head><title>Kites</title></head>\n<body>\n<h1>Kites</h1>\n{body}\n</body></html>\n"
    )
}

/// A page that arrived and holds `body`; nothing of the widget came.
fn page(body: &str) -> Observation {
    Observation {
        version: VERSION,
        url: PAGE.into(),
        page: Page {
            final_url: PAGE.into(),
            status: Some(200),
            mime: "text/html".into(),
            html: html(body),
            ..Page::default()
        },
        final_html: html(body),
        alive: AliveSign {
            watched_ms: 6000.0,
            ..AliveSign::default()
        },
        ..Observation::default()
    }
}

fn script(url: &str, status: Option<u16>, failure: Option<FailureKind>) -> Request {
    Request {
        url: url.into(),
        method: "GET".into(),
        kind: "script".into(),
        status,
        mime: "text/javascript".into(),
        failure: failure.map(|kind| NetFailure {
            kind,
            text: format!("{kind:?}"),
        }),
        end_ms: Some(50.0),
        document: PAGE.into(),
        ..Request::default()
    }
}

fn loader(status: Option<u16>, failure: Option<FailureKind>) -> Request {
    script("https://cdn.example.test/l.js", status, failure)
}

/// A page with the good snippet whose loader arrived.
fn loaded() -> Observation {
    let mut o = page(GOOD);
    o.requests.push(loader(Some(200), None));
    o
}

fn healthy() -> Observation {
    let mut o = loaded();
    o.alive.at_ms = Some(800.0);
    o.launcher = Some(Launcher {
        seen_ms: Some(900.0),
        present: true,
        rect: Rect {
            x: 1200.0,
            y: 720.0,
            width: 60.0,
            height: 60.0,
        },
        reachable: 1.0,
        name: "Chat".into(),
        role: "button".into(),
        focusable: true,
        ..Launcher::default()
    });
    o.operation = Some(Operation {
        opened_ms: Some(80.0),
        closed: Some(true),
        keyboard_opened: Some(true),
        ..Operation::default()
    });
    o
}

fn on_phone(mut o: Observation) -> Observation {
    o.condition.viewport = Viewport::Phone;
    if let Some(l) = o.launcher.as_mut() {
        l.rect = Rect {
            x: 310.0,
            y: 760.0,
            width: 60.0,
            height: 60.0,
        };
    }
    o
}

struct Ask {
    supplier: Supplier,
    rivals: Vec<Supplier>,
    expect: Expect,
    consent: Option<ConsentManager>,
    asides: Vec<Aside>,
}

impl Default for Ask {
    fn default() -> Self {
        Ask {
            supplier: sample(),
            rivals: vec![],
            expect: Expect::Present,
            consent: None,
            asides: vec![],
        }
    }
}

impl Ask {
    fn of(&self, visits: &[Observation]) -> Diagnosis {
        diagnose(&Case {
            supplier: &self.supplier,
            rivals: &self.rivals,
            key: Some("abcd-1234"),
            expect: self.expect,
            consent: self.consent.as_ref(),
            visits,
            asides: &self.asides,
        })
    }
}

fn root(o: Observation) -> String {
    let d = Ask::default().of(&[o]);
    // The public contract: a broken outcome has one root, its link is broken, those after are not reached.
    let broken: Vec<&ChainLink> = d
        .chain
        .iter()
        .filter(|l| l.state == LinkState::Broken)
        .collect();
    assert_eq!(broken.len(), usize::from(d.root.is_some()));
    if let Some(f) = d.root_finding() {
        assert_eq!(Some(broken[0].link), f.link);
        assert!(
            f.severity == crate::finding::Severity::Broken
                && !f.summary.is_empty()
                && f.remedy.ends_with('.'),
            "{f:?}"
        );
        assert!(
            !f.evidence.is_empty() || f.code == "started.silent",
            "{f:?}"
        );
    }
    d.root.unwrap_or_else(|| format!("{:?}", d.outcome))
}

fn with(mut o: Observation, change: impl FnOnce(&mut Observation)) -> Observation {
    change(&mut o);
    o
}

fn error(url: &str, text: &str) -> Message {
    Message {
        level: "error".into(),
        text: text.into(),
        url: url.into(),
        line: Some(1),
        ..Message::default()
    }
}

#[test]
fn delivered() {
    let fails = |kind| {
        with(page(""), |o| {
            o.page = Page {
                failure: Some(NetFailure {
                    kind,
                    text: "x".into(),
                }),
                ..Page::default()
            };
        })
    };
    assert_eq!(root(fails(FailureKind::Dns)), "delivered.dns");
    assert_eq!(root(fails(FailureKind::Refused)), "delivered.refused");
    assert_eq!(root(fails(FailureKind::Tls)), "delivered.tls");
    assert_eq!(root(fails(FailureKind::Timeout)), "delivered.timeout");
    assert_eq!(
        root(fails(FailureKind::RedirectLoop)),
        "delivered.redirect-loop"
    );
    assert_eq!(
        root(with(page(GOOD), |o| o.page.status = Some(503))),
        "delivered.status"
    );
    assert_eq!(
        root(with(page(""), |o| o.page.mime = "application/pdf".into())),
        "delivered.not-html"
    );
    assert_eq!(
        root(with(page(""), |o| o.page.final_url =
            "https://elsewhere.example/".into())),
        "delivered.elsewhere"
    );
    let hung = with(page(GOOD), |o| {
        o.final_html.clear();
        o.ended = Ended::Hung;
    });
    assert_eq!(root(hung), "delivered.timeout");
}

#[test]
fn www_and_https_are_not_elsewhere_and_a_redirect_by_script_counts() {
    assert_eq!(
        root(with(healthy(), |o| o.url = "http://www.kites.example/".into())),
        "Working"
    );
    let moved = with(page(GOOD), |o| {
        o.navigations.push(Navigation {
            url: "https://parked.example/".into(),
            at_ms: 300.0,
            same_document: false,
        })
    });
    assert_eq!(root(moved), "delivered.elsewhere");
}

#[test]
fn placed() {
    assert_eq!(root(page("")), "placed.absent");
    assert_eq!(root(page(&format!("<!-- {GOOD} -->"))), "placed.commented");
    assert_eq!(root(page(&GOOD.replace('<', "&lt;"))), "placed.as-text");
    assert_eq!(
        root(page(&format!("<template>{GOOD}</template>"))),
        "placed.inert"
    );
    assert_eq!(
        root(page(&format!("<script>{GOOD}</script>"))),
        "placed.double-wrapped"
    );
    assert_eq!(
        root(page(&GOOD.replace('"', "\u{201d}"))),
        "placed.bad-quotes"
    );
    assert_eq!(
        root(page(
            "<script async src=\"https://cdn.example.test/l.js\" data-"
        )),
        "placed.truncated"
    );
    assert_eq!(
        root(page(&GOOD.replace("async", "type=text/plain"))),
        "placed.wrong-type"
    );
    assert_eq!(
        root(with(healthy(), |o| o.page.html =
            html(&GOOD.replace("abcd-1234", "zzzz-9999")))),
        "placed.wrong-key"
    );
    assert_eq!(
        root(with(healthy(), |o| o.page.html =
            html(&GOOD.replace("abcd-1234", "abcd-1234 ")))),
        "placed.wrong-key"
    );
    assert_eq!(
        root(with(loaded(), |o| o.page.html =
            html(&GOOD.replace("abcd-1234", "")))),
        "placed.no-key"
    );
    assert_eq!(
        root(with(healthy(), |o| o.page.html =
            html(&format!("{GOOD}\n{GOOD}")))),
        "placed.twice"
    );
}

#[test]
fn a_second_copy_brought_by_an_extension_is_twice() {
    let o = with(healthy(), |o| {
        o.final_html = html(&format!(
            "{GOOD}<script src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>"
        ))
    });
    assert_eq!(root(o), "placed.twice");
}

#[test]
fn a_leftover_comment_beside_a_working_widget_is_no_fault() {
    assert_eq!(
        root(with(healthy(), |o| o.page.html =
            html(&format!("<!-- old: {GOOD} -->\n{GOOD}")))),
        "Working"
    );
}

#[test]
fn copies_beside_the_page_tell_a_stale_cache_from_a_single_page() {
    let aside = |purpose| Ask {
        asides: vec![Aside {
            purpose,
            url: "https://kites.example/other".into(),
            status: 200,
            html: html(GOOD),
        }],
        ..Ask::default()
    };
    assert_eq!(
        aside(Purpose::Uncached).of(&[page("")]).root.as_deref(),
        Some("placed.stale-cache")
    );
    assert_eq!(
        aside(Purpose::Linked).of(&[page("")]).root.as_deref(),
        Some("placed.other-page")
    );
}

#[test]
fn altered_code_is_the_root_only_where_it_explains_the_failure() {
    let old = GOOD.replace("l.js", "old.js");
    let broken = with(page(&old), |o| {
        o.requests
            .push(script("https://cdn.example.test/old.js", Some(404), None))
    });
    assert_eq!(root(broken), "placed.altered");
    assert_eq!(
        root(with(healthy(), |o| o.page.html = html(&old))),
        "Working"
    );
    assert_eq!(
        root(with(healthy(), |o| o.page.html =
            html(&GOOD.replace("l.js", "l.js?v=7")))),
        "Working"
    );
}

#[test]
fn allowed() {
    let forbidden = with(page(GOOD), |o| {
        o.page.headers = vec![("content-security-policy".into(), "script-src 'self'".into())];
        o.requests.push(loader(None, Some(FailureKind::Policy)));
        o.violations.push(Violation {
            directive: "script-src-elem".into(),
            blocked: "https://cdn.example.test/l.js".into(),
            enforced: true,
            ..Violation::default()
        });
    });
    let d = Ask::default().of(&[forbidden]);
    assert_eq!(d.root.as_deref(), Some("allowed.policy"));
    let f = d.root_finding().unwrap();
    assert!(
        f.remedy
            .contains("script-src 'self' https://cdn.example.test"),
        "{}",
        f.remedy
    );
    assert_eq!(
        root(with(page(GOOD), |o| o
            .requests
            .push(loader(None, Some(FailureKind::Mixed))))),
        "allowed.mixed"
    );
    let refused = with(loaded(), |o| {
        o.requests.push(Request {
            url: "https://api.example.test/s".into(),
            kind: "fetch".into(),
            status: Some(403),
            body: Some("domain not allowed here".into()),
            end_ms: Some(9.0),
            ..Request::default()
        })
    });
    assert_eq!(root(refused), "allowed.domain");
}

#[test]
fn fetched() {
    let how = |status, kind| root(with(page(GOOD), |o| o.requests.push(loader(status, kind))));
    assert_eq!(how(Some(404), None), "fetched.status");
    assert_eq!(how(Some(503), Some(FailureKind::Type)), "fetched.status");
    assert_eq!(how(None, Some(FailureKind::Dns)), "fetched.dns");
    assert_eq!(how(None, Some(FailureKind::Refused)), "fetched.refused");
    assert_eq!(how(None, Some(FailureKind::Tls)), "fetched.tls");
    assert_eq!(how(None, Some(FailureKind::Timeout)), "fetched.timeout");
    assert_eq!(how(Some(200), Some(FailureKind::Type)), "fetched.type");
    assert_eq!(how(Some(200), Some(FailureKind::CutOff)), "fetched.cut-off");
    assert_eq!(how(None, Some(FailureKind::Cors)), "fetched.cors");
    assert_eq!(how(None, Some(FailureKind::Integrity)), "fetched.integrity");
    assert_eq!(
        how(None, Some(FailureKind::BlockedClient)),
        "fetched.blocked-client"
    );
    let pending = with(page(GOOD), |o| {
        o.requests.push(Request {
            end_ms: None,
            ..loader(None, None)
        })
    });
    assert_eq!(root(pending), "fetched.timeout");
    let page_instead = with(loaded(), |o| {
        o.requests[0].mime = "text/html".into();
        o.exceptions.push(error(
            "https://cdn.example.test/l.js",
            "SyntaxError: Unexpected token '<'",
        ));
    });
    assert_eq!(root(page_instead), "fetched.type");
}

#[test]
fn a_picture_that_fails_breaks_nothing() {
    let o = with(healthy(), |o| {
        o.requests.push(Request {
            kind: "image".into(),
            status: Some(404),
            url: "https://cdn.example.test/i.png".into(),
            ..Request::default()
        })
    });
    assert_eq!(root(o), "Working");
}

#[test]
fn ran() {
    let throws =
        |url: &str, text: &str| root(with(loaded(), |o| o.exceptions.push(error(url, text))));
    let l = "https://cdn.example.test/l.js";
    assert_eq!(
        throws(
            l,
            "TypeError: Cannot read properties of undefined (reading 'theme')"
        ),
        "ran.error"
    );
    assert_eq!(throws(l, "SyntaxError: Unexpected token '}'"), "ran.syntax");
    assert_eq!(
        throws(PAGE, "TypeError: exampleChat is not a function"),
        "ran.clash"
    );
    assert_eq!(
        throws(PAGE, "ReferenceError: exampleChat is not defined"),
        "ran.order"
    );
    // Somebody else's error explains nothing by itself.
    assert_eq!(
        throws(
            "https://kites.example/own.js",
            "TypeError: x is not a function"
        ),
        "started.silent"
    );
}

#[test]
fn started() {
    assert_eq!(root(loaded()), "started.silent");
    let socket = with(loaded(), |o| {
        o.sockets.push(Socket {
            url: "wss://live.example.test/s".into(),
            error: "net::ERR_CONNECTION_REFUSED".into(),
            ..Socket::default()
        })
    });
    assert_eq!(root(socket), "started.socket");
    let service = with(loaded(), |o| {
        o.requests.push(Request {
            url: "https://api.example.test/s".into(),
            kind: "fetch".into(),
            status: Some(500),
            end_ms: Some(9.0),
            ..Request::default()
        })
    });
    assert_eq!(root(service), "started.service");
    let nonsense = with(loaded(), |o| {
        o.requests.push(Request {
            url: "https://api.example.test/s".into(),
            kind: "xhr".into(),
            status: Some(200),
            mime: "application/json".into(),
            body: Some("<html>".into()),
            end_ms: Some(9.0),
            ..Request::default()
        })
    });
    assert_eq!(root(nonsense), "started.service");
    let frame = with(loaded(), |o| {
        o.requests.push(Request {
            url: "https://app.example.test/p".into(),
            kind: "document".into(),
            document: "https://app.example.test/p".into(),
            failure: Some(NetFailure {
                kind: FailureKind::Other,
                text: "net::ERR_BLOCKED_BY_RESPONSE".into(),
            }),
            ..Request::default()
        })
    });
    assert_eq!(root(frame), "started.frame");
}

#[test]
fn shown() {
    let launcher =
        |change: fn(&mut Launcher)| root(with(healthy(), |o| change(o.launcher.as_mut().unwrap())));
    assert_eq!(
        launcher(|l| l.hidden_by = Some("display: none on #x".into())),
        "shown.hidden"
    );
    assert_eq!(launcher(|l| l.rect.width = 0.0), "shown.empty");
    assert_eq!(launcher(|l| l.rect.x = 1400.0), "shown.outside");
    assert_eq!(
        launcher(|l| {
            l.reachable = 0.1;
            l.covered_by = vec![Cover {
                element: "div#bar".into(),
                share: 0.9,
            }];
        }),
        "shown.covered"
    );
    let lost = with(healthy(), |o| {
        o.launcher.as_mut().unwrap().present = false;
        o.navigations.push(Navigation {
            url: "https://kites.example/shop".into(),
            at_ms: 1500.0,
            same_document: true,
        });
    });
    assert_eq!(root(lost), "shown.route-lost");
}

#[test]
fn usable() {
    let operated = |change: fn(&mut Operation)| {
        root(with(healthy(), |o| change(o.operation.as_mut().unwrap())))
    };
    assert_eq!(operated(|op| op.opened_ms = None), "usable.no-open");
    assert_eq!(operated(|op| op.closed = Some(false)), "usable.no-close");
    assert_eq!(
        operated(|op| op.keyboard_opened = Some(false)),
        "usable.no-keyboard"
    );
    assert_eq!(
        operated(|op| op.new_window = Some("https://app.example.test/".into())),
        "usable.new-window"
    );
    assert_eq!(
        root(with(healthy(), |o| o
            .launcher
            .as_mut()
            .unwrap()
            .name
            .clear())),
        "usable.no-name"
    );
    assert_eq!(
        root(with(healthy(), |o| o
            .launcher
            .as_mut()
            .unwrap()
            .focusable = false)),
        "usable.no-keyboard"
    );
}

#[test]
fn remarks_break_nothing() {
    let rival = Supplier::from_toml(
        &SAMPLE
            .replace("cdn.example.test", "cdn.rival.test")
            .replace("exampleChat(", "rivalChat(")
            .replace("\"example\"", "\"rival\""),
    )
    .unwrap();
    let o = with(healthy(), |o| {
        o.page.html = html(&format!(
            "{GOOD}<script src=https://cdn.rival.test/l.js></script>"
        ));
        o.launcher.as_mut().unwrap().rect.width = 20.0;
        o.fixed.push(FixedElement {
            element: "div#bar".into(),
            rect: Rect {
                x: 0.0,
                y: 760.0,
                width: 1280.0,
                height: 40.0,
            },
            role: String::new(),
        });
        o.alive.after_interaction = true;
    });
    let d = Ask {
        rivals: vec![rival],
        ..Ask::default()
    }
    .of(&[o]);
    assert_eq!(d.outcome, Outcome::Working);
    let codes: Vec<&str> = d.findings.iter().map(|f| f.code.as_str()).collect();
    assert_eq!(
        codes,
        [
            "placed.rival",
            "placed.late-delay",
            "usable.small-target",
            "shown.overlap"
        ]
    );
}

#[test]
fn phones_are_told_apart() {
    let gone = with(on_phone(healthy()), |o| {
        o.launcher.as_mut().unwrap().hidden_by = Some("display: none on #x".into())
    });
    assert_eq!(
        Ask::default()
            .of(&[healthy(), gone.clone()])
            .root
            .as_deref(),
        Some("shown.phone")
    );
    // Alone, a phone visit cannot say that a desktop works.
    assert_eq!(
        Ask::default().of(&[gone]).root.as_deref(),
        Some("shown.hidden")
    );
    let deaf = with(on_phone(healthy()), |o| {
        o.operation.as_mut().unwrap().opened_ms = None
    });
    let d = Ask::default().of(&[healthy(), deaf]);
    assert_eq!(d.root.as_deref(), Some("usable.no-open"));
    assert!(
        d.root_finding()
            .unwrap()
            .evidence
            .contains(&crate::finding::Evidence::fact(
                "on a phone only; on a desktop it works"
            ))
    );
}

fn consent() -> Option<ConsentManager> {
    ConsentManager::from_toml("[gating]\ntype = \"text/plain\"\nattribute = \"data-wait\"").ok()
}

fn granted(mut o: Observation) -> Observation {
    o.condition.consent = ConsentAct::Granted;
    o.consent = ConsentSeen {
        manager: true,
        state_before: "untouched".into(),
        state_after: "granted".into(),
        acted_ms: Some(400.0),
        ..ConsentSeen::default()
    };
    o
}

#[test]
fn waiting_for_consent_is_as_intended_and_stuck_is_not() {
    let ask = Ask {
        consent: consent(),
        ..Ask::default()
    };
    let held = page(&GOOD.replace("async", "type=text/plain data-wait=chat"));
    let d = ask.of(&[held.clone(), granted(healthy())]);
    assert_eq!((d.outcome, d.root.clone()), (Outcome::AsIntended, None));
    assert_eq!(
        d.findings
            .iter()
            .map(|f| f.code.as_str())
            .collect::<Vec<_>>(),
        ["allowed.consent-waits"]
    );
    assert_eq!(
        ask.of(&[held.clone(), granted(held.clone())])
            .root
            .as_deref(),
        Some("allowed.consent-stuck")
    );
    // Something more definite than waiting is told as such.
    let failing = with(granted(held.clone()), |o| {
        o.requests.push(loader(Some(503), None))
    });
    assert_eq!(
        ask.of(&[held, failing]).root.as_deref(),
        Some("fetched.status")
    );
    // Starting while untouched is working here; the consent family judges it.
    assert_eq!(
        ask.of(&[healthy(), granted(healthy())]).outcome,
        Outcome::Working
    );
}

#[test]
fn a_managed_page_without_a_profile_is_as_intended() {
    let held = with(page(&GOOD.replace("async", "type=text/plain")), |o| {
        o.consent.tcf = true
    });
    let d = Ask::default().of(&[held]);
    assert_eq!(
        (d.outcome, d.findings[0].code.as_str()),
        (Outcome::AsIntended, "allowed.consent-waits")
    );
}

#[test]
fn absence_can_be_what_is_wanted() {
    let ask = Ask {
        expect: Expect::Absent,
        ..Ask::default()
    };
    let d = ask.of(&[page("")]);
    assert_eq!(
        (d.outcome, d.findings[0].code.as_str()),
        (Outcome::AsIntended, "allowed.page-rule")
    );
    assert_eq!(
        ask.of(&[healthy()]).root.as_deref(),
        Some("placed.unexpected")
    );
}

#[test]
fn a_delay_longer_than_the_visit_is_as_intended() {
    let late = "<script>setTimeout(function () { var s = document.createElement('script'); s.src = 'https://cdn.example.test/l.js'; document.body.appendChild(s); exampleChat('abcd-1234') }, 30000);</script>";
    let d = Ask::default().of(&[page(late)]);
    assert_eq!(
        (d.outcome, d.findings[0].code.as_str()),
        (Outcome::AsIntended, "allowed.delay")
    );
}

#[test]
fn the_json_has_the_published_fields() {
    let value = serde_json::to_value(Ask::default().of(&[loaded()])).unwrap();
    for field in ["url", "final_url", "outcome", "root", "chain", "findings"] {
        assert!(value.get(field).is_some(), "{field}");
    }
    assert_eq!(value["outcome"], "broken");
    assert_eq!(
        value["chain"][6],
        serde_json::json!({"link": "shown", "state": "not_reached"})
    );
    for field in [
        "code",
        "severity",
        "link",
        "summary",
        "evidence",
        "remedy",
        "candidates",
    ] {
        assert!(value["findings"][0].get(field).is_some(), "{field}");
    }
    let working = serde_json::to_value(Ask::default().of(&[healthy()])).unwrap();
    assert!(working["root"].is_null() && working["outcome"] == "working");
}
