//! Handover sheets: for us to look at, and for the client by a link that expires and can be
//! withdrawn.

use crate::error::{PageError, PageResult};
use crate::pages::files::blobs::answer;
use crate::session::{Fields, Posted, Reader};
use crate::sheet;
use crate::state::App;
use crate::view::moment;
use askama::Template;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect};
use newtfern_acts::ActError;
use newtfern_acts::store::handing::handovers::Handover;

/// Links under a sheet for us.
#[derive(Template)]
#[template(path = "client/handover/ours.html")]
struct SheetLinks {
    site: i64,
    sheet: i64,
}

/// Form under a sheet for the client.
#[derive(Template)]
#[template(path = "client/handover/client.html")]
struct ForClient<'a> {
    token: &'a str,
    confirmed: Option<(String, String)>,
    problem: &'a str,
    typed: &'a str,
}

/// A new link, shown once.
#[derive(Template)]
#[template(path = "client/handover/link.html")]
struct Link {
    address: String,
    until: String,
    site: i64,
}

async fn sheet_of(app: &App, id: i64) -> PageResult<Handover> {
    let found = app.reads().handing().handover(id).await?;
    found.ok_or(PageError::NotFound("handover sheet"))
}

/// Shows a sheet to us.
///
/// # Errors
/// Where there is no such sheet.
pub async fn preview(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let h = sheet_of(&app, id).await?;
    let under = SheetLinks {
        site: h.site_id,
        sheet: h.id,
    };
    Ok(Html(sheet::page(&h.html, &under.render()?)?).into_response())
}

async fn pdf_of(app: &App, h: &Handover) -> PageResult {
    let key = h.pdf.as_deref().ok_or(PageError::NotFound("PDF"))?;
    let bytes = app.acts.blobs.get(key).await?;
    let bytes = bytes.ok_or(PageError::NotFound("PDF"))?;
    // A sheet that is withdrawn must not be had from a cache.
    Ok(answer("application/pdf", "no-store", bytes.to_vec()))
}

/// The PDF, for us.
///
/// # Errors
/// Where there is none.
pub async fn pdf(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    pdf_of(&app, &sheet_of(&app, id).await?).await
}

/// Makes the link anew and shows it once; only its hash is kept.
///
/// # Errors
/// Where there is no such sheet.
pub async fn link(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let h = sheet_of(&app, id).await?;
    let (token, until) = app.acts.handing().renew_link(&posted.actor(), id).await?;
    let shown = Link {
        address: format!("{}/for-client/{token}", app.settings.public_address),
        until: moment(until),
        site: h.site_id,
    };
    Ok(Html(sheet::page(&shown.render()?, "")?).into_response())
}

/// Withdraws the client's link.
///
/// # Errors
/// Where there is no such sheet.
pub async fn withdraw(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let site = app
        .acts
        .handing()
        .withdraw_link(&posted.actor(), id)
        .await?;
    Ok(Redirect::to(&format!("/sites/{site}#hand_over")).into_response())
}

fn shown(h: &Handover, token: &str, problem: &str, typed: &str) -> PageResult {
    let under = ForClient {
        token,
        confirmed: h.accepted_at.map(|at| (h.accepted_by.clone(), moment(at))),
        problem,
        typed,
    };
    // The address is the key: it goes to nobody.
    let policy = [("referrer-policy", "no-referrer")];
    let page = Html(sheet::page(&h.html, &under.render()?)?);
    let status = match problem {
        "" => StatusCode::OK,
        _ => StatusCode::UNPROCESSABLE_ENTITY,
    };
    Ok((status, policy, page).into_response())
}

/// Shows a sheet to the client.
pub async fn for_client(State(app): State<App>, Path(token): Path<String>) -> PageResult {
    match app.reads().handing().handover_by_token(&token).await? {
        Some(h) => shown(&h, &token, "", ""),
        None => Ok(crate::pages::message_gone()),
    }
}

/// Takes the client's confirmation by their link.
pub async fn accept(State(app): State<App>, Path(token): Path<String>, body: Bytes) -> PageResult {
    let Some(h) = app.reads().handing().handover_by_token(&token).await? else {
        return Ok(crate::pages::message_gone());
    };
    let fields = Fields::parse(&body);
    let by = fields.get("by");
    match app.acts.handing().accept(&token, by).await {
        Ok(()) => Ok(Redirect::to(&format!("/for-client/{token}")).into_response()),
        Err(ActError::Bad(problem)) => shown(&h, &token, &problem, by),
        Err(other) => Err(other.into()),
    }
}

/// The PDF, for the client.
///
/// # Errors
/// Where there is none.
pub async fn pdf_for_client(State(app): State<App>, Path(token): Path<String>) -> PageResult {
    match app.reads().handing().handover_by_token(&token).await? {
        Some(h) => pdf_of(&app, &h).await,
        None => Ok(crate::pages::message_gone()),
    }
}
