//! The widget design of one site: its values with their sources, its numbers and a live preview on
//! the site's own page, in every state and language.

pub mod form;
pub mod own_picture;
pub mod palette;
pub mod sheet;

use super::{form_again, render};
use crate::edit::Edit;
use crate::error::PageResult;
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use form::{Part, own_values, parts};
use newtfern_acts::ActError;
use newtfern_acts::store::estate::sites::Site;
use newtfern_model::design::{Design, Layer, measures, tokens as design_tokens};
use newtfern_model::job::JobKind;
use newtfern_standards::colour::{Rgb, Vision};
use newtfern_verdict::family::Family;
use serde_json::{Value, json};

/// Data of the preview beside the form.
pub struct Stage {
    /// Pictures of the page without the widget, by blob keys.
    pub desktop: Option<String>,
    pub phone: Option<String>,
    /// The ground until there are pictures.
    pub page_colour: String,
    /// Texts in further languages, as JSON.
    pub texts: String,
    pub languages: Vec<String>,
    /// Site whose numbers are asked for; none for the house style.
    pub site: Option<i64>,
    /// The logo's blob key.
    pub logo: Option<String>,
}

impl Stage {
    /// Eyes that tell fewer colours apart: key, label and matrix of a filter.
    pub fn visions(&self) -> Vec<(String, &'static str, String)> {
        let row = |r: [f64; 3]| format!("{} {} {} 0 0", r[0], r[1], r[2]);
        let of = |v: Vision| {
            let rows: Vec<String> = v.matrix().map(row).into();
            let matrix = format!("{} 0 0 0 1 0", rows.join(" "));
            (format!("{v:?}").to_lowercase(), v.label(), matrix)
        };
        Vision::ALL.into_iter().map(of).collect()
    }
}

#[derive(Template)]
#[template(path = "design.html")]
struct Page {
    frame: Frame,
    site: Site,
    parts: Vec<Part>,
    stage: Stage,
    problem: String,
    edit: Edit,
    /// The supplier's settings can be written by a program.
    writes: bool,
    /// Whether the profile says under which names values are typed in.
    has_sheet: bool,
}

struct Loaded {
    site: Site,
    house: Layer,
    brand: Layer,
    primary: Option<Rgb>,
    logo: Option<String>,
}

async fn load(app: &App, id: i64) -> PageResult<Loaded> {
    let (site, client) = app.acts.sites().site_and_client(id).await?;
    let sheet = client.sheet()?;
    Ok(Loaded {
        house: app.reads().settings().house_style().await?,
        brand: sheet.layer(),
        primary: sheet.primary,
        logo: client.logo.clone(),
        site,
    })
}

/// The colour of the site's page, from the last visit.
async fn page_colour(app: &App, site: i64) -> PageResult<Option<Rgb>> {
    let Some(check) = app
        .reads()
        .checks()
        .last_check(site, JobKind::Check.key())
        .await?
    else {
        return Ok(None);
    };
    let (visits, _) = app.reads().checks().evidence_of(&check).await?;
    let colours = visits.iter().filter_map(|v| v.behind_colour.as_deref());
    Ok(colours.filter_map(|c| Rgb::parse(c).ok()).next())
}

/// Texts of further languages, and the languages of the site.
async fn further_texts(app: &App, site: &Site) -> PageResult<(String, Vec<String>)> {
    let file = app.acts.sites().expectation_of(site).await?;
    let texts = file.widgets.first().map(|w| &w.texts);
    let further = file.languages.iter().skip(1);
    let of = |l: &String| Some((l.clone(), json!(texts?.get(l)?)));
    let all: serde_json::Map<String, Value> = further.filter_map(of).collect();
    Ok((Value::Object(all).to_string(), file.languages.clone()))
}

async fn page_of(
    app: &App,
    reader: &Reader,
    l: Loaded,
    typed: Option<&Fields>,
    problem: String,
) -> PageResult<Page> {
    let title = format!("Design: {}", l.site.name);
    let seen = page_colour(app, l.site.id).await?;
    let own = l.site.layer().clone();
    let shown = Design::resolve(&l.house, &l.brand, &own);
    let above = Design::resolve(&l.house, &l.brand, &Layer::new());
    let from = |field| {
        let value = shown.values.iter().find(|v| v.field == field);
        value.map_or_else(String::new, |v| v.from.words().to_string())
    };
    let (texts, languages) = further_texts(app, &l.site).await?;
    let supplier = match &l.site.supplier_id {
        Some(id) => app.reads().profiles().supplier(id).await?,
        None => None,
    };
    let writes = |s: &newtfern_model::profile::Supplier| {
        s.console.as_ref().is_some_and(|c| c.write.is_some())
    };
    Ok(Page {
        frame: Frame::new(app, reader, &title, Family::Design.key(), "").await?,
        parts: parts(&shown, &above, &own, typed, from),
        stage: Stage {
            desktop: l.site.preview_desktop.clone(),
            phone: l.site.preview_phone.clone(),
            page_colour: seen.map_or_else(|| "#ffffff".into(), Rgb::hex),
            texts,
            languages,
            site: Some(l.site.id),
            logo: l.logo,
        },
        problem,
        edit: Edit::of(l.site.layer()),
        writes: supplier.as_ref().is_some_and(writes),
        has_sheet: supplier.is_some_and(|s| !s.desk.is_empty()),
        site: l.site,
    })
}

/// Shows the design of a site.
///
/// # Errors
/// Where there is no such site.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let l = load(&app, id).await?;
    render(&page_of(&app, &reader, l, None, String::new()).await?)
}

fn adjustments(l: &Loaded, fields: &Fields) -> Result<Layer, String> {
    let above = Design::resolve(&l.house, &l.brand, &Layer::new());
    own_values(fields, &above, l.site.layer()).map_err(|e| format!("{e}."))
}

/// Saves the design of a site.
///
/// # Errors
/// Where there is no such site; mistakes come back with the form.
pub async fn save(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let l = load(&app, id).await?;
    match adjustments(&l, &posted.fields) {
        Ok(layer) => {
            let actor = posted.actor();
            let version = posted.fields.version();
            match app
                .acts
                .clients()
                .change_design(&actor, id, &layer, version)
                .await
            {
                Ok(()) => Ok(Redirect::to(&format!("/sites/{id}/design")).into_response()),
                Err(ActError::Outdated) => {
                    let l = load(&app, id).await?;
                    let fields = form::beside(l.site.layer(), &layer);
                    let (reader, typed) = (posted.reader(), Some(&posted.fields));
                    let mut page = page_of(&app, &reader, l, typed, String::new()).await?;
                    page.edit = page.edit.against(fields);
                    form_again(&page)
                }
                Err(other) => Err(other.into()),
            }
        }
        Err(problem) => {
            let reader = posted.reader();
            form_again(&page_of(&app, &reader, l, Some(&posted.fields), problem).await?)
        }
    }
}

/// All values of the design as design tokens.
///
/// # Errors
/// Where there is no such site.
pub async fn tokens(
    State(app): State<App>,
    _: Reader,
    Path(id): Path<i64>,
) -> PageResult<Response> {
    let l = load(&app, id).await?;
    let design = Design::resolve(&l.house, &l.brand, l.site.layer());
    let text = serde_json::to_string_pretty(&design_tokens::file(&design)).unwrap_or_default();
    Ok(super::file("application/json", "design.tokens.json", text))
}

/// Takes design tokens as the site's own values: those that are other than what comes from above.
///
/// # Errors
/// Where there is no such site; mistakes come back with the form.
pub async fn take_tokens(
    State(app): State<App>,
    Path(id): Path<i64>,
    posted: Posted,
) -> PageResult {
    let l = load(&app, id).await?;
    let above = Design::resolve(&l.house, &l.brand, &Layer::new());
    match design_tokens::read(posted.fields.get("tokens")) {
        Ok(read) => {
            let mut layer = l.site.layer().clone();
            layer.extend(read);
            layer.retain(|field, value| value != above.get(*field));
            app.acts
                .clients()
                .change_design(&posted.actor(), id, &layer, None)
                .await?;
            Ok(Redirect::to(&format!("/sites/{id}/design")).into_response())
        }
        Err(error) => {
            let reader = posted.reader();
            let problem = format!("The design tokens cannot be used: {error}.");
            form_again(&page_of(&app, &reader, l, None, problem).await?)
        }
    }
}

/// The numbers for what is in the form right now; computed by the core, like everywhere else.
///
/// # Errors
/// Where there is no such site.
pub async fn numbers(
    State(app): State<App>,
    Path(id): Path<i64>,
    posted: Posted,
) -> PageResult<Response> {
    let l = load(&app, id).await?;
    let answer = match adjustments(&l, &posted.fields) {
        Ok(layer) => {
            let design = Design::resolve(&l.house, &l.brand, &layer);
            let page = Rgb::parse(posted.fields.get("page_colour")).ok();
            rows(&design, l.primary, page)
        }
        Err(problem) => json!({ "problem": problem }),
    };
    Ok(Json(answer).into_response())
}

/// The numbers of a design as the page shows them: with the colour to take where one is weak.
pub fn rows(design: &Design, brand: Option<Rgb>, page: Option<Rgb>) -> Value {
    let row = |m: newtfern_model::design::Measure| {
        let take = m.take.map(|(field, colour)| {
            json!({"field": field.key(), "label": field.label(), "colour": colour.hex()})
        });
        json!({"key": m.key, "what": m.what, "words": m.words, "weak": m.weak, "take": take})
    };
    let rows: Vec<Value> = measures(design, brand, page).into_iter().map(row).collect();
    json!({ "rows": rows })
}
