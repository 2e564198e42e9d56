//! Tarnwork, the stand-in platform: pages of client sites, code slots with an interface, an
//! extension that takes a key, and a page cache that can be switched on.

use crate::answers::{escape, signed_in};
use crate::desk::{self, Button, Desk, Sent, Shown};
use crate::estate::{Fault, Maker, SITES, Site};
use crate::kept::Kept;
use axum::body::to_bytes;
use axum::extract::Request;
use axum::http::{HeaderMap, Method, StatusCode};
use axum::response::{Html, IntoResponse, Response};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::path::PathBuf;
use std::time::Duration;

/// Content of the slots of one site.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
struct Held {
    slots: HashMap<String, String>,
    version: u64,
    /// Whether the fault of the site itself was mended on its admin pages.
    #[serde(default)]
    mended: bool,
    cache_on: bool,
    #[serde(skip)]
    cached: HashMap<String, String>,
}

pub struct Sites {
    port: u16,
    kept: Kept<Held>,
}

impl Sites {
    pub fn new(port: u16, memory: Option<PathBuf>) -> Sites {
        let kept = Kept::new(port, memory);
        for site in &SITES {
            kept.lock()
                .entry(site.host.to_string())
                .or_insert_with(|| first_state(site, port));
        }
        Sites { port, kept }
    }

    fn with<T>(&self, host: &str, change: impl FnOnce(&mut Held) -> T) -> Option<T> {
        self.kept.lock().get_mut(host).map(change)
    }

    /// Returns the fault that a site has now.
    fn fault(&self, site: &Site) -> Option<Fault> {
        let mended = self.with(site.host, |held| held.mended);
        site.fault.filter(|_| mended != Some(true))
    }
}

/// The snippet as Brindle gives it.
pub(crate) fn snippet(key: &str, port: u16) -> String {
    snippet_of(Maker::Brindle, (key, ""), port)
}

fn snippet_of(maker: Maker, (key, host): (&str, &str), port: u16) -> String {
    let profile: toml::Value = toml::from_str(&maker.profile(port))
        .unwrap_or_else(|_| toml::Value::Table(Default::default()));
    let template = profile
        .get("snippet")
        .and_then(|s| s.get("template"))
        .and_then(|t| t.as_str())
        .unwrap_or_default();
    // Nobody has written a design into it yet.
    let template = template.replace("{{launcher_colour}}", "");
    template.replace("{{key}}", key).replace("{{host}}", host)
}

/// The snippet as the site's consent banner wants it.
fn gated(code: &str, site: &Site) -> String {
    let mark = if site.thorn {
        "data-thorn"
    } else {
        "data-hedge"
    };
    let held = format!("<script type=\"text/plain\" {mark}=\"chat\"");
    code.replacen("<script", &held, 1)
}

/// The banner's own list: scripts from these hosts wait for consent, whoever put them there.
const HELD_HOSTS: &str = "held-hosts";

/// A page as the banner's extension hands it on: scripts from hosts of its list are marked.
fn held_by_host(html: &str, hosts: &str, site: &Site) -> String {
    let hosts: Vec<&str> = hosts
        .split([',', '\n'])
        .map(str::trim)
        .filter(|h| !h.is_empty())
        .collect();
    let from = |tag: &str| hosts.iter().any(|h| tag.contains(&format!("//{h}")));
    let parts = html.split_inclusive("<script");
    let mut parts = parts.peekable();
    let mut out = String::new();
    while let Some(part) = parts.next() {
        // What comes next begins inside the tag that this part ends with.
        let tag = parts.peek().and_then(|next| next.split('>').next());
        match part.strip_suffix("<script") {
            Some(before) if tag.is_some_and(from) => {
                out += &format!("{before}{}", gated("<script", site))
            }
            _ => out += part,
        }
    }
    out
}

fn first_state(site: &Site, port: u16) -> Held {
    let key = site.key();
    let plain = snippet_of(site.maker, (&key, &site.supplier_host(port)), port);
    // What is necessary needs no consent.
    let waits = site.banner && site.maker != Maker::Plashet;
    let code = if waits && site.fault != Some(Fault::Early) {
        gated(&plain, site)
    } else {
        plain.clone()
    };
    let counter = "<!-- visitor counter, asked for by the client -->\n<script src=\"/count.js\" \
        defer></script>\n";
    let text = match site.fault {
        Some(Fault::Absent) => String::new(),
        Some(Fault::AsText) => format!("<p>{}</p>\n", escape(&plain)),
        Some(Fault::Commented) => format!("<!-- off for the holidays\n{plain}\n-->\n"),
        Some(Fault::DoubleWrapped) => format!("<script>\n{plain}\n</script>\n"),
        Some(Fault::WrongKey) => snippet("gustkites-live", port),
        Some(Fault::BadQuotes) => plain.replace('"', "\u{201d}"),
        Some(Fault::Truncated) => plain
            .trim_end_matches("></script>")
            .trim_end_matches('"')
            .to_string(),
        // Brought by the extension as well.
        Some(Fault::Twice) => code,
        _ => code,
    };
    let mut slots = HashMap::from([
        ("footer-code".to_string(), format!("{counter}{text}\n")),
        ("script-box".to_string(), String::new()),
        ("extension-key".to_string(), String::new()),
    ]);
    if site.banner {
        slots.insert(HELD_HOSTS.into(), String::new());
    }
    if site.fault == Some(Fault::Twice) {
        slots.insert("extension-key".into(), key);
    }
    Held {
        slots,
        version: 1,
        mended: false,
        cache_on: false,
        cached: HashMap::new(),
    }
}

pub async fn answer(sites: &Sites, name: &str, request: Request) -> Response {
    let host = name.trim_end_matches(".localhost");
    let Some(site) = SITES.iter().find(|s| s.host == host) else {
        return (StatusCode::NOT_FOUND, "no such site among the stand-ins").into_response();
    };
    let path = request.uri().path().to_string();
    if path.trim_end_matches('/') == "/_tarn/desk" {
        return at_desk(sites, site, request).await;
    }
    if let Some(rest) = path.strip_prefix("/_tarn/") {
        let rest = rest.to_string();
        return interface(sites, site, &rest, request).await;
    }
    match path.as_str() {
        "/count.js" => {
            return crate::answers::script("window.counted = (window.counted || 0) + 1;".into());
        }
        "/consent.js" if site.thorn => {
            return crate::answers::script(include_str!("assets/thornlatch.js").into());
        }
        "/consent.js" => {
            let mut banner = include_str!("assets/hedgegate.js").to_string();
            if sites.fault(site) == Some(Fault::Forgets) {
                let refused = "if (me.state === \"refused\") ";
                banner = banner.replace(
                    &format!("{refused}return;"),
                    &format!("{refused}return release();"),
                );
            }
            return crate::answers::script(banner);
        }
        "/page.js" => return crate::answers::script(PAGE_SCRIPT.into()),
        _ => {}
    }
    match sites.fault(site) {
        Some(Fault::Status) => {
            return (StatusCode::SERVICE_UNAVAILABLE, Html("<h1>Back soon</h1>")).into_response();
        }
        Some(Fault::Timeout) => {
            // Longer than any visit waits.
            tokio::time::sleep(Duration::from_secs(90)).await;
            return StatusCode::GATEWAY_TIMEOUT.into_response();
        }
        _ => {}
    }
    let Some(page) = PAGES.iter().find(|(p, _, _)| *p == path) else {
        let missing = "<!doctype html><title>Not found</title><h1>There is no such page</h1>";
        return (StatusCode::NOT_FOUND, Html(missing)).into_response();
    };
    let uncached = request.uri().query().is_some();
    let said = |name: &str| {
        let value = request.headers().get(name).and_then(|v| v.to_str().ok());
        value.unwrap_or_default().to_string()
    };
    let visitor = Visitor {
        phone: said("user-agent").contains("Mobile"),
        welsh: said("accept-language").starts_with("cy"),
    };
    page_of(sites, site, page, (uncached, visitor))
}

/// What a page knows of its visitor.
#[derive(Clone, Copy)]
struct Visitor {
    phone: bool,
    welsh: bool,
}

/// A page, from the cache where that is on and the address has no query.
fn page_of(
    sites: &Sites,
    site: &Site,
    page: &(&'static str, &'static str, &'static str),
    (uncached, visitor): (bool, Visitor),
) -> Response {
    let path = page.0.to_string();
    let (html, hit) = sites
        .with(site.host, |held| {
            if held.cache_on
                && !uncached
                && let Some(kept) = held.cached.get(&path)
            {
                return (kept.clone(), true);
            }
            let html = render(site, held, page, (sites.port, visitor));
            if held.cache_on && !uncached {
                held.cached.insert(path.clone(), html.clone());
            }
            (html, false)
        })
        .unwrap_or_default();
    let mut headers = HeaderMap::new();
    let cache = if hit { "hit" } else { "miss" };
    headers.insert("x-page-cache", axum::http::HeaderValue::from_static(cache));
    if sites.fault(site) == Some(Fault::Policy) {
        headers.insert(
            "content-security-policy",
            axum::http::HeaderValue::from_static(
                "default-src 'self'; style-src 'self' 'unsafe-inline'; script-src 'self'",
            ),
        );
    }
    (headers, Html(html)).into_response()
}

/// Returns the words of the button that mends a fault of the site itself.
fn mending(fault: Fault) -> Option<&'static str> {
    Some(match fault {
        Fault::Status => "Switch the maintenance page off",
        Fault::Timeout => "Restart the server",
        Fault::Policy => "Let the chat through the content policy",
        Fault::Hidden => "Take the hiding rule out of the theme",
        Fault::Covered => "Switch the offer off",
        Fault::Forgets => "Let the banner remember a refusal",
        Fault::OpenOnPhones => "Hold the chat back on phones too",
        Fault::Wide => "Make the table fit phones",
        Fault::Clash => "Take the old script out",
        Fault::OneLanguage => "Put the footer into the Welsh pages",
        _ => return None,
    })
}

/// The desk: code slots, the cache, and what else can be set.
async fn at_desk(sites: &Sites, site: &Site, request: Request) -> Response {
    if request.method() == Method::POST {
        let Sent { act, slot, text } = desk::sent(request).await;
        sites.with(site.host, |held| match act.as_str() {
            "save" => {
                if let Some(kept) = held.slots.get_mut(&slot) {
                    *kept = text;
                    held.version += 1;
                }
            }
            "mend" => held.mended = true,
            _ => held.cached.clear(),
        });
        sites.kept.remember();
        return desk::back("/_tarn/desk");
    }
    let slots = sites.with(site.host, |held| held.slots.clone());
    let mut slots: Vec<(String, String)> = slots.unwrap_or_default().into_iter().collect();
    slots.sort();
    let named = |id: &str| match id {
        "footer-code" => ("Site code, end of body", "Comes out on every page."),
        "extension-key" => ("Extensions: Brindle, key", "Empty switches it off."),
        HELD_HOSTS => (
            "Extensions: hosts that wait",
            "Their scripts wait for consent; one a line.",
        ),
        _ => ("Theme: script box", "Script tags are added for you."),
    };
    let boxes = slots.into_iter().map(|(id, text)| Shown {
        name: named(&id).0.into(),
        help: named(&id).1.into(),
        id,
        text,
    });
    let button = |act: &str, label: &str| Button {
        act: act.into(),
        label: label.into(),
    };
    let mend = sites.fault(site).and_then(mending);
    let buttons = mend.map(|label| button("mend", label));
    Desk {
        title: format!("Tarnwork: {}, {}", site.client().name, site.name),
        line: "What is published here is what visitors get.".into(),
        colour: "#3d5a45",
        path: "/_tarn/desk".into(),
        save: "Publish",
        boxes: boxes.collect(),
        buttons: buttons
            .into_iter()
            .chain([button("empty", "Empty the page cache")])
            .collect(),
    }
    .page()
}

#[derive(Deserialize)]
struct Write {
    text: String,
    /// The version that was read; a write over somebody else's change is refused.
    #[serde(default)]
    version: Option<u64>,
}

/// `GET` and `PUT /_tarn/slots/ID`, `PUT` and `DELETE /_tarn/cache`.
async fn interface(sites: &Sites, site: &Site, rest: &str, request: Request) -> Response {
    if !signed_in(request.headers()) {
        return (StatusCode::UNAUTHORIZED, "a token is needed").into_response();
    }
    let method = request.method().clone();
    let bytes = to_bytes(request.into_body(), 200_000)
        .await
        .unwrap_or_default();
    let answer = match (method, rest.strip_prefix("slots/"), rest) {
        (Method::GET, Some(slot), _) => sites
            .with(site.host, |held| {
                held.slots
                    .get(slot)
                    .map(|text| json!({"text": text, "version": held.version}))
            })
            .flatten(),
        (Method::PUT, Some(slot), _) => {
            let Ok(write) = serde_json::from_slice::<Write>(&bytes) else {
                return (StatusCode::BAD_REQUEST, "text is missing").into_response();
            };
            match write_slot(sites, site, slot, write) {
                Ok(value) => Some(value),
                Err(status) => return status.into_response(),
            }
        }
        (Method::PUT, None, "cache") => {
            let on = serde_json::from_slice::<Value>(&bytes)
                .ok()
                .and_then(|v| v["on"].as_bool())
                .unwrap_or(false);
            sites.with(site.host, |held| {
                held.cache_on = on;
                held.cached.clear();
                json!({"on": on})
            })
        }
        (Method::DELETE, None, "cache") => sites.with(site.host, |held| {
            held.cached.clear();
            json!({"emptied": true})
        }),
        _ => None,
    };
    match answer {
        Some(value) => axum::Json(value).into_response(),
        None => (StatusCode::NOT_FOUND, "no such slot").into_response(),
    }
}

/// Kept over a restart; a version that is not the last one read is somebody else's change.
fn write_slot(sites: &Sites, site: &Site, slot: &str, write: Write) -> Result<Value, StatusCode> {
    let outcome = sites.with(site.host, |held| {
        if write.version.is_some_and(|v| v != held.version) {
            return Err(StatusCode::CONFLICT);
        }
        let Some(text) = held.slots.get_mut(slot) else {
            return Err(StatusCode::NOT_FOUND);
        };
        *text = write.text;
        held.version += 1;
        Ok(json!({"version": held.version}))
    });
    let value = outcome.unwrap_or(Err(StatusCode::NOT_FOUND))?;
    sites.kept.remember();
    Ok(value)
}

/// Path, title and text of each page.
const PAGES: [(&str, &str, &str); 4] = [
    (
        "/",
        "Welcome",
        "We are open. Have a look round, and ask if anything is unclear.",
    ),
    (
        "/visit",
        "Your visit",
        "How to find us, when we are open and what to bring.",
    ),
    (
        "/prices",
        "Prices",
        "What things cost this year, with concessions for groups.",
    ),
    (
        "/privacy",
        "Privacy",
        "What we keep, why, and for how long.",
    ),
];

/// The sites' own script: some work of their own, so that weighing has something to tell apart.
const PAGE_SCRIPT: &str = "(function(){var m=1;for(var \
                           i=0;i<9000000;i++)m=Math.imul(m^i,31)>>>0;\
                           document.documentElement.dataset.page=String(m%7);})();";

/// The privacy pages of every other client say what the chat keeps; those of the others are as old
/// as most.
fn text_of(site: &Site, page: &(&str, &str, &str)) -> String {
    let knows = site.client.is_multiple_of(2) && page.0 == "/privacy";
    match (knows, site.maker) {
        (false, _) => page.2.to_string(),
        (true, Maker::Brindle) => format!(
            "{} Our chat is run by Brindle. Your browser connects to brindle.localhost and keeps \
            brindle_visitor and brindle_seen there until you delete them.",
            page.2
        ),
        (true, Maker::Farthing) => format!(
            "{} Our chat is run by Farthing Desk. Your browser connects to farthing.localhost; it \
            keeps when you came.",
            page.2
        ),
        (true, Maker::Plashet | Maker::Weir) => page.2.to_string(),
    }
}

fn render(
    site: &Site,
    held: &Held,
    page: &(&str, &str, &str),
    (port, visitor): (u16, Visitor),
) -> String {
    let client = site.client();
    let fault = site.fault.filter(|_| !held.mended);
    let slot = |name: &str| held.slots.get(name).cloned().unwrap_or_default();
    let unless_blank = |text: String, made: fn(&str, u16) -> String| match text.trim() {
        "" => String::new(),
        given => made(given, port),
    };
    let when = |on: bool, text: &str| if on { text } else { "" }.to_string();
    let menu = PAGES
        .iter()
        .map(|(path, title, _)| format!("<a href=\"{path}\">{title}</a>"));
    let filler = "Groups of more than ten should write to us first. Dogs are welcome on leads. ";
    let parts = [
        ("TITLE", page.1.to_string()),
        ("NAME", escape(site.name)),
        ("CLIENT", escape(client.name)),
        ("PRIMARY", client.primary.to_string()),
        ("SECONDARY", client.secondary.to_string()),
        (
            "STYLE",
            when(
                fault == Some(Fault::Hidden),
                "#brindle-root { display: none; }",
            ),
        ),
        ("MENU", menu.collect()),
        ("LINE", escape(client.line)),
        ("TEXT", text_of(site, page)),
        ("FILLER", filler.repeat(6)),
        ("COVER", in_the_way(fault).to_string()),
        (
            "BANNER",
            when(site.banner, "<script src=\"/consent.js\" defer></script>"),
        ),
        ("EXTENSION", unless_blank(slot("extension-key"), snippet)),
        (
            "BOXED",
            unless_blank(slot("script-box"), |text, _| {
                format!("<script>\n{text}\n</script>")
            }),
        ),
        // What people put into slots comes last, so that nothing in it is taken for a part.
        ("FOOTER", footer(fault, slot("footer-code"), visitor)),
    ];
    let mut html = include_str!("assets/page.html").to_string();
    for (name, text) in parts {
        html = html.replace(&format!("__{name}__"), &text);
    }
    held_by_host(&html, &slot(HELD_HOSTS), site)
}

/// The code at the end of the body, as this visitor gets it.
fn footer(fault: Option<Fault>, code: String, visitor: Visitor) -> String {
    match fault {
        Some(Fault::OpenOnPhones) if visitor.phone => {
            code.replace("<script type=\"text/plain\" data-hedge=\"chat\"", "<script")
        }
        Some(Fault::OneLanguage) if visitor.welsh => String::new(),
        _ => code,
    }
}

/// What the site itself puts in the widget's way.
fn in_the_way(fault: Option<Fault>) -> &'static str {
    match fault {
        Some(Fault::Covered) => OFFER,
        Some(Fault::Wide) => FARES,
        Some(Fault::Clash) => {
            "<script>window.fetch = null; // it was only for old browsers</script>"
        }
        _ => "",
    }
}

const FARES: &str = "<table class=\"fares\" style=\"width:900px\"><tr><th>Crossing</th>\
    <th>Single</th><th>Return</th></tr><tr><td>Skerrin to Holm</td><td>8</td><td>14</td></tr>\
    </table>";

const OFFER: &str = "<aside class=\"offer\">Ten crossings for the price of eight, this month only. \
    <a href=\"/prices\">See prices</a></aside>";
