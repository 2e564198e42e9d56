//! Handover sheets: for us to look at, and for the client by a link that expires and can be withdrawn.

use super::blobs::answer;
use crate::error::{PageError, PageResult, message};
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::moment;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect};
use newtfern_store::handovers::Handover;
use serde_json::json;
use time::{Duration, OffsetDateTime};

/// How long a client's link works.
const LINK_DAYS: i64 = 30;

pub async fn preview(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let h = app
        .store
        .handover(id)
        .await?
        .ok_or(PageError::NotFound("handover sheet"))?;
    Ok(Html(crate::sheet::page(&h.html, &format!("<p class=\"bar\"><a href=\"/sites/{}\">Back to the bench</a> <a href=\"/handovers/{}/pdf\">PDF</a></p>", h.site_id, h.id)))
        .into_response())
}

async fn pdf_of(app: &App, h: &Handover) -> PageResult {
    let key = h.pdf.as_deref().ok_or(PageError::NotFound("PDF"))?;
    let bytes = app
        .blobs
        .get(key)
        .await?
        .ok_or(PageError::NotFound("PDF"))?;
    Ok(answer(key, bytes.to_vec()))
}

pub async fn pdf(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let h = app
        .store
        .handover(id)
        .await?
        .ok_or(PageError::NotFound("handover sheet"))?;
    pdf_of(&app, &h).await
}

/// Makes the link anew and shows it once; only its hash is kept.
pub async fn link(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let h = app
        .store
        .handover(id)
        .await?
        .ok_or(PageError::NotFound("handover sheet"))?;
    let until = OffsetDateTime::now_utc() + Duration::days(LINK_DAYS);
    let token = app.store.renew_link(id, until).await?;
    app.store
        .note(
            posted.who(),
            "made a client's link",
            &format!("sheet {id}"),
            json!({"until": moment(until)}),
        )
        .await?;
    let address = format!("{}/for-client/{token}", app.settings.public_address);
    let body = format!(
        "<h1>The client's link</h1><p>It works without an account until {} and is shown only now. Copy it and send it to the client.</p><p><input class=\"wide\" id=\"client-link\" readonly aria-label=\"Link\" value=\"{address}\"></p><p class=\"bar\"><a href=\"{address}\">Look at it as the client does</a> <a href=\"/sites/{}\">Back to the bench</a></p>",
        moment(until),
        h.site_id
    );
    Ok(Html(crate::sheet::page(&body, "")).into_response())
}

pub async fn withdraw(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let h = app
        .store
        .handover(id)
        .await?
        .ok_or(PageError::NotFound("handover sheet"))?;
    app.store.withdraw_handover(id).await?;
    app.store
        .note(
            posted.who(),
            "withdrew a client's link",
            &format!("sheet {id}"),
            json!({}),
        )
        .await?;
    Ok(Redirect::to(&format!("/sites/{}#hand_over", h.site_id)).into_response())
}

/// One answer for unknown, expired and withdrawn links: it tells a stranger nothing.
fn gone() -> axum::response::Response {
    (StatusCode::NOT_FOUND, Html(message("This link does not work", "It has expired, was withdrawn, or was not copied whole. Ask your agency for a new one."))).into_response()
}

pub async fn for_client(State(app): State<App>, Path(token): Path<String>) -> PageResult {
    let Some(h) = app.store.handover_by_token(&token).await? else {
        return Ok(gone());
    };
    let yes = match h.accepted_at {
        Some(at) => format!(
            "<p class=\"yes\" role=\"status\">Confirmed by {} on {}.</p>",
            crate::draw::escape(&h.accepted_by),
            moment(at)
        ),
        None => format!(
            "<form class=\"yes\" method=\"post\" action=\"/for-client/{token}\"><label for=\"by\">Your name</label> <input id=\"by\" name=\"by\" required maxlength=\"120\"> <button>Yes, I have seen it and it works</button></form>"
        ),
    };
    Ok((
        [("referrer-policy", "no-referrer")],
        Html(crate::sheet::page(
            &h.html,
            &format!(
                "{yes}<p class=\"bar\"><a href=\"/for-client/{token}/pdf\">Save as PDF</a></p>"
            ),
        )),
    )
        .into_response())
}

pub async fn accept(State(app): State<App>, Path(token): Path<String>, body: Bytes) -> PageResult {
    let Some(h) = app.store.handover_by_token(&token).await? else {
        return Ok(gone());
    };
    let by: String = Fields::parse(&body)
        .get("by")
        .trim()
        .chars()
        .take(120)
        .collect();
    if by.is_empty() {
        return Err(PageError::Bad(
            "Write your name, so that the agency knows who confirmed.".into(),
        ));
    }
    if app.store.accept_handover(h.id, &by).await? {
        let standing = newtfern_store::standings::NewStanding {
            family: newtfern_core::standing::Family::HandOver,
            state: newtfern_core::standing::State::Passing,
            summary: format!("Confirmed by {by}."),
            remedy: String::new(),
            detail: json!({"sheet": h.id}),
        };
        app.store.set_standing(h.site_id, &standing).await?;
        app.store
            .note(
                &by,
                "confirmed a handover",
                &format!("sheet {}", h.id),
                json!({}),
            )
            .await?;
    }
    Ok(Redirect::to(&format!("/for-client/{token}")).into_response())
}

pub async fn pdf_for_client(State(app): State<App>, Path(token): Path<String>) -> PageResult {
    let Some(h) = app.store.handover_by_token(&token).await? else {
        return Ok(gone());
    };
    pdf_of(&app, &h).await
}
