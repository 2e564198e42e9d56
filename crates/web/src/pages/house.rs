//! The house style: the agency's default design, at the top of all layers.

use super::design::form::{Part, own_values, parts};
use super::design::{Stage, rows};
use super::{form_again, render};
use crate::error::PageResult;
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::Json;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_core::colour::Rgb;
use newtfern_core::design::{Design, Field, Layer};
use serde_json::json;

#[derive(Template)]
#[template(path = "house.html")]
struct Page {
    frame: Frame,
    parts: Vec<Part>,
    stage: Stage,
    sites: i64,
    problem: String,
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
    let house = app.store().house_style().await?;
    let shown = Design::resolve(&house, &Layer::new(), &Layer::new());
    let reach = app.acts.reach_of_house_style().await?;
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
    })
}

/// Shows it.
///
/// # Errors
/// Where the database refuses.
pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    render(&page_of(&app, &reader, None, String::new()).await?)
}

/// Keeps it.
///
/// # Errors
/// Where the database refuses; mistakes come back with the form.
pub async fn save(State(app): State<App>, posted: Posted) -> PageResult {
    let before = app.store().house_style().await?;
    match own_values(&posted.fields, &built_in(), &before) {
        Ok(layer) => {
            app.acts.change_house_style(&posted.actor(), &layer).await?;
            Ok(Redirect::to("/house-style").into_response())
        }
        Err(error) => {
            let problem = format!("{error}.");
            let reader = posted.reader();
            form_again(&page_of(&app, &reader, Some(&posted.fields), problem).await?)
        }
    }
}

/// The numbers for what is in the form right now.
///
/// # Errors
/// Where the database refuses.
pub async fn numbers(State(app): State<App>, posted: Posted) -> PageResult<Response> {
    let before = app.store().house_style().await?;
    let answer = match own_values(&posted.fields, &built_in(), &before) {
        Ok(layer) => {
            let design = Design::resolve(&layer, &Layer::new(), &Layer::new());
            rows(&design, None, Some(Rgb(255, 255, 255)))
        }
        Err(error) => json!({ "problem": format!("{error}.") }),
    };
    Ok(Json(answer).into_response())
}
