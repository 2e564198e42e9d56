//! Near misses: pages that look much like a fault and are none. Each code of the chain has one, by
//! one of the made-up suppliers; a page may be near to many.

use super::{KEY, LOADER, serve, supplier};
use crate::common::{Ask, Checker, closed_port, complaints};
use axum::body::Body;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Redirect, Response};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use newtfern_model::pages::Expect;
use newtfern_verdict::chain::{Diagnosis, Outcome};
use sha2::{Digest, Sha384};
use std::sync::Arc;
use std::time::Duration;

/// A page, its root cause where it has another one, and what it must not be taken for.
type Near = (&'static str, Option<&'static str>, &'static [&'static str]);

#[rustfmt::skip]
const NEAR: &[Near] = &[
    // What lies about on a page that many hands have worked on.
    ("cluttered", None, &[
        "delivered.dns", "delivered.refused", "placed.as-text", "placed.commented", "placed.inert",
        "placed.double-wrapped", "placed.bad-quotes", "placed.wrong-key", "placed.no-key",
        "placed.twice", "placed.wrong-type", "placed.altered", "placed.after-end",
        "placed.framed", "fetched.dns", "fetched.refused", "ran.syntax", "ran.error",
    ]),
    // What is done on the way to the page and to the loader.
    ("roundabout", None, &[
        "delivered.redirect-loop", "delivered.elsewhere", "delivered.timeout", "delivered.status",
        "delivered.not-html", "placed.truncated", "placed.blocking", "allowed.policy",
        "fetched.status", "fetched.timeout", "fetched.type", "fetched.integrity", "fetched.cors",
        "fetched.cut-off",
    ]),
    // A script of the page's own puts the snippet in, late, and the widget takes its time.
    ("slow-to-show", None, &[
        "placed.absent", "placed.late-delay", "started.silent", "shown.absent", "shown.hidden",
        "shown.covered", "shown.outside", "shown.empty",
    ]),
    ("odd-to-use", None, &[
        "usable.no-open", "usable.no-close", "usable.no-name", "usable.no-keyboard",
        "usable.small-target", "usable.new-window", "shown.route-lost", "shown.phone",
    ]),
    ("panel-page", None, &["started.frame"]),
    ("open-to-all", None, &["allowed.consent-waits"]),
    // No page and no later copy has it either.
    ("bare", Some("placed.absent"), &["placed.other-page", "placed.stale-cache"]),
];

fn html(head: &str, body: &str) -> String {
    format!(
        "<!doctype html><html><head><meta name=viewport content='width=device-width'>\
        <title>Kites</title>{head}</head><body><h1>Hi</h1>\n{body}"
    )
}

fn good(port: u16) -> String {
    let at = format!("http://cdn.osier.localhost:{port}/l.js");
    format!("<script async src=\"{at}\" data-key=\"{KEY}\"></script>")
}

fn cluttered(port: u16) -> String {
    let closed = closed_port();
    let body = format!(
        "<!-- Osier chat: see the board for who answers -->\n\
        <p title=\u{201c}kites\u{201d}>\u{201c}Fly\u{201d} them: <code>&lt;script \
        src=\"/own.js\"&gt;&lt;/script&gt;</code></p>\n\
        <img src=\"http://nowhere.invalid/kite.png\" alt=\"\">\
        <img src=\"http://kites.localhost:{closed}/kite.png\" alt=\"\">\n\
        <noscript>Please switch scripts on to chat with us.</noscript>\
        <template><script>window.never = 1</script></template>\
        <div data-key=\"kite-0001\" data-lang=\"\">Kites by number</div>\n\
        <iframe src=\"/bare\" title=\"Map\" width=\"200\" height=\"100\"></iframe>\
        <script>var code = \"<script src='/own.js'>\";</script>\n\
        <script>var a = {{;</script><script>window.nothing.at.all();</script>\n\
        <script src=\"http://nowhere.invalid/own.js\"></script>\
        <script src=\"http://kites.localhost:{closed}/own.js\"></script>\n\
        <script data-key=\"{KEY}\" type=\"text/javascript\" \
        src='http://CDN.osier.localhost:{port}/l.js' async=\"\"></script>\n\
        </body></html>\n<!-- cached at 10:32 -->\n"
    );
    let preload =
        format!("<link rel=preload as=script href=\"http://cdn.osier.localhost:{port}/l.js\">");
    html(&preload, &body)
}

/// The last of a row of redirects: with a policy that names what is needed, and one that only
/// reports what it would keep out.
fn roundabout(port: u16) -> Response {
    let integrity = STANDARD.encode(Sha384::digest(LOADER));
    let snippet = format!(
        "<script defer crossorigin integrity=\"sha384-{integrity}\" \
        src=\"//cdn.osier.localhost:{port}/l.js?moved\" data-key=\"{KEY}\"></script>"
    );
    let fits = format!("script-src http://cdn.osier.localhost:{port}; object-src 'none'");
    let headers = [
        (
            header::CONTENT_TYPE,
            "Text/HTML ; charset=\"UTF-8\"".to_string(),
        ),
        (header::CONTENT_SECURITY_POLICY, fits),
        (
            header::CONTENT_SECURITY_POLICY_REPORT_ONLY,
            "default-src 'none'".to_string(),
        ),
    ];
    // Nothing is closed at its end, as the standard allows.
    (
        StatusCode::NON_AUTHORITATIVE_INFORMATION,
        headers,
        html(&snippet, "<p>Fly"),
    )
        .into_response()
}

/// The page of a near miss.
pub async fn page(path: &str, _query: &str, headers: &HeaderMap, port: u16) -> Option<Response> {
    let named = |name: header::HeaderName| {
        let value = headers.get(name).and_then(|v| v.to_str().ok());
        value.unwrap_or_default().to_string()
    };
    Some(match path {
        "cluttered" => Html(cluttered(port)).into_response(),
        "roundabout" => {
            let known = named(header::COOKIE).contains("been=1");
            let www = named(header::HOST).starts_with("www.");
            match (www, known) {
                (false, _) => {
                    Redirect::permanent(&format!("http://www.kites.localhost:{port}/roundabout"))
                        .into_response()
                }
                // To itself, until it knows whoever asks.
                (true, false) => (
                    [(header::SET_COOKIE, "been=1; path=/")],
                    Redirect::temporary("/roundabout"),
                )
                    .into_response(),
                (true, true) => {
                    tokio::time::sleep(Duration::from_millis(1_500)).await;
                    roundabout(port)
                }
            }
        }
        "slow-to-show" => {
            let put_in = format!(
                "<script>addEventListener('load', function () {{ setTimeout(function () {{ var s = \
                document.createElement('script'); s.async = true; s.src = \
                'http://cdn.osier.localhost:{port}/l.js?slow-to-show'; s.dataset.key = '{KEY}'; \
                document.body.append(s); }}, 700); }})</script>"
            );
            Html(html("", &put_in)).into_response()
        }
        "odd-to-use" => {
            Html(html("", &good(port).replace("l.js", "l.js?odd-to-use"))).into_response()
        }
        "open-to-all" => {
            let interface = "<script>window.__tcfapi = function () {}</script>";
            Html(html("", &format!("{interface}{}", good(port)))).into_response()
        }
        "bare" => Html(html("", "<p>Nothing here.</p>")).into_response(),
        _ => return None,
    })
}

const SLOW_TO_SHOW: &str = r#"
    b.style.opacity = "0.5"; b.style.right = "-10px"; b.textContent = "";
    var glass = document.createElement("div");
    glass.style.cssText = "position:fixed;inset:0;z-index:500;pointer-events:none";
    document.body.append(p, glass);
    setTimeout(function () { document.body.append(b); }, 800);
    window.osier.ready = true;
    return;"#;

const ODD_TO_USE: &str = r#"
    var d = document.createElement("div");
    d.id = b.id; d.style.cssText = b.style.cssText;
    d.style.width = d.style.height = innerWidth < 500 ? "24px" : "30px";
    d.setAttribute("role", "button"); d.tabIndex = 0; d.title = "Chat";
    d.onclick = function () {
      setTimeout(function () {
        p.style.display = p.style.display === "none" ? "block" : "none";
      }, 500);
    };
    d.onkeydown = function (e) { if (e.key === "Enter" || e.key === " ") d.onclick(); };
    p.insertAdjacentHTML("beforeend", "<a href='/about' target='_blank'>About</a>");
    p.querySelector(".x").onclick = function () {
      setTimeout(function () { p.style.display = "none"; }, 300);
    };
    setTimeout(function () { history.pushState({}, "", "/other"); }, 1000);
    b = d;"#;

/// The loader of a near miss.
pub async fn loader(path: &str, query: &str) -> Option<Response> {
    let open = || (header::ACCESS_CONTROL_ALLOW_ORIGIN, "*");
    let script = |text: String| {
        let headers = [(header::CONTENT_TYPE, "text/javascript"), open()];
        (headers, text).into_response()
    };
    Some(match (path, query) {
        ("l.js", "moved") => ([open()], Redirect::temporary("/arrived.js")).into_response(),
        // Late, of an old kind, and of a length that nobody promised.
        ("arrived.js", _) => {
            tokio::time::sleep(Duration::from_millis(1_200)).await;
            let parts = LOADER
                .as_bytes()
                .chunks(400)
                .map(|c| Ok::<_, std::io::Error>(c.to_vec()));
            let parts: Vec<_> = parts.collect();
            let body = Body::from_stream(futures_util::stream::iter(parts));
            let headers = [(header::CONTENT_TYPE, "application/x-javascript"), open()];
            (headers, body).into_response()
        }
        ("l.js", "slow-to-show") => script(
            LOADER
                .replace("}, 200)", "}, 1200)")
                .replace("//CHANGE", SLOW_TO_SHOW),
        ),
        ("l.js", "odd-to-use") => script(LOADER.replace("//CHANGE", ODD_TO_USE)),
        _ => return None,
    })
}

fn against((name, root, not): &Near, d: &Diagnosis) -> Vec<String> {
    let told = d.verdict.findings();
    let codes: Vec<&str> = told.iter().map(|f| f.code.name()).collect();
    let outcome = match root {
        Some(_) => Outcome::Broken,
        None => Outcome::Working,
    };
    let wrong = d.verdict.outcome() != outcome
        || d.verdict.root().map(|c| c.name()) != *root
        || not.iter().any(|n| codes.contains(n))
        // A page in order is told nothing at all of.
        || root.is_none() && !codes.is_empty();
    let why = || {
        let open = d.verdict.not_looked_at();
        vec![format!(
            "{name}: {:?}, {told:?}, {open:?}",
            d.verdict.outcome()
        )]
    };
    wrong.then(why).unwrap_or_default()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_looks_much_like_a_fault_is_none() {
    let port = serve().await;
    let world = Arc::new((Checker::new(), supplier(port)));
    let wrong = complaints(NEAR, |near| {
        let world = world.clone();
        async move {
            let ask = Ask {
                supplier: &world.1,
                rivals: &[],
                consent: None,
                key: KEY,
                expect: Expect::Present,
            };
            let url = format!("http://kites.localhost:{port}/{}", near.0);
            against(near, &world.0.check(&url, &ask).await.0)
        }
    })
    .await;
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    world.0.pool.close().await;
}
