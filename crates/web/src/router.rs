//! All routes. Layers, outermost first: a panic is an answer of ours; compression; security headers
//! on every answer; the log; the refusal of hosts that are not ours and of changes from other
//! sites; the time limit; the frame around what is told; the body limit; then the handlers, which
//! check session, role and form token.

use crate::answer::framed;
use crate::assets::asset;
use crate::error::PageError;
use crate::host::own_host;
use crate::pages::access::{account, people, privacy, sign_in};
use crate::pages::agency::{house, settings, suppliers};
use crate::pages::client::{client_acts, clients, errand, handover};
use crate::pages::files::{blobs, intake, outtake};
use crate::pages::lists::{bulk, events, lens, lineup, push_many, removed, rounds, worklist};
use crate::pages::site::{
    bench, diary, hand_test, history, intended, message, place, site_pages, sites, timelines,
    widgets,
};
use crate::pages::{design, glossary, health, profiles};
use crate::session::same_site;
use crate::state::App;
use axum::Router;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderValue, StatusCode};
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use std::time::Duration;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::timeout::{RequestBodyTimeoutLayer, TimeoutLayer};
use tower_http::trace::TraceLayer;

/// A page that takes longer has failed.
const MOST_TIME: Duration = Duration::from_secs(60);

/// A body that stands still for so long is given up.
const MOST_PAUSE: Duration = Duration::from_secs(20);

/// The whole application as a service.
pub fn router(app: App) -> Router {
    let limited = TimeoutLayer::with_status_code(StatusCode::GATEWAY_TIMEOUT, MOST_TIME);
    // A stream of events lasts as long as its page.
    let streams = Router::new().route("/events", get(events::events));
    let pages = Router::new()
        .merge(account_routes().layer(DefaultBodyLimit::max(SMALL_FORM)))
        .merge(estate_routes())
        .merge(site_routes())
        .merge(house_routes())
        .fallback(|| async { PageError::NotFound("page") })
        .layer(limited);
    pages
        .merge(streams)
        .layer(DefaultBodyLimit::max(6 << 20))
        .layer(RequestBodyTimeoutLayer::new(MOST_PAUSE))
        .layer(middleware::from_fn(without_nul))
        .layer(middleware::from_fn_with_state(app.clone(), framed))
        // Outside the frame, which reads the session: an asset needs none.
        .route("/assets/{name}", get(asset))
        .layer(middleware::from_fn(same_site))
        .layer(middleware::from_fn_with_state(app.clone(), own_host))
        .layer(TraceLayer::new_for_http())
        .layer(middleware::from_fn_with_state(app.clone(), headers))
        .layer(CompressionLayer::new())
        .layer(CatchPanicLayer::new())
        .with_state(app)
}

/// No name of ours holds a NUL, and PostgreSQL takes none in a question: such an address leads to
/// no page.
async fn without_nul(request: Request, next: Next) -> Response {
    let uri = request.uri();
    let has_nul = |text: &str| text.contains("%00");
    match has_nul(uri.path()) || uri.query().is_some_and(has_nul) {
        true => PageError::NotFound("page").into_response(),
        false => next.run(request).await,
    }
}

/// Bytes that strangers may send.
const SMALL_FORM: usize = 16 << 10;

fn account_routes() -> Router<App> {
    Router::new()
        .route("/placing/{token}", get(errand::page))
        .route("/placing/{token}/done", post(errand::done))
        .route("/placing/{token}/ask", post(errand::ask))
        .route("/sign-in", get(sign_in::form).post(sign_in::submit))
        .route(
            "/sign-in/second",
            get(sign_in::second).post(sign_in::give_second),
        )
        .route(
            "/welcome/{token}",
            get(account::welcome).post(account::choose),
        )
        .route("/account", get(account::page))
        .route("/account/password", post(account::password))
        .route("/account/second/begin", post(account::begin_second))
        .route("/account/second/confirm", post(account::confirm_second))
        .route("/account/second/drop", post(account::drop_second))
        .route("/account/sessions", post(account::end_sessions))
}

fn estate_routes() -> Router<App> {
    Router::new()
        .route("/", get(|| async { Redirect::to("/lens/estate") }))
        .route("/health", get(health::health))
        .route("/sign-out", post(sign_in::sign_out))
        .route("/lens/{lens}", get(lens::page))
        .route("/line-up", get(lineup::page))
        .route("/suppliers-by-weight", get(suppliers::page))
        .route("/worklist", get(worklist::page))
        .route("/bulk", post(rounds::bulk))
        .route("/rounds", get(rounds::list))
        .route("/rounds/{id}", get(rounds::page))
        .route("/rounds/{id}/progress", get(events::progress))
        .route("/rounds/{id}/cancel", post(rounds::cancel))
        .route("/rounds/{id}/again", post(rounds::again))
        .route("/blobs/{folder}/{name}", get(blobs::blob))
}

// Long: a list.
fn site_routes() -> Router<App> {
    Router::new()
        .route("/sites/new", get(sites::form).post(sites::add))
        .route("/sites/look", post(sites::look))
        .route("/sites/import", get(intake::form).post(intake::submit))
        .route("/sites/export.csv", get(outtake::spreadsheet))
        .route("/sites/to-fill-in.csv", get(outtake::template))
        .route("/sites/expectations.tar", get(outtake::expectations))
        .route("/imports/{id}", get(intake::page).post(intake::take))
        .route("/imports/{id}/cancel", post(intake::cancel))
        .route("/imports/{id}/refused.csv", get(intake::refused))
        .route("/bulk/change", post(bulk::show))
        .route("/bulk/act", post(bulk::act))
        .route("/bulk/publish", post(push_many::show))
        .route("/bulk/links", post(errand::make_many))
        .route("/rounds/{id}/put-back", post(push_many::put_back))
        .route("/removed", get(removed::page).post(removed::bring_back))
        .route("/sites/{id}/expectation.toml", get(outtake::expectation))
        .route("/sites/{id}", get(bench::page))
        .route(
            "/sites/{id}/settings",
            get(sites::settings).post(sites::change),
        )
        .route("/sites/{id}/remove", post(sites::remove))
        .route("/sites/{id}/history.csv", get(history::export))
        .route("/sites/{id}/design", get(design::page).post(design::save))
        .route("/sites/{id}/design/numbers", post(design::numbers))
        .route(
            "/sites/{id}/design/sheet",
            get(design::sheet::page).post(design::sheet::write),
        )
        .route(
            "/sites/{id}/intended",
            get(intended::page).post(intended::save),
        )
        .route("/sites/{id}/intended/holidays", post(intended::holidays))
        .route(
            "/sites/{id}/test",
            get(hand_test::page).post(hand_test::act),
        )
        .route("/sites/{id}/hours.ics", get(intended::calendar))
        .route("/sites/{id}/design.tokens.json", get(design::tokens))
        .route("/sites/{id}/design/tokens", post(design::take_tokens))
        .route("/sites/{id}/timelines", get(timelines::page))
        .route("/sites/{id}/message", get(message::page))
        .route(
            "/sites/{id}/widgets",
            get(widgets::page).post(widgets::save),
        )
        .route("/sites/{id}/privacy.csv", get(privacy::table))
        .route("/palette", post(design::palette::colours))
        .route("/picture", post(design::own_picture::show))
        .route("/sites/{id}/pages", get(site_pages::page))
        .route("/sites/{id}/pages/take-over", post(site_pages::take_over))
        .route("/sites/{id}/pages/rules", post(site_pages::rules))
        .route("/sites/{id}/place", get(place::page))
        .route("/sites/{id}/place/push", post(place::push))
        .route("/sites/{id}/place/back", post(place::put_back))
        .route("/sites/{id}/place/off", post(place::off))
        .route("/sites/{id}/place/again", post(place::again))
        .route("/sites/{id}/tags/publish", post(place::publish_set))
        .route("/sites/{id}/tags/file", post(place::set_file))
        .route("/sites/{id}/diary", get(diary::page).post(diary::write))
        .route("/sites/{id}/errands", post(errand::make))
        .route("/errands/{id}/answer", post(errand::answer))
        .route("/errands/{id}/withdraw", post(errand::withdraw))
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
}

fn house_routes() -> Router<App> {
    Router::new()
        .route("/clients", get(clients::list).post(clients::add))
        .route("/clients/{id}", get(clients::page).post(clients::change))
        .route("/clients/{id}/logo", post(clients::logo))
        .route("/clients/{id}/merge", post(client_acts::merge))
        .route("/clients/{id}/remove", post(client_acts::remove))
        .route("/clients/{id}/token", post(client_acts::token))
        .route("/clients/{id}/tokens.json", get(clients::tokens))
        .route("/house-style", get(house::page).post(house::save))
        .route("/house-style/numbers", post(house::numbers))
        .route("/settings", get(settings::page).post(settings::save))
        .route("/settings/agency", post(settings::agency))
        .route("/settings/mailbox", post(settings::mailbox))
        .route("/profiles", get(profiles::list))
        .route("/profiles/act", post(profiles::act))
        .route("/profiles/all.tar", get(profiles::take_out))
        .route("/profiles/bring", post(profiles::bring))
        .route(
            "/profiles/from-snippet",
            get(profiles::paste).post(profiles::derive),
        )
        .route("/profiles/look", post(profiles::look))
        .route("/profiles/new", get(profiles::new).post(profiles::keep_new))
        .route("/profiles/try", post(profiles::try_on))
        .route("/profiles/propose", post(profiles::propose))
        .route(
            "/profiles/{kind}/{id}",
            get(profiles::page).post(profiles::keep),
        )
        .route(
            "/profiles/supplier/{id}/token-origin",
            post(profiles::confirm_origin),
        )
        .route("/profiles/{kind}/{id}/file", get(profiles::file_of))
        .route("/profiles/{kind}/{id}/remove", post(profiles::remove))
        .route("/people", get(people::list).post(people::add))
        .route("/people/act", post(people::act))
        .route("/people/link", post(people::link))
        .route("/people/role", post(people::set_role))
        .route("/people/second", post(people::clear_second))
        .route("/audit", get(settings::audit))
        .route("/glossary", get(glossary::page))
}

/// Policy of our own pages: nothing by default; our own scripts and styles, no inline; pictures
/// also as data (the handover sheet carries its own); connections to ourselves for events; forms to
/// ourselves; no base, so that relative addresses cannot be turned; nobody frames us.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' \
    data:; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; \
    frame-ancestors 'none'";

async fn headers(State(app): State<App>, request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    // Only where it is known that people come by TLS (RFC 6797).
    if app.settings.secure_cookies {
        let year = HeaderValue::from_static("max-age=31536000");
        headers.insert("strict-transport-security", year);
    }
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
        ("cache-control", "no-store"),
    ] {
        if !headers.contains_key(name) {
            headers.insert(name, HeaderValue::from_static(value));
        }
    }
    response
}
