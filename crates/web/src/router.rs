//! All routes. Layers, outermost first: security headers on every answer; the refusal of changes from
//! other sites; the body limit; then the handlers, which check session, role and form token themselves.

use crate::assets::asset;
use crate::pages::*;
use crate::session::same_site;
use crate::state::App;
use axum::Router;
use axum::extract::{DefaultBodyLimit, Request};
use axum::http::HeaderValue;
use axum::middleware::{self, Next};
use axum::response::{Redirect, Response};
use axum::routing::{get, post};

pub fn router(app: App) -> Router {
    Router::new()
        .route("/", get(|| async { Redirect::to("/lens/estate") }))
        .route("/health", get(health::health))
        .route("/sign-in", get(sign_in::form).post(sign_in::submit))
        .route("/sign-out", post(sign_in::sign_out))
        .route("/lens/{lens}", get(lens::page))
        .route("/worklist", get(worklist::page))
        .route("/bulk", post(rounds::bulk))
        .route("/rounds", get(rounds::list))
        .route("/rounds/{id}", get(rounds::page))
        .route("/rounds/{id}/cancel", post(rounds::cancel))
        .route("/rounds/{id}/again", post(rounds::again))
        .route("/events", get(rounds::events))
        .route("/clients", get(clients::list).post(clients::add))
        .route("/clients/{id}", get(clients::page).post(clients::change))
        .route("/clients/{id}/logo", post(clients::logo))
        .route("/clients/{id}/tokens.json", get(clients::tokens))
        .route("/sites/new", get(sites::form).post(sites::add))
        .route("/sites/look", post(sites::look))
        .route("/sites/import", get(intake::form).post(intake::submit))
        .route("/sites/export.csv", get(intake::export))
        .route("/sites/{id}", get(bench::page))
        .route(
            "/sites/{id}/settings",
            get(sites::settings).post(sites::change),
        )
        .route("/sites/{id}/remove", post(sites::remove))
        .route("/sites/{id}/design", get(design::page).post(design::save))
        .route("/sites/{id}/design/numbers", post(design::numbers))
        .route("/sites/{id}/place", get(place::page))
        .route("/sites/{id}/place/push", post(place::push))
        .route("/sites/{id}/place/back", post(place::put_back))
        .route("/sites/{id}/act", post(rounds::act))
        .route("/handovers/{id}", get(handover::preview))
        .route("/handovers/{id}/pdf", get(handover::pdf))
        .route("/handovers/{id}/link", post(handover::link))
        .route("/handovers/{id}/withdraw", post(handover::withdraw))
        .route(
            "/for-client/{token}",
            get(handover::for_client).post(handover::accept),
        )
        .route("/for-client/{token}/pdf", get(handover::pdf_for_client))
        .route("/blobs/{folder}/{name}", get(blobs::blob))
        .route("/house-style", get(house::page).post(house::save))
        .route("/settings", get(settings::page).post(settings::save))
        .route("/settings/supplier", post(settings::supplier))
        .route("/settings/people", post(settings::add_person))
        .route("/settings/role", post(settings::set_role))
        .route("/audit", get(settings::audit))
        .route("/assets/{name}", get(asset))
        .fallback(|| async { crate::error::PageError::NotFound("page") })
        .layer(DefaultBodyLimit::max(6 << 20))
        .layer(middleware::from_fn(same_site))
        .layer(middleware::from_fn(headers))
        .with_state(app)
}

/// Why each part: nothing by default; our own scripts and styles, no inline; pictures also as data
/// (the handover sheet carries its own); connections to ourselves for events; forms to ourselves;
/// no base, so that relative addresses cannot be turned; nobody frames us.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

async fn headers(request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    for (name, value) in [
        ("content-security-policy", POLICY),
        ("x-content-type-options", "nosniff"),
        ("referrer-policy", "same-origin"),
        ("x-frame-options", "DENY"),
        ("cross-origin-opener-policy", "same-origin"),
        (
            "permissions-policy",
            "camera=(), microphone=(), geolocation=()",
        ),
    ] {
        if !headers.contains_key(name) {
            headers.insert(name, HeaderValue::from_static(value));
        }
    }
    if !headers.contains_key("cache-control") {
        headers.insert("cache-control", HeaderValue::from_static("no-store"));
    }
    response
}
