//! A picture at an address that the design names, for the preview: the application's own pages load
//! nothing from elsewhere, so it is fetched here, under the network rule, and handed on as data.

use crate::error::PageResult;
use crate::session::Posted;
use crate::state::App;
use axum::Json;
use axum::extract::State;
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use newtfern_acts::store::access::people::Role;
use serde_json::json;
use url::Url;

/// Pixels only: what is drawn by code could do more than be seen.
fn kind_of(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', ..] => Some("image/png"),
        [0xff, 0xd8, 0xff, ..] => Some("image/jpeg"),
        [b'G', b'I', b'F', b'8', ..] => Some("image/gif"),
        [
            b'R',
            b'I',
            b'F',
            b'F',
            _,
            _,
            _,
            _,
            b'W',
            b'E',
            b'B',
            b'P',
            ..,
        ] => Some("image/webp"),
        _ => None,
    }
}

async fn fetched(app: &App, base: &str, address: &str) -> Result<String, String> {
    let base = Url::parse(base).ok();
    let url = match &base {
        Some(base) => base.join(address),
        None => Url::parse(address),
    };
    let url = url.map_err(|_| "it is not a web address".to_string())?;
    if !matches!(url.scheme(), "http" | "https") {
        return Err("it is not a web address".into());
    }
    let bytes = app.acts.outside().picture(&url).await?;
    let kind = kind_of(&bytes);
    let kind = kind.ok_or("it is not a PNG, JPEG, GIF or WebP picture")?;
    let data = BASE64_STANDARD.encode(&bytes);
    Ok(format!("data:{kind};base64,{data}"))
}

/// The picture, or why it cannot be shown.
///
/// # Errors
/// Where the person may not change designs.
pub async fn show(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    posted.actor().may(Role::Technician)?;
    let field = |name| posted.fields.get(name).trim();
    let answer = match fetched(&app, field("base"), field("address")).await {
        Ok(src) => json!({ "src": src }),
        Err(why) => json!({ "problem": format!("The picture cannot be shown: {why}.") }),
    };
    Ok(Json(answer).into_response())
}
