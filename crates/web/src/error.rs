//! One place maps errors to answers: details to the log, what helps to the person.

use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use newtfern_store::StoreError;

#[derive(Debug)]
pub enum PageError {
    NotFound(&'static str),
    /// Not signed in: to the sign-in page.
    SignIn,
    Forbidden(&'static str),
    /// The person can mend it.
    Bad(String),
    Store(StoreError),
    Render(askama::Error),
}

pub type PageResult<T = Response> = Result<T, PageError>;

impl From<StoreError> for PageError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Taken { .. } => {
                PageError::Bad(format!("There {error}.").replace("There a ", "A "))
            }
            other => PageError::Store(other),
        }
    }
}

impl From<askama::Error> for PageError {
    fn from(error: askama::Error) -> Self {
        PageError::Render(error)
    }
}

impl IntoResponse for PageError {
    fn into_response(self) -> Response {
        let (status, title, text) = match self {
            PageError::SignIn => return Redirect::to("/sign-in").into_response(),
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
                (
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "Something failed on our side",
                    "Nothing was changed. Try again; if it stays, tell your administrator the time of day.".to_string(),
                )
            }
            PageError::Render(error) => {
                tracing::error!("a page could not be written: {error}");
                (
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "Something failed on our side",
                    "The page could not be written. Tell your administrator the time of day."
                        .to_string(),
                )
            }
        };
        (status, Html(message(title, &text))).into_response()
    }
}

/// A page without a template, since a template may be what failed.
pub fn message(title: &str, text: &str) -> String {
    let escape = |t: &str| {
        t.replace('&', "&amp;")
            .replace('<', "&lt;")
            .replace('>', "&gt;")
    };
    let (title, text) = (escape(title), escape(text));
    format!(
        "<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"><title>{title} - Newtfern</title><link rel=\"stylesheet\" href=\"/assets/bulma.min.css\"><link rel=\"stylesheet\" href=\"/assets/newtfern.css\"></head><body class=\"nf-plain\"><main class=\"nf-message\"><h1>{title}</h1><p role=\"alert\">{text}</p><p><a class=\"button\" href=\"/lens/estate\">To the estate</a></p></main></body></html>"
    )
}
