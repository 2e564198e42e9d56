//! The house style: the agency's default design, at the top of all layers.

use super::render;
use crate::error::{PageError, PageResult};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect};
use newtfern_core::design::{CORNERS, Design, Field, Layer};
use serde_json::json;

#[derive(Template)]
#[template(path = "house.html")]
struct Page {
    frame: Frame,
    lines: Vec<(&'static str, &'static str, String)>,
    corners: [&'static str; 4],
}

pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    let design = Design::resolve(&app.store.house_style().await?, &Layer::new(), &Layer::new());
    let lines = design.values.iter().map(|v| (v.field.key(), v.field.label(), v.value.clone())).collect();
    render(&Page { frame: Frame::new(&app, &reader, "House style", "", "settings").await?, lines, corners: CORNERS })
}

pub async fn save(State(app): State<App>, posted: Posted) -> PageResult {
    let mut layer = Layer::new();
    for field in Field::ALL {
        layer.insert(*field, field.accept(posted.fields.get(field.key())).map_err(|e| PageError::Bad(format!("{e}.")))?);
    }
    let before = app.store.house_style().await?;
    app.store.set_setting("house_style", &json!(layer)).await?;
    app.store.note(posted.who(), "changed the house style", "", json!({"before": before, "after": layer})).await?;
    Ok(Redirect::to("/house-style").into_response())
}
