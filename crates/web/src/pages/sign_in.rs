//! Signing in and out. An unknown address and a wrong password get the same answer in the same time.

use super::render;
use crate::error::{PageError, PageResult};
use crate::session::{Fields, session_cookie, token};
use crate::state::App;
use askama::Template;
use axum::body::Bytes;
use axum::extract::{ConnectInfo, Query, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{Html, IntoResponse, Redirect, Response};
use newtfern_acts::{hash_password, verify_password};
use serde::Deserialize;
use std::net::SocketAddr;

#[derive(Template)]
#[template(path = "sign_in.html")]
struct Page {
    problem: String,
    email: String,
    /// Where to go afterwards.
    to: String,
    demo: Option<(String, String)>,
}

#[derive(Template)]
#[template(path = "again.html")]
struct Again<'a> {
    to: &'a str,
    fields: Vec<(String, String)>,
}

#[derive(Deserialize)]
pub struct Asked {
    #[serde(default)]
    to: String,
}

/// Only pages of ours: an address that starts with one stroke and nothing that a browser would read as
/// another host.
fn of_ours(to: &str) -> &str {
    let ours = to.starts_with('/') && !to.starts_with("//") && !to.contains(['\\', '\n', '\r']);
    if ours { to } else { "/lens/estate" }
}

/// The form.
///
/// # Errors
/// Where the template fails.
pub async fn form(State(app): State<App>, Query(asked): Query<Asked>) -> PageResult {
    render(&Page {
        problem: String::new(),
        email: String::new(),
        to: of_ours(&asked.to).to_string(),
        demo: app.settings.demo_sign_in.clone(),
    })
}

/// The session ended while a form was filled in: what was typed is kept in a page that sends it once
/// more. A password is not written into a page.
pub fn again(to: &str, form: &[u8]) -> Response {
    let mut fields = Fields::parse(form).0;
    fields.retain(|(name, _)| name != "csrf" && name != "password" && name != "token");
    let page = Again { to, fields }.render();
    // The template is plain values in plain markup.
    (StatusCode::UNAUTHORIZED, Html(page.unwrap_or_default())).into_response()
}

/// A hash to compare with when there is no such person, so that the time tells nothing.
static NOBODY: std::sync::LazyLock<String> = std::sync::LazyLock::new(|| hash_password("nobody"));

/// Signs in.
///
/// # Errors
/// Where the database refuses.
pub async fn submit(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    body: Bytes,
) -> PageResult {
    let fields = Fields::parse(&body);
    let email = fields.get("email").to_string();
    let to = of_ours(fields.get("to")).to_string();
    let again = |problem: &str, status: StatusCode| -> PageResult {
        let page = Page {
            problem: problem.into(),
            email: email.clone(),
            to: to.clone(),
            demo: app.settings.demo_sign_in.clone(),
        };
        Ok((status, render(&page)?).into_response())
    };
    if !app.may_try(from.ip(), &email) {
        let words = "Too many attempts. Wait a minute, then try again.";
        return again(words, StatusCode::TOO_MANY_REQUESTS);
    }
    let person = app.store().person_by_email(&email).await?;
    let known = person.as_ref().map(|p| p.password_hash.clone());
    let password = fields.get("password").to_string();
    // Hashing takes long on purpose; it must not hold up other pages.
    let right = tokio::task::spawn_blocking(move || {
        verify_password(&password, &known.unwrap_or_else(|| NOBODY.clone()))
    });
    match (person, right.await.unwrap_or(false)) {
        (Some(person), true) => {
            app.succeeded(from.ip(), &email);
            let (token, seconds) = app.acts.open_session(&person).await?;
            Ok(with_cookie(&app, &token, seconds, Redirect::to(&to)))
        }
        _ => {
            let words = "The address or the password is not right.";
            again(words, StatusCode::UNAUTHORIZED)
        }
    }
}

fn with_cookie(app: &App, token: &str, seconds: i64, answer: impl IntoResponse) -> Response {
    let cookie = session_cookie(app.settings.secure_cookies, token, seconds);
    ([("set-cookie", cookie)], answer).into_response()
}

/// Signs out.
///
/// # Errors
/// Where nobody is signed in.
pub async fn sign_out(
    State(app): State<App>,
    headers: HeaderMap,
    body: Bytes,
) -> Result<Response, PageError> {
    let token = token(&headers).ok_or(PageError::SignIn)?;
    let session = app
        .store()
        .session(&token)
        .await?
        .ok_or(PageError::SignIn)?;
    // A viewer may sign out too, so the role is not asked; the form token is.
    if Fields::parse(&body).get("csrf") == session.csrf {
        app.acts.close_session(&token).await?;
    }
    Ok(with_cookie(&app, "", 0, Redirect::to("/sign-in")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_pages_of_ours_are_gone_to() {
        assert_eq!(of_ours("/sites/3?x=1"), "/sites/3?x=1");
        for foreign in [
            "//elsewhere.example",
            "https://elsewhere.example",
            "/\\elsewhere.example",
            "",
        ] {
            assert_eq!(of_ours(foreign), "/lens/estate", "{foreign}");
        }
    }
}
