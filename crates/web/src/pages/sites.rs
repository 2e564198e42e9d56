//! Adding and changing a site; the address is looked at at once.

use super::{form_again, render};
use crate::error::{PageError, PageResult};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_core::address;
use newtfern_core::intake;
use newtfern_core::platform::Platform;
use newtfern_core::profile::Supplier;
use newtfern_store::clients::Client;
use newtfern_store::profiles::Named;
use newtfern_store::sites::NewSite;
use serde::Deserialize;
use serde_json::json;

pub struct Choices {
    pub clients: Vec<Client>,
    pub suppliers: Vec<Supplier>,
    pub platforms: Vec<Platform>,
    pub managers: Vec<Named>,
}

impl Choices {
    pub async fn of(app: &App) -> PageResult<Choices> {
        Ok(Choices {
            clients: app.store.clients("", 0, 1000).await?.0,
            suppliers: app.store.all_suppliers().await?,
            platforms: app.store.platforms().await?,
            managers: app.store.consent_managers().await?,
        })
    }
}

#[derive(Template)]
#[template(path = "site_form.html")]
struct Form {
    frame: Frame,
    /// 0 for a new site.
    id: i64,
    site: NewSite,
    choices: Choices,
    problem: String,
    budget: String,
    has_token: bool,
}

#[derive(Deserialize)]
pub struct Preset {
    client: Option<i64>,
}

pub async fn form(
    State(app): State<App>,
    reader: Reader,
    Query(preset): Query<Preset>,
) -> PageResult {
    let site = NewSite {
        client_id: preset.client.unwrap_or(0),
        ..NewSite::default()
    };
    render(&Form {
        frame: Frame::new(&app, &reader, "Add a site", "", "add").await?,
        id: 0,
        site,
        choices: Choices::of(&app).await?,
        problem: String::new(),
        budget: "50".into(),
        has_token: false,
    })
}

/// The site as typed, and what is wrong with it: nothing typed is lost over a mistake in one field.
fn read(posted: &Posted) -> (NewSite, Option<String>) {
    let f = &posted.fields;
    let budget = f.some("budget_ms").map(|b| intake::budget(&b));
    let country = f.get("country").trim().to_uppercase();
    let problem = if budget == Some(None) {
        Some(format!(
            "The budget must be a number of ms from 0 to {}.",
            intake::MOST_BUDGET
        ))
    } else if !intake::is_country(&country) {
        Some(format!(
            "The country \u{201c}{country}\u{201d} is no two-letter code (ISO 3166-1)."
        ))
    } else if f.get("name").trim().chars().count() > intake::MOST_NAME {
        Some(format!(
            "The name is longer than {} characters.",
            intake::MOST_NAME
        ))
    } else {
        None
    };
    let site = NewSite {
        client_id: f.get("client_id").parse().unwrap_or(0),
        name: f.get("name").trim().to_string(),
        url: f.get("url").trim().to_string(),
        platform_id: f.some("platform_id"),
        consent_id: f.some("consent_id"),
        supplier_id: f.some("supplier_id"),
        key: f.get("key").trim().to_string(),
        slot_id: f.get("slot_id").trim().to_string(),
        languages: f.get("languages").trim().to_string(),
        country,
        time_zone: f.get("time_zone").trim().to_string(),
        contact: f.get("contact").trim().to_string(),
        budget_ms: budget.flatten(),
    };
    (site, problem)
}

/// A choice that is not among those offered: somebody removed it meanwhile, or the form was made up.
fn not_offered(site: &NewSite, choices: &Choices) -> Option<String> {
    let unknown = |chosen: &Option<String>, offered: Vec<&str>| {
        chosen.as_deref().is_some_and(|c| !offered.contains(&c))
    };
    if unknown(
        &site.platform_id,
        choices.platforms.iter().map(|p| p.id.as_str()).collect(),
    ) {
        Some("There is no such platform: choose one of the list.".into())
    } else if unknown(
        &site.supplier_id,
        choices.suppliers.iter().map(|s| s.id.as_str()).collect(),
    ) {
        Some("There is no such supplier: choose one of the list.".into())
    } else if unknown(
        &site.consent_id,
        choices.managers.iter().map(|m| m.id.as_str()).collect(),
    ) {
        Some("There is no such consent manager: choose one of the list.".into())
    } else {
        None
    }
}

/// The form again, with what was typed and what is wrong.
async fn again(
    app: &App,
    posted: &Posted,
    id: i64,
    site: NewSite,
    choices: Choices,
    problem: String,
) -> PageResult {
    let reader = Reader(posted.session.clone());
    let page = Form {
        frame: Frame::new(
            app,
            &reader,
            if id == 0 {
                "Add a site"
            } else {
                "Settings of the site"
            },
            "",
            "add",
        )
        .await?,
        id,
        budget: posted.fields.get("budget_ms").to_string(),
        site,
        choices,
        problem,
        has_token: id != 0 && app.store.site_token(id).await?.is_some(),
    };
    form_again(&page)
}

pub async fn add(State(app): State<App>, posted: Posted) -> PageResult {
    let (mut site, problem) = read(&posted);
    let choices = Choices::of(&app).await?;
    if let Some(problem) = problem.or_else(|| not_offered(&site, &choices)) {
        return again(&app, &posted, 0, site, choices, problem).await;
    }
    if app.store.client(site.client_id).await?.is_none() {
        return again(
            &app,
            &posted,
            0,
            site,
            choices,
            "Choose the client that the site belongs to.".into(),
        )
        .await;
    }
    let allow_private = app.store.allow_private().await?;
    let looked = app
        .outside
        .look(&site.url, &choices.platforms, allow_private)
        .await;
    if let Some(problem) = looked
        .problem
        .filter(|_| posted.fields.get("anyway") != "yes")
    {
        return again(&app, &posted, 0, site, choices, problem).await;
    }
    match address::parse(&site.url) {
        Ok(url) => {
            // Adding a site that does not answer yet is for the person to decide; the network rule is not.
            if let (false, Err(error)) = (allow_private, address::refuse_private(&url)) {
                return again(
                    &app,
                    &posted,
                    0,
                    site,
                    choices,
                    format!("{error}: only an administrator can allow those (Settings, network)."),
                )
                .await;
            }
            site.url = url.to_string();
        }
        Err(error) => return again(&app, &posted, 0, site, choices, format!("{error}.")).await,
    }
    site.platform_id = site.platform_id.or(looked.platform);
    if site.name.is_empty() {
        site.name = if looked.title.is_empty() {
            crate::view::short(&site.url)
        } else {
            looked.title
        };
    }
    let id = match app.store.add_site(&site).await {
        Ok(id) => id,
        Err(newtfern_store::StoreError::Taken { .. }) => {
            let problem = "A site with this address is there already.".to_string();
            return again(&app, &posted, 0, site, choices, problem).await;
        }
        Err(other) => return Err(other.into()),
    };
    app.store
        .note(posted.who(), "added a site", &site.url, json!({"id": id}))
        .await?;
    app.store
        .start_round(
            "preview",
            "Pictures for the design: 1 site",
            posted.who(),
            &[id],
            &json!({}),
        )
        .await?;
    Ok(Redirect::to(&format!("/sites/{id}")).into_response())
}

/// For the form, while it is filled in.
pub async fn look(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    let platforms = app.store.platforms().await?;
    let looked = app
        .outside
        .look(
            posted.fields.get("url"),
            &platforms,
            app.store.allow_private().await?,
        )
        .await;
    Ok(Json(json!({"problem": looked.problem, "final_url": looked.final_url, "title": looked.title, "platform": looked.platform, "remarks": looked.remarks})).into_response())
}

pub async fn settings(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let s = app
        .store
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))?;
    let has_token = app.store.site_token(id).await?.is_some();
    let site = NewSite {
        client_id: s.client_id,
        name: s.name,
        url: s.url,
        platform_id: s.platform_id,
        consent_id: s.consent_id,
        supplier_id: s.supplier_id,
        key: s.key,
        slot_id: s.slot_id,
        languages: s.languages,
        country: s.country,
        time_zone: s.time_zone,
        contact: s.contact,
        budget_ms: Some(s.budget_ms),
    };
    render(&Form {
        frame: Frame::new(&app, &reader, "Settings of the site", "", "add").await?,
        id,
        site,
        choices: Choices::of(&app).await?,
        problem: String::new(),
        budget: s.budget_ms.to_string(),
        has_token,
    })
}

pub async fn change(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let before = app
        .store
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))?;
    let (mut site, mut problem) = read(&posted);
    site.url = before.url.clone();
    if site.name.is_empty() {
        problem = Some("Give the site a name.".into());
    }
    let choices = Choices::of(&app).await?;
    if let Some(problem) = problem.or_else(|| not_offered(&site, &choices)) {
        return again(&app, &posted, id, site, choices, problem).await;
    }
    app.store.set_site(id, &site).await?;
    let (state, summary) = if site.supplier_id.is_some() && !site.key.is_empty() {
        (
            newtfern_core::standing::State::Passing,
            "Supplier and key are chosen.",
        )
    } else {
        (newtfern_core::standing::State::NotYet, "")
    };
    app.store
        .set_standing(
            id,
            &newtfern_store::standings::NewStanding {
                family: newtfern_core::standing::Family::Design,
                state,
                summary: summary.into(),
                remedy: String::new(),
                detail: json!({}),
            },
        )
        .await?;
    if let Some(token) = posted.fields.some("token") {
        app.store
            .set_site_token(id, &app.sealer.seal(&token)?)
            .await?;
    }
    app.store
        .note(posted.who(), "changed a site", &before.url, json!({"key": {"before": before.key, "after": site.key}, "supplier": site.supplier_id, "slot": site.slot_id}))
        .await?;
    Ok(Redirect::to(&format!("/sites/{id}")).into_response())
}

pub async fn remove(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let site = app
        .store
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))?;
    if posted.fields.get("name") != site.name {
        return Err(PageError::Bad(format!(
            "To remove the site, type its name, {}. Nothing was removed.",
            site.name
        )));
    }
    app.store.remove_site(id).await?;
    app.store
        .note(
            posted.who(),
            "removed a site",
            &site.url,
            json!({"name": site.name, "key": site.key}),
        )
        .await?;
    Ok(Redirect::to("/lens/estate").into_response())
}
