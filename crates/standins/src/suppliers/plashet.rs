//! Plashet, a stand-in supplier of another make: a launcher that opens a list of links to other
//! channels. What is wrong with a key stands at its end.

use crate::answers::script;
use crate::estate::CLIENTS;
use axum::Router;
use axum::extract::Query;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use serde::Deserialize;
use serde_json::{Value, json};

#[derive(Deserialize)]
struct For {
    #[serde(rename = "for", default)]
    key: String,
}

pub fn router() -> Router {
    Router::new().route("/links.js", get(loader))
}

async fn loader(Query(q): Query<For>) -> Response {
    match settings(&q.key) {
        Some(settings) => {
            // In a script, a settings text must not be able to end it.
            let settings = settings.to_string().replace('<', "\\u003c");
            script(include_str!("../assets/plashet.js").replace("__SETTINGS__", &settings))
        }
        None => (StatusCode::NOT_FOUND, "unknown key").into_response(),
    }
}

/// Returns the settings of a key, such as `gustkites-links` or `gustkites-links-last`.
fn settings(key: &str) -> Option<Value> {
    let (slug, tail) = key.split_once("-links")?;
    let client = CLIENTS.iter().find(|c| c.slug == slug)?;
    let tail = tail.trim_start_matches('-');
    // The handle of the client before this one: the usual slip.
    let before = CLIENTS.iter().rev().skip_while(|c| c.slug != slug).nth(1);
    let handle = match (tail, before) {
        ("last", Some(before)) => before.slug,
        _ => slug,
    };
    let mut links = vec![
        json!({"words": "Call us", "href": "tel:+44-1632-960-123"}),
        json!({"words": "Write a mail", "href": format!("mailto:hello@{slug}.example")}),
        json!({"words": "Message us", "href": format!("https://messages.example/{handle}")}),
    ];
    if tail == "order" {
        links.reverse();
    }
    Some(json!({
        "title": format!("Reach {}", client.name),
        "words": "Contact",
        "colour": client.primary,
        "form": match tail { "tab" => "tab", "inline" => "inline", _ => "corner" },
        "open": tail == "open",
        "links": links,
    }))
}
