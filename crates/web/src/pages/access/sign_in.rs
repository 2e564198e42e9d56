//! Signing in and out. An unknown address and a wrong password get the same answer in the same
//! time.

use crate::error::{PageError, PageResult};
use crate::pages::render;
use crate::peer::Peer;
use crate::session::{Fields, Half, browser, browser_cookie, session_cookie, token};
use crate::state::App;
use askama::Template;
use axum::body::Bytes;
use axum::extract::{Query, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{AppendHeaders, Html, IntoResponse, Redirect, Response};
use newtfern_acts::access::tries::Attempt;
use newtfern_acts::{ActError, OpenedSession};
use serde::Deserialize;
use std::time::{Duration, Instant};

#[derive(Template)]
#[template(path = "access/sign_in.html")]
struct Page {
    problem: String,
    email: String,
    /// Page to go to afterwards.
    to: String,
    demo: Option<(String, String)>,
}

#[derive(Template)]
#[template(path = "site/again.html")]
struct Again<'a> {
    to: &'a str,
    fields: Vec<(String, String)>,
}

#[derive(Template)]
#[template(path = "access/second.html")]
struct Second {
    problem: String,
    to: String,
    name: String,
}

#[derive(Deserialize)]
pub struct SignInQuery {
    #[serde(default)]
    to: String,
}

/// Only pages of ours: an address that starts with one stroke and nothing that a browser would read
/// as another host. Browsers leave tabs and line ends out of addresses (URL standard, 4.4).
fn of_ours(to: &str) -> &str {
    let odd = |c: char| c == '\\' || c.is_control();
    let ours = to.starts_with('/') && !to.starts_with("//") && !to.contains(odd);
    if ours { to } else { "/lens/estate" }
}

/// Shows the sign-in form.
///
/// # Errors
/// Where the template fails.
pub async fn form(State(app): State<App>, Query(asked): Query<SignInQuery>) -> PageResult {
    render(&Page {
        problem: String::new(),
        email: String::new(),
        to: of_ours(&asked.to).to_string(),
        demo: app.settings.demo_sign_in.clone(),
    })
}

/// The session ended while a form was filled in: what was typed is kept in a page that sends it
/// once more. A password is not written into a page.
pub fn again(to: &str, form: &[u8]) -> Response {
    let mut fields = Fields::parse(form).0;
    let secret = ["csrf", "password", "old", "new", "code", "token"];
    fields.retain(|(name, _)| !secret.contains(&name.as_str()));
    let page = Again { to, fields }.render();
    // The template is plain values in plain markup.
    (StatusCode::UNAUTHORIZED, Html(page.unwrap_or_default())).into_response()
}

/// Returns how long to wait before the next attempt, in words.
pub(crate) fn too_many(wait: Duration) -> String {
    let seconds = wait.as_secs().max(1);
    let s = if seconds == 1 { "" } else { "s" };
    format!("Too many attempts. Wait {seconds} second{s}, then try again.")
}

/// Signs a person in.
pub async fn submit(
    State(app): State<App>,
    peer: Peer,
    headers: HeaderMap,
    body: Bytes,
) -> PageResult {
    let fields = Fields::parse(&body);
    let email: String = fields.get("email").chars().take(300).collect();
    let to = of_ours(fields.get("to")).to_string();
    let refused = |problem: &str, status: StatusCode| -> PageResult {
        let page = Page {
            problem: problem.into(),
            email: email.clone(),
            to: to.clone(),
            demo: app.settings.demo_sign_in.clone(),
        };
        Ok((status, render(&page)?).into_response())
    };
    let secure = app.settings.secure_cookies;
    let known = match browser(&headers, secure) {
        Some(token) if app.reads().people().knows_browser(&email, &token).await? => Some(token),
        _ => None,
    };
    let attempt = Attempt {
        peer: peer.address,
        account: &email,
        browser: known.as_deref(),
    };
    if let Some(wait) = app.tries.wait(&attempt, Instant::now()) {
        return refused(&too_many(wait), StatusCode::TOO_MANY_REQUESTS);
    }
    let signed_in = app
        .acts
        .people()
        .sign_in(&email, fields.get("password"), &peer.from())
        .await;
    match signed_in {
        Ok(Some(opened)) => {
            app.tries.succeeded(&attempt);
            Ok(arrived(&app, opened, &to))
        }
        Ok(None) => {
            app.tries.failed(&attempt, Instant::now());
            let words = "The e-mail address or the password is wrong. Try again.";
            refused(words, StatusCode::UNAUTHORIZED)
        }
        Err(ActError::Busy) => {
            let words = ActError::Busy.to_string();
            refused(
                &format!("There are {words}."),
                StatusCode::SERVICE_UNAVAILABLE,
            )
        }
        Err(other) => Err(other.into()),
    }
}

/// Goes on to the page that was asked for, or to the second factor first.
fn arrived(app: &App, opened: OpenedSession, to: &str) -> Response {
    let secure = app.settings.secure_cookies;
    let (token, seconds) = opened.browser;
    let cookies = AppendHeaders([
        (
            "set-cookie",
            session_cookie(secure, &opened.token, opened.seconds),
        ),
        ("set-cookie", browser_cookie(secure, &token, seconds)),
    ]);
    let next = match opened.asks_second {
        true => format!("/sign-in/second?{}", query(to)),
        false => to.to_string(),
    };
    (cookies, Redirect::to(&next)).into_response()
}

fn query(to: &str) -> String {
    url::form_urlencoded::Serializer::new(String::new())
        .append_pair("to", to)
        .finish()
}

/// Asks for the second factor.
///
/// # Errors
/// Where nobody waits for it.
pub async fn second(Half(session): Half, Query(asked): Query<SignInQuery>) -> PageResult {
    let to = of_ours(&asked.to).to_string();
    if session.passed {
        return Ok(Redirect::to(&to).into_response());
    }
    render(&Second {
        problem: String::new(),
        to,
        name: session.person.name,
    })
}

/// Takes the second factor.
///
/// # Errors
/// Where nobody waits for it.
pub async fn give_second(
    State(app): State<App>,
    peer: Peer,
    Half(session): Half,
    headers: HeaderMap,
    body: Bytes,
) -> PageResult {
    let fields = Fields::parse(&body);
    let to = of_ours(fields.get("to")).to_string();
    let waiting = token(&headers, app.settings.secure_cookies).ok_or(PageError::SignIn)?;
    let refused = |problem: String, status: StatusCode| -> PageResult {
        let page = Second {
            problem,
            to: to.clone(),
            name: session.person.name.clone(),
        };
        Ok((status, render(&page)?).into_response())
    };
    // Who knows the password must not try all codes: counted apart from passwords.
    let account = format!("second factor of {}", session.person.id);
    let attempt = Attempt {
        peer: peer.address,
        account: &account,
        browser: None,
    };
    if let Some(wait) = app.tries.wait(&attempt, Instant::now()) {
        return refused(too_many(wait), StatusCode::TOO_MANY_REQUESTS);
    }
    let code = fields.get("code");
    let passed = app
        .acts
        .people()
        .pass_second_factor(&session, &waiting, code, &peer.from())
        .await?;
    let Some((token, seconds)) = passed else {
        app.tries.failed(&attempt, Instant::now());
        let words = "The code is wrong or was already used. Enter the newest code.";
        return refused(words.into(), StatusCode::UNAUTHORIZED);
    };
    app.tries.succeeded(&attempt);
    Ok(with_cookie(&app, &token, seconds, Redirect::to(&to)))
}

fn with_cookie(app: &App, token: &str, seconds: i64, answer: impl IntoResponse) -> Response {
    let cookie = session_cookie(app.settings.secure_cookies, token, seconds);
    ([("set-cookie", cookie)], answer).into_response()
}

/// Signs out; with a wrong form token nothing changes.
///
/// # Errors
/// Where nobody is signed in, or the form is from another sign-in.
pub async fn sign_out(
    State(app): State<App>,
    Half(session): Half,
    headers: HeaderMap,
    body: Bytes,
) -> PageResult {
    // A viewer may sign out too, so the role is not asked; the form token is.
    if Fields::parse(&body).get("csrf") != session.csrf {
        return Err(PageError::Forbidden(
            "This form is from an earlier sign-in. Load the page again, then sign out.",
        ));
    }
    let token = token(&headers, app.settings.secure_cookies).ok_or(PageError::SignIn)?;
    app.acts
        .people()
        .close_session(&session.person, &token)
        .await?;
    app.signed_out(session.id);
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
            "/\t/elsewhere.example",
            "/\u{9d}/elsewhere.example",
            "/sites\u{0}",
            "",
        ] {
            assert_eq!(of_ours(foreign), "/lens/estate", "{foreign}");
        }
    }

    #[test]
    fn the_wait_is_told_in_words() {
        assert!(too_many(Duration::from_millis(300)).contains("Wait 1 second,"));
        assert!(too_many(Duration::from_secs(32)).contains("Wait 32 seconds,"));
    }
}
