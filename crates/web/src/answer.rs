//! One place maps errors to answers: details to the log, what helps to the person. What goes wrong
//! is shown inside the application's own frame, with its navigation, to whoever is signed in.

use crate::error::{PageError, message};
use crate::session::Reader;
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::{FromRequestParts, Request, State};
use axum::http::StatusCode;
use axum::middleware::Next;
use axum::response::{Html, IntoResponse, Redirect, Response};

/// Text of an error, carried with the answer until the frame is put around it.
#[derive(Clone)]
struct ErrorText {
    title: &'static str,
    text: String,
}

impl IntoResponse for PageError {
    fn into_response(self) -> Response {
        let (status, title, text) = match self {
            PageError::SignIn => return Redirect::to("/sign-in").into_response(),
            PageError::SecondFactor => return Redirect::to("/sign-in/second").into_response(),
            PageError::SetUpSecond => return Redirect::to("/account").into_response(),
            PageError::SignInWith { to, form } => {
                return crate::pages::access::sign_in::again(&to, &form);
            }
            PageError::NotFound(what) => (
                StatusCode::NOT_FOUND,
                "Not found",
                format!(
                    "This {what} does not exist. It may have been removed. Go back and load the \
                    page again."
                ),
            ),
            PageError::Forbidden(why) => (StatusCode::FORBIDDEN, "Not allowed", why.to_string()),
            PageError::Bad(why) => (StatusCode::UNPROCESSABLE_ENTITY, "Not done", why),
            PageError::Store(error) => {
                tracing::error!("{error}");
                let text = "Nothing was changed. Try again. If it fails again, tell your \
                    administrator the time of this error.";
                ours(text)
            }
            PageError::Broken(why) => {
                tracing::error!("a part of ours broke off: {why}");
                ours(
                    "Nothing was changed. Try again. If it fails again, tell your administrator \
                    the time of this error.",
                )
            }
            PageError::Render(error) => {
                tracing::error!("a page could not be written: {error}");
                ours("The page could not be made. Tell your administrator the time of this error.")
            }
        };
        let mut answer = (status, Html(message(title, &text))).into_response();
        answer.extensions_mut().insert(ErrorText { title, text });
        answer
    }
}

fn ours(text: &str) -> (StatusCode, &'static str, String) {
    let title = "Internal error";
    (StatusCode::INTERNAL_SERVER_ERROR, title, text.to_string())
}

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage {
    frame: Frame,
    text: String,
    /// Page that the person came from.
    back: String,
}

/// Requests that no handler of ours saw are refused in the framework's words, for programmers: ours
/// are for the person.
fn worded(answer: Response) -> Response {
    let kind = answer.headers().get("content-type");
    let plain = kind.is_none_or(|k| k.as_bytes().starts_with(b"text/plain"));
    if answer.extensions().get::<ErrorText>().is_some() || !plain {
        return answer;
    }
    let text = match answer.status() {
        StatusCode::BAD_REQUEST => {
            "This address is not valid. Go back and use the links of the page."
        }
        StatusCode::METHOD_NOT_ALLOWED => {
            "This address does not accept this kind of request. Go back and use the buttons of \
            the page."
        }
        StatusCode::PAYLOAD_TOO_LARGE => {
            "The form or file is too large, so nothing was saved. Send less at once."
        }
        StatusCode::UNSUPPORTED_MEDIA_TYPE | StatusCode::UNPROCESSABLE_ENTITY => {
            "The form could not be read, so nothing was saved. Go back, load the page again and \
            send its form."
        }
        _ => return answer,
    };
    let (status, allowed) = (answer.status(), answer.headers().get("allow").cloned());
    let title = "Not done";
    let mut answer = (status, Html(message(title, text))).into_response();
    if let Some(allowed) = allowed {
        answer.headers_mut().insert("allow", allowed);
    }
    let text = text.to_string();
    answer.extensions_mut().insert(ErrorText { title, text });
    answer
}

/// Puts the frame around what is told, for those who are signed in; and sends a stranger to the
/// sign-in page with the way back.
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
    let (Some(told), Ok(reader)) = (answer.extensions().get::<ErrorText>().cloned(), known) else {
        return answer;
    };
    let Ok(frame) = Frame::new(&app, &reader, told.title, "", "").await else {
        return answer;
    };
    let page = ErrorPage {
        frame,
        text: told.text,
        back: back.unwrap_or_else(|| "/lens/estate".into()),
    };
    match page.render() {
        Ok(html) => (answer.status(), Html(html)).into_response(),
        Err(_) => answer,
    }
}
