//! Brindle, the stand-in supplier: loader, settings by key, frame, live connection, console.

use crate::answers::{escape, script, signed_in};
use crate::builders::BUILT;
use crate::desk::{self, Button, Desk, Sent};
use crate::estate::{self, Fault};
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::extract::{Query, Request, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use serde::Deserialize;
use serde_json::{Map, Value, json};
use std::collections::{BTreeSet, HashMap, HashSet};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use tokio::sync::broadcast;
use url::Url;

#[derive(Clone)]
struct Console {
    port: u16,
    messages: Arc<Mutex<Vec<Value>>>,
    answers: broadcast::Sender<(u64, String)>,
    next: Arc<AtomicU64>,
    /// Keys whose settings were mended at the supplier's desk.
    mended: Arc<Mutex<HashSet<String>>>,
    /// Settings that were written, over those that a key begins with.
    written: Arc<Mutex<HashMap<String, Map<String, Value>>>>,
}

impl Console {
    /// Returns the settings of a key today, with its texts in a visitor's language.
    fn settings(&self, key: &str, language: &str) -> Option<Value> {
        let mut settings = crate::account::settings_in(&self.behaves(key), language)?;
        let written = self.written.lock().ok()?.get(key).cloned();
        if let (Some(written), Some(all)) = (written, settings.as_object_mut()) {
            all.extend(written);
        }
        Some(settings)
    }

    /// The key as it behaves: without what is wrong with it once it was mended.
    fn behaves(&self, key: &str) -> String {
        let mended = self.mended.lock().is_ok_and(|m| m.contains(key));
        match key.split_once("-live-").filter(|_| mended) {
            Some((client, _)) => format!("{client}-live"),
            None => key.to_string(),
        }
    }
}

#[derive(Deserialize)]
struct Key {
    #[serde(default, alias = "k")]
    key: String,
    #[serde(default)]
    talk: Option<String>,
    /// The path of the page that asks.
    #[serde(default)]
    page: String,
}

/// Messages kept by the console.
const MOST_MESSAGES: usize = 500;

pub fn router(port: u16) -> Router {
    let desk = Console {
        port,
        messages: Arc::default(),
        answers: broadcast::channel(64).0,
        next: Arc::new(AtomicU64::new(1)),
        mended: Arc::default(),
        written: Arc::default(),
    };
    Router::new()
        .route("/l.js", get(loader))
        .route("/settings", get(settings))
        .route("/panel", get(panel))
        .route("/s", get(live))
        .route("/", get(console))
        .route("/desk", get(desk_page).post(mend))
        .route("/api/messages", get(messages))
        .route("/api/settings", get(console_settings).put(write_settings))
        .route("/api/answers", post(answer))
        .with_state(desk)
}

async fn loader(State(desk): State<Console>, Query(q): Query<Key>) -> Response {
    let key = desk.behaves(&q.key);
    let fault = estate::fault_of_key(&key);
    if fault == Some(Fault::LoaderStatus) {
        return (StatusCode::SERVICE_UNAVAILABLE, "down for maintenance").into_response();
    }
    let word = match fault {
        Some(Fault::Silent) => "silent",
        Some(Fault::Throws) => "throws",
        Some(Fault::NoOpen) => "deaf",
        Some(Fault::Restless) => "restless",
        Some(Fault::Cramped) => "cramped",
        Some(Fault::Fleeting) => "fleeting",
        _ => "",
    };
    let api = if fault == Some(Fault::ServiceDns) {
        "http://api.brindle.test".to_string()
    } else {
        format!("http://api.brindle.localhost:{}", desk.port)
    };
    // Heavy keys stand for a widget over its budget.
    let work = if key.ends_with("-heavy") {
        "90000000"
    } else {
        "4000000"
    };
    script(
        include_str!("assets/loader.js")
            .replace("__KEY__", &safe(&q.key))
            .replace("__FAULT__", word)
            .replace("__WORK__", work)
            .replace("__API__", &api)
            .replace(
                "__LIVE__",
                &format!("ws://live.brindle.localhost:{}", desk.port),
            )
            .replace(
                "__APP__",
                &format!("http://app.brindle.localhost:{}", desk.port),
            ),
    )
}

/// Keys are letters, digits and hyphens; anything else is dropped before it reaches script or
/// markup.
fn safe(key: &str) -> String {
    key.chars()
        .filter(|c| c.is_ascii_alphanumeric() || *c == '-')
        .take(60)
        .collect()
}

/// The first language that a visitor's browser asks for, of those that the widget has words in.
fn language(headers: &HeaderMap) -> &'static str {
    let asked = headers.get("accept-language");
    let asked = asked.and_then(|v| v.to_str().ok()).unwrap_or_default();
    let spoken = ["cy", "he"].into_iter().find(|l| asked.starts_with(l));
    spoken.unwrap_or("en")
}

async fn settings(
    State(desk): State<Console>,
    Query(q): Query<Key>,
    headers: HeaderMap,
) -> Response {
    let open = [("access-control-allow-origin", "*")];
    match desk.settings(&q.key, language(&headers)) {
        Some(settings) if is_off(&settings, &q.page) => {
            let why = "kept off this page by your page rules";
            (StatusCode::FORBIDDEN, open, why).into_response()
        }
        Some(_) if estate::fault_of_key(&desk.behaves(&q.key)) == Some(Fault::Closed) => {
            (StatusCode::FORBIDDEN, open, "closed at this hour").into_response()
        }
        Some(settings) => (open, Json(settings)).into_response(),
        None => (StatusCode::NOT_FOUND, open, "unknown key").into_response(),
    }
}

fn is_off(settings: &Value, page: &str) -> bool {
    let off = settings["pages_off"].as_array().into_iter().flatten();
    off.filter_map(Value::as_str).any(|p| p == page)
}

/// The settings of a key, for programs.
async fn console_settings(
    State(desk): State<Console>,
    Query(q): Query<Key>,
    headers: HeaderMap,
) -> Response {
    if !signed_in(&headers) {
        return (StatusCode::UNAUTHORIZED, "sign in").into_response();
    }
    match desk.settings(&q.key, "en") {
        Some(settings) => Json(settings).into_response(),
        None => (StatusCode::NOT_FOUND, "unknown key").into_response(),
    }
}

/// Takes settings that it knows; an unknown name is refused, and nothing is changed.
async fn write_settings(
    State(desk): State<Console>,
    Query(q): Query<Key>,
    headers: HeaderMap,
    Json(wanted): Json<Map<String, Value>>,
) -> Response {
    if !signed_in(&headers) {
        return (StatusCode::UNAUTHORIZED, "sign in").into_response();
    }
    let Some(known) = desk.settings(&q.key, "en") else {
        return (StatusCode::NOT_FOUND, "unknown key").into_response();
    };
    if let Some(strange) = wanted.keys().find(|k| known.get(*k).is_none()) {
        return (
            StatusCode::BAD_REQUEST,
            format!("unknown setting {strange}"),
        )
            .into_response();
    }
    if let Ok(mut written) = desk.written.lock() {
        written.entry(q.key).or_default().extend(wanted);
    }
    StatusCode::NO_CONTENT.into_response()
}

/// The supplier's own mark below the talk.
const MARK: &str = "<div id=\"mark\">Chat by Brindle</div>";

async fn panel(State(desk): State<Console>, Query(q): Query<Key>, headers: HeaderMap) -> Response {
    let Some(s) = desk.settings(&q.key, language(&headers)) else {
        return (StatusCode::NOT_FOUND, "unknown key").into_response();
    };
    if estate::fault_of_key(&desk.behaves(&q.key)) == Some(Fault::PanelGone) {
        let why = "<h1>503</h1><p>The chat is being moved to another server.</p>";
        return (StatusCode::SERVICE_UNAVAILABLE, axum::response::Html(why)).into_response();
    }
    let text = |name: &str| escape(s[name].as_str().unwrap_or_default());
    // A path is one of the page's site, not of this frame's.
    let link = s["notice_link"].as_str().unwrap_or_default();
    let of_page = Url::parse(&q.page)
        .ok()
        .and_then(|page| page.join(link).ok());
    let link = of_page.map_or_else(|| text("notice_link"), |url| escape(url.as_str()));
    let notice = format!(
        "<span class=\"words\">{}</span> <a href=\"{}\" target=\"_blank\" \
        rel=\"noopener\">Privacy</a>",
        text("notice_text"),
        link
    );
    Html(
        include_str!("assets/panel.html")
            .replace("__KEY__", &safe(&q.key))
            .replace(
                "__LIVE__",
                &format!("ws://live.brindle.localhost:{}", desk.port),
            )
            .replace("__BUTTON__", &text("button_colour"))
            .replace("__ICON__", &text("icon_colour"))
            .replace("__ANSWER__", &text("answer_colour"))
            .replace("__ANSWER_WORDS__", &text("answer_words"))
            .replace("__MARK__", if s["mark"] == "shown" { MARK } else { "" })
            .replace("__GREETING__", &text("greeting"))
            .replace("__NOTICE__", &notice),
    )
    .into_response()
}

async fn live(
    State(desk): State<Console>,
    Query(q): Query<Key>,
    upgrade: WebSocketUpgrade,
) -> Response {
    upgrade.on_upgrade(move |socket| talk(desk, q, socket))
}

async fn talk(desk: Console, q: Key, mut socket: WebSocket) {
    let conversation = desk.next.fetch_add(1, Ordering::Relaxed);
    let mut answers = desk.answers.subscribe();
    if socket
        .send(Message::text(json!({"hello": conversation}).to_string()))
        .await
        .is_err()
        || q.talk.is_none()
    {
        // The page's own connection only keeps the visitor present.
        while let Some(Ok(_)) = socket.recv().await {}
        return;
    }
    loop {
        tokio::select! {
            got = socket.recv() => {
                let Some(Ok(message)) = got else { return };
                let Message::Text(text) = message else { continue };
                let Ok(value) = serde_json::from_str::<Value>(&text) else { continue };
                let Some(say) = value["say"].as_str() else { continue };
                if let Ok(mut all) = desk.messages.lock() {
                    if all.len() >= MOST_MESSAGES { all.remove(0); }
                    all.push(json!({"conversation": conversation, "key": q.key, "text": say,
                        "page": value["page"]}));
                }
            }
            answer = answers.recv() => {
                if let Ok((to, text)) = answer && to == conversation {
                    let message = json!({"answer": text}).to_string();
                    if socket.send(Message::text(message)).await.is_err() {
                        return;
                    }
                }
            }
        }
    }
}

async fn messages(
    State(desk): State<Console>,
    Query(q): Query<Key>,
    headers: HeaderMap,
) -> Response {
    if !signed_in(&headers) {
        return (StatusCode::UNAUTHORIZED, "sign in").into_response();
    }
    let all = desk.messages.lock().map(|m| m.clone()).unwrap_or_default();
    let of_key: Vec<Value> = all.into_iter().filter(|m| m["key"] == q.key).collect();
    Json(json!({"messages": of_key})).into_response()
}

#[derive(Deserialize)]
struct Answer {
    conversation: u64,
    text: String,
}

async fn answer(
    State(desk): State<Console>,
    headers: HeaderMap,
    Json(a): Json<Answer>,
) -> Response {
    if !signed_in(&headers) {
        return (StatusCode::UNAUTHORIZED, "sign in").into_response();
    }
    let _ = desk.answers.send((a.conversation, a.text));
    StatusCode::NO_CONTENT.into_response()
}

/// The settings of each key that something is wrong with.
async fn desk_page(State(console): State<Console>) -> Response {
    let ours = |s: &&estate::Site| s.maker == estate::Maker::Brindle;
    let keys = estate::SITES.iter().filter(ours).map(|s| s.key());
    let keys: BTreeSet<String> = keys.chain(BUILT.iter().map(|b| b.key())).collect();
    let wrong = keys.into_iter().filter(|k| {
        let key = console.behaves(k);
        estate::fault_of_key(&key).is_some()
    });
    let button = |key: String| Button {
        label: format!("Put the settings of {key} right"),
        act: key,
    };
    Desk {
        title: "Brindle: settings".into(),
        line: "Keys whose settings or service are out of order.".into(),
        colour: "#7a3b2e",
        path: "/desk".into(),
        save: "",
        boxes: Vec::new(),
        buttons: wrong.map(button).collect(),
    }
    .page()
}

async fn mend(State(console): State<Console>, request: Request) -> Response {
    let Sent { act, .. } = desk::sent(request).await;
    if let Ok(mut mended) = console.mended.lock() {
        mended.insert(act);
    }
    desk::back("/desk")
}

/// A small page to read along; answering by hand goes through the interface.
async fn console(State(desk): State<Console>) -> Html<String> {
    let all = desk.messages.lock().map(|m| m.clone()).unwrap_or_default();
    let rows: String = all
        .iter()
        .rev()
        .map(|m| {
            format!(
                "<tr><td>{}</td><td>{}</td><td>{}</td></tr>",
                m["conversation"],
                escape(m["text"].as_str().unwrap_or_default()),
                escape(m["page"].as_str().unwrap_or_default())
            )
        })
        .collect();
    Html(format!(
        "<!doctype html><meta charset=utf-8><title>Brindle console</title><body style='font:16px \
        system-ui;margin:2rem'><h1>Brindle console (stand-in)</h1><table border=1 \
        cellpadding=6><tr><th>Conversation<th>Message<th>Page</tr>{rows}</table>"
    ))
}
