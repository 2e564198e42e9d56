//! The house style: the agency's default design, at the top of all layers.

use super::{form_again, render};
use crate::error::PageResult;
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect};
use newtfern_core::design::{CORNERS, Design, DesignError, Field, Layer};

#[derive(Template)]
#[template(path = "house.html")]
struct Page {
    frame: Frame,
    /// Key, label, value.
    lines: Vec<(&'static str, &'static str, String)>,
    corners: [&'static str; 4],
    problem: String,
}

async fn page_of(
    app: &App,
    reader: &Reader,
    value: &(dyn Fn(Field) -> String + Sync),
    problem: String,
) -> PageResult<Page> {
    let line = |f: &Field| (f.key(), f.label(), value(*f));
    let lines = Field::ALL.iter().map(line).collect();
    Ok(Page {
        frame: Frame::new(app, reader, "House style", "", "settings").await?,
        lines,
        corners: CORNERS,
        problem,
    })
}

/// Shows it.
///
/// # Errors
/// Where the database refuses.
pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    let (house, none) = (app.store().house_style().await?, Layer::new());
    let design = Design::resolve(&house, &none, &none);
    let value = |f| design.get(f).to_string();
    render(&page_of(&app, &reader, &value, String::new()).await?)
}

/// Keeps it.
///
/// # Errors
/// Where the database refuses; mistakes come back with the form.
pub async fn save(State(app): State<App>, posted: Posted) -> PageResult {
    let typed = |field: Field| posted.fields.get(field.key()).to_string();
    let accept = |field: &Field| Ok((*field, field.accept(&typed(*field))?));
    let read: Result<Layer, DesignError> = Field::ALL.iter().map(accept).collect();
    match read {
        Ok(layer) => {
            app.acts.change_house_style(&posted.actor(), &layer).await?;
            Ok(Redirect::to("/house-style").into_response())
        }
        Err(error) => {
            let problem = format!("{error}.");
            form_again(&page_of(&app, &posted.reader(), &typed, problem).await?)
        }
    }
}
