//! The ordered rules, and those of the links `delivered`, `allowed` and `fetched`.

use super::context::Ctx;
use super::{rules_late as late, rules_placed as placed};
use crate::finding::{Evidence, Finding, Severity};
use crate::observation::{FailureKind, Request};
use crate::placement::State;
use crate::policy::{Asked, Policies};
use url::Url;

pub type Rule = fn(&Ctx) -> Option<Finding>;

/// In the order of the chain; inside a link the more specific rule first. The first that fires is
/// the root cause of the visit.
pub const BREAKING: &[(&str, Rule)] = &[
    ("the page could not be had", delivered_failure),
    ("the page answered with an error", delivered_status),
    ("the address leads to another site", delivered_elsewhere),
    ("the answer is no document", delivered_not_html),
    ("the widget is there twice", placed::twice),
    ("it has a key that is empty or a sample", placed::no_key),
    ("it has somebody else's key", placed::wrong_key),
    ("the cached copy lacks it", placed::stale_cache),
    ("it is there in a state that does not run", placed::damaged),
    ("other pages have it", placed::other_page),
    ("there is no trace of it", placed::absent),
    ("the page's policy forbids it", allowed_policy),
    ("an http resource on an https page", allowed_mixed),
    ("the supplier refuses", allowed_refused),
    ("its code differs and that explains it", placed::altered),
    ("a file it needs did not arrive", fetched),
    ("the frame was refused", late::started_frame),
    ("its code threw", late::ran),
    ("its live connection failed", late::started_socket),
    ("its service answered with an error", late::started_service),
    ("it gives no sign of life", late::started_silent),
    ("it went away with a change of route", late::route_lost),
    ("no launcher is on the page", late::launcher_missing),
    ("a style hides it", late::hidden),
    ("it has no size", late::empty),
    ("it lies outside the viewport", late::outside),
    ("something lies on it", late::covered),
    ("it opens a new window", late::new_window),
    ("it does not open", late::no_open),
    ("it does not close", late::no_close),
    ("it cannot be worked by keyboard", late::no_keyboard),
    ("it has no name", late::no_name),
];

/// Findings that break nothing by themselves.
pub const REMARKS: &[Rule] = &[
    placed::rival,
    placed::late_delay,
    placed::after_end,
    placed::blocking,
    late::small_target,
    late::overlap,
];

fn delivered_failure(c: &Ctx) -> Option<Finding> {
    let Some(failure) = c.seen.page.failure.as_ref() else {
        return stopped_answering(c);
    };
    let host = Url::parse(&c.seen.url)
        .ok()
        .and_then(|u| u.host_str().map(str::to_string))
        .unwrap_or_default();
    let (code, summary, remedy) = match failure.kind {
        FailureKind::Dns => (
            "delivered.dns",
            format!("The name {host} does not resolve."),
            "Correct the site's address, or have its domain's DNS records restored.",
        ),
        FailureKind::Refused => (
            "delivered.refused",
            format!("{host} refuses the connection."),
            "Ask whoever runs the web server to start it, and check the port in the address.",
        ),
        FailureKind::Tls => (
            "delivered.tls",
            format!("The secure connection to {host} failed."),
            "Have the site's certificate renewed or corrected at its hosting.",
        ),
        FailureKind::RedirectLoop => (
            "delivered.redirect-loop",
            "The page redirects in a circle.".to_string(),
            "Undo one of the redirects, in the web server or in the platform's address settings.",
        ),
        FailureKind::Timeout => (
            "delivered.timeout",
            "The page did not arrive within its time.".to_string(),
            "Ask the hosting why the page takes so long, then visit again.",
        ),
        _ => (
            "delivered.refused",
            format!("The connection to {host} broke off: {}.", failure.text),
            "Visit again; if it stays, ask the hosting what ends the connection.",
        ),
    };
    Some(
        Finding::broken(code, summary, remedy)
            .with(Evidence::Request {
                url: c.seen.url.clone(),
                outcome: failure.text.clone(),
            })
            .with_all(c.seen.page.redirects.iter().map(|h| Evidence::Request {
                url: h.url.clone(),
                outcome: format!("{} to {}", h.status, h.location),
            })),
    )
}

/// The bytes came, and then the page answered nothing any more.
fn stopped_answering(c: &Ctx) -> Option<Finding> {
    use crate::observation::Ended;
    if !c.seen.final_html.is_empty() || c.alive {
        return None;
    }
    let summary = match c.seen.ended {
        Ended::Hung => {
            "The page arrived and then stopped answering: one of its scripts runs without end."
        }
        Ended::Crashed => "The page crashed the browser's renderer.",
        _ => return None,
    };
    Some(
        Finding::broken("delivered.timeout", summary, "Find the script that does not end, by taking the last changed ones out, and visit again.")
            .with(Evidence::fact("no question of the visit was answered any more"))
            .with_all(c.seen.requests.iter().filter(|r| r.kind == "script").take(5).map(|r| Evidence::Request { url: r.url.clone(), outcome: r.outcome() })),
    )
}

fn delivered_status(c: &Ctx) -> Option<Finding> {
    let status = c.seen.page.status?;
    if (200..300).contains(&status) || status == 304 {
        return None;
    }
    Some(
        Finding::broken(
            "delivered.status",
            format!("The page answers with status {status}."),
            match status {
                404 | 410 => "Correct the page's address, or restore the page on the site.",
                401 | 403 => {
                    "Open the page to the public, or allow this visitor in the site's protection."
                }
                _ => "Have the site's error mended at its hosting, then visit again.",
            },
        )
        .with(Evidence::Request {
            url: c.seen.page.final_url.clone(),
            outcome: status.to_string(),
        }),
    )
}

/// Host without `www.`, since that is no other site.
fn plain_host(url: &Url) -> String {
    url.host_str()
        .unwrap_or_default()
        .trim_start_matches("www.")
        .to_ascii_lowercase()
}

fn delivered_elsewhere(c: &Ctx) -> Option<Finding> {
    let asked = Url::parse(&c.seen.url).ok()?;
    // A redirect by script or meta shows as a later navigation.
    let last = c
        .seen
        .navigations
        .iter()
        .rfind(|n| !n.same_document && n.url.starts_with("http"));
    let landed = last
        .and_then(|n| Url::parse(&n.url).ok())
        .unwrap_or_else(|| c.page.clone());
    let same_port = asked.port() == landed.port()
        || asked.port_or_known_default() == landed.port_or_known_default()
        || asked.scheme() != landed.scheme();
    if plain_host(&asked) == plain_host(&landed) && same_port {
        return None;
    }
    Some(
        Finding::broken(
            "delivered.elsewhere",
            format!(
                "The address leads to another site, {}.",
                landed.host_str().unwrap_or_default()
            ),
            "Correct the site's address, or remove the redirect at the site.",
        )
        .with(Evidence::Request {
            url: c.seen.url.clone(),
            outcome: format!("ends at {landed}"),
        })
        .with_all(c.seen.page.redirects.iter().map(|h| Evidence::Request {
            url: h.url.clone(),
            outcome: format!("{} to {}", h.status, h.location),
        })),
    )
}

fn delivered_not_html(c: &Ctx) -> Option<Finding> {
    let mime = c.seen.page.mime.as_str();
    if mime.is_empty() || mime.contains("html") || mime.contains("xhtml") {
        return None;
    }
    Some(
        Finding::broken(
            "delivered.not-html",
            format!("The address gives {mime}, not an HTML page."),
            "Enter the address of a page, or have the server's Content-Type corrected.",
        )
        .with(Evidence::Header {
            name: "content-type".into(),
            value: mime.to_string(),
        }),
    )
}

fn allowed_policy(c: &Ctx) -> Option<Finding> {
    if c.alive && c.launcher_visible() {
        return None;
    }
    let inline_lines: Vec<(u32, u32)> = c
        .live()
        .filter(|p| p.form == crate::placement::Form::Inline)
        .map(|p| (p.line, p.last_line))
        .collect();
    let violation = c.seen.violations.iter().filter(|v| v.enforced).find(|v| {
        c.supplier_address(&v.blocked)
            || c.supplier_address(&v.source)
            || (v.blocked == "inline"
                && v.directive.starts_with("script-src")
                && v.line
                    .is_some_and(|l| inline_lines.iter().any(|(a, b)| (*a..=*b).contains(&l))))
    })?;
    let policies = Policies::of(&c.seen.page);
    let blocked = Url::parse(&violation.blocked)
        .ok()
        .map(|u| full_address(c, &u));
    let changes = match (
        &policies,
        Asked::from_directive(&violation.directive),
        &blocked,
    ) {
        (Some(p), Some(asked), Some(url)) => p.smallest_changes(asked, url),
        _ => Vec::new(),
    };
    let what = if violation.blocked == "inline" {
        "code in the page".to_string()
    } else {
        blocked
            .as_ref()
            .map_or(violation.blocked.clone(), Url::to_string)
    };
    let mut finding = Finding::broken(
        "allowed.policy",
        format!(
            "The page's content security policy forbids {what}: its {} does not list it.",
            violation.directive
        ),
        "",
    );
    finding.remedy = match changes.first() {
        Some(change) => format!(
            "In {}, add {} so that it reads: {}.",
            change.place.words(),
            change.missing,
            change.becomes
        ),
        None if violation.blocked == "inline" => format!(
            "In the content security policy, let the snippet run by a nonce in {} and on its script element.",
            violation.directive
        ),
        None => format!(
            "In the content security policy, add the supplier's host to {}.",
            violation.directive
        ),
    };
    for change in changes.iter().skip(1) {
        finding = finding.with(Evidence::fact(format!(
            "A second policy forbids it too; {} should read: {}",
            change.place.words(),
            change.becomes
        )));
    }
    let also: Vec<String> = c
        .seen
        .violations
        .iter()
        .filter(|v| v.enforced && c.supplier_address(&v.blocked) && v.blocked != violation.blocked)
        .map(|v| format!("{} forbids {}", v.directive, v.blocked))
        .collect();
    if let Some(p) = &policies {
        finding = finding.with_all(p.texts().map(|(place, text)| Evidence::Header {
            name: place.words().to_string(),
            value: text.to_string(),
        }));
    }
    // What would be forbidden next, so that the policy needs changing once only.
    let ahead = policies
        .as_ref()
        .map(|p| forbidden_ahead(c, p))
        .unwrap_or_default();
    Some(finding.with_all(also.into_iter().chain(ahead).map(Evidence::fact)))
}

/// The address of the request with its port, where the violation named the origin only.
fn full_address(c: &Ctx, blocked: &Url) -> Url {
    let same = |r: &&Request| Url::parse(&r.url).is_ok_and(|u| u.origin() == blocked.origin());
    c.seen
        .requests
        .iter()
        .find(same)
        .and_then(|r| Url::parse(&r.url).ok())
        .unwrap_or_else(|| blocked.clone())
}

fn forbidden_ahead(c: &Ctx, policies: &Policies) -> Vec<String> {
    let alive = &c.case.supplier.alive;
    let port = c
        .inspector
        .shape
        .loader
        .as_ref()
        .and_then(Url::port)
        .map(|p| format!(":{p}"))
        .unwrap_or_default();
    let secure = c
        .inspector
        .shape
        .loader
        .as_ref()
        .is_none_or(|l| l.scheme() == "https");
    let (web, live) = if secure {
        ("https", "wss")
    } else {
        ("http", "ws")
    };
    let needed = alive
        .frame_hosts
        .iter()
        .map(|h| (Asked::Frame, web, h))
        .chain(alive.api_hosts.iter().map(|h| (Asked::Connection, web, h)))
        .chain(
            alive
                .socket_hosts
                .iter()
                .map(|h| (Asked::Connection, live, h)),
        );
    needed
        .filter_map(|(asked, scheme, host)| {
            let url = Url::parse(&format!("{scheme}://{host}{port}/")).ok()?;
            let change = policies.smallest_changes(asked, &url).into_iter().next()?;
            Some(format!(
                "It will also need {} in {}.",
                change.missing, change.directive
            ))
        })
        .collect()
}

fn allowed_mixed(c: &Ctx) -> Option<Finding> {
    if c.alive {
        return None;
    }
    let request = c.widget_requests().find(|r| {
        r.failure
            .as_ref()
            .is_some_and(|f| f.kind == FailureKind::Mixed)
    })?;
    Some(
        Finding::broken(
            "allowed.mixed",
            "The page is https and the widget's file is asked for by http, which browsers refuse.",
            "In the snippet, write the loader's address with https.",
        )
        .with(Evidence::Request {
            url: request.url.clone(),
            outcome: request.outcome(),
        }),
    )
}

/// Answers by which the profile says that the supplier refuses.
fn allowed_refused(c: &Ctx) -> Option<Finding> {
    if c.alive && c.launcher_visible() {
        return None;
    }
    let refusals = &c.case.supplier.alive.refusals;
    c.seen.requests.iter().filter(|r| r.host().is_some_and(|h| c.case.supplier.owns_host(&h))).find_map(|r| {
        let refusal = refusals.iter().find(|f| {
            f.status.is_none_or(|s| r.status == Some(s))
                && f.body.as_ref().is_none_or(|b| r.body.as_ref().is_some_and(|seen| seen.contains(b.as_str())))
                && (f.status.is_some() || f.body.is_some())
        })?;
        let name = &c.case.supplier.name;
        let host = c.page.host_str().unwrap_or_default();
        let (summary, remedy) = match refusal.code.as_str() {
            "allowed.domain" => (format!("{name} does not serve this domain, {host}."), format!("In the account at {name}, add {host} to the allowed domains.")),
            "allowed.country" => {
                (format!("{name} does not serve visitors from this country."), format!("In the account at {name}, allow the country, or accept that the widget stays away there."))
            }
            "allowed.account" => {
                (format!("{name} says that the account is unconfirmed, lapsed or over its plan."), format!("In the account at {name}, confirm the address or settle the plan."))
            }
            "placed.wrong-key" => (format!("{name} does not know the key in the page."), "Copy the key from the client's account and put it into the snippet.".to_string()),
            _ => (format!("{name} refuses to start the widget here."), format!("Ask {name} why it refuses.")),
        };
        let body = r.body.as_deref().map(crate::placement::excerpt).unwrap_or_default();
        Some(Finding::broken(&refusal.code, summary, remedy).with(Evidence::Request { url: r.url.clone(), outcome: format!("{} {body}", r.outcome()) }))
    })
}

/// Anything the widget needs that did not arrive as it should.
fn fetched(c: &Ctx) -> Option<Finding> {
    if c.alive && c.launcher_visible() {
        return None;
    }
    // Pictures, fonts and sounds do not keep a widget from starting; status answers of its service are told as such.
    let needed = |r: &&Request| {
        !matches!(
            r.kind.as_str(),
            "image" | "font" | "media" | "ping" | "websocket" | "preflight"
        )
    };
    let loads_code = |r: &Request| {
        matches!(
            r.kind.as_str(),
            "script" | "stylesheet" | "document" | "other" | ""
        )
    };
    for r in c.widget_requests().filter(needed) {
        // A request that the page's own policy or mixed content stopped is told there; one that the page aborted says nothing.
        if let Some(f) = &r.failure
            && matches!(
                f.kind,
                FailureKind::Policy | FailureKind::Mixed | FailureKind::Aborted
            )
            && r.status.is_none()
        {
            continue;
        }
        if let Some(found) = transport(c, r, loads_code(r)) {
            return Some(found);
        }
    }
    None
}

fn transport(c: &Ctx, r: &Request, loads_code: bool) -> Option<Finding> {
    let host = r.host().unwrap_or_default();
    let what = if c.inspector.shape.is_loader(c.case.supplier, &r.url) {
        "The loader"
    } else {
        "A file the widget needs"
    };
    let name = &c.case.supplier.name;
    let told = |code: &str, summary: String, remedy: String| {
        let piece = c.live().next().map(|p| Evidence::Html {
            line: p.line,
            text: p.excerpt.clone(),
        });
        Some(
            Finding::broken(code, summary, remedy)
                .with(Evidence::Request {
                    url: r.url.clone(),
                    outcome: r.outcome(),
                })
                .with_all(piece),
        )
    };
    if let Some(status) = r.status.filter(|s| *s >= 400)
        && loads_code
    {
        return told(
            "fetched.status",
            format!("{what} answers with status {status}."),
            format!(
                "Correct the address in the snippet, or ask {name} why {host} answers {status}."
            ),
        );
    }
    let address = r.url.as_str();
    let said = |words: &[&str]| {
        c.seen.console.iter().find(|m| {
            words.iter().all(|w| m.text.to_lowercase().contains(w))
                && (m.text.contains(address) || m.url == address)
        })
    };
    if r.kind == "script" && said(&["integrity"]).is_some() {
        return told(
            "fetched.integrity",
            format!("{what} does not match the integrity value in the page."),
            "In the snippet, update or remove the integrity attribute.".into(),
        );
    }
    if r.kind == "script" && said(&["mime type"]).is_some() {
        return told(
            "fetched.type",
            format!(
                "{what} arrives as {}, which browsers refuse to run as script.",
                r.mime
            ),
            format!(
                "Ask {name} to serve it as text/javascript, or correct the address in the snippet."
            ),
        );
    }
    if r.kind == "script"
        && r.mime.contains("html")
        && c.seen
            .exceptions
            .iter()
            .any(|e| e.url == address && e.text.contains("SyntaxError"))
    {
        return told(
            "fetched.type",
            format!("{what} is an HTML page instead of script."),
            "Correct the loader's address in the snippet.".into(),
        );
    }
    let Some(failure) = &r.failure else {
        if r.status.is_none() && r.redirected_to.is_none() && r.end_ms.is_none() {
            return told(
                "fetched.timeout",
                format!(
                    "{what} did not arrive while the visit watched ({:.0} s).",
                    (c.seen.alive.watched_ms) / 1000.0
                ),
                format!("Visit again; if it stays, ask {name} why {host} does not answer."),
            );
        }
        if r.status.is_some() && r.end_ms.is_none() && loads_code && r.kind != "document" {
            return told(
                "fetched.timeout",
                format!("{what} began to arrive and did not end while the visit watched."),
                format!("Visit again; if it stays, ask {name} why {host} is so slow."),
            );
        }
        return None;
    };
    if r.kind == "document"
        && matches!(
            failure.kind,
            FailureKind::Other | FailureKind::Policy | FailureKind::Aborted
        )
    {
        return None; // a refused frame is told under `started`
    }
    match failure.kind {
        FailureKind::Dns => told(
            "fetched.dns",
            format!("The name {host} does not resolve."),
            format!("Correct the host in the snippet, or ask {name} whether it has moved."),
        ),
        FailureKind::Refused | FailureKind::Guard => told(
            "fetched.refused",
            format!("{host} refuses the connection."),
            format!("Ask {name} whether {host} is down, and check the port in the snippet."),
        ),
        FailureKind::Tls => told(
            "fetched.tls",
            format!("The secure connection to {host} failed."),
            format!("Tell {name} that the certificate of {host} is not valid."),
        ),
        FailureKind::Timeout => told(
            "fetched.timeout",
            format!("{host} did not answer in time."),
            format!("Visit again; if it stays, ask {name} why {host} does not answer."),
        ),
        FailureKind::Type => told(
            "fetched.type",
            format!("{what} is no script: the browser refused what {host} sent."),
            "Correct the loader's address in the snippet.".into(),
        ),
        FailureKind::Integrity => told(
            "fetched.integrity",
            format!("{what} does not match the integrity value in the page."),
            "In the snippet, update or remove the integrity attribute.".into(),
        ),
        FailureKind::Cors => told(
            "fetched.cors",
            format!("{host} does not allow this origin to read its answer."),
            format!(
                "Remove crossorigin from the snippet, or ask {name} to allow {}.",
                c.page.origin().ascii_serialization()
            ),
        ),
        FailureKind::CutOff => told(
            "fetched.cut-off",
            format!("{what} ended before it was complete."),
            format!("Visit again; if it stays, tell {name} that {host} cuts its answers off."),
        ),
        FailureKind::BlockedClient => told(
            "fetched.blocked-client",
            format!("{what} was blocked in the browser, as a content blocker does."),
            "Visit with a browser without content blockers.".into(),
        ),
        FailureKind::RedirectLoop => told(
            "fetched.status",
            format!("{what} redirects in a circle."),
            format!("Tell {name} that {host} redirects in a circle."),
        ),
        FailureKind::Other if r.kind == "script" => told(
            "fetched.refused",
            format!("{what} did not arrive: {}.", failure.text),
            format!("Visit again; if it stays, ask {name} about {host}."),
        ),
        _ => None,
    }
}

/// A piece that explains why nothing runs although it is there.
pub fn held_by_consent(c: &Ctx) -> bool {
    c.pieces
        .iter()
        .any(|p| matches!(p.state, State::ConsentHeld(_)))
        || (c.case.consent.is_none()
            && c.seen.consent.tcf
            && c.pieces
                .iter()
                .any(|p| matches!(p.state, State::WrongType(_) | State::Delayed(_))))
}

/// Only used by remarks that need the severity of their own.
pub fn remark(code: &str, severity: Severity, summary: String, remedy: &str) -> Finding {
    Finding::new(code, severity, summary, remedy)
}
