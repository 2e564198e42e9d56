//! Wickerset, the stand-in tag manager: sets with drafts and versions, an interface, a desk, and
//! the script that a page loads.

use crate::answers::signed_in;
use crate::builders::sites::{BUILT, Built, Flaw};
use crate::desk::{self, Button, Desk, Sent, Shown};
use crate::kept::Kept;
use crate::platform::snippet;
use axum::body::to_bytes;
use axum::extract::Request;
use axum::http::{Method, StatusCode};
use axum::response::{IntoResponse, Response};
use serde_json::{Value, json};
use std::path::PathBuf;

pub struct Sets {
    port: u16,
    kept: Kept<Value>,
}

fn site_of(set: &str) -> Option<&'static Built> {
    BUILT.iter().find(|b| b.set().as_deref() == Some(set))
}

/// Returns the fault that a set has at first.
pub fn flaw_of(set: &str) -> Option<Flaw> {
    site_of(set)?.flaw
}

fn first_state(id: &str, port: u16) -> Option<Value> {
    let built = site_of(id);
    if built.is_none() && id != "WK-900" {
        return None;
    }
    let counter =
        json!({"id": "count", "name": "Visitor counter", "html": "<!-- counted by the server -->"});
    let tag = |built: &Built| {
        json!({"id": "talk", "name": "Talk \
        widget", "html": snippet(&built.key(), port)})
    };
    let mut draft = vec![counter.clone()];
    let mut live = vec![counter];
    if let Some(built) = built {
        let mut tag = tag(built);
        match built.flaw {
            Some(Flaw::TagMissing) => {}
            Some(Flaw::TagDraft) => draft.push(tag),
            Some(Flaw::TagPaused) => {
                tag["paused"] = true.into();
                draft.push(tag.clone());
                live.push(tag);
            }
            Some(Flaw::TagRule) => {
                tag["on"] = json!(["/shop/**"]);
                draft.push(tag.clone());
                live.push(tag);
            }
            _ => {
                draft.push(tag.clone());
                live.push(tag);
            }
        }
    }
    Some(json!({
        "id": id, "version": 1, "tags": draft,
        "published": {"version": 1, "note": "first", "tags": live},
        "versions": [{"version": 1, "note": "first", "tags": live}],
    }))
}

impl Sets {
    pub fn new(port: u16, memory: Option<PathBuf>) -> Sets {
        let memory = memory.map(|m| m.with_extension("sets.json"));
        Sets {
            port,
            kept: Kept::new(port, memory),
        }
    }

    fn with<T>(&self, id: &str, act: impl FnOnce(&mut Value) -> T) -> Option<T> {
        let mut all = self.kept.lock();
        if !all.contains_key(id) {
            all.insert(id.to_string(), first_state(id, self.port)?);
        }
        all.get_mut(id).map(act)
    }

    pub async fn answer(&self, request: Request) -> Response {
        let path = request.uri().path().to_string();
        if let Some(id) = path
            .strip_prefix("/set/")
            .and_then(|p| p.strip_suffix(".js"))
        {
            let tags = self.with(id, |set| set["published"]["tags"].clone());
            return match tags {
                Some(tags) => crate::answers::script(
                    include_str!("assets/wicker.js").replace("__TAGS__", &for_script(&tags)),
                ),
                None => StatusCode::NOT_FOUND.into_response(),
            };
        }
        if let Some(rest) = path.strip_prefix("/api/") {
            let rest = rest.to_string();
            return self.interface(&rest, request).await;
        }
        match path.strip_prefix("/desk/") {
            Some(id) => {
                let id = id.to_string();
                self.desk(&id, request).await
            }
            None => StatusCode::NOT_FOUND.into_response(),
        }
    }

    fn write(&self, id: &str, tags: Value) {
        self.with(id, |set| {
            set["tags"] = tags;
            set["version"] = (set["version"].as_u64().unwrap_or(0) + 1).into();
        });
        self.kept.remember();
    }

    fn publish(&self, id: &str, note: &str, version: Option<u64>) -> bool {
        let done = self.with(id, |set| {
            let versions = set["versions"].as_array().cloned().unwrap_or_default();
            let tags = match version {
                None => Some(set["tags"].clone()),
                Some(v) => versions
                    .iter()
                    .find(|x| x["version"] == v)
                    .map(|x| x["tags"].clone()),
            };
            let Some(tags) = tags else { return false };
            let made = json!({"version": versions.len() + 1, "note": note, "tags": tags});
            if let Some(list) = set["versions"].as_array_mut() {
                list.push(made.clone());
            }
            set["published"] = made;
            true
        });
        self.kept.remember();
        done.unwrap_or(false)
    }

    async fn interface(&self, rest: &str, request: Request) -> Response {
        if !signed_in(request.headers()) {
            return (StatusCode::UNAUTHORIZED, "a token is needed").into_response();
        }
        let method = request.method().clone();
        let bytes = to_bytes(request.into_body(), 2_000_000)
            .await
            .unwrap_or_default();
        let body: Value = serde_json::from_slice(&bytes).unwrap_or_default();
        let (id, publish) = match rest.strip_suffix("/publish") {
            Some(id) => (id, true),
            None => (rest, false),
        };
        let Some(version) = self.with(id, |set| set["version"].as_u64().unwrap_or(0)) else {
            return StatusCode::NOT_FOUND.into_response();
        };
        match (method, publish) {
            (Method::GET, false) => {}
            (Method::PUT, false) => {
                if body["version"].as_u64() != Some(version) {
                    return StatusCode::CONFLICT.into_response();
                }
                if !body["tags"].is_array() {
                    return (StatusCode::BAD_REQUEST, "tags are missing").into_response();
                }
                self.write(id, body["tags"].clone());
            }
            (Method::POST, true) => {
                let note = body["note"].as_str().unwrap_or_default();
                if !self.publish(id, note, body["version"].as_u64()) {
                    return (StatusCode::NOT_FOUND, "no such version").into_response();
                }
            }
            _ => return StatusCode::METHOD_NOT_ALLOWED.into_response(),
        }
        let set = self.with(id, |set| set.clone());
        axum::Json(set).into_response()
    }

    async fn desk(&self, id: &str, request: Request) -> Response {
        let path = format!("/desk/{id}");
        if request.method() == Method::POST {
            let Sent { act, text, .. } = desk::sent(request).await;
            match act.as_str() {
                "save" => match serde_json::from_str::<Value>(&text) {
                    Ok(tags) if tags.is_array() => self.write(id, tags),
                    _ => {
                        return (
                            StatusCode::UNPROCESSABLE_ENTITY,
                            "The tags are no list in JSON.",
                        )
                            .into_response();
                    }
                },
                "publish" => {
                    self.publish(id, "by hand", None);
                }
                _ => {}
            }
            return desk::back(&path);
        }
        let Some(set) = self.with(id, |set| set.clone()) else {
            return StatusCode::NOT_FOUND.into_response();
        };
        Desk {
            title: format!("Wickerset: {id}"),
            line: format!(
                "Version {} is published. {}",
                set["published"]["version"],
                if set["published"]["tags"] == set["tags"] {
                    "It is what the draft has."
                } else {
                    "The draft has changes."
                }
            ),
            colour: "#5b4632",
            path,
            save: "Save the draft",
            boxes: vec![Shown {
                id: "tags".into(),
                name: "Tags".into(),
                help: "Each with id, name, html; paused; on and not_on as lists of paths; \
                    event; consent."
                    .into(),
                text: serde_json::to_string_pretty(&set["tags"]).unwrap_or_default(),
            }],
            buttons: vec![Button {
                act: "publish".into(),
                label: "Publish as a version".into(),
            }],
        }
        .page()
    }
}

/// JSON that stands in a script: no end tag can arise in it.
fn for_script(tags: &Value) -> String {
    tags.to_string().replace('<', "\\u003c")
}
