//! Adding and changing a site; the address is looked at at once.

use crate::edit::Edit;
use crate::error::PageResult;
use crate::pages::{form_again, render, site_of};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_acts::ActError;
use newtfern_acts::store::estate::sites::FormerAddress;
use newtfern_model::site::{FieldError, SiteField, SiteFields, time_zones};
use newtfern_standards::country;
use serde::Deserialize;
use serde_json::json;

/// One thing to choose.
struct Choice {
    id: String,
    name: String,
}

fn choice(id: &str, name: &str) -> Choice {
    Choice {
        id: id.to_string(),
        name: name.to_string(),
    }
}

struct Choices {
    clients: Vec<(i64, String)>,
    suppliers: Vec<Choice>,
    platforms: Vec<Choice>,
    managers_of_tags: Vec<Choice>,
    managers: Vec<Choice>,
    countries: Vec<Choice>,
    zones: Vec<&'static str>,
}

impl Choices {
    async fn of(app: &App) -> PageResult<Choices> {
        let store = app.reads();
        let clients = store.clients().client_names().await?;
        let suppliers = store.profiles().all_suppliers().await?;
        let platforms = store.profiles().platforms().await?;
        let managers = store.profiles().consent_managers().await?;
        let mut zones: Vec<&str> = time_zones().collect();
        zones.sort_unstable();
        Ok(Choices {
            clients,
            suppliers: suppliers.iter().map(|s| choice(&s.id, &s.name)).collect(),
            managers_of_tags: platforms
                .iter()
                .filter(|p| p.sets.is_some())
                .map(|p| choice(&p.id, &p.name))
                .collect(),
            platforms: platforms.iter().map(|p| choice(&p.id, &p.name)).collect(),
            managers: managers.iter().map(|m| choice(&m.id, &m.name)).collect(),
            countries: country::COUNTRIES
                .iter()
                .map(|(code, name)| choice(code, name))
                .collect(),
            zones,
        })
    }
}

#[derive(Template)]
#[template(path = "site/site_form.html")]
struct Form {
    frame: Frame,
    /// 0 for a new site.
    id: i64,
    /// The site's name as it is saved; empty of a new one.
    name: String,
    client: i64,
    site: SiteFields,
    /// Budget as typed, where it is no number.
    budget: String,
    choices: Choices,
    /// Mistakes of the form as a whole, and of its fields.
    problem: String,
    errors: Vec<FieldError>,
    /// The address was refused for not answering: offer to add it all the same.
    may_anyway: bool,
    /// The token was refused for going out unencrypted: offer it all the same.
    may_unencrypted: bool,
    has_token: bool,
    former: Vec<FormerAddress>,
    edit: Edit,
}

impl Form {
    /// Returns the mistake of a field, by its heading.
    fn error(&self, heading: &str) -> Option<&str> {
        let found = self.errors.iter().find(|e| e.field.heading() == heading);
        found.map(|e| e.why.as_str())
    }
}

#[derive(Deserialize)]
pub struct Preset {
    client: Option<i64>,
}

async fn form_of(app: &App, reader: &Reader, id: i64, site: SiteFields) -> PageResult<Form> {
    let title = match id {
        0 => "Add a site",
        _ => "Settings of the site",
    };
    let (edit, name) = match id {
        0 => (Edit::default(), String::new()),
        _ => {
            let saved = site_of(app, id).await?;
            (Edit::of(saved.fields()), saved.name.clone())
        }
    };
    Ok(Form {
        edit,
        name,
        frame: Frame::new(app, reader, title, "", "add").await?,
        id,
        client: 0,
        budget: site.budget_ms.to_string(),
        site,
        choices: Choices::of(app).await?,
        problem: String::new(),
        errors: Vec::new(),
        may_anyway: false,
        may_unencrypted: false,
        has_token: id != 0 && app.reads().sites().site_token(id).await?.is_some(),
        former: app.reads().sites().former_addresses(id).await?,
    })
}

/// Shows an empty site form.
pub async fn form(
    State(app): State<App>,
    reader: Reader,
    Query(preset): Query<Preset>,
) -> PageResult {
    let agency = app.reads().settings().agency().await?;
    let usual = SiteFields {
        country: agency.country,
        budget_ms: agency.budget_ms,
        ..SiteFields::default()
    };
    let mut form = form_of(&app, &reader, 0, usual).await?;
    form.client = preset.client.unwrap_or(0);
    render(&form)
}

/// The form again, with what was typed and what is wrong where.
async fn again(
    app: &App,
    posted: &Posted,
    id: i64,
    site: SiteFields,
    error: ActError,
) -> PageResult {
    let mut form = form_of(app, &posted.reader(), id, site).await?;
    form.client = posted.fields.get("client_id").parse().unwrap_or(0);
    form.budget = posted.fields.get(SiteField::Budget.heading()).to_string();
    match error {
        ActError::Fields(errors) => form.errors = errors,
        ActError::Bad(problem) => form.problem = problem,
        ActError::Unencrypted(_) => {
            form.problem = error.to_string();
            form.may_unencrypted = true;
        }
        ActError::Outdated => {
            let now = site_of(app, id).await?;
            let fields = SiteField::ALL.iter();
            let fields =
                fields.map(|f| (f.label().into(), now.fields().get(*f), form.site.get(*f)));
            form.edit = form.edit.against(fields.collect::<Vec<_>>());
        }
        other => return Err(other.into()),
    }
    form.may_anyway = id == 0 && form.error(SiteField::Address.heading()).is_some();
    form_again(&form)
}

/// Adds a site from the form.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn add(State(app): State<App>, posted: Posted) -> PageResult {
    let typed = |field: SiteField| posted.fields.get(field.heading()).to_string();
    let (site, errors) = app.acts.sites().read_site(&typed).await?;
    if !errors.is_empty() {
        return again(&app, &posted, 0, site, ActError::Fields(errors)).await;
    }
    let client = posted.fields.get("client_id").parse().unwrap_or(0);
    let anyway = posted.fields.get("anyway") == "yes";
    let added = app
        .acts
        .sites()
        .add_site(&posted.actor(), client, site.clone(), anyway)
        .await;
    match added {
        Ok(added) => Ok(Redirect::to(&format!("/sites/{}", added.id)).into_response()),
        Err(error) => again(&app, &posted, 0, site, error).await,
    }
}

/// Looks at an address for the form, while it is filled in.
pub async fn look(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    let platforms = app.reads().profiles().platforms().await?;
    let outside = app.acts.outside();
    let looked = outside.look(posted.fields.get("url"), &platforms).await;
    let answer = json!({
        "problem": looked.problem,
        "final_url": looked.final_url,
        "title": looked.title,
        "platform": looked.platform,
        "remarks": looked.remarks,
    });
    Ok(Json(answer).into_response())
}

/// The form of a site.
///
/// # Errors
/// Where there is no such site.
pub async fn settings(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let site = site_of(&app, id).await?;
    let mut form = form_of(&app, &reader, id, site.fields().clone()).await?;
    form.client = site.client_id;
    render(&form)
}

/// Changes a site from the form.
///
/// # Errors
/// Where there is no such site; mistakes come back with the form.
pub async fn change(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let before = site_of(&app, id).await?;
    // A form without the field leaves the address as it is.
    let typed = |field: SiteField| match (field, posted.fields.some(field.heading())) {
        (SiteField::Address, None) => before.url.clone(),
        (_, typed) => typed.unwrap_or_default(),
    };
    let (site, errors) = app.acts.sites().read_site(&typed).await?;
    if !errors.is_empty() {
        return again(&app, &posted, id, site, ActError::Fields(errors)).await;
    }
    let token = posted.fields.token();
    match app
        .acts
        .sites()
        .change_site(&posted.actor(), id, &site, token, posted.fields.version())
        .await
    {
        Ok(()) => Ok(Redirect::to(&format!("/sites/{id}")).into_response()),
        Err(error) => again(&app, &posted, id, site, error).await,
    }
}

/// Removes a site after its name was typed.
///
/// # Errors
/// Where its name was not typed.
pub async fn remove(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let removal = app
        .acts
        .sites()
        .remove_site(&posted.actor(), id, posted.fields.get("name"))
        .await?;
    Ok(Redirect::to(&format!("/removed?last={removal}")).into_response())
}
