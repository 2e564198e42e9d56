//! Rules of the links `ran`, `started`, `shown` and `usable`.

use super::context::Ctx;
use super::rules::remark;
use crate::finding::{Evidence, Finding, Severity};
use crate::observation::{FailureKind, Launcher, Message, Rect};
use url::Url;

fn picture(c: &Ctx) -> Option<Evidence> {
    c.seen.picture.clone().map(|key| Evidence::Picture { key })
}

fn console(m: &Message) -> Evidence {
    Evidence::Console {
        text: m.text.clone(),
        source: m.url.clone(),
        line: m.line,
    }
}

fn boxed(what: &str, r: &Rect) -> Evidence {
    Evidence::Box {
        what: what.to_string(),
        x: r.x,
        y: r.y,
        width: r.width,
        height: r.height,
    }
}

fn up(c: &Ctx) -> bool {
    c.alive && c.launcher_visible()
}

pub fn started_frame(c: &Ctx) -> Option<Finding> {
    if up(c) {
        return None;
    }
    let hosts = &c.case.supplier.alive.frame_hosts;
    let refused = c.seen.requests.iter().find(|r| {
        r.kind == "document"
            && r.host()
                .is_some_and(|h| hosts.iter().any(|f| f.eq_ignore_ascii_case(&h)))
            && (r.failure.as_ref().is_some_and(|f| {
                matches!(
                    f.kind,
                    FailureKind::Other | FailureKind::Policy | FailureKind::Aborted
                )
            }))
    });
    let said = c.seen.console.iter().find(|m| {
        let t = m.text.to_lowercase();
        (t.contains("x-frame-options") || t.contains("frame-ancestors"))
            && hosts.iter().any(|h| m.text.contains(h.as_str()))
    });
    if refused.is_none() && said.is_none() {
        return None;
    }
    Some(
        Finding::broken(
            "started.frame",
            "The widget's frame was refused.",
            format!(
                "In the account at {}, allow this site to show the widget in a frame.",
                c.case.supplier.name
            ),
        )
        .with_all(refused.map(|r| Evidence::Request {
            url: r.url.clone(),
            outcome: r.outcome(),
        }))
        .with_all(refused.into_iter().flat_map(|r| {
            r.headers
                .iter()
                .filter(|(n, _)| {
                    n.eq_ignore_ascii_case("x-frame-options")
                        || n.eq_ignore_ascii_case("content-security-policy")
                })
                .map(|(n, v)| Evidence::Header {
                    name: n.clone(),
                    value: v.clone(),
                })
        }))
        .with_all(said.map(console)),
    )
}

pub fn ran(c: &Ctx) -> Option<Finding> {
    if up(c) {
        return None;
    }
    let error = c
        .seen
        .exceptions
        .iter()
        .find(|e| c.widget_error(e))
        .or_else(|| {
            // An error elsewhere that names the widget's global.
            let globals = c.globals();
            c.seen
                .exceptions
                .iter()
                .find(|e| globals.iter().any(|g| names(&e.text, g)))
        })?;
    let text = error.text.as_str();
    let globals = c.globals();
    let about_global = globals.iter().find(|g| names(text, g));
    let loader_came = c
        .loader_requests()
        .any(|r| r.status.is_some_and(|s| s < 400));
    let made = |code: &str, summary: String, remedy: &str| {
        Some(Finding::broken(code, summary, remedy).with(console(error)))
    };
    let clash_words = [
        "is not a function",
        "not extensible",
        "read only",
        "read-only",
        "redeclare",
        "already been declared",
        "Cannot redefine",
        "Cannot assign to",
        "which has only a getter",
        "Cannot set propert",
        "is not a constructor",
        "is not iterable",
    ];
    if text.contains("SyntaxError") && !text.contains("already been declared") {
        return made(
            "ran.syntax",
            "The widget's code does not parse.".into(),
            "Copy the code from the supplier again; if it is the supplier's own file, tell the supplier.",
        );
    }
    if let Some(global) = about_global {
        if text.contains("is not defined") || (text.contains("undefined") && !loader_came) {
            return made(
                "ran.order",
                format!("The snippet uses {global} before the code that makes it has run."),
                "Put the loader before the code that uses it, or let that code wait for it.",
            );
        }
        if clash_words.iter().any(|w| text.contains(w)) {
            return made(
                "ran.clash",
                format!("Something else on the page owns or broke {global}."),
                "Find the other script that sets this name (the error's place tells which ran last) and rename or remove it.",
            );
        }
    }
    // A built-in that another script has replaced shows as an error in the widget's code as well.
    let mut found = Finding::broken(
        "ran.error",
        format!("The widget's code stopped with an error: {}.", text.trim_end_matches('.')),
        format!("Report this error to {} with the address of the page; until then, check which change on the site came last.", c.case.supplier.name),
    )
    .with(console(error));
    if clash_words.iter().any(|w| text.contains(w)) {
        found = found.or_else("ran.clash: another script on the page may have replaced something this code needs; a visit to an empty page with the same snippet would tell.");
    }
    Some(found)
}

/// The text names a global as a whole word.
fn names(text: &str, global: &str) -> bool {
    text.match_indices(global).any(|(at, _)| {
        let inside = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
        !text[..at].chars().next_back().is_some_and(inside)
            && !text[at + global.len()..].chars().next().is_some_and(inside)
    })
}

pub fn started_socket(c: &Ctx) -> Option<Finding> {
    if up(c) {
        return None;
    }
    let hosts = &c.case.supplier.alive.socket_hosts;
    let socket = c.seen.sockets.iter().find(|s| {
        let ours = Url::parse(&s.url)
            .ok()
            .and_then(|u| {
                u.host_str()
                    .map(|h| hosts.iter().any(|x| x.eq_ignore_ascii_case(h)))
            })
            .unwrap_or(false);
        ours && (!s.error.is_empty()
            || s.status.is_some_and(|x| x != 101)
            || s.status.is_none()
            || (s.closed_ms.is_some() && s.received == 0))
    })?;
    let outcome = match (socket.error.as_str(), socket.status) {
        ("", Some(101)) => "opened, then closed without a message".to_string(),
        ("", Some(status)) => format!("status {status}"),
        ("", None) => "no answer".to_string(),
        (error, _) => error.to_string(),
    };
    Some(
        Finding::broken(
            "started.socket",
            "The widget's live connection failed.",
            format!(
                "Ask {} whether its live service is down; behind a firewall, allow the connection.",
                c.case.supplier.name
            ),
        )
        .with(Evidence::Request {
            url: socket.url.clone(),
            outcome,
        }),
    )
}

pub fn started_service(c: &Ctx) -> Option<Finding> {
    if up(c) {
        return None;
    }
    let asked = |kind: &str| {
        matches!(
            kind,
            "xhr" | "fetch" | "eventsource" | "script" | "other" | ""
        )
    };
    let hosts = &c.case.supplier.alive.api_hosts;
    let from_service = |r: &crate::observation::Request| {
        r.host()
            .is_some_and(|h| hosts.iter().any(|x| x.eq_ignore_ascii_case(&h)))
    };
    let answer = c.widget_requests().find(|r| {
        asked(&r.kind)
            && r.kind != "script"
            && (r.status.is_some_and(|s| s >= 400)
                || (from_service(r)
                    && r.status.is_some_and(|s| s < 300)
                    && r.method != "OPTIONS"
                    && nonsense(r)))
    })?;
    let said = if answer.status.is_some_and(|s| s >= 400) {
        format!("answered with status {}", answer.status.unwrap_or_default())
    } else {
        "answered with something other than its data".to_string()
    };
    let body = answer
        .body
        .as_deref()
        .map(crate::placement::excerpt)
        .unwrap_or_default();
    Some(
        Finding::broken(
            "started.service",
            format!("The supplier's service {said}."),
            format!(
                "Check the account at {}; if it is in order, report the answer to them.",
                c.case.supplier.name
            ),
        )
        .with(Evidence::Request {
            url: answer.url.clone(),
            outcome: format!("{} {body}", answer.outcome()).trim().to_string(),
        }),
    )
}

/// A service answer that is said to be JSON and is not, or is a page.
fn nonsense(r: &crate::observation::Request) -> bool {
    let Some(body) = &r.body else { return false };
    let json = serde_json::from_str::<serde_json::Value>(body).is_ok();
    if r.mime.contains("json") {
        !json
    } else {
        r.mime.contains("html")
    }
}

pub fn started_silent(c: &Ctx) -> Option<Finding> {
    if c.alive {
        return None;
    }
    let supplier = c.case.supplier;
    let mut finding = Finding::broken(
        "started.silent",
        format!("The code of {} ran, and the widget gave no sign of life in {:.0} s, nor an error.", supplier.name, c.seen.alive.watched_ms / 1000.0),
        format!("In the account at {}, check that the widget is switched on and published for this key.", supplier.name),
    )
    .with(Evidence::fact(if supplier.alive.script.is_empty() { "the launcher never came".to_string() } else { format!("never true: {}", supplier.alive.script) }))
    .with_all(c.loader_requests().map(|r| Evidence::Request { url: r.url.clone(), outcome: r.outcome() }))
    .or_else("The supplier may hold it back for this page, country or hour: its console would tell.")
    .or_else("The script may wait for the visitor to act: a visit with scrolling and clicks was tried and changed nothing.");
    if !c.seen.alive.error.is_empty() {
        finding = finding.with(Evidence::Console {
            text: c.seen.alive.error.clone(),
            source: "the sign of life".into(),
            line: None,
        });
    }
    if let Some(error) = c.seen.exceptions.first() {
        finding = finding
            .with(console(error))
            .or_else("An error of another script came before; it may have stopped this one.");
    }
    Some(finding)
}

fn launcher<'a>(c: &'a Ctx) -> Option<&'a Launcher> {
    if c.case.supplier.alive.launcher.is_empty() {
        None
    } else {
        c.seen.launcher.as_ref()
    }
}

pub fn route_lost(c: &Ctx) -> Option<Finding> {
    let l = launcher(c)?;
    let gone = l.seen_ms.is_some() && !c.launcher_visible();
    let changed = c
        .seen
        .navigations
        .iter()
        .find(|n| n.same_document && l.seen_ms.is_some_and(|t| n.at_ms + 50.0 >= t))?;
    gone.then(|| {
        Finding::broken(
            "shown.route-lost",
            "The widget was there and went away when the page changed its route.",
            "Place the snippet outside the part of the page that the router replaces, or start the widget anew after each route.",
        )
        .with(Evidence::fact(format!("seen after {:.1} s, route changed to {} after {:.1} s", l.seen_ms.unwrap_or(0.0) / 1000.0, changed.url, changed.at_ms / 1000.0)))
        .with_all(picture(c))
    })
}

pub fn launcher_missing(c: &Ctx) -> Option<Finding> {
    if c.case.supplier.alive.launcher.is_empty() || launcher(c).is_some_and(|l| l.present) {
        return None;
    }
    let seen = launcher(c).and_then(|l| l.seen_ms);
    let summary = match seen {
        Some(ms) => format!(
            "The launcher came after {:.1} s and was taken away again.",
            ms / 1000.0
        ),
        None => "The widget says it is up, and no launcher is in the page.".to_string(),
    };
    Some(
        Finding::broken("shown.hidden", summary, "Check the widget's own display settings, and the site's scripts and styles for something that removes it.")
            .with(Evidence::fact(format!("nothing matches {}", c.case.supplier.alive.launcher)))
            .with_all(picture(c)),
    )
}

pub fn hidden(c: &Ctx) -> Option<Finding> {
    let l = launcher(c)?;
    let by = l.hidden_by.as_ref()?;
    Some(
        Finding::broken(
            "shown.hidden",
            format!("The launcher is hidden by {by}."),
            "In the site's styles, remove or narrow the rule that hides it.",
        )
        .with(Evidence::fact(l.html.clone()))
        .with_all(picture(c)),
    )
}

pub fn empty(c: &Ctx) -> Option<Finding> {
    let l = launcher(c)?;
    (l.rect.area() < 1.0).then(|| {
        Finding::broken(
            "shown.empty",
            "The launcher has no size.",
            "In the site's styles, look for a rule that takes the launcher's width or height, and in the widget's settings for a missing icon.",
        )
        .with(boxed("launcher", &l.rect))
        .with_all(picture(c))
    })
}

pub fn outside(c: &Ctx) -> Option<Finding> {
    let l = launcher(c)?;
    let view = c.seen.view();
    let (w, h) = (view.width, view.height);
    // Less than half in view is no launcher a visitor finds.
    (l.rect.overlap(&view) < 0.5 * l.rect.area()).then(|| {
        Finding::broken(
            "shown.outside",
            format!("The launcher lies outside the {w:.0} \u{d7} {h:.0} px viewport."),
            "Correct the offsets in the widget's design, and look for a style of the site that moves it.",
        )
        .with(boxed("launcher", &l.rect))
        .with_all(picture(c))
    })
}

pub fn covered(c: &Ctx) -> Option<Finding> {
    let l = launcher(c)?;
    // A visitor aims at the middle: half reachable still works.
    if l.reachable >= 0.5 {
        return None;
    }
    let top = l.covered_by.first()?;
    Some(
        Finding::broken(
            "shown.covered",
            format!("The launcher is covered by {}.", top.element),
            "Move the launcher or that element, or correct their stacking order.",
        )
        .with(boxed("launcher", &l.rect))
        .with(Evidence::fact(format!(
            "{:.0} % of the launcher can be reached; {} lies on {:.0} %",
            l.reachable * 100.0,
            top.element,
            top.share * 100.0
        )))
        .with_all(picture(c)),
    )
}

pub fn overlap(c: &Ctx) -> Option<Finding> {
    let l = launcher(c).filter(|_| c.launcher_visible())?;
    let (fixed, shared) = c
        .seen
        .fixed
        .iter()
        .map(|f| (f, f.rect.overlap(&l.rect) / l.rect.area().max(1.0)))
        .filter(|(_, share)| *share > 0.02)
        .max_by(|a, b| a.1.total_cmp(&b.1))?;
    // Common practice: up to a quarter is an untidiness, more takes clicks from one or the other.
    let severity = if shared > 0.25 {
        Severity::Fault
    } else {
        Severity::Warning
    };
    Some(
        remark(
            "shown.overlap",
            severity,
            format!(
                "The launcher and {} overlap ({:.0} % of the launcher).",
                fixed.element,
                shared * 100.0
            ),
            "Change the launcher's corner or offsets so that both can be used.",
        )
        .with(boxed("launcher", &l.rect))
        .with(boxed(&fixed.element, &fixed.rect)),
    )
}

/// Whether the visit worked the launcher and the profile says how.
fn operated<'a>(c: &'a Ctx) -> Option<&'a crate::observation::Operation> {
    if c.case.supplier.open.panel.is_empty() {
        None
    } else {
        c.seen.operation.as_ref()
    }
}

pub fn new_window(c: &Ctx) -> Option<Finding> {
    let address = operated(c)?.new_window.as_ref()?;
    Some(
        Finding::broken(
            "usable.new-window",
            "A click opens a new window, away from the site.",
            "In the widget's settings, let the chat open in the page.",
        )
        .with(Evidence::fact(format!("opened {address}"))),
    )
}

pub fn no_open(c: &Ctx) -> Option<Finding> {
    if operated(c)?.opened_ms.is_some() {
        return None;
    }
    Some(
        Finding::broken(
            "usable.no-open",
            "A click on the launcher opens nothing.",
            format!("Try it by hand on the page; if it stays shut, report it to {} with the console's messages.", c.case.supplier.name),
        )
        .with(Evidence::fact(format!("clicked {}; {} did not show in 4 s", c.case.supplier.open.click, c.case.supplier.open.panel)))
        .with_all(c.seen.exceptions.iter().filter(|e| c.widget_error(e)).take(2).map(console))
        .with_all(picture(c)),
    )
}

pub fn no_close(c: &Ctx) -> Option<Finding> {
    (operated(c)?.closed == Some(false)).then(|| {
        Finding::broken(
            "usable.no-close",
            "The panel does not close.",
            format!("Report it to {}; on the site, look for a style that hides or covers the closing control.", c.case.supplier.name),
        )
        .with(Evidence::fact(format!("clicked {}; the panel stayed", c.case.supplier.open.close)))
    })
}

pub fn no_keyboard(c: &Ctx) -> Option<Finding> {
    let operation = operated(c)?;
    let l = launcher(c)?;
    let why = match (l.focusable, operation.keyboard_opened) {
        (false, _) => "the launcher cannot take the focus",
        (true, Some(false)) => "the launcher takes the focus, and Enter and Space open nothing",
        _ => return None,
    };
    Some(
        Finding::broken(
            "usable.no-keyboard",
            "The launcher cannot be worked by keyboard.",
            format!(
                "Ask {} for a launcher that is a button; a site style cannot mend this.",
                c.case.supplier.name
            ),
        )
        .with(Evidence::fact(why))
        .with(Evidence::fact(l.html.clone())),
    )
}

pub fn no_name(c: &Ctx) -> Option<Finding> {
    let l = launcher(c).filter(|_| operated(c).is_some())?;
    l.name.trim().is_empty().then(|| {
        Finding::broken(
            "usable.no-name",
            "The launcher has no accessible name: a screen reader says only that there is a button.",
            "In the widget's settings, give the launcher a label.",
        )
        .with(Evidence::fact(l.html.clone()))
    })
}

/// WCAG 2.2, success criterion 2.5.8 (Target Size, Minimum): 24 by 24 CSS px.
pub fn small_target(c: &Ctx) -> Option<Finding> {
    let l = launcher(c).filter(|_| c.launcher_visible())?;
    (l.rect.width < 24.0 || l.rect.height < 24.0).then(|| {
        remark(
            "usable.small-target",
            Severity::Warning,
            format!(
                "The launcher is {:.0} \u{d7} {:.0} px; 24 \u{d7} 24 is the least for a finger.",
                l.rect.width, l.rect.height
            ),
            "In the widget's settings, choose a larger launcher.",
        )
        .with(boxed("launcher", &l.rect))
    })
}
