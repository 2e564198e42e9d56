//! The widget design of one site, with its sources, its numbers and a live preview on the site's own page.

use super::{form_again, render};
use crate::error::{PageError, PageResult};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_core::colour::{Rgb, difference_in_words};
use newtfern_core::design::{CORNERS, Design, Field, Layer, numbers as figures};
use newtfern_core::standing::Family;
use newtfern_store::sites::Site;
use serde_json::json;

pub struct Line {
    pub key: &'static str,
    pub label: &'static str,
    pub value: String,
    pub from: &'static str,
    /// What stands here without the site's own value.
    pub above: String,
    pub colour: bool,
    pub own: bool,
}

#[derive(Template)]
#[template(path = "design.html")]
struct Page {
    frame: Frame,
    site: Site,
    lines: Vec<Line>,
    corners: [&'static str; 4],
    problem: String,
    /// The ground of the preview until a picture of the page is there.
    page_colour: String,
}

/// The colour of the site's page, from the last visit.
async fn page_colour(app: &App, site: i64) -> Option<Rgb> {
    let visits = app.store.last_visits(site).await.ok()?;
    visits
        .iter()
        .find_map(|v| v.behind_colour.as_deref().and_then(|c| Rgb::parse(c).ok()))
}

struct Loaded {
    site: Site,
    house: Layer,
    brand: Layer,
    primary: Option<Rgb>,
}

async fn load(app: &App, id: i64) -> PageResult<Loaded> {
    let site = app
        .store
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))?;
    let client = app
        .store
        .client(site.client_id)
        .await?
        .ok_or(PageError::NotFound("client"))?;
    let sheet = client.sheet()?;
    Ok(Loaded {
        house: app.store.house_style().await?,
        brand: sheet.layer(),
        primary: sheet.primary,
        site,
    })
}

fn lines(l: &Loaded, own: &Layer, typed: Option<&Posted>) -> Vec<Line> {
    let design = Design::resolve(&l.house, &l.brand, own);
    let above = Design::resolve(&l.house, &l.brand, &Layer::new());
    design
        .values
        .iter()
        .map(|v| Line {
            key: v.field.key(),
            label: v.field.label(),
            value: typed
                .map(|p| p.fields.get(v.field.key()).to_string())
                .unwrap_or_else(|| v.value.clone()),
            from: v.from.words(),
            above: above.get(v.field).to_string(),
            colour: v.field.is_colour(),
            own: own.contains_key(&v.field),
        })
        .collect()
}

pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let l = load(&app, id).await?;
    let own = l.site.layer()?;
    render(&Page {
        frame: Frame::new(
            &app,
            &reader,
            &format!("Design: {}", l.site.name),
            Family::Design.key(),
            "",
        )
        .await?,
        lines: lines(&l, &own, None),
        corners: CORNERS,
        problem: String::new(),
        page_colour: page_colour(&app, id)
            .await
            .map(Rgb::hex)
            .unwrap_or_else(|| "#ffffff".into()),
        site: l.site,
    })
}

/// Reads the form: a value equal to what comes from above is no adjustment.
fn adjustments(l: &Loaded, posted: &Posted) -> Result<Layer, String> {
    let above = Design::resolve(&l.house, &l.brand, &Layer::new());
    let mut layer = Layer::new();
    for field in Field::ALL {
        let typed = posted.fields.get(field.key());
        let value = field.accept(typed).map_err(|e| format!("{e}."))?;
        if value != above.get(*field) {
            layer.insert(*field, value);
        }
    }
    Ok(layer)
}

pub async fn save(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let l = load(&app, id).await?;
    match adjustments(&l, &posted) {
        Ok(layer) => {
            app.store.set_adjustments(id, &layer).await?;
            app.store
                .note(
                    posted.who(),
                    "changed a design",
                    &l.site.url,
                    json!({"before": l.site.adjustments, "after": layer}),
                )
                .await?;
            Ok(Redirect::to(&format!("/sites/{id}/design")).into_response())
        }
        Err(problem) => {
            let reader = Reader(posted.session.clone());
            let own = l.site.layer()?;
            let page = Page {
                frame: Frame::new(
                    &app,
                    &reader,
                    &format!("Design: {}", l.site.name),
                    Family::Design.key(),
                    "",
                )
                .await?,
                lines: lines(&l, &own, Some(&posted)),
                corners: CORNERS,
                problem,
                page_colour: "#ffffff".into(),
                site: l.site,
            };
            form_again(&page)
        }
    }
}

/// The numbers for what is in the form right now; computed by the core, like everywhere else.
pub async fn numbers(
    State(app): State<App>,
    Path(id): Path<i64>,
    posted: Posted,
) -> PageResult<Response> {
    let l = load(&app, id).await?;
    let layer = match adjustments(&l, &posted) {
        Ok(layer) => layer,
        Err(problem) => return Ok(Json(json!({"problem": problem})).into_response()),
    };
    let design = Design::resolve(&l.house, &l.brand, &layer);
    let page = Rgb::parse(posted.fields.get("page_colour")).ok();
    let n = figures(&design, l.primary, page);
    let verdict = |ratio: f64, least: f64| {
        format!(
            "{ratio:.1} to 1, {} ({least} is the least)",
            if ratio >= least {
                "readable"
            } else {
                "too weak"
            }
        )
    };
    Ok(Json(json!({
        "to_brand": n.to_brand.map(|d| format!("{d:.1}, {}", difference_in_words(d))).unwrap_or_else(|| "the client has no brand colour yet".into()),
        "text_on_button": verdict(n.text_on_button, 4.5),
        "text_on_header": verdict(n.text_on_header, 4.5),
        "button_on_page": n.button_on_page.map(|r| verdict(r, 3.0)).unwrap_or_default(),
        "weak": {"text_on_button": n.text_on_button < 4.5, "text_on_header": n.text_on_header < 4.5, "button_on_page": n.button_on_page.is_some_and(|r| r < 3.0), "to_brand": n.to_brand.is_some_and(|d| d > 10.0)},
    }))
    .into_response())
}
