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
use serde_json::json;

#[derive(Template)]
#[template(path = "house.html")]
struct Page {
    frame: Frame,
    lines: Vec<(&'static str, &'static str, String)>,
    corners: [&'static str; 4],
    problem: String,
}

pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    let design = Design::resolve(
        &app.store.house_style().await?,
        &Layer::new(),
        &Layer::new(),
    );
    let lines = design
        .values
        .iter()
        .map(|v| (v.field.key(), v.field.label(), v.value.clone()))
        .collect();
    render(&Page {
        frame: Frame::new(&app, &reader, "House style", "", "settings").await?,
        lines,
        corners: CORNERS,
        problem: String::new(),
    })
}

pub async fn save(State(app): State<App>, posted: Posted) -> PageResult {
    let typed = |field: &Field| posted.fields.get(field.key());
    let read: Result<Layer, DesignError> = Field::ALL
        .iter()
        .map(|field| Ok((*field, field.accept(typed(field))?)))
        .collect();
    let layer = match read {
        Ok(layer) => layer,
        Err(error) => {
            let lines = Field::ALL
                .iter()
                .map(|f| (f.key(), f.label(), typed(f).to_string()))
                .collect();
            let frame = Frame::new(
                &app,
                &Reader(posted.session.clone()),
                "House style",
                "",
                "settings",
            )
            .await?;
            return form_again(&Page {
                frame,
                lines,
                corners: CORNERS,
                problem: format!("{error}."),
            });
        }
    };
    let before = app.store.house_style().await?;
    app.store.set_setting("house_style", &json!(layer)).await?;
    app.store
        .note(
            posted.who(),
            "changed the house style",
            "",
            json!({"before": before, "after": layer}),
        )
        .await?;
    Ok(Redirect::to("/house-style").into_response())
}
