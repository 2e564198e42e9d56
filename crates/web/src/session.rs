//! Who asks, and may they? Roles are checked here, on the server, for every page and every form,
//! and by the acts once more.

use crate::error::PageError;
use crate::state::App;
use axum::body::Bytes;
use axum::extract::multipart::MultipartError;
use axum::extract::{FromRef, FromRequest, FromRequestParts, Multipart, Request};
use axum::http::request::Parts;
use axum::http::{HeaderMap, Method, StatusCode};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use cookie::{Cookie, SameSite};
use newtfern_acts::store::access::people::Role;
use newtfern_acts::store::access::sessions::Session;
use newtfern_acts::{Actor, Token, has_role};

const COOKIE: &str = "newtfern";
/// Only over TLS, for this host alone, for all its paths (RFC 6265bis, cookie name prefixes).
const HOST_COOKIE: &str = "__Host-newtfern";

/// Cookie by which a browser is known from which somebody signed in before.
const BROWSER: &str = "newtfern-browser";
const HOST_BROWSER: &str = "__Host-newtfern-browser";

/// The value of the cookie that is ours. Over TLS that is the one with the prefix alone: a page of
/// a neighbouring host, or one over plain HTTP, can set a cookie of the plain name, and none with
/// the prefix.
fn cookie_named(headers: &HeaderMap, names: [&str; 2], secure: bool) -> Option<String> {
    let lines = headers.get_all("cookie").iter();
    let pairs = lines
        .filter_map(|v| v.to_str().ok())
        .flat_map(Cookie::split_parse);
    let name = if secure { names[0] } else { names[1] };
    let ours = |c: &Cookie| c.name() == name;
    pairs.flatten().find(ours).map(|c| c.value().to_string())
}

/// The session's token; `secure` where pages go over TLS.
pub fn token(headers: &HeaderMap, secure: bool) -> Option<String> {
    cookie_named(headers, [HOST_COOKIE, COOKIE], secure)
}

/// The token of a browser that was here before.
pub fn browser(headers: &HeaderMap, secure: bool) -> Option<String> {
    cookie_named(headers, [HOST_BROWSER, BROWSER], secure)
}

/// The cookie by which a browser is known for so many seconds.
pub fn browser_cookie(secure: bool, token: &str, seconds: i64) -> String {
    cookie(
        secure,
        [HOST_BROWSER, BROWSER],
        token,
        seconds,
        SameSite::Strict,
    )
}

/// The cookie that keeps a session for so many seconds; 0 lets it go.
pub fn session_cookie(secure: bool, token: &str, seconds: i64) -> String {
    cookie(secure, [HOST_COOKIE, COOKIE], token, seconds, SameSite::Lax)
}

fn cookie(secure: bool, names: [&str; 2], token: &str, seconds: i64, sites: SameSite) -> String {
    let name = if secure { names[0] } else { names[1] };
    Cookie::build((name.to_string(), token.to_string()))
        .path("/")
        .http_only(true)
        .same_site(sites)
        .secure(secure)
        .max_age(cookie::time::Duration::seconds(seconds))
        .build()
        .to_string()
}

/// Anybody signed in who gave what the house asks for.
#[derive(Clone)]
pub struct Reader(pub Session);

/// Anybody who gave a right password; the second factor may still be wanted.
pub struct Half(pub Session);

/// Anybody wholly signed in, for the pages of their own account: there a second factor is set up
/// that the house asks for.
pub struct Own(pub Session);

impl Reader {
    /// Returns the actor that acts record.
    pub fn actor(&self) -> Actor {
        actor(&self.0)
    }
}

fn actor(session: &Session) -> Actor {
    Actor::of(&session.person)
}

/// The session of a request, read once for all who ask.
async fn session(parts: &mut Parts, app: &App) -> Result<Session, PageError> {
    if let Some(known) = parts.extensions.get::<Session>() {
        return Ok(known.clone());
    }
    let secure = app.settings.secure_cookies;
    let token = token(&parts.headers, secure).ok_or(PageError::SignIn)?;
    let session = app.reads().people().session(&token).await?;
    let session = session.ok_or(PageError::SignIn)?;
    parts.extensions.insert(session.clone());
    Ok(session)
}

impl<S: Send + Sync> FromRequestParts<S> for Half
where
    App: FromRef<S>,
{
    type Rejection = PageError;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, PageError> {
        session(parts, &App::from_ref(state)).await.map(Half)
    }
}

impl<S: Send + Sync> FromRequestParts<S> for Own
where
    App: FromRef<S>,
{
    type Rejection = PageError;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, PageError> {
        let session = session(parts, &App::from_ref(state)).await?;
        if !session.passed {
            return Err(PageError::SecondFactor);
        }
        Ok(Own(session))
    }
}

impl<S: Send + Sync> FromRequestParts<S> for Reader
where
    App: FromRef<S>,
{
    type Rejection = PageError;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, PageError> {
        let Own(session) = Own::from_request_parts(parts, state).await?;
        if session.second_required && !session.person.second {
            return Err(PageError::SetUpSecond);
        }
        Ok(Reader(session))
    }
}

/// The fields of a form, with the person who sent it. Only for those who may change things, and
/// only with the session's own token in the form.
pub struct Posted {
    pub session: Session,
    pub fields: Fields,
}

/// The same for one's own account: every role may send it.
pub struct OwnForm {
    pub session: Session,
    pub fields: Fields,
}

/// Names and values as they were sent.
#[derive(Debug, Clone, Default)]
pub struct Fields(pub Vec<(String, String)>);

impl Fields {
    /// The first value of a name; empty where there is none.
    pub fn get(&self, name: &str) -> &str {
        let found = self.0.iter().find(|(n, _)| n == name);
        found.map_or("", |(_, v)| v.as_str())
    }

    /// The first value of a name, where the form had such a field.
    pub fn given(&self, name: &str) -> Option<&str> {
        let mut all = self.0.iter().filter(|(n, _)| n == name);
        all.next().map(|(_, v)| v.as_str())
    }

    /// All values of a name.
    pub fn all<'a>(&'a self, name: &'a str) -> impl Iterator<Item = &'a str> {
        let of_name = self.0.iter().filter(move |(n, _)| n == name);
        of_name.map(|(_, v)| v.as_str())
    }

    /// `None` for an empty field.
    pub fn some(&self, name: &str) -> Option<String> {
        Some(self.get(name).trim().to_string()).filter(|v| !v.is_empty())
    }

    /// The version of what the form was made from.
    pub fn version(&self) -> Option<&str> {
        Some(self.get("version")).filter(|v| !v.is_empty())
    }

    /// The token that a form brings, if one was typed.
    pub fn token(&self) -> Option<Token<'_>> {
        let text = self.get("token").trim();
        let unencrypted = self.get("unencrypted") == "yes";
        (!text.is_empty()).then_some(Token { text, unencrypted })
    }

    /// Reads a form's body.
    pub fn parse(bytes: &[u8]) -> Fields {
        Fields(url::form_urlencoded::parse(bytes).into_owned().collect())
    }
}

impl Posted {
    /// Returns the actor that acts record.
    pub fn actor(&self) -> Actor {
        actor(&self.session)
    }

    /// Returns the reader, for showing the page again.
    pub fn reader(&self) -> Reader {
        Reader(self.session.clone())
    }
}

/// Checks the session of a request that changes something.
///
/// # Errors
/// [`PageError::Forbidden`], with what to do.
pub fn check(session: &Session, csrf: &str) -> Result<(), PageError> {
    has_role(session.person.role(), Role::Technician)?;
    same_form(session, csrf)
}

fn same_form(session: &Session, csrf: &str) -> Result<(), PageError> {
    if csrf != session.csrf {
        return Err(PageError::Forbidden(
            "This form is from an earlier sign-in. Copy what you typed, go back, load the page \
            again and send it again.",
        ));
    }
    Ok(())
}

/// Reads a form with one file: the form token and the file's bytes.
///
/// # Errors
/// Where the file is too large or did not arrive whole.
pub async fn upload(form: &mut Multipart, file: &str) -> Result<(String, Vec<u8>), PageError> {
    let (csrf, files) = uploads(form, file).await?;
    let last = files.into_iter().next_back();
    Ok((csrf, last.map(|(_, bytes)| bytes).unwrap_or_default()))
}

/// Files that are brought in at once, and the form's token.
///
/// # Errors
/// Where they are too large or did not arrive whole.
pub async fn uploads(
    form: &mut Multipart,
    field: &str,
) -> Result<(String, Vec<(String, Vec<u8>)>), PageError> {
    let (fields, files) = parts(form).await?;
    let files = files.into_iter().filter(|(name, ..)| name == field);
    let files = files.map(|(_, file, body)| (file, body)).collect();
    Ok((fields.get("csrf").to_string(), files))
}

/// A form's fields and the files that came with it.
///
/// # Errors
/// Where they are too large or did not arrive whole.
pub async fn whole_form(
    form: &mut Multipart,
) -> Result<(Fields, Vec<(String, Vec<u8>)>), PageError> {
    let (fields, files) = parts(form).await?;
    let files = files.into_iter().map(|(_, file, body)| (file, body));
    Ok((fields, files.collect()))
}

/// Field, name and bytes of a file.
type Part = (String, String, Vec<u8>);

async fn parts(form: &mut Multipart) -> Result<(Fields, Vec<Part>), PageError> {
    let (mut fields, mut files) = (Vec::new(), Vec::new());
    while let Some(part) = form.next_field().await.map_err(not_whole)? {
        let name = part.name().unwrap_or_default().to_string();
        let file = part.file_name().map(str::to_string);
        let body = part.bytes().await.map_err(not_whole)?;
        match file {
            None => fields.push((name, String::from_utf8_lossy(&body).into_owned())),
            Some(file) if file.is_empty() && body.is_empty() => {}
            Some(file) => files.push((name, file, body.to_vec())),
        }
    }
    Ok((Fields(fields), files))
}

fn not_whole(e: MultipartError) -> PageError {
    PageError::Bad(if e.status() == StatusCode::PAYLOAD_TOO_LARGE {
        "The file is larger than 5 MB. Choose a smaller file.".into()
    } else {
        format!("The upload was incomplete: {e}. Send the file again.")
    })
}

/// A form's fields with what `who` gives; what a stranger typed goes along to the sign-in.
async fn form<S: Send + Sync, W>(request: Request, state: &S) -> Result<(W, Fields), PageError>
where
    W: FromRequestParts<S, Rejection = PageError>,
{
    let (mut parts, body) = request.into_parts();
    let who = W::from_request_parts(&mut parts, state).await;
    let to = parts.uri.path().to_string();
    let bytes = Bytes::from_request(Request::from_parts(parts, body), state)
        .await
        .map_err(|_| PageError::Bad("The form is too large.".into()))?;
    match who {
        Err(PageError::SignIn) => {
            let form = bytes.to_vec();
            Err(PageError::SignInWith { to, form })
        }
        other => Ok((other?, Fields::parse(&bytes))),
    }
}

impl<S: Send + Sync> FromRequest<S> for Posted
where
    App: FromRef<S>,
{
    type Rejection = PageError;

    async fn from_request(request: Request, state: &S) -> Result<Self, PageError> {
        let (Reader(session), fields) = form::<S, Reader>(request, state).await?;
        check(&session, fields.get("csrf"))?;
        Ok(Posted { session, fields })
    }
}

impl<S: Send + Sync> FromRequest<S> for OwnForm
where
    App: FromRef<S>,
{
    type Rejection = PageError;

    async fn from_request(request: Request, state: &S) -> Result<Self, PageError> {
        let (Own(session), fields) = form::<S, Own>(request, state).await?;
        same_form(&session, fields.get("csrf"))?;
        Ok(OwnForm { session, fields })
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
            let words = "This request came from another site and was refused.";
            return (StatusCode::FORBIDDEN, words).into_response();
        }
    }
    next.run(request).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn over_tls_only_cookies_that_are_bound_to_the_host_are_read() {
        let mut headers = HeaderMap::new();
        headers.insert("cookie", "a=b; __Host-newtfern=token".parse().unwrap());
        assert_eq!(token(&headers, true).as_deref(), Some("token"));
        assert_eq!(token(&headers, false), None);
        headers.insert(
            "cookie",
            "newtfern=planted; newtfern-browser=too".parse().unwrap(),
        );
        assert_eq!(
            (token(&headers, true), browser(&headers, true)),
            (None, None)
        );
        assert_eq!(token(&headers, false).as_deref(), Some("planted"));
        let safe = session_cookie(true, "t", 60);
        assert!(safe.starts_with("__Host-newtfern=t;"), "{safe}");
        for part in ["HttpOnly", "SameSite=Lax", "Secure", "Path=/", "Max-Age=60"] {
            assert!(safe.contains(part), "{safe}");
        }
        assert!(!session_cookie(false, "t", 0).contains("Secure"));
    }
}
