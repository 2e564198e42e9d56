//! Further builders: a theme-based shop, a page builder with drafts, a listing host, hand-written
//! files, a script-built site and a static generator. One engine, a table of what differs, a desk
//! each.

mod kinds;
mod pages;
pub mod sites;

pub use kinds::{KINDS, kind};
pub use sites::{BUILT, Built, Flaw};

use crate::answers::signed_in;
use crate::desk::{self, Button, Desk, Sent, Shown};
use crate::kept::Kept;
use crate::platform::snippet;
use axum::body::to_bytes;
use axum::extract::Request;
use axum::http::{Method, StatusCode};
use axum::response::{Html, IntoResponse, Response};
use kinds::{Effect, Kind, Scope};
use pages::{Dress, Page};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::{BTreeMap, HashMap};
use std::path::PathBuf;

/// Content of one site.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
struct Held {
    /// Text of each slot that visitors get.
    live: BTreeMap<String, String>,
    /// Text of each slot that is saved and not yet published.
    saved: BTreeMap<String, String>,
    version: u64,
    cached: HashMap<String, String>,
}

/// Sites by host; those that nobody knows are made when they are asked for, bare, on the builder
/// that the host names.
pub struct Builders {
    port: u16,
    kept: Kept<Held>,
}

/// A site as it is served.
struct Site {
    host: String,
    name: String,
    client: &'static crate::estate::Client,
    kind: &'static Kind,
    set: Option<String>,
}

fn site_of(host: &str) -> Option<(Site, Option<&'static Built>)> {
    if let Some(built) = BUILT.iter().find(|b| b.host == host) {
        let site = Site {
            host: host.to_string(),
            name: built.name.to_string(),
            client: built.client(),
            kind: kind(built.builder)?,
            set: built.set(),
        };
        return Some((site, Some(built)));
    }
    // "first.kelpshop": a new site of a new client.
    let (name, builder) = host.rsplit_once('.')?;
    let site = Site {
        host: host.to_string(),
        name: name.to_string(),
        client: &crate::estate::CLIENTS[9],
        kind: kind(builder)?,
        set: None,
    };
    Some((site, None))
}

fn first_state(site: &Site, built: Option<&Built>, port: u16) -> Held {
    let mut held = Held {
        version: 1,
        ..Held::default()
    };
    for slot in site.kind.slots {
        held.live.insert(slot.id.to_string(), String::new());
    }
    let code = |key: &str| format!("{}\n", snippet(key, port));
    let counter = "<!-- visitor counter, asked for by the client -->\n<script src=\"/count.js\" \
        defer></script>\n";
    let first = site.kind.slots[0].id;
    held.live.insert(first.into(), counter.into());
    held.saved = held.live.clone();
    let Some(built) = built else { return held };
    let code = code(&built.key());
    let into = |held: &mut Held, slot: &str, live: bool| {
        let text = format!(
            "{}{code}",
            held.saved.get(slot).cloned().unwrap_or_default()
        );
        held.saved.insert(slot.into(), text.clone());
        if live {
            held.live.insert(slot.into(), text);
        }
    };
    match built.flaw {
        None if !built.tagged => into(&mut held, first, true),
        Some(Flaw::OnLegal | Flaw::TagTwice) => into(&mut held, first, true),
        Some(Flaw::Draft) => into(&mut held, first, false),
        Some(Flaw::StaleCache) => {
            // The pages from before are kept, as they were when the code was put in.
            for page in &pages::PAGES {
                let html = rendered(site, &held.live, page, port);
                held.cached.insert(page.path.to_string(), html);
            }
            into(&mut held, first, true);
        }
        Some(Flaw::OnlyHome) => {
            // The item template has nothing; the box of the theme was left alone.
            held.live.insert("item-template".into(), String::new());
            held.saved.insert("home".into(), String::new());
            let home = format!("<!-- only on the home page -->\n{code}");
            held.live.insert("home".into(), home.clone());
            held.saved.insert("home".into(), home);
        }
        Some(Flaw::RouteLost) => into(&mut held, "component", true),
        Some(Flaw::Framed) => into(&mut held, "embed-block", true),
        Some(Flaw::RulesApart) => {
            for (slot, text) in [("app-key", built.key()), ("app-pages", "/news/*".into())] {
                held.live.insert(slot.into(), text.clone());
                held.saved.insert(slot.into(), text);
            }
        }
        Some(Flaw::Stripped) => into(&mut held, "description", true),
        _ => {}
    }
    held
}

/// A page with what the slots hold.
fn rendered(site: &Site, slots: &BTreeMap<String, String>, page: &Page, port: u16) -> String {
    let code = |key: &str| snippet(key, port);
    let mut tail = String::new();
    for slot in site.kind.slots {
        if site.kind.scripted && slot.scope == Scope::Home {
            continue;
        }
        let left_out = slot.effect == Effect::Key && is_left_out(site.kind, slots, page.path);
        if pages::comes_out(slot.scope, page)
            && !left_out
            && let Some(text) = slots.get(slot.id)
        {
            tail.push_str(&pages::made(slot, text, &code));
        }
    }
    if page.kind == "home"
        && let Some(home) = slots.get("home")
    {
        tail.push_str(home);
    }
    let head = site
        .set
        .as_ref()
        .map(|set| loads(set, port))
        .unwrap_or_default();
    let content = match site.kind.scripted {
        true => {
            let settles = slots.get("component").is_some_and(|c| !c.trim().is_empty());
            let settle = if settles { " data-settle=\"yes\"" } else { "" };
            tail.push_str(&format!("<script src=\"/wharf.js\"{settle}></script>\n"));
            String::new()
        }
        false => pages::content(page, site.client.name, site.client.line),
    };
    let dress = Dress {
        kind: site.kind,
        client: site.client.name,
        name: &site.name,
        primary: site.client.primary,
        secondary: site.client.secondary,
    };
    pages::document(&dress, page, &content, &head, &tail)
}

/// Patterns of the extension's own page rules.
fn left_out(kind: &Kind, slots: &BTreeMap<String, String>) -> Vec<String> {
    let rules = kind.slots.iter().find(|s| s.effect == Effect::Rules);
    let text = rules.and_then(|r| slots.get(r.id));
    let lines = text.map(|t| t.lines().map(str::trim).filter(|l| !l.is_empty()));
    lines.into_iter().flatten().map(str::to_string).collect()
}

fn is_left_out(kind: &Kind, slots: &BTreeMap<String, String>, path: &str) -> bool {
    let takes = |pattern: &String| match pattern.strip_suffix('*') {
        Some(beginning) => path.starts_with(beginning),
        None => path.trim_end_matches('/') == pattern.trim_end_matches('/'),
    };
    left_out(kind, slots).iter().any(takes)
}

/// Returns the code by which a page loads a set of the tag manager.
fn loads(set: &str, port: u16) -> String {
    // One client's pages still load the set of their old agency.
    let set = match crate::tags::flaw_of(set) {
        Some(Flaw::TagOther) => "WK-900",
        _ => set,
    };
    format!("<script async src=\"http://tags.wickerset.localhost:{port}/set/{set}.js\"></script>\n")
}

impl Builders {
    pub fn new(port: u16, memory: Option<PathBuf>) -> Builders {
        let memory = memory.map(|m| m.with_extension("builders.json"));
        Builders {
            port,
            kept: Kept::new(port, memory),
        }
    }

    /// Returns whether this host belongs here.
    pub fn knows(&self, host: &str) -> bool {
        site_of(host).is_some()
    }

    fn with<T>(&self, site: &Site, built: Option<&Built>, act: impl FnOnce(&mut Held) -> T) -> T {
        let mut all = self.kept.lock();
        let held = all
            .entry(site.host.clone())
            .or_insert_with(|| first_state(site, built, self.port));
        act(held)
    }

    pub async fn answer(&self, host: &str, request: Request) -> Response {
        let Some((site, built)) = site_of(host) else {
            return (StatusCode::NOT_FOUND, "no such site among the stand-ins").into_response();
        };
        let path = request.uri().path().to_string();
        let query = request.uri().query().unwrap_or_default().to_string();
        let origin = format!("http://{}.localhost:{}", site.host, self.port);
        match path.as_str() {
            "/count.js" => {
                return crate::answers::script(
                    "window.counted = (window.counted || 0) + 1;".into(),
                );
            }
            "/wharf.js" => {
                return crate::answers::script(include_str!("../assets/wharf.js").into());
            }
            "/robots.txt" => {
                let text =
                    format!("User-agent: *\nDisallow: /basket\nSitemap: {origin}/sitemap.xml\n");
                return text.into_response();
            }
            "/sitemap.xml" => {
                let head = [("content-type", "application/xml")];
                return (head, pages::sitemap(&origin)).into_response();
            }
            "/_desk/route" => return self.route(&site, built, &query),
            _ => {}
        }
        if let Some(rest) = path.strip_prefix("/_desk/api/") {
            let rest = rest.to_string();
            return self.interface(&site, built, &rest, request).await;
        }
        if path.starts_with("/_desk") {
            return self.desk(&site, built, request).await;
        }
        let Some(page) = pages::find(&path) else {
            let missing = "<!doctype html><title>Not found</title><h1>There is no such page</h1>";
            return (StatusCode::NOT_FOUND, Html(missing)).into_response();
        };
        let preview = query.contains("preview=draft");
        let html = self.with(&site, built, |held| {
            let cached = site.kind.caches && query.is_empty();
            if let Some(kept) = held.cached.get(page.path).filter(|_| cached) {
                return kept.clone();
            }
            let slots = if preview { &held.saved } else { &held.live };
            rendered(&site, slots, page, self.port)
        });
        Html(html).into_response()
    }

    /// A route of a script-built site, for its own script.
    fn route(&self, site: &Site, built: Option<&Built>, query: &str) -> Response {
        let path = url::form_urlencoded::parse(query.as_bytes())
            .find(|(n, _)| n == "path")
            .map(|(_, v)| v.into_owned())
            .unwrap_or_default();
        let Some(page) = pages::find(&path) else {
            return StatusCode::NOT_FOUND.into_response();
        };
        let component = self.with(site, built, |h| h.live.get("component").cloned());
        let component = component.unwrap_or_default();
        axum::Json(json!({
            "title": page.title,
            "content": pages::content(page, site.client.name, site.client.line),
            "clears": !component.trim().is_empty(),
            "component": if page.kind == "home" { component } else { String::new() },
        }))
        .into_response()
    }

    fn save(&self, site: &Site, built: Option<&Built>, slot: &str, text: String) -> bool {
        let saved = self.with(site, built, |held| {
            if !held.saved.contains_key(slot) {
                return false;
            }
            held.saved.insert(slot.to_string(), text.clone());
            if !site.kind.drafts {
                held.live.insert(slot.to_string(), text);
            }
            held.version += 1;
            true
        });
        self.kept.remember();
        saved
    }

    fn publish(&self, site: &Site, built: Option<&Built>) {
        self.with(site, built, |held| {
            held.live = held.saved.clone();
            held.cached.clear();
        });
        self.kept.remember();
    }

    /// `GET` and `PUT slots/ID`, `POST publish`.
    async fn interface(
        &self,
        site: &Site,
        built: Option<&Built>,
        rest: &str,
        request: Request,
    ) -> Response {
        if !site.kind.interface || !signed_in(request.headers()) {
            return (StatusCode::UNAUTHORIZED, "a token is needed").into_response();
        }
        let method = request.method().clone();
        let bytes = to_bytes(request.into_body(), 400_000)
            .await
            .unwrap_or_default();
        match (method, rest.strip_prefix("slots/"), rest) {
            (Method::GET, Some(slot), _) => {
                let told = self.with(site, built, |held| {
                    let text = held.saved.get(slot)?;
                    let published = held.live.get(slot) == Some(text);
                    let mut told =
                        json!({"text": text, "version": held.version, "published": published});
                    if site
                        .kind
                        .slots
                        .iter()
                        .any(|s| s.id == slot && s.effect == Effect::Key)
                    {
                        told["not_on"] = left_out(site.kind, &held.live).into();
                    }
                    Some(told)
                });
                match told {
                    Some(told) => axum::Json(told).into_response(),
                    None => StatusCode::NOT_FOUND.into_response(),
                }
            }
            (Method::PUT, Some(slot), _) => {
                let Ok(body) = serde_json::from_slice::<Value>(&bytes) else {
                    return (StatusCode::BAD_REQUEST, "text is missing").into_response();
                };
                let version = self.with(site, built, |held| held.version);
                if body["version"].as_u64().is_some_and(|v| v != version) {
                    return StatusCode::CONFLICT.into_response();
                }
                let text = body["text"].as_str().unwrap_or_default().to_string();
                match self.save(site, built, slot, text) {
                    true => axum::Json(json!({"version": version + 1})).into_response(),
                    false => StatusCode::NOT_FOUND.into_response(),
                }
            }
            (Method::POST, None, "publish") => {
                self.publish(site, built);
                axum::Json(json!({"published": true})).into_response()
            }
            _ => StatusCode::NOT_FOUND.into_response(),
        }
    }

    /// Returns the admin pages that a person works with.
    async fn desk(&self, site: &Site, built: Option<&Built>, request: Request) -> Response {
        if request.method() == Method::POST {
            let Sent { act, slot, text } = desk::sent(request).await;
            match act.as_str() {
                "save" => {
                    self.save(site, built, &slot, text);
                }
                "publish" => self.publish(site, built),
                _ => {}
            }
            return desk::back("/_desk/");
        }
        let (saved, unpublished) = self.with(site, built, |h| (h.saved.clone(), h.saved != h.live));
        let known = |id: &str| site.kind.slots.iter().find(|s| s.id == id);
        let boxes = saved.iter().map(|(id, text)| Shown {
            id: id.clone(),
            name: known(id).map_or("Home page only", |s| s.name).to_string(),
            help: known(id)
                .map_or("A box of this page alone.", |s| s.help)
                .to_string(),
            text: text.clone(),
        });
        let mut buttons = Vec::new();
        if !site.kind.words.1.is_empty() {
            buttons.push(Button {
                act: "publish".into(),
                label: site.kind.words.1.to_string(),
            });
        }
        let state = if unpublished {
            "There are changes that visitors do not get yet."
        } else {
            "Visitors get what is saved."
        };
        Desk {
            title: format!("{}: {}, {}", site.kind.id, site.client.name, site.name),
            line: state.to_string(),
            colour: site.kind.colour,
            path: "/_desk/".into(),
            save: site.kind.words.0,
            boxes: boxes.collect(),
            buttons,
        }
        .page()
    }
}

/// The profile of a builder.
pub fn profile(id: &str) -> Option<&'static str> {
    Some(match id {
        "kelpshop" => include_str!("../../profiles/kelpshop.toml"),
        "lintel" => include_str!("../../profiles/lintel.toml"),
        "stallhouse" => include_str!("../../profiles/stallhouse.toml"),
        "ferrule" => include_str!("../../profiles/ferrule.toml"),
        "wharfside" => include_str!("../../profiles/wharfside.toml"),
        "cobble" => include_str!("../../profiles/cobble.toml"),
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_builder_shows_its_pages_and_a_new_host_is_bare() {
        let (site, built) = site_of("fresh.lintel").unwrap();
        assert!(built.is_none());
        let held = first_state(&site, None, 80);
        let html = rendered(&site, &held.live, &pages::PAGES[0], 80);
        assert!(
            html.contains("Lintel 2.4") && !html.contains("brindle"),
            "{html}"
        );
        assert!(site_of("nobody.test").is_none());
        for built in &BUILT {
            let (site, _) = site_of(built.host).unwrap();
            let held = first_state(&site, Some(built), 80);
            for page in &pages::PAGES {
                assert!(rendered(&site, &held.live, page, 80).contains("<title>"));
            }
            assert!(profile(built.builder).is_some());
        }
    }
}
