//! Why a page could not be given.

use askama::Template;
use axum::response::Response;
use newtfern_acts::ActError;
use newtfern_acts::store::StoreError;

/// Reason why a page could not be given.
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
        /// Address that the form was sent to.
        to: String,
        /// Fields as they were sent.
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

/// Told where a form asks for an action that no page offers.
pub const NO_SUCH_ACTION: &str = "This action does not exist. Go back and load the page again.";

/// The result of a handler.
pub type PageResult<T = Response> = Result<T, PageError>;

impl From<StoreError> for PageError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Taken { what, name } => {
                let what = what.strip_prefix("a ").unwrap_or(what);
                PageError::Bad(format!(
                    "A {what} named {name} exists already. Choose another \
                    name."
                ))
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
            ActError::Placing(error) => PageError::Bad(format!("Nothing was published: {error}.")),
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

#[derive(Template)]
#[template(path = "message.html")]
struct Plain<'a> {
    title: &'a str,
    text: &'a str,
}

/// A page outside the application's frame.
pub fn message(title: &str, text: &str) -> String {
    let page = Plain { title, text };
    // The template is plain text around two values.
    page.render().unwrap_or_else(|_| "Something failed.".into())
}
