//! One place maps errors to answers: details to the log, what helps to the person. What goes wrong is
//! shown inside the application's own frame, with its navigation, to whoever is signed in.

use crate::session::Reader;
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::{FromRequestParts, Request, State};
use axum::http::StatusCode;
use axum::middleware::Next;
use axum::response::{Html, IntoResponse, Redirect, Response};
use newtfern_acts::ActError;
use newtfern_acts::store::StoreError;

/// Why a page could not be given.
#[derive(Debug)]
pub enum PageError {
    NotFound(&'static str),
    /// Not signed in: to the sign-in page.
    SignIn,
    /// The second factor is still to be given.
    SecondFactor,
    /// The house asks for a second factor, and there is none yet.
    SetUpSecond,
    /// The session ended while a form was filled in: what was typed goes along.
    SignInWith {
        /// Where the form was sent.
        to: String,
        /// What was typed, as it was sent.
        form: Vec<u8>,
    },
    Forbidden(&'static str),
    /// The person can mend it.
    Bad(String),
    Store(StoreError),
    Render(askama::Error),
    /// A part of ours broke off.
    Broken(String),
}

/// The result of a handler.
pub type PageResult<T = Response> = Result<T, PageError>;

impl From<StoreError> for PageError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Taken { what, name } => {
                let what = what.strip_prefix("a ").unwrap_or(what);
                PageError::Bad(format!("A {what} is there already: {name}."))
            }
            other => PageError::Store(other),
        }
    }
}

impl From<ActError> for PageError {
    fn from(error: ActError) -> Self {
        match error {
            ActError::Forbidden(why) => PageError::Forbidden(why),
            ActError::NotFound(what) => PageError::NotFound(what),
            ActError::Store(error) => error.into(),
            ActError::Placing(error) => PageError::Bad(format!("Nothing was pushed: {error}.")),
            ActError::Slot(error) => PageError::Bad(format!("Nothing was changed: {error}.")),
            other => PageError::Bad(other.to_string()),
        }
    }
}

impl From<askama::Error> for PageError {
    fn from(error: askama::Error) -> Self {
        PageError::Render(error)
    }
}

/// What to tell, carried with the answer until the frame is put around it.
#[derive(Clone)]
struct Told {
    title: &'static str,
    text: String,
}

impl IntoResponse for PageError {
    fn into_response(self) -> Response {
        let (status, title, text) = match self {
            PageError::SignIn => return Redirect::to("/sign-in").into_response(),
            PageError::SecondFactor => return Redirect::to("/sign-in/second").into_response(),
            PageError::SetUpSecond => return Redirect::to("/account").into_response(),
            PageError::SignInWith { to, form } => return crate::pages::sign_in::again(&to, &form),
            PageError::NotFound(what) => (
                StatusCode::NOT_FOUND,
                "Not found",
                format!(
                    "There is no such {what}. It may have been removed; go back and look again."
                ),
            ),
            PageError::Forbidden(why) => (StatusCode::FORBIDDEN, "Not allowed", why.to_string()),
            PageError::Bad(why) => (StatusCode::UNPROCESSABLE_ENTITY, "That did not work", why),
            PageError::Store(error) => {
                tracing::error!("{error}");
                let text = "Nothing was changed. Try again; if it stays, tell your administrator the time of day.";
                ours(text)
            }
            PageError::Broken(why) => {
                tracing::error!("a part of ours broke off: {why}");
                ours(
                    "Nothing was changed. Try again; if it stays, tell your administrator the time of day.",
                )
            }
            PageError::Render(error) => {
                tracing::error!("a page could not be written: {error}");
                ours("The page could not be written. Tell your administrator the time of day.")
            }
        };
        let mut answer = (status, Html(message(title, &text))).into_response();
        answer.extensions_mut().insert(Told { title, text });
        answer
    }
}

fn ours(text: &str) -> (StatusCode, &'static str, String) {
    let title = "Something failed on our side";
    (StatusCode::INTERNAL_SERVER_ERROR, title, text.to_string())
}

#[derive(Template)]
#[template(path = "message.html")]
struct Plain<'a> {
    title: &'a str,
    text: &'a str,
}

#[derive(Template)]
#[template(path = "error.html")]
struct Framed {
    frame: Frame,
    text: String,
    /// Where the person came from.
    back: String,
}

/// A page outside the application's frame.
pub fn message(title: &str, text: &str) -> String {
    let page = Plain { title, text };
    // The template is plain text around two values.
    page.render().unwrap_or_else(|_| "Something failed.".into())
}

/// Requests that no handler of ours saw are refused in the framework's words, for programmers: ours are
/// for the person.
fn worded(answer: Response) -> Response {
    let kind = answer.headers().get("content-type");
    let plain = kind.is_none_or(|k| k.as_bytes().starts_with(b"text/plain"));
    if answer.extensions().get::<Told>().is_some() || !plain {
        return answer;
    }
    let text = match answer.status() {
        StatusCode::BAD_REQUEST => {
            "This address cannot be read: a part of it is not what it should be. Go back and look again."
        }
        StatusCode::METHOD_NOT_ALLOWED => {
            "This address takes no request of this kind. Go back and use the page's own buttons."
        }
        StatusCode::PAYLOAD_TOO_LARGE => {
            "What was sent is larger than is taken, so nothing was kept. Send less at once."
        }
        StatusCode::UNSUPPORTED_MEDIA_TYPE | StatusCode::UNPROCESSABLE_ENTITY => {
            "What was sent cannot be read, so nothing was kept. Go back and send the page's own form."
        }
        _ => return answer,
    };
    let (status, allowed) = (answer.status(), answer.headers().get("allow").cloned());
    let title = "That did not work";
    let mut answer = (status, Html(message(title, text))).into_response();
    if let Some(allowed) = allowed {
        answer.headers_mut().insert("allow", allowed);
    }
    let text = text.to_string();
    answer.extensions_mut().insert(Told { title, text });
    answer
}

/// Puts the frame around what is told, for those who are signed in; and sends a stranger to the sign-in
/// page with the way back.
pub async fn framed(State(app): State<App>, request: Request, next: Next) -> Response {
    let (mut parts, body) = request.into_parts();
    let wanted = parts.uri.path_and_query().map(|p| p.to_string());
    let local = |h: &axum::http::HeaderValue| {
        let url = url::Url::parse(h.to_str().ok()?).ok()?;
        Some(url.path().to_string())
    };
    let back = parts.headers.get("referer").and_then(local);
    let get = parts.method == axum::http::Method::GET;
    let known = Reader::from_request_parts(&mut parts, &app).await;
    let answer = worded(next.run(Request::from_parts(parts, body)).await);
    let to_sign_in = answer
        .headers()
        .get("location")
        .is_some_and(|l| l == "/sign-in");
    if let (true, true, Some(to)) = (get, to_sign_in && known.is_err(), wanted)
        && to != "/"
    {
        let query = url::form_urlencoded::Serializer::new(String::new())
            .append_pair("to", &to)
            .finish();
        return Redirect::to(&format!("/sign-in?{query}")).into_response();
    }
    let (Some(told), Ok(reader)) = (answer.extensions().get::<Told>().cloned(), known) else {
        return answer;
    };
    let Ok(frame) = Frame::new(&app, &reader, told.title, "", "").await else {
        return answer;
    };
    let page = Framed {
        frame,
        text: told.text,
        back: back.unwrap_or_else(|| "/lens/estate".into()),
    };
    match page.render() {
        Ok(html) => (answer.status(), Html(html)).into_response(),
        Err(_) => answer,
    }
}
