//! Who asks, and may they? Roles are checked here, on the server, for every page and every form.

use crate::error::PageError;
use crate::state::App;
use axum::body::Bytes;
use axum::extract::multipart::MultipartError;
use axum::extract::{FromRef, FromRequest, FromRequestParts, Multipart, Request};
use axum::http::request::Parts;
use axum::http::{HeaderMap, Method, StatusCode};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use newtfern_store::people::{Role, Session};

pub const COOKIE: &str = "newtfern";

pub fn cookie(headers: &HeaderMap) -> Option<String> {
    headers
        .get_all("cookie")
        .iter()
        .filter_map(|v| v.to_str().ok())
        .flat_map(|v| v.split(';'))
        .find_map(|pair| {
            let (name, value) = pair.trim().split_once('=')?;
            (name == COOKIE).then(|| value.to_string())
        })
}

/// Anybody signed in.
pub struct Reader(pub Session);

impl Reader {
    pub fn may_change(&self) -> bool {
        self.0.person.role() >= Role::Technician
    }

    pub fn is_administrator(&self) -> bool {
        self.0.person.role() == Role::Administrator
    }
}

impl<S: Send + Sync> FromRequestParts<S> for Reader
where
    App: FromRef<S>,
{
    type Rejection = PageError;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, PageError> {
        let app = App::from_ref(state);
        let token = cookie(&parts.headers).ok_or(PageError::SignIn)?;
        app.store
            .session(&token)
            .await?
            .map(Reader)
            .ok_or(PageError::SignIn)
    }
}

/// The fields of a form, with the person who sent it. Only for those who may change things, and only
/// with the session's own token in the form.
pub struct Posted {
    pub session: Session,
    pub fields: Fields,
}

#[derive(Debug, Clone, Default)]
pub struct Fields(pub Vec<(String, String)>);

impl Fields {
    pub fn get(&self, name: &str) -> &str {
        self.0
            .iter()
            .find(|(n, _)| n == name)
            .map_or("", |(_, v)| v.as_str())
    }

    pub fn all<'a>(&'a self, name: &'a str) -> impl Iterator<Item = &'a str> {
        self.0
            .iter()
            .filter(move |(n, _)| n == name)
            .map(|(_, v)| v.as_str())
    }

    /// `None` for an empty field.
    pub fn some(&self, name: &str) -> Option<String> {
        Some(self.get(name).trim().to_string()).filter(|v| !v.is_empty())
    }

    pub fn parse(bytes: &[u8]) -> Fields {
        Fields(url::form_urlencoded::parse(bytes).into_owned().collect())
    }
}

impl Posted {
    pub fn who(&self) -> &str {
        &self.session.person.name
    }

    pub fn administrator(&self) -> Result<(), PageError> {
        if self.session.person.role() == Role::Administrator {
            Ok(())
        } else {
            Err(PageError::Forbidden(
                "Only an administrator can change this.",
            ))
        }
    }
}

/// Checks the session of a request that changes something.
pub fn check(session: &Session, csrf: &str) -> Result<(), PageError> {
    if session.person.role() < Role::Technician {
        return Err(PageError::Forbidden(
            "You may look, not change. Ask an administrator for the role of a technician.",
        ));
    }
    if csrf != session.csrf {
        return Err(PageError::Forbidden(
            "This form is from another sign-in. Go back, load the page anew and send it again; copy what you typed first.",
        ));
    }
    Ok(())
}

/// Reads a form with one file: the form token and the file's bytes.
pub async fn upload(form: &mut Multipart, file: &str) -> Result<(String, Vec<u8>), PageError> {
    let mut csrf = String::new();
    let mut bytes = Vec::new();
    let failed = |e: MultipartError| {
        PageError::Bad(if e.status() == StatusCode::PAYLOAD_TOO_LARGE {
            "The file is too large: 5 MB is the most.".into()
        } else {
            format!("The file did not arrive whole: {e}.")
        })
    };
    while let Some(part) = form.next_field().await.map_err(failed)? {
        let name = part.name().unwrap_or_default().to_string();
        let body = part.bytes().await.map_err(failed)?;
        if name == "csrf" {
            csrf = String::from_utf8_lossy(&body).into_owned();
        } else if name == file {
            bytes = body.to_vec();
        }
    }
    Ok((csrf, bytes))
}

impl<S: Send + Sync> FromRequest<S> for Posted
where
    App: FromRef<S>,
{
    type Rejection = PageError;

    async fn from_request(request: Request, state: &S) -> Result<Self, PageError> {
        let (mut parts, body) = request.into_parts();
        let Reader(session) = Reader::from_request_parts(&mut parts, state).await?;
        let bytes = Bytes::from_request(Request::from_parts(parts, body), state)
            .await
            .map_err(|_| PageError::Bad("The form is too large.".into()))?;
        let fields = Fields::parse(&bytes);
        check(&session, fields.get("csrf"))?;
        Ok(Posted { session, fields })
    }
}

/// A change asked for by another site never reaches a handler (Fetch Metadata, and Origin for
/// browsers without it). The form token is the second lock.
pub async fn same_site(request: Request, next: Next) -> Response {
    if request.method() != Method::GET && request.method() != Method::HEAD {
        let header = |name: &str| request.headers().get(name).and_then(|v| v.to_str().ok());
        let foreign = match (header("sec-fetch-site"), header("origin")) {
            (Some(site), _) => !matches!(site, "same-origin" | "none"),
            (None, Some(origin)) => header("host")
                .is_none_or(|host| origin.split_once("://").map(|(_, h)| h) != Some(host)),
            (None, None) => false,
        };
        if foreign {
            return (
                StatusCode::FORBIDDEN,
                "This request came from another site and was refused.",
            )
                .into_response();
        }
    }
    next.run(request).await
}
