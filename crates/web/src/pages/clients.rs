//! Clients and their brand sheets.

use super::{form_again, render};
use crate::error::{PageError, PageResult};
use crate::pages::lens::{Swatch, swatch};
use crate::session::{Fields, Posted, Reader, check, upload};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, short};
use askama::Template;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Redirect};
use newtfern_core::brand::Sheet;
use newtfern_core::colour::Rgb;
use newtfern_core::intake::MOST_NAME;
use newtfern_store::StoreError;
use newtfern_store::clients::Client;
use newtfern_store::sites::Filter;
use serde::Deserialize;
use serde_json::json;

#[derive(Default, Deserialize)]
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
    /// What was typed into the form of a new client, and what is wrong with it.
    typed: Fields,
    problem: String,
}

#[derive(Template)]
#[template(path = "client.html")]
struct Page {
    frame: Frame,
    client: Client,
    /// As stored, or as typed where that cannot be kept.
    typed: Fields,
    problem: String,
    sites: Vec<(i64, String, String)>,
}

pub async fn list(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<Asked>,
) -> PageResult {
    let page = list_page(&app, &reader, asked, Fields::default(), String::new()).await?;
    match page.pager.back("/clients") {
        Some(back) => Ok(back.into_response()),
        None => render(&page),
    }
}

async fn list_page(
    app: &App,
    reader: &Reader,
    asked: Asked,
    typed: Fields,
    problem: String,
) -> PageResult<List> {
    let number = asked.page.unwrap_or(1);
    let (clients, total) = app
        .store
        .clients(&asked.q, Pager::offset(number), PAGE_SIZE)
        .await?;
    let clients = clients
        .into_iter()
        .map(|c| {
            let sheet = c.sheet().unwrap_or_default();
            let swatches = [sheet.primary, sheet.secondary]
                .into_iter()
                .flatten()
                .map(|x| swatch(&x.hex(), ""))
                .collect();
            (c, swatches)
        })
        .collect();
    let pager = Pager::new(number, total, &[("q", &asked.q)]);
    Ok(List {
        frame: Frame::new(app, reader, "Clients", "", "clients").await?,
        clients,
        q: asked.q,
        pager,
        typed,
        problem,
    })
}

/// The client's name and brand sheet from the form, or what is wrong with them.
fn read(f: &Fields) -> Result<(String, Sheet), String> {
    let name = f.some("name").ok_or("Give the client a name.")?;
    if name.chars().count() > MOST_NAME {
        return Err(format!("The name is longer than {MOST_NAME} characters."));
    }
    let tokens = f.get("tokens");
    // A pasted token file wins over the fields: it is the client's own.
    if !tokens.trim().is_empty() {
        return Ok((
            name,
            Sheet::from_tokens(tokens)
                .map_err(|e| format!("The design tokens cannot be used: {e}."))?,
        ));
    }
    let colour = |name: &str, label: &str| {
        f.some(name)
            .map(|v| Rgb::parse(&v).map_err(|e| format!("{label}: {e}.")))
            .transpose()
    };
    let sheet = Sheet {
        primary: colour("primary", "Primary colour")?,
        secondary: colour("secondary", "Secondary colour")?,
        public_name: f.some("public_name").unwrap_or_else(|| name.clone()),
        legal_name: f.get("legal_name").trim().into(),
    };
    Ok((name, sheet))
}

/// What a refusal of the store means to the person at the form; other errors stay errors.
fn taken<T>(result: newtfern_store::Result<T>, name: &str) -> PageResult<Result<T, String>> {
    match result {
        Ok(value) => Ok(Ok(value)),
        Err(StoreError::Taken { .. }) => Ok(Err(format!(
            "A client named \u{201c}{name}\u{201d} is there already."
        ))),
        Err(other) => Err(other.into()),
    }
}

pub async fn add(State(app): State<App>, posted: Posted) -> PageResult {
    let added = match read(&posted.fields) {
        Ok((name, sheet)) => {
            taken(app.store.add_client(&name, &sheet).await, &name)?.map(|id| (id, name))
        }
        Err(problem) => Err(problem),
    };
    let (id, name) = match added {
        Ok(added) => added,
        Err(problem) => {
            return form_again(
                &list_page(
                    &app,
                    &Reader(posted.session),
                    Asked::default(),
                    posted.fields,
                    problem,
                )
                .await?,
            );
        }
    };
    app.store
        .note(posted.who(), "added a client", &name, json!({"id": id}))
        .await?;
    Ok(Redirect::to(&format!("/clients/{id}")).into_response())
}

pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let client = app
        .store
        .client(id)
        .await?
        .ok_or(PageError::NotFound("client"))?;
    let sheet = client.sheet()?;
    let hex = |colour: Option<Rgb>| colour.map(Rgb::hex).unwrap_or_default();
    let stored = [
        ("name", client.name.clone()),
        ("public_name", sheet.public_name),
        ("legal_name", sheet.legal_name),
        ("primary", hex(sheet.primary)),
        ("secondary", hex(sheet.secondary)),
    ];
    render(
        &sheet_page(
            &app,
            &reader,
            client,
            Fields(stored.map(|(n, v)| (n.to_string(), v)).into()),
            String::new(),
        )
        .await?,
    )
}

async fn sheet_page(
    app: &App,
    reader: &Reader,
    client: Client,
    typed: Fields,
    problem: String,
) -> PageResult<Page> {
    let (sites, _) = app
        .store
        .sites(
            &Filter {
                client: Some(client.id),
                ..Filter::default()
            },
            0,
            200,
        )
        .await?;
    Ok(Page {
        frame: Frame::new(app, reader, &client.name, "", "clients").await?,
        sites: sites
            .into_iter()
            .map(|s| (s.id, s.name, short(&s.url)))
            .collect(),
        typed,
        problem,
        client,
    })
}

pub async fn change(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let before = app
        .store
        .client(id)
        .await?
        .ok_or(PageError::NotFound("client"))?;
    let kept = match read(&posted.fields) {
        Ok((name, sheet)) => {
            taken(app.store.set_sheet(id, &name, &sheet).await, &name)?.map(|()| (name, sheet))
        }
        Err(problem) => Err(problem),
    };
    let (name, sheet) = match kept {
        Ok(kept) => kept,
        Err(problem) => {
            return form_again(
                &sheet_page(
                    &app,
                    &Reader(posted.session),
                    before,
                    posted.fields,
                    problem,
                )
                .await?,
            );
        }
    };
    app.store
        .note(
            posted.who(),
            "changed a brand sheet",
            &name,
            json!({"before": before.sheet, "after": sheet}),
        )
        .await?;
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
        ((start.starts_with("<svg") || start.starts_with("<?xml") || start.starts_with("<!--"))
            && text.contains("<svg"))
        .then_some(("svg", "image/svg+xml"))
    }
}

pub async fn logo(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    mut form: Multipart,
) -> PageResult {
    let client = app
        .store
        .client(id)
        .await?
        .ok_or(PageError::NotFound("client"))?;
    let (csrf, bytes) = upload(&mut form, "logo").await?;
    check(&reader.0, &csrf)?;
    let (extension, media_type) = logo_kind(&bytes)
        .ok_or_else(|| PageError::Bad("The logo must be a PNG, JPEG or SVG picture.".into()))?;
    let key = app.blobs.put(bytes, extension).await?;
    app.store.set_logo(id, &key, media_type).await?;
    app.store
        .note(
            &reader.0.person.name,
            "changed a logo",
            &client.name,
            json!({"blob": key}),
        )
        .await?;
    Ok(Redirect::to(&format!("/clients/{id}")).into_response())
}

pub async fn tokens(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let client = app
        .store
        .client(id)
        .await?
        .ok_or(PageError::NotFound("client"))?;
    let text = serde_json::to_string_pretty(&client.sheet()?.to_tokens()).unwrap_or_default();
    Ok((
        [
            (header::CONTENT_TYPE, "application/json"),
            (
                header::CONTENT_DISPOSITION,
                "attachment; filename=\"brand.tokens.json\"",
            ),
        ],
        text,
    )
        .into_response())
}

#[cfg(test)]
mod tests {
    use super::logo_kind;

    #[test]
    fn logos_are_told_by_their_bytes() {
        assert_eq!(
            logo_kind(b"\x89PNG\r\n\x1a\nrest").map(|k| k.0),
            Some("png")
        );
        assert_eq!(
            logo_kind(b"<?xml version='1.0'?><svg xmlns='x'/>").map(|k| k.0),
            Some("svg")
        );
        assert_eq!(logo_kind(b"<html><svg>"), None);
        assert_eq!(logo_kind(b""), None);
    }
}
