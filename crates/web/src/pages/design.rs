//! The widget design of one site, with its sources, its numbers and a live preview on the site's own page.

use super::{form_again, render};
use crate::error::PageResult;
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use newtfern_acts::store::sites::Site;
use newtfern_core::colour::{Rgb, difference_in_words};
use newtfern_core::design::{CORNERS, Design, Field, Layer, Numbers, Value, numbers as figures};
use newtfern_core::family::Family;
use newtfern_core::job::JobKind;
use serde_json::json;

struct Line {
    key: &'static str,
    label: &'static str,
    value: String,
    from: &'static str,
    /// What stands here without the site's own value.
    above: String,
    own: bool,
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

struct Loaded {
    site: Site,
    house: Layer,
    brand: Layer,
    primary: Option<Rgb>,
}

async fn load(app: &App, id: i64) -> PageResult<Loaded> {
    let (site, client) = app.acts.site_and_client(id).await?;
    let sheet = client.sheet()?;
    Ok(Loaded {
        house: app.store().house_style().await?,
        brand: sheet.layer(),
        primary: sheet.primary,
        site,
    })
}

/// The colour of the site's page, from the last visit.
async fn page_colour(app: &App, site: i64) -> PageResult<Option<Rgb>> {
    let Some(check) = app.store().last_check(site, JobKind::Check.key()).await? else {
        return Ok(None);
    };
    let (visits, _) = app.store().evidence_of(&check).await?;
    let colours = visits.iter().filter_map(|v| v.behind_colour.as_deref());
    Ok(colours.filter_map(|c| Rgb::parse(c).ok()).next())
}

fn lines(l: &Loaded, own: &Layer, typed: Option<&Fields>) -> Vec<Line> {
    let design = Design::resolve(&l.house, &l.brand, own);
    let above = Design::resolve(&l.house, &l.brand, &Layer::new());
    let line = |v: &Value| Line {
        key: v.field.key(),
        label: v.field.label(),
        value: typed.map_or_else(|| v.value.clone(), |f| f.get(v.field.key()).to_string()),
        from: v.from.words(),
        above: above.get(v.field).to_string(),
        own: own.contains_key(&v.field),
    };
    design.values.iter().map(line).collect()
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
    Ok(Page {
        frame: Frame::new(app, reader, &title, Family::Design.key(), "").await?,
        lines: lines(&l, l.site.layer(), typed),
        corners: CORNERS,
        problem,
        page_colour: seen.map_or_else(|| "#ffffff".into(), Rgb::hex),
        site: l.site,
    })
}

/// Shows the design.
///
/// # Errors
/// Where there is no such site.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let l = load(&app, id).await?;
    render(&page_of(&app, &reader, l, None, String::new()).await?)
}

/// Reads the form: a value equal to what comes from above is no adjustment.
fn adjustments(l: &Loaded, fields: &Fields) -> Result<Layer, String> {
    let above = Design::resolve(&l.house, &l.brand, &Layer::new());
    let mut layer = Layer::new();
    for field in Field::ALL {
        let typed = fields.get(field.key());
        let value = field.accept(typed).map_err(|e| format!("{e}."))?;
        if value != above.get(*field) {
            layer.insert(*field, value);
        }
    }
    Ok(layer)
}

/// Keeps the design.
///
/// # Errors
/// Where there is no such site; mistakes come back with the form.
pub async fn save(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let l = load(&app, id).await?;
    match adjustments(&l, &posted.fields) {
        Ok(layer) => {
            app.acts.change_design(&posted.actor(), id, &layer).await?;
            Ok(Redirect::to(&format!("/sites/{id}/design")).into_response())
        }
        Err(problem) => {
            let reader = posted.reader();
            form_again(&page_of(&app, &reader, l, Some(&posted.fields), problem).await?)
        }
    }
}

/// What text needs against its ground, and what a shape needs (WCAG 2.2, 1.4.3 and 1.4.11).
const TEXT_LEAST: f64 = 4.5;
const SHAPE_LEAST: f64 = 3.0;
/// Farther from the brand's colour, people see another colour at once (common practice).
const FAR: f64 = 10.0;

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
            in_words(&figures(&design, l.primary, page))
        }
        Err(problem) => json!({ "problem": problem }),
    };
    Ok(Json(answer).into_response())
}

fn in_words(n: &Numbers) -> serde_json::Value {
    let verdict = |ratio: f64, least: f64| {
        let word = if ratio >= least {
            "readable"
        } else {
            "too weak"
        };
        format!("{ratio:.1} to 1, {word} ({least} is the least)")
    };
    let apart = n
        .to_brand
        .map(|d| format!("{d:.1}, {}", difference_in_words(d)));
    json!({
        "to_brand": apart.unwrap_or_else(|| "the client has no brand colour yet".into()),
        "text_on_button": verdict(n.text_on_button, TEXT_LEAST),
        "text_on_header": verdict(n.text_on_header, TEXT_LEAST),
        "button_on_page": n.button_on_page.map(|r| verdict(r, SHAPE_LEAST)).unwrap_or_default(),
        "weak": {
            "text_on_button": n.text_on_button < TEXT_LEAST,
            "text_on_header": n.text_on_header < TEXT_LEAST,
            "button_on_page": n.button_on_page.is_some_and(|r| r < SHAPE_LEAST),
            "to_brand": n.to_brand.is_some_and(|d| d > FAR),
        },
    })
}
