//! The house style: the agency's default design, at the top of all layers.

use crate::edit::Edit;
use crate::error::PageResult;
use crate::pages::design::form::{Part, beside, own_values, parts};
use crate::pages::design::{Stage, rows};
use crate::pages::{form_again, render};
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::Json;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_acts::ActError;
use newtfern_model::design::{Design, Field, Layer};
use newtfern_standards::colour::Rgb;
use serde_json::json;

#[derive(Template)]
#[template(path = "agency/house.html")]
struct Page {
    frame: Frame,
    parts: Vec<Part>,
    stage: Stage,
    sites: i64,
    problem: String,
    edit: Edit,
}

/// The design that stands where nobody says otherwise.
fn built_in() -> Design {
    Design::of_layer(&Layer::new())
}

async fn page_of(
    app: &App,
    reader: &Reader,
    typed: Option<&Fields>,
    problem: String,
) -> PageResult<Page> {
    let house = app.reads().settings().house_style().await?;
    let shown = Design::resolve(&house, &Layer::new(), &Layer::new());
    let reach = app.acts.clients().reach_of_house_style().await?;
    let from = |field: Field| match reach.of(field) {
        1 => "1 site".to_string(),
        n => format!("{n} sites"),
    };
    Ok(Page {
        frame: Frame::new(app, reader, "House style", "", "settings").await?,
        parts: parts(&shown, &built_in(), &house, typed, from),
        stage: Stage {
            desktop: None,
            phone: None,
            page_colour: "#ffffff".into(),
            texts: "{}".into(),
            languages: Vec::new(),
            site: None,
            logo: None,
        },
        sites: reach.sites,
        problem,
        edit: Edit::of(&house),
    })
}

/// Shows the house style.
pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    render(&page_of(&app, &reader, None, String::new()).await?)
}

/// Saves the house style.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn save(State(app): State<App>, posted: Posted) -> PageResult {
    let before = app.reads().settings().house_style().await?;
    match own_values(&posted.fields, &built_in(), &before) {
        Ok(layer) => {
            let (actor, version) = (posted.actor(), posted.fields.version());
            match app
                .acts
                .clients()
                .change_house_style(&actor, &layer, version)
                .await
            {
                Ok(()) => Ok(Redirect::to("/house-style").into_response()),
                Err(ActError::Outdated) => {
                    let fields = beside(&app.reads().settings().house_style().await?, &layer);
                    let (reader, typed) = (posted.reader(), Some(&posted.fields));
                    let mut page = page_of(&app, &reader, typed, String::new()).await?;
                    page.edit = page.edit.against(fields);
                    form_again(&page)
                }
                Err(other) => Err(other.into()),
            }
        }
        Err(error) => {
            let problem = format!("{error}.");
            let reader = posted.reader();
            form_again(&page_of(&app, &reader, Some(&posted.fields), problem).await?)
        }
    }
}

/// The numbers for what is in the form right now.
pub async fn numbers(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    let before = app.reads().settings().house_style().await?;
    let answer = match own_values(&posted.fields, &built_in(), &before) {
        Ok(layer) => {
            let design = Design::resolve(&layer, &Layer::new(), &Layer::new());
            rows(&design, None, Some(Rgb(255, 255, 255)))
        }
        Err(error) => json!({ "problem": format!("{error}.") }),
    };
    Ok(Json(answer).into_response())
}
