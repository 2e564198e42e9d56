//! Real Chromium against a third made-up supplier, one with a service, a frame and a live
//! connection: every answer that keeps such a widget away, and what can lie beside a widget on its
//! page.
#![allow(clippy::unwrap_used)]

use crate::common::{Ask, Checker, complaints};
use axum::Router;
use axum::extract::{FromRequestParts, Request, WebSocketUpgrade};
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use newtfern_model::finding::Severity;
use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_verdict::chain::{Diagnosis, Outcome};
use std::sync::Arc;

const KEY: &str = "withy-7301";

/// Asks its service, opens its frame where that is wanted, then its live connection; the first
/// message that comes in brings the widget up.
const LOADER: &str = r#"window.withy = { up: false };
function withyStart() {
  function live() {
    var s = new WebSocket("ws://live.withy.localhost:PORT/HOW");
    s.onmessage = function () {
      window.withy.up = true;
      if ("HOW" === "no-launcher") return;
      var b = document.createElement("button"), p = document.createElement("div");
      b.id = "withy-launcher"; b.setAttribute("aria-label", "Chat"); b.textContent = "c";
      b.style.cssText = "position:fixed;right:20px;bottom:20px;width:60px;height:60px;" +
        "background:#146;color:#fff;z-index:99";
      p.id = "withy-panel"; p.innerHTML = '<button class="x">x</button>hello';
      p.style.cssText = "position:fixed;right:20px;bottom:90px;width:300px;height:300px;" +
        "background:#fff;display:none";
      b.onclick = function () { p.style.display = "block"; };
      p.querySelector(".x").onclick = function () { p.style.display = "none"; };
      document.body.append(b, p);
    };
  }
  fetch("http://api.withy.localhost:PORT/HOW").then(function (r) {
    if (!r.ok) return;
    return r.json().then(function () {
      if ("HOW" !== "framed" && "HOW" !== "frame-refused") return live();
      addEventListener("message", live);
      var f = document.createElement("iframe");
      f.src = "http://app.withy.localhost:PORT/HOW"; f.title = "Chat";
      f.style.cssText = "width:10px;height:10px";
      document.body.append(f);
    });
  }).catch(function () {});
}
if ("HOW".indexOf("order") !== 0) withyStart();"#;

/// A page, what must be told of it, and the words that its evidence and its remedy must hold.
struct Shown {
    name: &'static str,
    /// The root cause, or none where the chain holds.
    root: Option<&'static str>,
    /// A finding that breaks nothing and must be there.
    remark: Option<(&'static str, Severity)>,
    outcome: Outcome,
    evidence: &'static str,
    remedy: &'static str,
}

const fn broken(
    name: &'static str,
    code: &'static str,
    evidence: &'static str,
    remedy: &'static str,
) -> Shown {
    Shown {
        name,
        root: Some(code),
        remark: None,
        outcome: Outcome::Broken,
        evidence,
        remedy,
    }
}

const fn remarked(
    name: &'static str,
    code: &'static str,
    severity: Severity,
    outcome: Outcome,
    evidence: &'static str,
    remedy: &'static str,
) -> Shown {
    Shown {
        name,
        root: None,
        remark: Some((code, severity)),
        outcome,
        evidence,
        remedy,
    }
}

use Outcome::{AsIntended, Working};
use Severity::{Fault, Note, Warning};

#[rustfmt::skip]
const SHOWN: &[Shown] = &[
    Shown { name: "good", root: None, remark: None, outcome: Working, evidence: "", remedy: "" },
    Shown { name: "framed", root: None, remark: None, outcome: Working, evidence: "", remedy: "" },
    broken("plan", "allowed.account", "402, text/plain plan over", "settle the plan"),
    broken("domain", "allowed.domain", "403, text/plain domain not allowed", "to the allowed \
        domains"),
    broken("country", "allowed.country", "451", "allow the country"),
    remarked("hours", "allowed.hours", Note, AsIntended, "403, text/plain closed until \
        nine", "look at the hours"),
    remarked("delay", "allowed.delay", Note, AsIntended, "403, text/plain not yet", "look at the \
        delay"),
    remarked("page-rule", "allowed.page-rule", Note, AsIntended, "403, text/plain not on this \
        page", "look at the page rules"),
    broken("stuck", "allowed.consent-stuck", "consent was untouched before and granted \
                                              after", "assign the widget's script"),
    broken("down", "started.service", "500, text/plain out of order", "report the answer"),
    broken("nonsense", "started.service", "200", "report the answer"),
    broken("no-socket", "started.socket", "403", "live service"),
    broken("hangs-up", "started.socket", "closed without a message", "live service"),
    broken("frame-refused", "started.frame", "X-Frame-Options", "show the widget in a frame"),
    broken("clash", "ran.clash", "Cannot assign to read only property 'withy'", "rename or remove"),
    broken("order", "ran.order", "withyStart is not defined", "Put the loader before"),
    broken("no-launcher", "shown.absent", "nothing matches #withy-launcher", "display settings"),
    remarked("overlap", "shown.overlap", Fault, Working, "#footbar", "corner or offsets"),
    remarked("rival", "placed.rival", Fault, Working, "cdn.rival.localhost", "other supplier's \
        snippet"),
    remarked("leftover", "placed.leftover", Fault, Working, "line 2: <script", "Take the old piece \
        out"),
    remarked("leftover-comment", "placed.leftover", Warning, Working, "l.js", "Take the old piece \
        out"),
    broken("unwanted", "placed.unexpected", "the widget is up", "Exclude this page"),
    // Near misses: see NEAR.
    Shown { name: "near-service", root: None, remark: None, outcome: Working, evidence: "", remedy:
        "" },
    Shown { name: "order-right", root: None, remark: None, outcome: Working, evidence: "", remedy:
        "" },
    remarked("waits", "allowed.consent-waits", Note, AsIntended, "", ""),
    remarked("wanted-absent", "allowed.page-rule", Note, AsIntended, "", ""),
];

/// Pages among them that look much like a fault, and the codes that they must not be given: what is
/// told of each of them is compared with the table above.
#[rustfmt::skip]
const NEAR: &[(&str, &[&str])] = &[
    ("near-service", &[
        "allowed.account", "allowed.domain", "allowed.country", "allowed.hours", "allowed.delay",
        "allowed.page-rule", "started.service", "started.socket", "ran.clash", "placed.rival",
        "placed.leftover", "shown.overlap",
    ]),
    ("order-right", &["ran.order"]),
    ("waits", &["allowed.consent-stuck"]),
    ("wanted-absent", &["placed.unexpected"]),
];

fn snippet(port: u16, how: &str) -> String {
    format!(
        "<script src=\"http://cdn.withy.localhost:{port}/l.js?k={KEY}&amp;how={how}\"></script>"
    )
}

/// The client's site: one page a case.
fn site(name: &str, port: u16) -> String {
    let code = snippet(port, name);
    let escaped = code.replace('<', "&lt;");
    let body = match name {
        "wanted-absent" => String::new(),
        // Names of others, a bar that ends before the launcher, a name that is taken and free.
        "near-service" => format!(
            "<!-- The chat is by Withy, not by Rival any more -->\n<link rel=dns-prefetch \
            href=\"//cdn.rival.localhost\"><a href=\"http://cdn.rival.localhost:{port}/\">Rival</a>\
            <div style='position:fixed;left:0;right:120px;bottom:0;height:60px;\
            background:#ddd;z-index:5'>Tickets</div><script>window.withy = null</script>{code}"
        ),
        "order-right" => format!("{code}<script>withyStart('{KEY}')</script>"),
        "waits" => format!(
            "{}<script src=\"/consent.js\"></script>",
            code.replace(
                "<script",
                "<script type=\"text/plain\" data-hedge=\"functional\""
            )
        ),
        "stuck" => format!(
            "{}<script src=\"/consent.js\"></script>",
            code.replace(
                "<script",
                "<script type=\"text/plain\" data-hedge=\"never\""
            )
        ),
        "clash" => format!(
            "<script>Object.defineProperty(window, 'withy', {{ value: 1, writable: false \
            }})</script>{code}"
        ),
        "order" => format!("<script>withyStart('{KEY}')</script>{code}"),
        "overlap" => format!(
            "<div id=footbar \
            style='position:fixed;left:0;right:0;bottom:0;height:60px;background:#ddd;\
            z-index:5'>Tickets</div>{code}"
        ),
        "rival" => {
            format!("{code}<script async src=\"http://cdn.rival.localhost:{port}/l.js\"></script>")
        }
        "leftover" => format!("<p>{escaped}</p>{code}"),
        "leftover-comment" => format!("<!-- {code} -->{code}"),
        _ => code,
    };
    format!(
        "<!doctype html><html><head><meta name=viewport \
        content='width=device-width'><title>Kites</title></head><body><h1>Hi</h1>\n{body}\n</body>\
        </html>"
    )
}

/// What the supplier's service says.
fn service(how: &str) -> Response {
    let (status, mime, body) = match how {
        "plan" => (402, "text/plain", "plan over"),
        "domain" => (403, "text/plain", "domain not allowed"),
        "country" => (451, "text/plain", "not in your country"),
        "hours" => (403, "text/plain", "closed until nine"),
        "delay" => (403, "text/plain", "not yet"),
        "page-rule" => (403, "text/plain", "not on this page"),
        "down" => (500, "text/plain", "out of order"),
        // The words of every refusal, in an answer that refuses nothing.
        "near-service" => (
            200,
            "application/json",
            "{\"rules\":\"plan over, domain not allowed, not in your country, closed until nine, \
            not yet, not on this page\"}",
        ),
        "nonsense" => (200, "text/html", "<!doctype html><h1>Welcome</h1>"),
        _ => (200, "application/json", "{\"ok\":true}"),
    };
    let headers = [
        (header::CONTENT_TYPE, mime),
        (header::ACCESS_CONTROL_ALLOW_ORIGIN, "*"),
    ];
    (StatusCode::from_u16(status).unwrap(), headers, body).into_response()
}

async fn live(how: &str, request: Request) -> Response {
    if how == "no-socket" {
        return StatusCode::FORBIDDEN.into_response();
    }
    let hangs_up = how == "hangs-up";
    let closes_later = how == "near-service";
    let (mut parts, _) = request.into_parts();
    let Ok(upgrade) = WebSocketUpgrade::from_request_parts(&mut parts, &()).await else {
        return StatusCode::BAD_REQUEST.into_response();
    };
    upgrade.on_upgrade(move |mut socket| async move {
        if !hangs_up {
            let _ = socket.send("hello".into()).await;
            while !closes_later && let Some(Ok(_)) = socket.recv().await {}
        }
    })
}

async fn answer(request: Request, port: u16) -> Response {
    let host = request.headers().get(header::HOST);
    let host = host.and_then(|h| h.to_str().ok()).unwrap_or_default();
    let name = request.uri().path().trim_matches('/').to_string();
    let script = |text: String| ([(header::CONTENT_TYPE, "text/javascript")], text).into_response();
    match host.split('.').collect::<Vec<_>>()[..] {
        ["cdn", "withy", ..] => {
            let query = request.uri().query().unwrap_or_default();
            let how = query.rsplit("how=").next().unwrap_or_default();
            let filled = LOADER
                .replace("PORT", &port.to_string())
                .replace("HOW", how);
            // Assignments to a name that cannot be written are errors in strict code only.
            script(format!("\"use strict\";\n{filled}"))
        }
        ["cdn", ..] => script("window.rival = 1".into()),
        ["api", ..] => service(&name),
        ["live", ..] => live(&name, request).await,
        ["app", ..] if name == "frame-refused" => {
            ([("x-frame-options", "DENY")], Html("no")).into_response()
        }
        ["app", ..] => {
            Html("<!doctype html><script>parent.postMessage('here', '*')</script>").into_response()
        }
        _ if name == "consent.js" => {
            script(include_str!("../../../standins/src/assets/hedgegate.js").into())
        }
        _ if name.contains('.') => StatusCode::NOT_FOUND.into_response(),
        _ => Html(site(&name, port)).into_response(),
    }
}

async fn serve() -> u16 {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    let router = Router::new().fallback(move |request: Request| answer(request, port));
    tokio::spawn(async move { axum::serve(listener, router).await });
    port
}

fn supplier(port: u16) -> Supplier {
    let text = include_str!("../withy.toml").replace("{{port}}", &port.to_string());
    Supplier::from_toml(&text).unwrap()
}

fn rival() -> Supplier {
    let text = "id = \"rival\"\nname = \"Rival\"\n[recognise]\nscript_hosts = \
        [\"cdn.rival.localhost\"]\n[snippet]\ntemplate = '<script async \
        src=\"http://cdn.rival.localhost/l.js\"></script>'";
    Supplier::from_toml(text).unwrap()
}

/// What is wrong with a diagnosis, in words.
fn against(wanted: &Shown, d: &Diagnosis) -> Option<String> {
    let told: Vec<_> = d
        .verdict
        .findings()
        .iter()
        .map(|f| (f.code.name(), f.severity))
        .collect();
    let root = d.verdict.root().map(|c| c.name());
    if root != wanted.root || d.verdict.outcome() != wanted.outcome {
        return Some(format!(
            "{root:?} and {:?}; told {told:?}, {:?}",
            d.verdict.outcome(),
            d.verdict.not_looked_at()
        ));
    }
    let code = wanted.root.or(wanted.remark.map(|(code, _)| code));
    let Some(code) = code else {
        return (!told.is_empty()).then(|| format!("told {told:?}"));
    };
    let Some(found) = d.verdict.findings().iter().find(|f| f.code.name() == code) else {
        return Some(format!("{code} is not in {told:?}"));
    };
    if wanted
        .remark
        .is_some_and(|(_, severity)| severity != found.severity)
    {
        return Some(format!("{code} is a {:?}", found.severity));
    }
    let lines: Vec<String> = found.evidence.iter().map(|e| e.line()).collect();
    let evident = wanted.evidence.is_empty() || lines.iter().any(|l| l.contains(wanted.evidence));
    let remedied = found.remedy.contains(wanted.remedy);
    (!evident || !remedied).then(|| format!("{lines:?}; {}", found.remedy))
}

#[tokio::test(flavor = "multi_thread")]
async fn each_answer_of_a_service_is_told_by_its_code() {
    for (name, codes) in NEAR {
        let shown = SHOWN.iter().find(|s| s.name == *name).unwrap();
        let told = shown.root.or(shown.remark.map(|(code, _)| code));
        assert!(told.is_none_or(|told| !codes.contains(&told)), "{name}");
    }
    let port = serve().await;
    let consent = ConsentManager::from_toml(newtfern_standins::consent_profile()).unwrap();
    let world = Arc::new((Checker::new(), supplier(port), vec![rival()], consent));
    let wrong = complaints(SHOWN, |wanted| {
        let world = world.clone();
        async move {
            let absent = matches!(wanted.name, "unwanted" | "wanted-absent");
            let ask = Ask {
                supplier: &world.1,
                rivals: &world.2,
                consent: matches!(wanted.name, "stuck" | "waits").then_some(&world.3),
                key: KEY,
                expect: if absent {
                    Expect::Absent
                } else {
                    Expect::Present
                },
            };
            let url = format!("http://kites.localhost:{port}/{}", wanted.name);
            let d = world.0.check(&url, &ask).await.0;
            let why = against(wanted, &d).map(|why| format!("{}: {why}", wanted.name));
            why.into_iter().collect()
        }
    })
    .await;
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    world.0.pool.close().await;
}
