//! The desks of the stand-ins: pages on which a person does by hand what an interface does for a
//! program.

use crate::answers::escape;
use axum::body::to_bytes;
use axum::extract::Request;
use axum::response::{Html, IntoResponse, Redirect, Response};

/// Box of the admin pages.
pub struct Shown {
    pub id: String,
    pub name: String,
    pub help: String,
    pub text: String,
}

/// A button of a desk.
pub struct Button {
    pub act: String,
    pub label: String,
}

/// Admin pages of one stand-in site.
pub struct Desk {
    pub title: String,
    pub line: String,
    pub colour: &'static str,
    /// Path that its forms are sent to.
    pub path: String,
    pub save: &'static str,
    pub boxes: Vec<Shown>,
    pub buttons: Vec<Button>,
}

impl Desk {
    pub fn page(&self) -> Response {
        let boxes: String = self
            .boxes
            .iter()
            .map(|b| {
                format!(
                    "<form method=post action='{}'><input type=hidden name=act value=save><input \
                    type=hidden name=slot value='{}'>\
                    <h2>{}</h2><p>{}</p><textarea name=text rows=7 spellcheck=false \
                    aria-label='{}'>{}</textarea><button>{}</button></form>",
                    escape(&self.path),
                    escape(&b.id),
                    escape(&b.name),
                    escape(&b.help),
                    escape(&b.name),
                    escape(&b.text),
                    self.save
                )
            })
            .collect();
        let buttons: String = self
            .buttons
            .iter()
            .map(|b| {
                format!(
                    "<form method=post action='{}'><button name=act value='{}'>{}</button></form>",
                    escape(&self.path),
                    escape(&b.act),
                    escape(&b.label)
                )
            })
            .collect();
        Html(format!(
            "<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport \
            content='width=device-width, initial-scale=1'>\
            <meta name=robots \
            content=noindex><title>{title}</title><style>body{{margin:0;font:16px/1.5 \
            system-ui,sans-serif;background:#f4f4f1}}\
            header{{background:{colour};color:#fff;padding:16px 6vw}}main{{padding:18px \
            6vw;max-width:900px}}form{{background:#fff;border:1px solid #ccc;\
            padding:10px 16px;margin:0 0 \
            14px}}textarea{{width:100%;box-sizing:border-box;font:14px monospace}}h2{{margin:4px \
            0;font-size:1.1rem}}\
            button{{padding:8px \
            14px;margin-top:6px}}</style><header><strong>{title}</strong><div>{line}</div>\
            </header><main>{buttons}{boxes}</main></html>",
            title = escape(&self.title),
            line = escape(&self.line),
            colour = self.colour,
        ))
        .into_response()
    }
}

/// Fields of the form on the admin pages.
#[derive(Default)]
pub struct Sent {
    pub act: String,
    pub slot: String,
    pub text: String,
}

pub async fn sent(request: Request) -> Sent {
    let bytes = to_bytes(request.into_body(), 400_000)
        .await
        .unwrap_or_default();
    let mut out = Sent::default();
    for (name, value) in url::form_urlencoded::parse(&bytes) {
        match name.as_ref() {
            "act" => out.act = value.into_owned(),
            "slot" => out.slot = value.into_owned(),
            // Browsers send line ends as CRLF (HTML standard, form submission).
            "text" => out.text = value.replace("\r\n", "\n"),
            _ => {}
        }
    }
    out
}

pub fn back(path: &str) -> Response {
    Redirect::to(path).into_response()
}
