//! Farthing Desk, a stand-in supplier of another make: a closed shadow root, a form before the
//! talk, three states of presence, and settings that a program can write. What is wrong with a key
//! stands at its end.

use crate::answers::{script, signed_in};
use crate::estate::{CLIENTS, Fault, fault_of_key};
use crate::mailbox;
use axum::body::Bytes;
use axum::extract::{Query, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use serde::Deserialize;
use serde_json::{Map, Value, json};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Talks and messages kept by the console, each.
const MOST_KEPT: usize = 500;
const OPEN: [(&str, &str); 1] = [("access-control-allow-origin", "*")];

#[derive(Default)]
struct StoredTalk {
    /// Settings that were written, over the built-in ones.
    written: HashMap<String, Map<String, Value>>,
    talks: Vec<Talk>,
    messages: Vec<Value>,
}

#[derive(Clone)]
struct Talk {
    key: String,
    name: String,
    mail: String,
    page: String,
    language: String,
    answers: Vec<String>,
    closed: bool,
}

impl Talk {
    fn begun(asked: &Value) -> Talk {
        Talk {
            key: text(asked, "key"),
            name: text(asked, "name"),
            mail: text(asked, "mail"),
            page: text(asked, "page"),
            language: text(asked, "language"),
            answers: Vec::new(),
            closed: false,
        }
    }
}

#[derive(Clone)]
struct Desk {
    port: u16,
    /// Port that its mails are sent to.
    smtp_port: u16,
    kept: Arc<Mutex<StoredTalk>>,
}

impl Desk {
    fn kept(&self) -> MutexGuard<'_, StoredTalk> {
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn settings(&self, key: &str) -> Option<Map<String, Value>> {
        let mut settings = built_in(key)?;
        if let Some(written) = self.kept().written.get(key) {
            settings.extend(written.clone());
        }
        Some(settings)
    }
}

pub fn router(port: u16, smtp_port: u16) -> Router {
    let desk = Desk {
        port,
        smtp_port,
        kept: Arc::default(),
    };
    Router::new()
        .route("/f.js", get(loader))
        .route("/face.png", get(async || picture(FACE)))
        .route("/mark.png", get(async || picture(MARK)))
        .route("/stranger.png", get(async || picture(STRANGER)))
        .route("/start", get(start))
        .route("/talks", post(begin))
        .route("/say", post(say))
        .route("/leave", post(leave))
        .route("/since", get(since))
        .route("/api/settings", get(read_settings).put(write_settings))
        .route("/api/messages", get(messages))
        .route("/api/answers", post(answer))
        .route("/api/talks/{talk}", get(talk_told).delete(tidy))
        .with_state(desk)
}

/// Whoever answers, the firm, and somebody else: drawn by hand.
const FACE: &[u8] = include_bytes!("../assets/face.png");
const MARK: &[u8] = include_bytes!("../assets/mark.png");
const STRANGER: &[u8] = include_bytes!("../assets/stranger.png");

fn picture(png: &'static [u8]) -> Response {
    ([("content-type", "image/png")], png).into_response()
}

#[derive(Deserialize)]
struct Question {
    #[serde(default)]
    key: String,
    #[serde(default)]
    talk: usize,
    #[serde(default)]
    from: usize,
}

async fn loader(State(desk): State<Desk>) -> Response {
    let api = format!("http://api.farthing.localhost:{}", desk.port);
    script(include_str!("../assets/farthing.js").replace("__API__", &api))
}

/// Returns the built-in settings of a key, such as `skerrin-live` or `skerrin-live-away`.
fn built_in(key: &str) -> Option<Map<String, Value>> {
    let slug = key.split_once("-live")?.0;
    let client = CLIENTS.iter().find(|c| c.slug == slug)?;
    let off = fault_of_key(key) == Some(Fault::OffBrand);
    let forgotten = fault_of_key(key) == Some(Fault::Forgotten);
    let unless = |words: &'static str, left: &'static str| if forgotten { left } else { words };
    let settings = json!({
        "heading": if forgotten { "Your company" } else { client.name },
        "promise": unless("We answer within five minutes.", "{{first_name}}, we are there soon."),
        "first_words": "Hello! How can we help?",
        "who": "Ida",
        "photo": if off { "/stranger.png" } else { "/face.png" },
        "logo": "/mark.png",
        "button": if off { "#d98c2b" } else { client.primary },
        "button_text": "#ffffff",
        "band": client.primary,
        "band_text": "#ffffff",
        "place": "bottom-right",
        "from_side": 20,
        "from_bottom": 20,
        "privacy_words": unless("Before you write, please read how we treat your data.", ""),
        "privacy_address": "/privacy",
        "away_words": "Nobody is here at the moment. Leave us a message.",
    });
    settings.as_object().cloned()
}

async fn start(State(desk): State<Desk>, Query(q): Query<Question>) -> Response {
    let Some(mut settings) = desk.settings(&q.key) else {
        return (StatusCode::NOT_FOUND, OPEN, "no such desk").into_response();
    };
    let state = match fault_of_key(&q.key) {
        Some(Fault::Away | Fault::NoMail) => "away",
        Some(Fault::Closed) => "closed",
        _ => "staffed",
    };
    settings.insert("state".into(), state.into());
    for picture in ["photo", "logo"] {
        let address = settings[picture].as_str().unwrap_or_default();
        // Relative to where the loader comes from.
        if address.starts_with('/') {
            let address = format!("http://w.farthing.localhost:{}{address}", desk.port);
            settings.insert(picture.into(), address.into());
        }
    }
    (OPEN, Json(settings)).into_response()
}

fn body(bytes: &Bytes) -> Value {
    serde_json::from_slice(bytes).unwrap_or_default()
}

fn text(value: &Value, name: &str) -> String {
    let text = value[name].as_str().unwrap_or_default();
    text.chars().take(2_000).collect()
}

async fn begin(State(desk): State<Desk>, bytes: Bytes) -> Response {
    let asked = body(&bytes);
    let mut kept = desk.kept();
    if kept.talks.len() >= MOST_KEPT {
        return (StatusCode::SERVICE_UNAVAILABLE, OPEN, "too many talks").into_response();
    }
    kept.talks.push(Talk::begun(&asked));
    (OPEN, Json(json!({"talk": kept.talks.len()}))).into_response()
}

async fn say(State(desk): State<Desk>, bytes: Bytes) -> Response {
    let asked = body(&bytes);
    let mut kept = desk.kept();
    if kept.messages.len() >= MOST_KEPT {
        kept.messages.remove(0);
    }
    let talk = asked["talk"].as_u64().unwrap_or_default() as usize;
    let language = kept
        .talks
        .get(talk.wrapping_sub(1))
        .map(|t| t.language.clone());
    kept.messages.push(json!({
        "conversation": talk, "key": text(&asked, "key"), "text": text(&asked, "text"),
        "page": text(&asked, "page"), "language": language, "file": asked["file"],
    }));
    (OPEN, Json(json!({"kept": true}))).into_response()
}

/// A message that is left while nobody is there: a talk with a contact, and a mail to whoever left
/// it.
async fn leave(State(desk): State<Desk>, bytes: Bytes) -> Response {
    let asked = body(&bytes);
    let (key, mail, words) = (
        text(&asked, "key"),
        text(&asked, "mail"),
        text(&asked, "text"),
    );
    if !keep_left(&desk, &asked) {
        return (StatusCode::SERVICE_UNAVAILABLE, OPEN, "too many talks").into_response();
    }
    if fault_of_key(&key) != Some(Fault::NoMail) {
        let said =
            format!("Thank you. We answer as soon as somebody is there.\n\nYou wrote:\n{words}\n");
        mailbox::send(desk.smtp_port, &mail, "We have your message", said).await;
    }
    (OPEN, Json(json!({"kept": true}))).into_response()
}

/// False where there is no more room.
fn keep_left(desk: &Desk, asked: &Value) -> bool {
    let mut kept = desk.kept();
    if kept.talks.len() >= MOST_KEPT || kept.messages.len() >= MOST_KEPT {
        return false;
    }
    kept.talks.push(Talk::begun(asked));
    let talk = kept.talks.len();
    kept.messages.push(json!({
        "conversation": talk, "key": text(asked, "key"), "text": text(asked, "text"), "left": true,
        "page": text(asked, "page"), "language": text(asked, "language"),
    }));
    true
}

async fn since(State(desk): State<Desk>, Query(q): Query<Question>) -> Response {
    let kept = desk.kept();
    let talk = kept.talks.get(q.talk.wrapping_sub(1));
    let answers: Vec<String> = talk
        .map(|t| t.answers.iter().skip(q.from).cloned().collect())
        .unwrap_or_default();
    (OPEN, Json(json!({"answers": answers}))).into_response()
}

fn refuse() -> Response {
    (StatusCode::UNAUTHORIZED, "sign in").into_response()
}

async fn read_settings(
    State(desk): State<Desk>,
    Query(q): Query<Question>,
    headers: HeaderMap,
) -> Response {
    if !signed_in(&headers) {
        return refuse();
    }
    match desk.settings(&q.key) {
        Some(settings) => Json(settings).into_response(),
        None => (StatusCode::NOT_FOUND, "no such desk").into_response(),
    }
}

/// Takes only what it knows: an unknown name is refused, and nothing is changed.
async fn write_settings(
    State(desk): State<Desk>,
    Query(q): Query<Question>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Response {
    if !signed_in(&headers) {
        return refuse();
    }
    let Some(known) = desk.settings(&q.key) else {
        return (StatusCode::NOT_FOUND, "no such desk").into_response();
    };
    let Value::Object(wanted) = body(&bytes) else {
        return (StatusCode::BAD_REQUEST, "an object is wanted").into_response();
    };
    if let Some(strange) = wanted.keys().find(|k| !known.contains_key(*k)) {
        return (
            StatusCode::BAD_REQUEST,
            format!("unknown setting {strange}"),
        )
            .into_response();
    }
    let mut kept = desk.kept();
    kept.written.entry(q.key).or_default().extend(wanted);
    StatusCode::NO_CONTENT.into_response()
}

async fn messages(
    State(desk): State<Desk>,
    Query(q): Query<Question>,
    headers: HeaderMap,
) -> Response {
    if !signed_in(&headers) {
        return refuse();
    }
    let kept = desk.kept();
    let of_key: Vec<&Value> = kept.messages.iter().filter(|m| m["key"] == q.key).collect();
    Json(json!({"messages": of_key})).into_response()
}

async fn answer(State(desk): State<Desk>, headers: HeaderMap, bytes: Bytes) -> Response {
    if !signed_in(&headers) {
        return refuse();
    }
    let asked = body(&bytes);
    let talk = asked["conversation"].as_u64().unwrap_or_default() as usize;
    match desk.kept().talks.get_mut(talk.wrapping_sub(1)) {
        Some(t) => {
            t.answers.push(text(&asked, "text"));
            StatusCode::NO_CONTENT.into_response()
        }
        None => (StatusCode::NOT_FOUND, "no such talk").into_response(),
    }
}

/// Returns the state of a chat: whether it is closed, and the contact that it left.
async fn talk_told(
    State(desk): State<Desk>,
    axum::extract::Path(talk): axum::extract::Path<usize>,
    headers: HeaderMap,
) -> Response {
    if !signed_in(&headers) {
        return refuse();
    }
    match desk.kept().talks.get(talk.wrapping_sub(1)) {
        Some(t) => Json(json!({
            "closed": t.closed, "key": t.key, "page": t.page,
            "contact": (!t.mail.is_empty()).then(|| json!({"name": t.name, "mail": t.mail})),
        }))
        .into_response(),
        None => (StatusCode::NOT_FOUND, "no such talk").into_response(),
    }
}

/// Closes a talk and removes its contact.
async fn tidy(
    State(desk): State<Desk>,
    axum::extract::Path(talk): axum::extract::Path<usize>,
    headers: HeaderMap,
) -> Response {
    if !signed_in(&headers) {
        return refuse();
    }
    match desk.kept().talks.get_mut(talk.wrapping_sub(1)) {
        Some(t) => {
            t.closed = true;
            t.name.clear();
            t.mail.clear();
            StatusCode::NO_CONTENT.into_response()
        }
        None => (StatusCode::NOT_FOUND, "no such talk").into_response(),
    }
}
