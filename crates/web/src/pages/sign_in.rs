//! Signing in and out. An unknown address and a wrong password get the same answer in the same time.

use super::render;
use crate::error::{PageError, PageResult};
use crate::session::{COOKIE, Fields, cookie};
use crate::state::App;
use askama::Template;
use axum::body::Bytes;
use axum::extract::{ConnectInfo, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Redirect, Response};
use std::net::SocketAddr;
use time::{Duration, OffsetDateTime};

#[derive(Template)]
#[template(path = "sign_in.html")]
struct Page {
    problem: String,
    email: String,
    demo: Option<(String, String)>,
}

pub async fn form(State(app): State<App>) -> PageResult {
    render(&Page {
        problem: String::new(),
        email: String::new(),
        demo: app.settings.demo_sign_in.clone(),
    })
}

/// A hash to compare with when there is no such person, so that the time tells nothing.
static NOBODY: std::sync::LazyLock<String> =
    std::sync::LazyLock::new(|| crate::hash_password("nobody"));

pub async fn submit(
    State(app): State<App>,
    ConnectInfo(from): ConnectInfo<SocketAddr>,
    body: Bytes,
) -> PageResult {
    let fields = Fields::parse(&body);
    let email = fields.get("email").to_string();
    let again = |problem: &str, status: StatusCode| -> PageResult {
        let page = Page {
            problem: problem.into(),
            email: email.clone(),
            demo: app.settings.demo_sign_in.clone(),
        };
        Ok((status, render(&page)?).into_response())
    };
    if !app.may_try(from.ip(), &email) {
        return again(
            "Too many attempts. Wait five minutes, then try again.",
            StatusCode::TOO_MANY_REQUESTS,
        );
    }
    let person = app.store.person_by_email(&email).await?;
    let hash = person
        .as_ref()
        .map_or(NOBODY.clone(), |p| p.password_hash.clone());
    let password = fields.get("password").to_string();
    // Hashing takes long on purpose; it must not hold up other pages.
    let right = tokio::task::spawn_blocking(move || verify(&password, &hash))
        .await
        .unwrap_or(false);
    match person {
        Some(person) if right => {
            app.forget_attempts(from.ip(), &email);
            let token = app
                .store
                .open_session(person.id, OffsetDateTime::now_utc() + Duration::days(14))
                .await?;
            app.store
                .note(
                    &person.name,
                    "signed in",
                    &person.email,
                    serde_json::json!({}),
                )
                .await?;
            Ok(with_cookie(
                &app,
                &token,
                14 * 86_400,
                Redirect::to("/lens/estate"),
            ))
        }
        _ => again(
            "The address or the password is not right.",
            StatusCode::UNAUTHORIZED,
        ),
    }
}

fn verify(password: &str, hash: &str) -> bool {
    use argon2::password_hash::{PasswordHash, PasswordVerifier};
    PasswordHash::new(hash).is_ok_and(|h| {
        argon2::Argon2::default()
            .verify_password(password.as_bytes(), &h)
            .is_ok()
    })
}

fn with_cookie(app: &App, token: &str, seconds: i64, answer: impl IntoResponse) -> Response {
    let secure = if app.settings.secure_cookies {
        "; Secure"
    } else {
        ""
    };
    (
        [(
            "set-cookie",
            format!("{COOKIE}={token}; Path=/; HttpOnly; SameSite=Lax; Max-Age={seconds}{secure}"),
        )],
        answer,
    )
        .into_response()
}

pub async fn sign_out(
    State(app): State<App>,
    headers: HeaderMap,
    body: Bytes,
) -> Result<Response, PageError> {
    let token = cookie(&headers).ok_or(PageError::SignIn)?;
    let session = app.store.session(&token).await?.ok_or(PageError::SignIn)?;
    // A viewer may sign out too, so the role is not asked; the form token is.
    if Fields::parse(&body).get("csrf") == session.csrf {
        app.store.close_session(&token).await?;
    }
    Ok(with_cookie(&app, "", 0, Redirect::to("/sign-in")))
}
