//! Real Chromium against a second made-up supplier that shares nothing with the stand-ins: another
//! loader, no service, the panel in the page. What is right here is not right by knowing one
//! widget.
#![allow(clippy::unwrap_used)]

mod near;

use crate::common::{Ask, Checker, closed_port, complaints};
use axum::Router;
use axum::body::Body;
use axum::extract::Request;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Redirect, Response};
use newtfern_model::pages::Expect;
use newtfern_model::profile::Supplier;
use newtfern_verdict::chain::{Diagnosis, Outcome};
use std::sync::Arc;

const KEY: &str = "osier-4821";

/// The widget: a round button and a panel beside it. `//CHANGE` is where a fault goes in.
const LOADER: &str = r#"(function () {
  window.osier = { ready: false };
  var at = document.currentScript.src;
  var framed = function (p, path) {
    p.querySelector(".x").insertAdjacentHTML("afterend",
      '<iframe style="width:290px;height:250px;border:0" src="' + new URL(path, at) +
      '"></iframe>');
  };
  setTimeout(function () {
    var b = document.createElement("button"), p = document.createElement("div");
    b.id = "osier-launcher"; b.setAttribute("aria-label", "Chat"); b.textContent = "c";
    b.style.cssText = "position:fixed;right:20px;bottom:20px;width:60px;height:60px;" +
      "background:#146;color:#fff;z-index:99";
    p.id = "osier-panel"; p.innerHTML = '<button class="x">x</button>hello';
    p.style.cssText = "position:fixed;right:20px;bottom:90px;width:300px;height:300px;" +
      "background:#fff;display:none";
    b.onclick = function () { p.style.display = p.style.display === "none" ? "block" : "none"; };
    p.querySelector(".x").onclick = function () { p.style.display = "none"; };
    //CHANGE
    document.body.append(b, p);
    window.osier.ready = true;
  }, 200);
})();"#;

/// A launcher that is a frame with the button inside it.
const FRAMED: &str = r#"window.osier = { ready: true };
var f = document.createElement("iframe"), p = document.createElement("div");
f.id = "osier-launcher"; f.title = "Chat";
f.style.cssText = "position:fixed;right:20px;bottom:20px;width:80px;height:80px;border:0";
f.srcdoc = "<button aria-label=Chat style='width:70px;height:70px' " +
  "onclick='parent.osierOpen()'>c</button>";
p.id = "osier-panel"; p.innerHTML = '<button class="x">x</button>';
p.style.cssText = "position:fixed;right:20px;bottom:120px;width:300px;height:300px;" +
  "background:#eee;display:none";
window.osierOpen = function () { p.style.display = "block"; };
p.querySelector(".x").onclick = function () { p.style.display = "none"; };
document.body.append(f, p);"#;

/// What goes wrong in the widget itself: a name and the line that is put into it.
const CHANGES: &[(&str, &str)] = &[
    (
        "no-keyboard",
        "var d = document.createElement('div'); d.id = b.id; d.style.cssText = b.style.cssText; \
        d.setAttribute('aria-label', 'x'); d.onclick = b.onclick; b = d;",
    ),
    (
        "no-name",
        "b.removeAttribute('aria-label'); b.textContent = '';",
    ),
    (
        "small",
        "b.style.width = b.style.height = '20px'; b.style.padding = 0;",
    ),
    ("outside", "b.style.right = '-500px';"),
    (
        "empty",
        "b.style.cssText = \
        'position:fixed;right:0;bottom:0;width:0;height:0;padding:0;border:0;overflow:hidden'; \
        b.textContent = '';",
    ),
    ("no-close", "p.querySelector('.x').onclick = null;"),
    (
        "new-window",
        "b.onclick = function () { window.open('/about'); };",
    ),
    ("no-open", "b.onclick = null;"),
    (
        "route",
        "setTimeout(function () \
        { history.pushState({}, '', '/other'); b.remove(); p.remove(); }, 1000);",
    ),
    ("phone", "if (innerWidth < 500) b.style.display = 'none';"),
    ("transparent", "b.style.opacity = '0';"),
    ("panel-page", "framed(p, '/panel');"),
    ("panel-error", "framed(p, '/panel-error');"),
    ("panel-refused", "framed(p, '/panel-refused');"),
    ("panel-blank", "framed(p, '/panel-blank');"),
    (
        "behind",
        "var o = document.createElement('div'); o.id = 'veil'; o.style.cssText = \
        'position:fixed;inset:0;z-index:500;background:#0001'; document.body.append(o);",
    ),
];

type Case = (&'static str, Option<&'static str>, Option<&'static str>);

/// The page, the root cause it must be given (none: the chain holds), and a remark that must be
/// there.
const CASES: &[Case] = &[
    ("good", None, None),
    ("framed", None, None),
    ("no-keyboard", Some("usable.no-keyboard"), None),
    ("no-name", Some("usable.no-name"), None),
    ("small", None, Some("usable.small-target")),
    ("outside", Some("shown.outside"), None),
    ("empty", Some("shown.empty"), None),
    ("no-close", Some("usable.no-close"), None),
    ("new-window", Some("usable.new-window"), None),
    ("no-open", Some("usable.no-open"), None),
    ("route", Some("shown.route-lost"), None),
    ("phone", Some("shown.phone"), None),
    ("transparent", Some("shown.hidden"), None),
    ("styled", Some("shown.hidden"), None),
    ("wide", Some("shown.phone"), None),
    ("wide-in-a-box", None, None),
    ("panel-page", None, None),
    ("panel-error", Some("started.frame"), None),
    ("panel-refused", Some("started.frame"), None),
    ("panel-blank", Some("started.frame"), None),
    ("behind", Some("shown.covered"), None),
    ("other-page", Some("placed.other-page"), None),
    ("stale", Some("placed.stale-cache"), None),
    ("wrong-type", Some("placed.wrong-type"), None),
    ("put-in-by-text", Some("placed.inert"), None),
    ("textarea", Some("placed.inert"), None),
    ("placeholder", Some("placed.no-key"), None),
    ("altered", Some("placed.altered"), None),
    ("late", None, Some("placed.late-delay")),
    ("after-end", None, Some("placed.after-end")),
    ("blocking", None, Some("placed.blocking")),
    ("policy", Some("allowed.policy"), None),
    ("iab", None, Some("allowed.consent-waits")),
    ("integrity", Some("fetched.integrity"), None),
    ("html-for-script", Some("fetched.type"), None),
    ("json-for-script", Some("fetched.type"), None),
    ("nosniff", Some("fetched.type"), None),
    ("missing", Some("fetched.status"), None),
    ("cors", Some("fetched.cors"), None),
    ("cut-off", Some("fetched.cut-off"), None),
    ("hanging", Some("fetched.timeout"), None),
    ("refused", Some("fetched.refused"), None),
    ("bad-port", Some("fetched.refused"), None),
    ("syntax", Some("ran.syntax"), None),
    ("throws", Some("ran.error"), None),
    ("elsewhere", Some("delivered.elsewhere"), None),
    ("sent-on-by-script", Some("delivered.elsewhere"), None),
    ("pdf", Some("delivered.not-html"), None),
];

fn page(head: &str, body: &str) -> Response {
    Html(format!(
        "<!doctype html><html><head><meta name=viewport \
        content='width=device-width'><title>Kites</title>{head}</head><body><h1>Hi</h1><a \
        href=/good>good</a>\n{body}\n</body></html>"
    ))
    .into_response()
}

/// A page for phones with a table that is wider than they are.
fn wide(body: &str) -> Response {
    Html(format!(
        "<!doctype html><html><head><meta name=viewport content='width=device-width, \
        initial-scale=1'><title>Kites</title><style>.prices {{ width: 900px; height: 40px \
        }}</style>\
        </head><body><h1>Hi</h1>\n{body}\n</body></html>"
    ))
    .into_response()
}

/// The client's site: one fault a path.
fn site(path: &str, query: &str, port: u16) -> Response {
    // Long: a page an arm.
    let loader = |how: &str| {
        format!(
            "<script async src=\"http://cdn.osier.localhost:{port}/l.js?{how}\" \
            data-key=\"{KEY}\"></script>"
        )
    };
    let good = format!(
        "<script async src=\"http://cdn.osier.localhost:{port}/l.js\" data-key=\"{KEY}\"></script>"
    );
    let body = |text: &str| page("", text);
    match path {
        "good" | "about" => body(&good),
        "other-page" => body(""),
        "stale" if query.contains("newtfern") => body(&good),
        "stale" => body(""),
        "styled" => page(
            "<style>\nh1 { color: red }\nbutton[id^=osier] { display: none \
                          }\n</style>",
            &good,
        ),
        "wide" => wide(&format!(
            "<table class=prices><tr><td>x</td></tr></table>{good}"
        )),
        "wide-in-a-box" => wide(&format!(
            "<div style='overflow:auto'><table class=prices><tr><td>x</td></tr></table></div>{good}"
        )),
        "wrong-type" => body(&good.replace("async", "type=\"text/x-none\"")),
        "put-in-by-text" => body(&format!(
            "<div id=d></div><script>\
             document.getElementById('d').innerHTML = '{}'</script>",
            good.replace("</script>", "<\\/script>")
        )),
        "textarea" => body(&format!("<textarea>{good}</textarea>")),
        "placeholder" => body(&good.replace(KEY, "YOUR-KEY")),
        "altered" => body(&good.replace("l.js", "gone.js")),
        "late" => body(&format!(
            "<script>addEventListener('mousemove', function () {{ var s = \
            document.querySelector('script[data-later-src]'), n = \
            document.createElement('script'); n.src = s.dataset.laterSrc; n.dataset.key = \
            s.dataset.key; s.remove(); document.body.append(n); }}, {{once: true}})</script>{}",
            good.replace("src=", "data-later-src=")
        )),
        "after-end" => Html(format!(
            "<!doctype \
                                     html><html><head><title>x</title></head><body><h1>Hi</h1>\
                                     </body></html>\n{good}"
        ))
        .into_response(),
        "blocking" => page(&good.replace("async ", ""), ""),
        "policy" => (
            [(
                header::CONTENT_SECURITY_POLICY,
                "script-src 'self'; object-src \
            'none'",
            )],
            body(&good),
        )
            .into_response(),
        "iab" => body(&format!(
            "<script>window.__tcfapi = function () \
                                {{}}</script>{}",
            good.replace("async", "type=\"text/plain\"")
        )),
        "integrity" => body(&good.replace(
            "async",
            "async crossorigin \
            integrity=\"sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC\"",
        )),
        "cors" => body(&loader("nocors").replace("async", "async crossorigin")),
        "refused" => body(&good.replace(&format!(":{port}"), &format!(":{}", closed_port()))),
        // The discard port is one of the bad ports.
        "bad-port" => body(&good.replace(&format!(":{port}"), ":9")),
        "elsewhere" => {
            Redirect::temporary(&format!("http://other.localhost:{port}/good")).into_response()
        }
        "sent-on-by-script" => body(&format!(
            "<script>location.replace('http://other.localhost:{port}/good')</script>"
        )),
        "pdf" => ([(header::CONTENT_TYPE, "application/pdf")], "%PDF-1.4").into_response(),
        "framed" => body(&good.replace("l.js", "l.js?framed")),
        other if CASES.iter().any(|(name, ..)| *name == other) => body(&loader(other)),
        _ => StatusCode::NOT_FOUND.into_response(),
    }
}

/// The supplier's host: the loader, whole or failing as asked.
async fn supplier_host(path: &str, query: &str) -> Response {
    // Long for its table of answers.
    let script = |text: String| {
        (
            [
                (header::CONTENT_TYPE, "text/javascript"),
                (header::ACCESS_CONTROL_ALLOW_ORIGIN, "*"),
            ],
            text,
        )
            .into_response()
    };
    match path {
        "l.js" => {}
        "panel" => {
            return Html("<!doctype html><p>Hello</p><input placeholder=Name>").into_response();
        }
        "panel-error" => {
            let said = Html("<h1>Service unavailable</h1>");
            return (StatusCode::SERVICE_UNAVAILABLE, said).into_response();
        }
        "panel-refused" => {
            let deny = [(header::X_FRAME_OPTIONS, "DENY")];
            return (deny, Html("<p>Hello</p>")).into_response();
        }
        "panel-blank" => return Html("<!doctype html><div id=root></div>").into_response(),
        _ => return StatusCode::NOT_FOUND.into_response(),
    }
    match query {
        "missing" => (StatusCode::NOT_FOUND, Html("<h1>no</h1>")).into_response(),
        "html-for-script" => Html("<!doctype html><h1>hello</h1>").into_response(),
        "json-for-script" => {
            ([(header::CONTENT_TYPE, "application/json")], "{\"a\":1}").into_response()
        }
        "nosniff" => (
            [
                (header::CONTENT_TYPE, "text/plain"),
                (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
            ],
            "var a = 1",
        )
            .into_response(),
        "nocors" => ([(header::CONTENT_TYPE, "text/javascript")], LOADER).into_response(),
        "syntax" => script("var a = {;".into()),
        "throws" => script("null.x()".into()),
        "hanging" => std::future::pending().await,
        "cut-off" => {
            // The length is promised, and the connection breaks after a part.
            let part = futures_util::stream::once(async { Ok("var a = 1;") });
            // Given way once, so that the part is on its way before the end.
            let end = futures_util::stream::once(async {
                tokio::task::yield_now().await;
                Err(std::io::Error::other("broken on purpose"))
            });
            let parts = futures_util::StreamExt::chain(part, end);
            (
                [
                    (header::CONTENT_TYPE, "text/javascript"),
                    (header::CONTENT_LENGTH, "5000"),
                ],
                Body::from_stream(parts),
            )
                .into_response()
        }
        "framed" => script(FRAMED.into()),
        change => script(
            LOADER.replace(
                "//CHANGE",
                CHANGES
                    .iter()
                    .find(|(name, _)| *name == change)
                    .map_or("", |(_, line)| line),
            ),
        ),
    }
}

async fn answer(headers: HeaderMap, request: Request, port: u16) -> Response {
    let host = headers
        .get(header::HOST)
        .and_then(|h| h.to_str().ok())
        .unwrap_or_default();
    let (path, query) = (
        request.uri().path().trim_matches('/'),
        request.uri().query().unwrap_or_default(),
    );
    match host.starts_with("cdn.osier") {
        true => match near::loader(path, query).await {
            Some(near) => near,
            None => supplier_host(path, query).await,
        },
        false => match near::page(path, query, &headers, port).await {
            Some(near) => near,
            None => site(path, query, port),
        },
    }
}

async fn serve() -> u16 {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    let router = Router::new()
        .fallback(move |headers: HeaderMap, request: Request| answer(headers, request, port));
    tokio::spawn(async move { axum::serve(listener, router).await });
    port
}

fn supplier(port: u16) -> Supplier {
    Supplier::from_toml(&format!(
        r##"
id = "osier"
name = "Osier"
[recognise]
script_hosts = ["cdn.osier.localhost"]
key_patterns = ['data-key="(?P<key>[A-Za-z0-9-]{{8,36}})"']
[snippet]
template = '''<script async src="http://cdn.osier.localhost:{port}/l.js" \
data-key="{{{{key}}}}"></script>'''
[alive]
script = "window.osier && window.osier.ready === true"
launcher = "#osier-launcher"
start_within_ms = 3000
[open]
click = "#osier-launcher"
panel = "#osier-panel"
close = "#osier-panel .x"
"##
    ))
    .unwrap()
}

/// What is wrong with a page's diagnosis.
fn against((name, root, remark): &Case, d: &Diagnosis) -> Vec<String> {
    let mut wrong = Vec::new();
    let told: Vec<&str> = d.verdict.findings().iter().map(|f| f.code.name()).collect();
    if d.verdict.root().map(|c| c.name()) != *root {
        wrong.push(format!(
            "{name}: {:?} should be {root:?}; told {told:?}: {:?}",
            d.verdict.root(),
            d.verdict.findings().first().map(|f| &f.summary)
        ));
    }
    let outcome = match *remark {
        Some("allowed.consent-waits") => Outcome::AsIntended,
        _ => Outcome::Working,
    };
    if root.is_none() && d.verdict.outcome() != outcome {
        wrong.push(format!(
            "{name}: {:?} should be {outcome:?}",
            d.verdict.outcome()
        ));
    }
    if remark.is_some_and(|r| !told.contains(&r)) {
        wrong.push(format!("{name}: {remark:?} is missing from {told:?}"));
    }
    // A page in order is not given remarks.
    if *name == "good" && !told.is_empty() {
        wrong.push(format!("{name}: told {told:?}"));
    }
    wrong
}

/// Evidence and remedy of a page's root cause, as the browser's own figures give them.
type Shown = (&'static str, &'static [&'static str], &'static str);

const SHOWN: &[Shown] = &[
    (
        "styled",
        &["line 3: button[id^=\"osier\"] { display: none }"],
        "remove or narrow the rule",
    ),
    (
        "wide",
        &["table.prices: 900"],
        "let table.prices fit the screen",
    ),
    (
        "panel-error",
        &["/panel-error \u{2192} 503", "of the panel"],
        "report this address",
    ),
    (
        "panel-refused",
        &["/panel-refused", "x-frame-options: DENY"],
        "allow this site to show the widget in a frame",
    ),
    (
        "panel-blank",
        &["/panel-blank takes up"],
        "report this address",
    ),
];

#[tokio::test(flavor = "multi_thread")]
async fn what_is_told_can_be_checked_in_seconds() {
    let port = serve().await;
    let world = Arc::new((Checker::new(), supplier(port)));
    let wrong = complaints(SHOWN, |(name, evidence, remedy)| {
        let world = world.clone();
        async move {
            let ask = Ask {
                supplier: &world.1,
                rivals: &[],
                consent: None,
                key: KEY,
                expect: Expect::Present,
            };
            let url = format!("http://kites.localhost:{port}/{name}");
            let told = world.0.check(&url, &ask).await.0;
            let Some(found) = told.verdict.root_finding() else {
                return vec![format!("{name}: no root cause")];
            };
            let lines: Vec<String> = found.evidence.iter().map(|e| e.line()).collect();
            let lines = lines.join("\n");
            let missing = evidence.iter().filter(|e| !lines.contains(**e));
            let mut wrong: Vec<String> = missing
                .map(|e| format!("{name}: {e:?} is not in {lines:?}"))
                .collect();
            if !found.remedy.contains(remedy) {
                wrong.push(format!("{name}: the remedy is {:?}", found.remedy));
            }
            wrong
        }
    })
    .await;
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    world.0.pool.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn each_page_is_told_by_its_code() {
    let port = serve().await;
    let world = Arc::new((Checker::new(), supplier(port)));
    let wrong = complaints(CASES, |case| {
        let world = world.clone();
        async move {
            let ask = Ask {
                supplier: &world.1,
                rivals: &[],
                consent: None,
                key: KEY,
                expect: Expect::Present,
            };
            let url = format!("http://kites.localhost:{port}/{}", case.0);
            against(case, &world.0.check(&url, &ask).await.0)
        }
    })
    .await;
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    world.0.pool.close().await;
}
