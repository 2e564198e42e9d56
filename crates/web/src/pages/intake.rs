//! Sites from CSV with a result a row, and back to CSV.

use super::render;
use crate::error::PageResult;
use crate::pages::sites::Choices;
use crate::session::{Reader, check, upload};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::{Multipart, State};
use axum::http::header;
use axum::response::IntoResponse;
use newtfern_core::address;
use newtfern_core::brand::Sheet;
use newtfern_core::intake::{self, Known, SiteRow};
use newtfern_store::StoreError;
use newtfern_store::sites::{Filter, NewSite};
use serde_json::json;

#[derive(Template)]
#[template(path = "import.html")]
struct Page {
    frame: Frame,
    problem: String,
    results: Vec<Outcome>,
    added: usize,
    columns: String,
}

pub struct Outcome {
    pub line: u64,
    pub what: String,
    pub accepted: bool,
    pub why: String,
    pub id: i64,
}

pub async fn form(State(app): State<App>, reader: Reader) -> PageResult {
    render(&Page {
        frame: Frame::new(&app, &reader, "Import sites", "", "add").await?,
        problem: String::new(),
        results: vec![],
        added: 0,
        columns: intake::COLUMNS.join(", "),
    })
}

pub async fn submit(State(app): State<App>, reader: Reader, mut form: Multipart) -> PageResult {
    let (csrf, bytes) = upload(&mut form, "file").await?;
    check(&reader.0, &csrf)?;
    let choices = Choices::of(&app).await?;
    let platforms: Vec<&str> = choices.platforms.iter().map(|p| p.id.as_str()).collect();
    let suppliers: Vec<&str> = choices.suppliers.iter().map(|s| s.id.as_str()).collect();
    let consents: Vec<&str> = choices.managers.iter().map(|m| m.id.as_str()).collect();
    let known = Known {
        platforms: &platforms,
        suppliers: &suppliers,
        consents: &consents,
    };
    let allow_private = app.store.allow_private().await?;
    let mut results = Vec::new();
    let mut problem = String::new();
    match intake::read(&bytes, known) {
        Err(error) => problem = format!("Nothing was imported: {error}."),
        Ok(rows) => {
            for row in rows {
                let outcome = match row.result {
                    Err(why) => Outcome {
                        line: row.line,
                        what: String::new(),
                        accepted: false,
                        why,
                        id: 0,
                    },
                    Ok(site) => take(&app, site, row.line, allow_private).await?,
                };
                results.push(outcome);
            }
        }
    }
    let added = results.iter().filter(|r| r.accepted).count();
    if added > 0 {
        app.store
            .note(
                &reader.0.person.name,
                "imported sites",
                &format!("{added} of {} rows", results.len()),
                json!({}),
            )
            .await?;
    }
    render(&Page {
        frame: Frame::new(&app, &reader, "Import sites", "", "add").await?,
        problem,
        results,
        added,
        columns: intake::COLUMNS.join(", "),
    })
}

/// One row, wholly or not at all: an unknown client is added with it.
async fn take(app: &App, row: SiteRow, line: u64, allow_private: bool) -> PageResult<Outcome> {
    let refused = |why: String| Outcome {
        line,
        what: row.address.clone(),
        accepted: false,
        why,
        id: 0,
    };
    if !allow_private
        && let Ok(url) = address::parse(&row.address)
        && let Err(error) = address::refuse_private(&url)
    {
        return Ok(refused(format!(
            "{error}, which only an administrator can allow"
        )));
    }
    if app.store.site_by_url(&row.address).await?.is_some() {
        return Ok(refused("a site with this address is there already".into()));
    }
    let client_id = match app.store.client_by_name(&row.client).await? {
        Some(id) => id,
        None => {
            app.store
                .add_client(
                    &row.client,
                    &Sheet {
                        public_name: row.client.clone(),
                        ..Sheet::default()
                    },
                )
                .await?
        }
    };
    let some = |v: &str| Some(v.to_string()).filter(|v| !v.is_empty());
    let new = NewSite {
        client_id,
        name: row.name.clone(),
        url: row.address.clone(),
        platform_id: some(&row.platform),
        supplier_id: some(&row.supplier),
        consent_id: some(&row.consent),
        key: row.key.clone(),
        slot_id: row.slot.clone(),
        languages: row.languages.clone(),
        country: row.country.clone(),
        time_zone: row.time_zone.clone(),
        contact: row.contact.clone(),
        budget_ms: row.budget_ms,
    };
    match app.store.add_site(&new).await {
        Ok(id) => Ok(Outcome {
            line,
            what: row.address.clone(),
            accepted: true,
            why: format!("added to {}", row.client),
            id,
        }),
        Err(StoreError::Taken { .. }) => {
            Ok(refused("a site with this address is there already".into()))
        }
        Err(other) => Err(other.into()),
    }
}

pub async fn export(State(app): State<App>, _: Reader) -> PageResult {
    let mut rows = Vec::new();
    let mut offset = 0;
    loop {
        let (sites, total) = app.store.sites(&Filter::default(), offset, 1000).await?;
        rows.extend(sites.into_iter().map(|s| SiteRow {
            client: s.client_name,
            name: s.name,
            address: s.url,
            platform: s.platform_id.unwrap_or_default(),
            supplier: s.supplier_id.unwrap_or_default(),
            key: s.key,
            consent: s.consent_id.unwrap_or_default(),
            slot: s.slot_id,
            languages: s.languages,
            country: s.country,
            time_zone: s.time_zone,
            contact: s.contact,
            budget_ms: Some(s.budget_ms),
        }));
        offset += 1000;
        if offset >= total {
            break;
        }
    }
    Ok((
        [
            (header::CONTENT_TYPE, "text/csv; charset=utf-8"),
            (
                header::CONTENT_DISPOSITION,
                "attachment; filename=\"sites.csv\"",
            ),
        ],
        intake::write(&rows),
    )
        .into_response())
}
