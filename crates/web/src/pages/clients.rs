//! Clients and their brand sheets.

use super::render;
use crate::error::{PageError, PageResult};
use crate::pages::lens::{Swatch, swatch};
use crate::session::{Posted, Reader, check, upload};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, short};
use askama::Template;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Redirect};
use newtfern_core::brand::Sheet;
use newtfern_core::colour::Rgb;
use newtfern_store::clients::Client;
use newtfern_store::sites::Filter;
use serde::Deserialize;
use serde_json::json;

#[derive(Deserialize)]
pub struct Asked {
    #[serde(default)]
    q: String,
    page: Option<i64>,
}

#[derive(Template)]
#[template(path = "clients.html")]
struct List {
    frame: Frame,
    clients: Vec<(Client, Vec<Swatch>)>,
    q: String,
    pager: Pager,
}

#[derive(Template)]
#[template(path = "client.html")]
struct Page {
    frame: Frame,
    client: Client,
    sheet: Sheet,
    primary: String,
    secondary: String,
    sites: Vec<(i64, String, String)>,
}

pub async fn list(State(app): State<App>, reader: Reader, Query(asked): Query<Asked>) -> PageResult {
    let number = asked.page.unwrap_or(1);
    let (clients, total) = app.store.clients(&asked.q, Pager::offset(number), PAGE_SIZE).await?;
    let clients = clients
        .into_iter()
        .map(|c| {
            let sheet = c.sheet().unwrap_or_default();
            let swatches = [sheet.primary, sheet.secondary].into_iter().flatten().map(|x| swatch(&x.hex(), "")).collect();
            (c, swatches)
        })
        .collect();
    let pager = Pager::new(number, total, &[("q", &asked.q)]);
    render(&List { frame: Frame::new(&app, &reader, "Clients", "", "clients").await?, clients, q: asked.q, pager })
}

fn read_sheet(posted: &Posted) -> Result<Sheet, PageError> {
    let f = &posted.fields;
    let colour =
        |name: &str, label: &str| -> Result<Option<Rgb>, PageError> { f.some(name).map(|v| Rgb::parse(&v).map_err(|e| PageError::Bad(format!("{label}: {e}.")))).transpose() };
    Ok(Sheet {
        primary: colour("primary", "Primary colour")?,
        secondary: colour("secondary", "Secondary colour")?,
        public_name: f.get("public_name").trim().into(),
        legal_name: f.get("legal_name").trim().into(),
    })
}

pub async fn add(State(app): State<App>, posted: Posted) -> PageResult {
    let name = posted.fields.some("name").ok_or_else(|| PageError::Bad("Give the client a name.".into()))?;
    let mut sheet = read_sheet(&posted)?;
    if sheet.public_name.is_empty() {
        sheet.public_name = name.clone();
    }
    let id = app.store.add_client(&name, &sheet).await?;
    app.store.note(posted.who(), "added a client", &name, json!({"id": id})).await?;
    Ok(Redirect::to(&format!("/clients/{id}")).into_response())
}

pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let client = app.store.client(id).await?.ok_or(PageError::NotFound("client"))?;
    let (sites, _) = app.store.sites(&Filter { client: Some(id), ..Filter::default() }, 0, 200).await?;
    let sheet = client.sheet()?;
    render(&Page {
        frame: Frame::new(&app, &reader, &client.name, "", "clients").await?,
        primary: sheet.primary.map(Rgb::hex).unwrap_or_default(),
        secondary: sheet.secondary.map(Rgb::hex).unwrap_or_default(),
        sites: sites.into_iter().map(|s| (s.id, s.name, short(&s.url))).collect(),
        sheet,
        client,
    })
}

pub async fn change(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let before = app.store.client(id).await?.ok_or(PageError::NotFound("client"))?;
    let name = posted.fields.some("name").ok_or_else(|| PageError::Bad("Give the client a name.".into()))?;
    let tokens = posted.fields.get("tokens");
    // A pasted token file wins over the fields: it is the client's own.
    let sheet =
        if tokens.trim().is_empty() { read_sheet(&posted)? } else { Sheet::from_tokens(tokens).map_err(|e| PageError::Bad(format!("The design tokens cannot be used: {e}.")))? };
    app.store.set_sheet(id, &name, &sheet).await?;
    app.store.note(posted.who(), "changed a brand sheet", &name, json!({"before": before.sheet, "after": sheet})).await?;
    Ok(Redirect::to(&format!("/clients/{id}")).into_response())
}

/// What a logo may be: told by its first bytes, not by its name.
fn logo_kind(bytes: &[u8]) -> Option<(&'static str, &'static str)> {
    if bytes.starts_with(b"\x89PNG\r\n\x1a\n") {
        Some(("png", "image/png"))
    } else if bytes.starts_with(b"\xff\xd8\xff") {
        Some(("jpg", "image/jpeg"))
    } else {
        let text = std::str::from_utf8(bytes).ok()?;
        let start = text.trim_start_matches('\u{feff}').trim_start();
        ((start.starts_with("<svg") || start.starts_with("<?xml") || start.starts_with("<!--")) && text.contains("<svg")).then_some(("svg", "image/svg+xml"))
    }
}

pub async fn logo(State(app): State<App>, reader: Reader, Path(id): Path<i64>, mut form: Multipart) -> PageResult {
    let client = app.store.client(id).await?.ok_or(PageError::NotFound("client"))?;
    let (csrf, bytes) = upload(&mut form, "logo").await?;
    check(&reader.0, &csrf)?;
    let (extension, media_type) = logo_kind(&bytes).ok_or_else(|| PageError::Bad("The logo must be a PNG, JPEG or SVG picture.".into()))?;
    let key = app.blobs.put(bytes, extension).await?;
    app.store.set_logo(id, &key, media_type).await?;
    app.store.note(&reader.0.person.name, "changed a logo", &client.name, json!({"blob": key})).await?;
    Ok(Redirect::to(&format!("/clients/{id}")).into_response())
}

pub async fn tokens(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let client = app.store.client(id).await?.ok_or(PageError::NotFound("client"))?;
    let text = serde_json::to_string_pretty(&client.sheet()?.to_tokens()).unwrap_or_default();
    Ok(([(header::CONTENT_TYPE, "application/json"), (header::CONTENT_DISPOSITION, "attachment; filename=\"brand.tokens.json\"")], text).into_response())
}

#[cfg(test)]
mod tests {
    use super::logo_kind;

    #[test]
    fn logos_are_told_by_their_bytes() {
        assert_eq!(logo_kind(b"\x89PNG\r\n\x1a\nrest").map(|k| k.0), Some("png"));
        assert_eq!(logo_kind(b"<?xml version='1.0'?><svg xmlns='x'/>").map(|k| k.0), Some("svg"));
        assert_eq!(logo_kind(b"<html><svg>"), None);
        assert_eq!(logo_kind(b""), None);
    }
}
